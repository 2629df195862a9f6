package demo

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"time"

	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/demo/attached"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
	"roundhouse.example/internal/vault"
)

// Files are the demo's own: its people with their tokens, the simulated vendors' jobs, the
// keys to its secrets, and the folder for the files of its cases.
type Files struct{ People, Jobs, Keys, Folder string }

// openVault gives the demo's desk its keys, new ones where it never had any.
func openVault(ctx context.Context, d *whole.Desk, file string) error {
	ring, err := vault.Load(file)
	if errors.Is(err, vault.ErrNoFile) {
		ring, err = vault.Create(file)
	}
	if err != nil {
		return err
	}
	return d.Secrets.Use(ctx, ring)
}

// Load plays the scenario into an empty database, up to now by the desk's clock, or takes up what is there, and points
// the links at the simulated vendors and their mail server, which answer at host:port. It says on out what it does.
func Load(ctx context.Context, d *whole.Desk, st *db.Store, f Files, haste float64, vendors, mail string,
	out io.Writer) (*standin.Standin, []firm.Person, error) {
	link := func(vendor string) (inboxdb.Link, error) {
		timeout := 10 * time.Second
		raw, err := standin.Description(timeout, max(timeout+5*time.Second, time.Duration(float64(45*time.Second)/haste)))
		l := inboxdb.Link{Address: "http://" + vendors + "/" + vendor}
		l.Description.V = raw
		return l, err
	}
	there, err := peopledb.All(ctx, st.DB)
	if err != nil {
		return nil, nil, err
	}
	if raw, err := os.ReadFile(f.People); err == nil && len(there) > 0 {
		var people []firm.Person
		if err := json.Unmarshal(raw, &people); err != nil {
			return nil, nil, fmt.Errorf("%s: %w; start over with --fresh", f.People, err)
		}
		cast, err := standin.New(standin.Options{Haste: haste, File: f.Jobs, Now: d.Now})
		if err != nil {
			return nil, nil, err
		}
		if err := openVault(ctx, d, f.Keys); err != nil {
			return nil, nil, err
		}
		return cast, people, errors.Join(repoint(ctx, st, link), Email(ctx, st, mail))
	}
	if len(there) > 0 {
		fmt.Fprintln(out, "The last start was cut short while loading; loading again.")
		if _, err := st.DB.ExecContext(ctx, "drop schema public cascade; create schema public"); err != nil {
			return nil, nil, err
		}
		st.Pool.Reset() // connections remember statements of tables that are gone
		if err := st.Migrate(ctx); err != nil {
			return nil, nil, err
		}
	}
	fmt.Fprintln(out, "Loading the demo data ...")
	if err := os.Remove(f.Jobs); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, nil, err
	}
	cast, err := standin.New(standin.Options{Haste: haste, File: f.Jobs, Now: d.Now})
	if err := errors.Join(err, openVault(ctx, d, f.Keys)); err != nil {
		return nil, nil, err
	}
	people, err := playHasty(ctx, st, cast, d.Now(), link)
	if err != nil {
		return nil, nil, err
	}
	if err := errors.Join(firm.Secrets(ctx, d, st), Email(ctx, st, mail), attached.Add(ctx, d, st, f.Folder)); err != nil {
		return nil, nil, err
	}
	if err := tell(ctx, d, st); err != nil {
		return nil, nil, err
	}
	raw, err := json.MarshalIndent(people, "", " ")
	if err != nil {
		return nil, nil, err
	}
	return cast, people, os.WriteFile(f.People, raw, 0o600)
}

// playHasty plays the scenario without waiting for the disk at each of its thousands of commits.
func playHasty(ctx context.Context, st *db.Store, cast *standin.Standin, now time.Time,
	link func(string) (inboxdb.Link, error)) ([]firm.Person, error) {
	hasty, err := st.Hasty(ctx)
	if err != nil {
		return nil, err
	}
	defer hasty.Close()
	return Play(ctx, hasty, cast, now, link)
}

func repoint(ctx context.Context, st *db.Store, link func(string) (inboxdb.Link, error)) error {
	return st.Do(ctx, func(tx *db.Tx) error {
		all, err := registerdb.Vendors(ctx, tx)
		if err != nil {
			return err
		}
		for _, v := range all {
			links, err := inboxdb.LinksOf(ctx, tx, v.ID)
			if err != nil {
				return err
			}
			now, err := link(v.Key)
			if err != nil {
				return err
			}
			for _, l := range links {
				if l.Kind != route.API {
					continue
				}
				l.Address, l.Description = now.Address, now.Description
				if err := inboxdb.Save(ctx, tx, l.Link); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Email lets the desk write to the vendors that have an email address through a mail server on this machine.
func Email(ctx context.Context, st *db.Store, server string) error {
	const name = "desk-email"
	return st.Do(ctx, func(tx *db.Tx) error {
		l := inboxdb.Link{Name: name, Kind: route.Email, Address: "smtp://" + server}
		l.Description.V = json.RawMessage(`{"from":"it-desk@saltmarsh.example","name":"Saltmarsh Ferries","clear":true}`)
		all, err := inboxdb.All(ctx, tx)
		if err != nil {
			return err
		}
		for _, x := range all {
			if x.Name == name {
				x.Address, x.Version = l.Address, x.Version+1
				return inboxdb.Describe(ctx, tx, x)
			}
		}
		if err := inboxdb.AddLink(ctx, tx, &l); err != nil {
			return err
		}
		vendors, err := registerdb.Vendors(ctx, tx)
		if err != nil {
			return err
		}
		var ids []int64
		for _, v := range vendors {
			if len(v.Profile.V.WaysBy(route.Email, false)) > 0 {
				ids = append(ids, v.ID)
			}
		}
		return inboxdb.ServeOnly(ctx, tx, l.ID, ids)
	})
}
