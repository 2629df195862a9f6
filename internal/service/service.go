// Package service wires the parts into one running roundhouse.
package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/server/web"

	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"

	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/console"
	"roundhouse.example/internal/channel/mail"
	"roundhouse.example/internal/channel/rest"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/files"
	"roundhouse.example/internal/server"
	"roundhouse.example/internal/vault"
	"roundhouse.example/internal/work"
)

// Options say how the service runs. Zero values take the defaults named.
type Options struct {
	Database string // URL of a PostgreSQL
	Listener net.Listener
	Proxies  []string
	Origin   string
	Console  string // the console's address in what is sent; Origin without it
	TLSCert  string // file; with TLSKey, serves TLS
	TLSKey   string
	Look     time.Duration // between two looks at the vendors; 20 s
	Sweep    time.Duration // between two sweeps; 2 s
	Log      *slog.Logger
	Clock    desk.Clock  // the machine's
	Vault    *vault.Ring // the keys to the secrets; without them secrets stay closed
	NewVault string      // a key file to make for a desk that never had a key
	// Files is the folder for files, made where it is not there; without one, files cannot be added.
	Files string
	// Rules are what the desk adds to those of what must not be sent.
	Rules disclosure.Config
	// Answer is how long a request may take; 10 s.
	Answer time.Duration
	// Rehearsal is what is rehearsed; nil on a desk in earnest.
	Rehearsal *web.Rehearsal
}

// MachineClock is the time of the machine.
type MachineClock struct{}

// Now is the machine's time.
func (MachineClock) Now() time.Time { return time.Now() }

// Channels makes the channel of a link's row, by the kind of its route.
func Channels(l inboxdb.Link) (desk.Channel, error) {
	switch l.Kind {
	case route.API:
	case route.Email:
		return mail.New(l.Address, l.Description.V)
	default:
		return nil, fmt.Errorf("links of kind %s are not supported", l.Kind)
	}
	d, err := rest.Parse(l.Description.V)
	if err != nil {
		return nil, err
	}
	return rest.New(l.Address, d), nil
}

// Desk is a desk with the database under it, for whoever runs it.
type Desk struct {
	*whole.Desk
	Store *db.Store
}

// Close lets the database go.
func (d *Desk) Close() { d.Store.Close() }

// Open connects to a database, migrates it, and makes a desk over it that can
// enqueue. The machine's clock is used where clock is nil.
func Open(ctx context.Context, url string, clock desk.Clock) (*Desk, error) {
	s, err := db.Open(ctx, url, 20)
	if err != nil {
		return nil, err
	}
	d, err := open(ctx, s, clock)
	if err != nil {
		s.Close()
	}
	return d, err
}

// Attach makes a desk over a database that a service has set up, for programs
// beside it: it migrates nothing.
func Attach(ctx context.Context, url string) (*Desk, error) {
	s, err := db.Open(ctx, url, 4)
	if err != nil {
		return nil, err
	}
	if err := s.Fits(ctx); err != nil {
		s.Close()
		return nil, err
	}
	q, err := work.NewQueue(s)
	if err != nil {
		s.Close()
		return nil, err
	}
	return &Desk{whole.New(s, MachineClock{}, q, Channels), s}, nil
}

func open(ctx context.Context, s *db.Store, clock desk.Clock) (*Desk, error) {
	if err := s.Migrate(ctx); err != nil {
		return nil, err
	}
	q, err := work.NewQueue(s)
	if err != nil {
		return nil, err
	}
	if clock == nil {
		clock = MachineClock{}
	}
	return &Desk{whole.New(s, clock, q, Channels), s}, nil
}

// Run serves until ctx ends, then shuts down: streams first, then requests, then
// the workers, each with time to finish. ready is called once it answers.
func Run(ctx context.Context, o Options, ready func(url string)) error {
	d, err := Open(ctx, o.Database, o.Clock)
	if err != nil {
		return err
	}
	defer d.Close()
	if err := errors.Join(openVault(ctx, d, o), d.Leaving.Use(o.Rules)); err != nil {
		return err
	}
	return RunDesk(ctx, d, o, ready)
}

// openVault gives the desk its keys, if there are any.
func openVault(ctx context.Context, d *Desk, o Options) error {
	if o.Vault != nil {
		return d.Secrets.Use(ctx, o.Vault)
	}
	if o.NewVault != "" {
		has, err := d.Secrets.HasKeys(ctx)
		if err != nil {
			return err
		}
		if !has {
			ring, err := vault.Create(o.NewVault)
			if err != nil {
				return err
			}
			o.Log.Info("a key for secrets was made; keep a copy, apart from backups of the database", "file", o.NewVault)
			return d.Secrets.Use(ctx, ring)
		}
		o.Log.Warn("the key file is missing, so the vault is locked; put it back and start again", "file", o.NewVault)
		return nil
	}
	o.Log.Info("no key was given, so the vault is locked")
	return nil
}

// RunDesk is Run over a desk that is open already.
func RunDesk(ctx context.Context, d *Desk, o Options, ready func(url string)) error {
	pages, err := fs.Sub(console.Files, "dist")
	if err != nil {
		return err
	}
	if o.Files != "" {
		folder, err := files.Open(o.Files)
		if err != nil {
			return err
		}
		defer folder.Close()
		d.Files.Use(folder)
	}
	d.Mailing.Console = strings.TrimSuffix(cmp.Or(o.Console, o.Origin), "/")
	d.Agenda.Console = d.Mailing.Console
	d.Webhooks.Console = d.Mailing.Console
	srv, err := server.New(d.Desk,
		web.Options{Proxies: o.Proxies, Secure: o.TLSCert != "" || strings.HasPrefix(o.Origin, "https://"), Origin: o.Origin,
			Console: pages, Log: o.Log, Answer: o.Answer, Rehearsal: o.Rehearsal})
	if err != nil {
		return err
	}
	background, stop := context.WithCancel(context.WithoutCancel(ctx))
	defer stop()
	workers, err := work.Start(background, d.Desk, d.Store,
		work.Options{Look: o.Look, Sweep: o.Sweep, Log: o.Log.With("part", "jobs")})
	if err != nil {
		return fmt.Errorf("starting the workers: %w", err)
	}
	go srv.Run(background)
	hs := &http.Server{Handler: srv.Handler, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 60 * time.Second,
		WriteTimeout: 60 * time.Second,
		IdleTimeout:  2 * time.Minute, MaxHeaderBytes: 64 << 10,
		ErrorLog: slog.NewLogLogger(o.Log.Handler(), slog.LevelDebug)}
	failed := make(chan error, 1)
	scheme := "http"
	if o.TLSCert != "" {
		scheme = "https"
		go func() { failed <- hs.ServeTLS(o.Listener, o.TLSCert, o.TLSKey) }()
	} else {
		go func() { failed <- hs.Serve(o.Listener) }()
	}
	ready(scheme + "://" + o.Listener.Addr().String())
	select {
	case err = <-failed:
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(background, 15*time.Second)
	defer cancel()
	srv.CloseStreams()
	err = errors.Join(ignoreClosed(err), hs.Shutdown(grace), workers.Stop(grace))
	o.Log.Info("stopped")
	return err
}

func ignoreClosed(err error) error {
	if errors.Is(err, http.ErrServerClosed) {
		return nil
	}
	return err
}
