package files

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	corefiles "roundhouse.example/internal/core/files"
)

// Fetch is the command case fetch.
func (a *Commands) Fetch() *cobra.Command {
	var to string
	c := &cobra.Command{Use: "fetch CASE [FILE]", Short: "Save a file of a case, or all of them in one archive",
		Long: "Saves a file of a case, by its number or its name, in the current directory. Without one, saves all\n" +
			"its files in a zip archive, with a manifest that has their hashes. No file is overwritten.",
		Args: cobra.RangeArgs(1, 2), Example: "  roundhouse case fetch C-1077 1 --to first.log\n" +
			"  roundhouse case fetch C-1077 1 --to - | head -5\n  roundhouse case fetch C-1077 --to files.zip",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			path := "/cases/" + url.PathEscape(args[0])
			if len(args) == 1 {
				return a.fetch(cmd.Context(), c, path+"/files-archive", to, clientgen.File{Name: args[0] + "-files.zip"})
			}
			f, err := named(cmd.Context(), c, args[0], args[1])
			if err != nil {
				return err
			}
			return a.fetch(cmd.Context(), c, fmt.Sprintf("%s/files/%d/content", path, f.Number), to, f)
		}}
	c.Flags().StringVar(&to, "to", "",
		"the new file to write, the directory to put it in, or - for standard output; if left out, the file's own name "+
			"in this directory")
	return c
}

// fetch writes what a path of the API has to a new file, to standard output for -, and under the file's own name where
// none is given.
func (a *Commands) fetch(ctx context.Context, c *client.Client, path, to string, f clientgen.File) error {
	switch to {
	case "-":
		return c.Copy(ctx, path, a.Stdout)
	case "":
		to = filepath.Base(f.Name)
	}
	if st, err := os.Stat(to); err == nil && st.IsDir() {
		to = filepath.Join(to, filepath.Base(f.Name))
	}
	return a.save(ctx, c, path, to, f)
}

// save writes a file under a name that is not there yet, and leaves nothing half there.
func (a *Commands) save(ctx context.Context, c *client.Client, path, to string, f clientgen.File) error {
	if _, err := os.Lstat(to); err == nil {
		return fmt.Errorf("%s exists already: give another name with --to", to)
	}
	part := filepath.Join(filepath.Dir(to), "."+rand.Text()+".part")
	w, err := os.OpenFile(part, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	hash := sha256.New()
	err = errors.Join(c.Copy(ctx, path, io.MultiWriter(w, hash)), w.Close())
	if got := hex.EncodeToString(hash.Sum(nil)); err == nil && f.Sha256 != nil && got != *f.Sha256 {
		err = fmt.Errorf("what arrived is not the file: its hash is %s, not %s. Fetch it again", got, *f.Sha256)
	}
	if err == nil {
		err = os.Link(part, to) // which never overwrites
	}
	if err = errors.Join(err, os.Remove(part)); err != nil {
		return err
	}
	st, err := os.Stat(to)
	if err == nil && a.Format == "table" {
		a.Printer().Line("Saved %s (%s).", to, corefiles.Bytes(st.Size()))
	}
	return err
}
