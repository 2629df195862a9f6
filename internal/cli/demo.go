package cli

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

	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/demo"
	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/vault"
)

type demoOptions struct {
	port      int
	portFixed bool
	data      string
	fresh     bool
	readyFile string
	haste     float64
}

func (a *app) demo() *cobra.Command {
	var o demoOptions
	c := &cobra.Command{Use: "demo", Short: "Run everything on made-up data: service, PostgreSQL, simulated vendors", Args: cobra.NoArgs,
		Long:    "Starts a private PostgreSQL, loads the demo data when there is none, and runs the service with\nthe vendors' stand-ins until Ctrl-C. The data stays; --fresh starts over.",
		Example: "  roundhouse demo\n  roundhouse demo --fresh --port 9000",
		RunE: func(cmd *cobra.Command, _ []string) error {
			o.portFixed = cmd.Flags().Changed("port")
			return a.runDemo(cmd.Context(), o)
		}}
	f := c.Flags()
	f.IntVar(&o.port, "port", 8080, "port of the console and the API; the next free one when it is taken, unless you name it")
	f.StringVar(&o.data, "data", ".roundhouse/demo", "directory of the demo's data")
	f.BoolVar(&o.fresh, "fresh", false, "throw the demo's data away and start over")
	f.StringVar(&o.readyFile, "ready-file", "", "write address, people and tokens as JSON to this file once it answers")
	f.Float64Var(&o.haste, "haste", 30, "how many times faster than real the simulated engineers work")
	return c
}

// demoFiles are the demo's own, beside PostgreSQL's directory.
type demoFiles struct{ dir, people, jobs, keys string }

func (a *app) runDemo(ctx context.Context, o demoOptions) error {
	dir, err := filepath.Abs(o.data)
	if err != nil {
		return err
	}
	files := demoFiles{dir, filepath.Join(dir, "people.json"), filepath.Join(dir, "standin.json"), filepath.Join(dir, "vault.key")}
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
		return fmt.Errorf("a demo is running on %s already: stop it with Ctrl-C there, or give this one another directory with --data", dir)
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
			fmt.Fprintln(a.stderr, "roundhouse:", err)
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
	cast, people, err := a.demoData(ctx, d, files, o.haste, vendors.Addr().String())
	if err != nil {
		return err
	}
	playing, stop := context.WithCancel(context.WithoutCancel(ctx))
	defer stop()
	go playVendors(playing, cast, vendors)
	err = service.RunDesk(ctx, d, service.Options{Listener: l, Look: time.Second, Log: log}, func(url string) {
		if err := a.demoReady(url, o.readyFile, people, dir); err != nil {
			log.Error("ready", "error", err)
		}
	})
	fmt.Fprintln(a.stdout, "Stopped. The data stays in", dir)
	return err
}

// demoVault gives the demo's desk its keys, new ones where it never had any.
func demoVault(ctx context.Context, d *service.Desk, file string) error {
	ring, err := vault.Load(file)
	if errors.Is(err, vault.ErrNoFile) {
		ring, err = vault.Create(file)
	}
	if err != nil {
		return err
	}
	return d.Secrets.Use(ctx, ring)
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
	for _, p := range []string{f.people, f.jobs, f.keys} {
		if err := os.Remove(p); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// demoData loads the scenario when the database is empty, and points the links
// at this run's stand-in.
func (a *app) demoData(ctx context.Context, d *service.Desk, f demoFiles, haste float64, vendors string) (*standin.Standin, []demo.Person, error) {
	link := func(vendor string) (inboxdb.Link, error) {
		timeout := 10 * time.Second
		raw, err := standin.Description(timeout, max(timeout+5*time.Second, time.Duration(float64(45*time.Second)/haste)))
		l := inboxdb.Link{Kind: "rest", Address: "http://" + vendors + "/" + vendor}
		l.Description.V = raw
		return l, err
	}
	there, err := peopledb.All(ctx, d.Store.DB)
	if err != nil {
		return nil, nil, err
	}
	if raw, err := os.ReadFile(f.people); err == nil && len(there) > 0 {
		var people []demo.Person
		if err := json.Unmarshal(raw, &people); err != nil {
			return nil, nil, fmt.Errorf("%s: %w; start over with --fresh", f.people, err)
		}
		cast, err := standin.New(standin.Options{Haste: haste, File: f.jobs})
		if err != nil {
			return nil, nil, err
		}
		if err := demoVault(ctx, d, f.keys); err != nil {
			return nil, nil, err
		}
		return cast, people, a.repoint(ctx, d, link)
	}
	if len(there) > 0 {
		fmt.Fprintln(a.stdout, "The last start was cut short while loading; loading again.")
		if _, err := d.Store.DB.ExecContext(ctx, "drop schema public cascade; create schema public"); err != nil {
			return nil, nil, err
		}
		d.Store.Pool.Reset() // connections remember statements of tables that are gone
		if err := d.Store.Migrate(ctx); err != nil {
			return nil, nil, err
		}
	}
	fmt.Fprintln(a.stdout, "Loading the demo data ...")
	if err := os.Remove(f.jobs); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, nil, err
	}
	cast, err := standin.New(standin.Options{Haste: haste, File: f.jobs})
	if err != nil {
		return nil, nil, err
	}
	if err := demoVault(ctx, d, f.keys); err != nil {
		return nil, nil, err
	}
	people, err := demo.Play(ctx, d.Store, cast, time.Now(), link)
	if err != nil {
		return nil, nil, err
	}
	if err := demo.Secrets(ctx, d.Desk, d.Store); err != nil {
		return nil, nil, err
	}
	raw, err := json.MarshalIndent(people, "", " ")
	if err != nil {
		return nil, nil, err
	}
	return cast, people, os.WriteFile(f.people, raw, 0o600)
}

func (a *app) repoint(ctx context.Context, d *service.Desk, link func(string) (inboxdb.Link, error)) error {
	return d.Store.Do(ctx, func(tx *db.Tx) error {
		all, err := registerdb.Vendors(ctx, tx)
		if err != nil {
			return err
		}
		for _, v := range all {
			l, err := inboxdb.LinkOf(ctx, tx, v.ID)
			if errors.Is(err, db.ErrNotFound) {
				continue
			} else if err != nil {
				return err
			}
			now, err := link(v.Key)
			if err != nil {
				return err
			}
			l.Address, l.Description = now.Address, now.Description
			if err := inboxdb.Save(ctx, tx, l); err != nil {
				return err
			}
		}
		return nil
	})
}

func (a *app) demoReady(url, file string, people []demo.Person, dir string) error {
	p := people[0]
	fmt.Fprintf(a.stdout, `
Roundhouse answers at %s

  Sign in as %s with the password %s
  (also %s, %s, %s, %s; their passwords end in 2 to 5)

Three things to try:
  1. Open %s and answer the first line of Today.
  2. Open a case with Corvane Cloud, file it, and watch their engineer reply.
  3. In another terminal:
     echo %s | bin/roundhouse login %s --email %s
     bin/roundhouse today

Ctrl-C stops it. The data stay in %s.
`, url, p.Email, p.Password, people[1].Email, people[2].Email, people[3].Email, people[4].Email, url, p.Password, url, p.Email, dir)
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
