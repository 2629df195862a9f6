package files

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	corefiles "roundhouse.example/internal/core/files"
)

type attaching struct {
	caption, name, serves string
	sensitive             bool
}

// Attach is the command case attach.
func (a *Commands) Attach() *cobra.Command {
	var o attaching
	c := &cobra.Command{Use: "attach CASE FILE...", Short: "Add files to a case",
		Long: "Adds files to a case; they are not sent to the vendor. - is standard input, which needs\n--name. Each file " +
			"is checked for what must not be sent, and you are told what was found.\nIf the connection breaks, the " +
			"upload continues where it stopped.",
		Args: cobra.MinimumNArgs(2),
		Example: "  roundhouse case attach C-1077 collector.log --caption \"Log of the collector, 02:00 to 03:00\"\n" +
			"  head -50 collector.log | roundhouse case attach C-1077 - --name head.log",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 2 && (o.caption != "" || o.name != "") {
				return app.Usagef("--caption and --name are for one file: attach them one by one")
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			added := []clientgen.File{}
			for _, path := range args[1:] {
				var f clientgen.File
				if f, err = a.attach(cmd.Context(), c, args[0], path, o); err != nil {
					err = fmt.Errorf("%s: %w", path, err)
					break // what was added before is told
				}
				added = append(added, f)
			}
			if a.Format == "json" {
				return errors.Join(err, a.Printer().JSON(added))
			}
			return err
		}}
	c.Flags().StringVar(&o.caption, "caption", "", "what the file is, or what a picture shows")
	c.Flags().StringVar(&o.name, "name", "", "name of the file, if not its own")
	c.Flags().StringVar(&o.serves, "for", "", "which of the files the vendor asked for this is (case files lists them)")
	c.Flags().BoolVar(&o.sensitive, "sensitive", false, "only people on the case can see the file")
	return c
}

// send sends one file, and gives its number and its hash as it is here.
func (a *Commands) send(ctx context.Context, c *client.Client, u client.Upload, path, name string) (number int,
	hash string, err error) {
	from, err := a.open(path, name)
	if err != nil {
		return 0, "", err
	}
	defer from.Close()
	if u.Bytes, hash, err = measured(ctx, from); err != nil {
		return 0, "", err
	}
	if u.Name = name; name == "" {
		u.Name = filepath.Base(path)
	}
	a.shown(&u)
	u.Unfit = func(why string) {
		a.clear()
		fmt.Fprintf(a.Stderr, "%s can be kept here, but not sent to the vendor: %s\n", out.Plain(u.Name), out.Plain(why))
	}
	number, err = c.Send(ctx, u, from)
	a.clear()
	return number, hash, err
}

// attach adds one file to a case and says what was found in it.
func (a *Commands) attach(ctx context.Context, c *client.Client, name, path string, o attaching) (f clientgen.File,
	err error) {
	number, hash, err := a.send(ctx, c, client.Upload{Case: name, Caption: o.caption, Sensitive: o.sensitive,
		For: o.serves}, path, o.name)
	if err != nil {
		return f, err
	}
	if f, err = a.checked(ctx, c, name, number); err != nil {
		return f, err
	}
	if f.Sha256 != nil && *f.Sha256 != hash {
		return f, fmt.Errorf("it arrived as file %d, but not as it is here: its hash is %s, not %s. Attach it again", number,
			*f.Sha256, hash)
	}
	if a.Format != "json" {
		a.tellAttached(f)
	}
	return f, nil
}

// open is a file that can be read again from any place; standard input is put by on the disk first.
func (a *Commands) open(path, name string) (*os.File, error) {
	if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return nil, err
		}
		if st, err := f.Stat(); err != nil || !st.Mode().IsRegular() {
			return nil, errors.Join(err, app.Usagef("it is not a file; pack a folder into an archive first"), f.Close())
		}
		return f, nil
	}
	if name == "" {
		return nil, app.Usagef("standard input needs a name: give it with --name")
	}
	f, err := os.CreateTemp("", "roundhouse-*") // 0600
	if err != nil {
		return nil, err
	}
	_, err = io.Copy(f, io.LimitReader(a.Stdin, corefiles.Most+1))
	if err = errors.Join(os.Remove(f.Name()), err); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// measured is the size of a file and its SHA-256.
func measured(ctx context.Context, f *os.File) (size int64, hash string, err error) {
	if size, err = f.Seek(0, io.SeekEnd); err == nil {
		err = corefiles.Size(size)
	}
	if err != nil {
		return 0, "", err
	}
	h := sha256.New()
	buf := make([]byte, 1<<20)
	for at := int64(0); at < size; {
		if err := ctx.Err(); err != nil {
			return 0, "", err
		}
		n, err := f.ReadAt(buf[:min(int64(len(buf)), size-at)], at)
		if err != nil && n == 0 {
			return 0, "", err
		}
		h.Write(buf[:n])
		at += int64(n)
	}
	return size, hex.EncodeToString(h.Sum(nil)), nil
}

// shown lets an upload show how far it has come.
func (a *Commands) shown(u *client.Upload) {
	if !a.Watched() {
		return
	}
	var last time.Time
	u.Progress = func(sent int64) {
		if time.Since(last) < 100*time.Millisecond {
			return
		}
		last = time.Now()
		fmt.Fprintf(a.Stderr, "\r\x1b[K%s  %d%% of %s", out.Plain(u.Name), 100*sent/u.Bytes, corefiles.Bytes(u.Bytes))
	}
	u.Broken = func(error) {
		fmt.Fprintf(a.Stderr, "\r\x1b[K%s  the connection broke; trying again", out.Plain(u.Name))
	}
}

func (a *Commands) clear() {
	if a.Watched() {
		fmt.Fprint(a.Stderr, "\r\x1b[K")
	}
}

// checked waits until the service has looked through a file; one that takes longer is told as it is.
func (a *Commands) checked(ctx context.Context, c *client.Client, name string, number int) (f clientgen.File,
	err error) {
	for began := time.Now(); ; {
		res, err := c.ShowFile(ctx, name, number)
		if f, _, err = client.Read[clientgen.File](c, res, err); err != nil {
			return f, fmt.Errorf("it arrived as file %d, but cannot be shown: %w", number, err)
		}
		if f.Checked || f.Problem != nil || time.Since(began) > 10*time.Minute {
			return f, nil
		}
		if a.Watched() {
			fmt.Fprintf(a.Stderr, "\r\x1b[K%s  has arrived and is being checked", out.Plain(f.Name))
		}
		select {
		case <-ctx.Done():
			return f, ctx.Err()
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func (a *Commands) tellAttached(f clientgen.File) {
	a.clear()
	p := a.Printer()
	p.Line("%s is file %d (%s).", f.Name, f.Number, corefiles.Bytes(f.Bytes))
	if f.NamedType != nil {
		p.Line("  Its name says %s, but it is %s.", *f.NamedType, app.Deref(f.Type))
	}
	if f.Problem != nil {
		p.Line("  It could not be checked yet: %s.", *f.Problem)
	}
	if text := foundIn(f); text != "" {
		p.Line("  Found in it: %s.", text)
	}
}
