// Package webhooks tells other programs what our people are told, in signed requests.
package webhooks

import (
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/store/db"
	webhookdb "roundhouse.example/internal/store/webhook"
)

// Webhooks is the subject. Use New.
type Webhooks struct {
	*desk.Desk
	db      *db.Store
	secrets *secrets.Secrets
	// Console is the address of the service, without a slash at its end: the source of what is told. It may be empty.
	Console string
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, s *secrets.Secrets) *Webhooks {
	return &Webhooks{Desk: d, db: db, secrets: s}
}

// View is a webhook with how its deliveries stand.
type View struct {
	webhookdb.Webhook
	webhookdb.Standing
}

// List are all of them by name.
func (d *Webhooks) List(ctx context.Context, a desk.Actor) ([]View, error) {
	if err := a.May(access.Vendors); err != nil {
		return nil, err
	}
	rows, err := webhookdb.All(ctx, d.db.DB)
	if err != nil {
		return nil, err
	}
	standings, err := webhookdb.Standings(ctx, d.db.DB)
	out := make([]View, len(rows))
	for i, w := range rows {
		out[i] = View{w, standings[w.ID]}
	}
	return out, err
}

// Facts are what a person says of a webhook. Without kinds it is told everything.
type Facts struct {
	Name, Address, Secret string
	Kinds                 []notify.Kind
}

// Add adds one.
func (d *Webhooks) Add(ctx context.Context, a desk.Actor, f Facts) (View, error) {
	if err := a.May(access.Vendors); err != nil {
		return View{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (View, error) {
		w := webhookdb.Webhook{Name: strings.TrimSpace(f.Name), Address: strings.TrimSpace(f.Address), Secret: f.Secret,
			Active: true, MadeAt: d.Now(), Version: 1}
		if w.Kinds.V = f.Kinds; len(f.Kinds) == 0 {
			w.Kinds.V = notify.Kinds
		}
		if !disclosure.Name.MatchString(w.Name) {
			return View{}, desk.Fault("name", "use small letters, digits and dashes, like our-tickets")
		}
		if err := d.check(ctx, tx, w); err != nil {
			return View{}, err
		}
		err := webhookdb.Add(ctx, tx, &w)
		if db.Unique(err, "webhook_name_key") {
			err = desk.Fault("name", "there is already a webhook with this name")
		}
		return View{Webhook: w}, err
	})
}

// Edit changes a webhook; nil leaves a thing as it is.
type Edit struct {
	Address, Secret *string
	Kinds           *[]notify.Kind
	Active          *bool
}

// Change changes one; match is the version that was read. What waits is tried again at once.
func (d *Webhooks) Change(ctx context.Context, a desk.Actor, name string, match int64, ch Edit) (View, error) {
	if err := a.May(access.Vendors); err != nil {
		return View{}, err
	}
	var w webhookdb.Webhook
	err := d.db.Do(ctx, func(tx *db.Tx) (err error) {
		if w, err = webhookdb.ByName(ctx, tx, name); err != nil {
			return err
		}
		if w.Version != match {
			return &desk.Stale{What: "webhook"}
		}
		desk.Put(&w.Address, ch.Address)
		desk.Put(&w.Secret, ch.Secret)
		desk.Put(&w.Kinds.V, ch.Kinds)
		desk.Put(&w.Active, ch.Active)
		if err := d.check(ctx, tx, w); err != nil {
			return err
		}
		changed, err := webhookdb.Change(ctx, tx, w, d.Now())
		if err == nil && !changed {
			err = &desk.Stale{What: "webhook"}
		}
		w.Version++
		return err
	})
	if err != nil {
		return View{}, err
	}
	standings, err := webhookdb.Standings(ctx, d.db.DB)
	return View{w, standings[w.ID]}, err
}

// Remove takes one away.
func (d *Webhooks) Remove(ctx context.Context, a desk.Actor, name string) error {
	if err := a.May(access.Vendors); err != nil {
		return err
	}
	gone, err := webhookdb.Remove(ctx, d.db.DB, name)
	if err == nil && !gone {
		err = fmt.Errorf("webhook %s: %w", name, db.ErrNotFound)
	}
	return err
}

// check says what is wrong with a webhook.
func (d *Webhooks) check(ctx context.Context, q db.Querier, w webhookdb.Webhook) error {
	u, err := url.Parse(w.Address)
	switch {
	case err != nil || u.Host == "" || u.User != nil || u.Fragment != "" || u.Scheme != "https" && u.Scheme != "http":
		return desk.Fault("address", "write it like https://tickets.company.example/roundhouse")
	case u.Scheme == "http" && !route.Here(u.Hostname()):
		return desk.Fault("address", "only a program on this machine can be told without TLS: begin with https://")
	case len(w.Kinds.V) == 0:
		return desk.Fault("kinds", "say which kinds of notification to send: %s", kinds())
	}
	for _, k := range w.Kinds.V {
		if !slices.Contains(notify.Kinds, k) {
			return desk.Fault("kinds", "%.40q is not a kind of notification: use %s", string(k), kinds())
		}
	}
	_, err = d.key(ctx, q, w.Secret, w.Host())
	return err
}

func kinds() string {
	out := make([]string, len(notify.Kinds))
	for i, k := range notify.Kinds {
		out[i] = string(k)
	}
	return strings.Join(out, ", ")
}

// prefix is how a secret that signs begins.
const prefix = "whsec_"

// key is the key that signs requests to a host, out of a secret of the vault.
func (d *Webhooks) key(ctx context.Context, q db.Querier, secret, host string) ([]byte, error) {
	value, err := d.secrets.ForHost(ctx, q, secret, host)
	var no *desk.Invalid
	if errors.As(err, &no) {
		return nil, desk.Fault("secret", "%s", no.Fields[0].Detail)
	} else if err != nil {
		return nil, err
	}
	coded, is := strings.CutPrefix(value, prefix)
	key, err := base64.StdEncoding.DecodeString(coded)
	if !is || err != nil || len(key) < 24 || len(key) > 64 {
		return nil, desk.Fault("secret",
			"the value of %s cannot sign: it has to be %s and then 24 to 64 random bytes in base64",
			secret, prefix)
	}
	return key, nil
}
