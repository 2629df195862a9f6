package run

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/demo"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
)

type demoOptions struct {
	port      int
	portFixed bool
	data      string
	fresh     bool
	readyFile string
	haste     float64
}

// Demo is the command demo.
func (a *Commands) Demo() *cobra.Command {
	var o demoOptions
	c := &cobra.Command{Use: "demo", Short: "Run everything on made-up data: service, PostgreSQL, simulated vendors",
		Args: cobra.NoArgs,
		Long: "Starts a private PostgreSQL, loads the demo data if there is none, and runs the service with\nsimulated " +
			"vendors until Ctrl-C. The data stays; --fresh starts over.",
		Example: "  roundhouse demo\n  roundhouse demo --fresh --port 9000",
		RunE: func(cmd *cobra.Command, _ []string) error {
			o.portFixed = cmd.Flags().Changed("port")
			return a.runDemo(cmd.Context(), o)
		}}
	f := c.Flags()
	f.IntVar(&o.port, "port", 8080,
		"port of the console and the API; if left out, 8080 or the next free one")
	f.StringVar(&o.data, "data", ".roundhouse/demo", "directory for the demo data")
	f.BoolVar(&o.fresh, "fresh", false, "delete the demo data and start over")
	f.StringVar(&o.readyFile, "ready-file", "",
		"write the address, people and passwords as JSON to this file once it is running")
	f.Float64Var(&o.haste, "speed", 30, "how many times faster than real time the simulated engineers work")
	return c
}

// demoFiles are the demo's own, beside PostgreSQL's directory.
type demoFiles struct {
	demo.Files
	dir string
}

func (a *Commands) runDemo(ctx context.Context, o demoOptions) error {
	dir, err := filepath.Abs(o.data)
	if err != nil {
		return err
	}
	files := demoFiles{demo.Files{People: filepath.Join(dir, "people.json"), Jobs: filepath.Join(dir, "standin.json"),
		Keys: filepath.Join(dir, "vault.key"), Folder: filepath.Join(dir, "files")}, dir}
	if err := os.MkdirAll(dir, 0o711); err != nil {
		return err
	}
	l, err := listenNear(o.port, !o.portFixed)
	if err != nil {
		return fmt.Errorf("port %d cannot be used: %w; leave --port out to take the next free one", o.port, err)
	}
	defer l.Close()
	if o.fresh {
		if err := startOver(files); err != nil {
			return err
		}
	}
	pg, err := localpg.Start(ctx, localpg.Options{Dir: filepath.Join(dir, "postgres")})
	if errors.Is(err, localpg.ErrInUse) {
		return fmt.Errorf("a demo is running on %s already: stop it with Ctrl-C there, or give this one another "+
			"directory with --data", dir)
	} else if err != nil {
		return err
	}
	defer pg.Stop()
	logs, err := logFile(dir)
	if err != nil {
		return err
	}
	defer logs.Close()
	log := slog.New(slog.NewTextHandler(logs, nil))
	ctx, unwatch := watched(ctx, pg, log)
	defer func() {
		if err := unwatch(); err != nil {
			fmt.Fprintln(a.Stderr, "roundhouse:", err)
		}
	}()
	vendors, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer vendors.Close()
	d, err := service.Open(ctx, pg.URL, nil)
	if err != nil {
		return err
	}
	defer d.Close()
	letters, mail, err := takeLetters(dir)
	if err != nil {
		return err
	}
	defer mail.Close()
	cast, people, err := demo.Load(ctx, d.Desk, d.Store, files.Files, o.haste, vendors.Addr().String(), letters, a.Stdout)
	if err != nil {
		return err
	}
	defer played(ctx, cast, vendors)()
	running := service.Options{Listener: l, Look: time.Second, Log: log, Files: files.Folder,
		Console: "http://" + l.Addr().String()}
	err = service.RunDesk(ctx, d, running, func(url string) {
		if err := a.demoReady(url, o.readyFile, people, dir); err != nil {
			log.Error("ready", "error", err)
		}
	})
	fmt.Fprintln(a.Stdout, "Stopped. The data stays in", dir)
	return err
}

// played runs the simulated vendors until what it gives is called.
func played(ctx context.Context, cast *standin.Standin, at net.Listener) (stop func()) {
	playing, stop := context.WithCancel(context.WithoutCancel(ctx))
	go playVendors(playing, cast, at)
	return stop
}

// takeLetters runs a mail server that keeps what it gets, and gives its address.
func takeLetters(dir string) (string, *standin.Mail, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", nil, err
	}
	mail, err := standin.NewMail(filepath.Join(dir, "mail"))
	if err != nil {
		return "", nil, errors.Join(err, l.Close())
	}
	go func() { _ = mail.Serve(l) }() // until Close
	return l.Addr().String(), mail, nil
}

// startOver removes the demo's own files, and only those.
func startOver(f demoFiles) error {
	// Taking PostgreSQL's lock first keeps a running demo's data safe.
	lock := filepath.Join(f.dir, "postgres")
	if err := localpg.Remove(lock); err != nil {
		if errors.Is(err, localpg.ErrInUse) {
			return fmt.Errorf("a demo is running on %s: stop it with Ctrl-C there first", f.dir)
		}
		return err
	}
	letters, err := filepath.Glob(filepath.Join(f.dir, "mail", "*.eml"))
	if err != nil {
		return err
	}
	if err := os.RemoveAll(f.Folder); err != nil {
		return err
	}
	for _, p := range append(letters, f.People, f.Jobs, f.Keys) {
		if err := os.Remove(p); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

func (a *Commands) demoReady(url, file string, people []firm.Person, dir string) error {
	p := people[0]
	fmt.Fprintf(a.Stdout, `
Roundhouse is running at %s

  Sign in as %s with the password %s
  (also %s, %s, %s, %s; their passwords end in 2 to 5)

Three things to try:
  1. Open %s and answer the first line of Today.
  2. Open a case with Corvane Cloud, file it, and watch its engineer reply.
  3. In another terminal:
     echo %s | bin/roundhouse login %s --email %s
     bin/roundhouse today

Emails to vendors are kept as files in %s.
Ctrl-C stops it. The data stays in %s.
`, url, p.Email, p.Password, people[1].Email, people[2].Email, people[3].Email, people[4].Email, url, p.Password, url,
		p.Email, filepath.Join(dir, "mail"), dir)
	if file == "" {
		return nil
	}
	raw, err := json.Marshal(map[string]any{"url": url, "people": people})
	if err != nil {
		return err
	}
	tmp := file + ".tmp"
	if err := os.WriteFile(tmp, raw, 0o600); err != nil {
		return err
	}
	return os.Rename(tmp, file)
}
