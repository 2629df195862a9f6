package secrets

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
	secretsdb "roundhouse.example/internal/store/secrets"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// View is what can be seen of a secret without revealing it.
type View struct {
	secretsdb.Secret
	// WhyNot says why the asker may not reveal it; empty where they may.
	WhyNot string
}

// List are all of a vendor's, or with an empty key of everybody's.
func (d *Secrets) List(ctx context.Context, a desk.Actor, vendor string) ([]View, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	var id int64
	if vendor != "" {
		v, err := registerdb.VendorByKey(ctx, d.db.DB, vendor)
		if err != nil {
			return nil, err
		}
		id = v.ID
	}
	rows, err := secretsdb.List(ctx, d.db.DB, id)
	if err != nil {
		return nil, err
	}
	out := make([]View, len(rows))
	for i, r := range rows {
		out[i] = d.viewOf(a, r)
	}
	return out, nil
}

func (d *Secrets) viewOf(a desk.Actor, s secretsdb.Secret) View {
	v := View{s, ""}
	v.Facts.V.Vendor = desk.Deref(s.Vendor)
	if err := a.May(access.Reveal); err != nil {
		v.WhyNot = err.Error()
	} else if r := s.Facts.V.Readers; len(r) > 0 && !slices.ContainsFunc(r, func(m string) bool {
		return strings.EqualFold(m, a.Email)
	}) {
		v.WhyNot = "Only " + strings.Join(r, ", ") + " may reveal it."
	}
	return v
}

// One is one, with what was done with it, the newest first.
func (d *Secrets) One(ctx context.Context, a desk.Actor, name string) (v View, uses []secretsdb.Use, err error) {
	if err := a.May(access.Read); err != nil {
		return v, nil, err
	}
	s, err := secretsdb.Named(ctx, d.db.DB, name)
	if err != nil {
		return v, nil, err
	}
	uses, err = secretsdb.Uses(ctx, d.db.DB, s.ID, 100)
	return d.viewOf(a, s), uses, err
}

// prepareSecret checks facts and resolves whose it is.
func (d *Secrets) prepareSecret(ctx context.Context, q db.Querier, row *secretsdb.Secret, f register.Secret,
	sealed bool) error {
	var wrong []desk.Field
	for _, x := range f.Check(sealed) {
		wrong = append(wrong, desk.Field{Name: x.Field, Detail: x.Detail})
	}
	row.VendorID = nil
	if f.Vendor != "" {
		v, err := registerdb.VendorByKey(ctx, q, f.Vendor)
		if errors.Is(err, db.ErrNotFound) {
			wrong = append(wrong, desk.Field{Name: "vendor", Detail: fmt.Sprintf("there is no vendor %.60q", f.Vendor)})
		} else if err != nil {
			return err
		}
		row.VendorID = &v.ID
	}
	for i, r := range f.Readers {
		if _, err := peopledb.ByEmail(ctx, q, r); errors.Is(err, db.ErrNotFound) {
			wrong = append(wrong, desk.Field{Name: fmt.Sprintf("readers[%d]", i),
				Detail: fmt.Sprintf("nobody here has the email address %.60q", r)})
		} else if err != nil {
			return err
		}
	}
	if len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	f.Vendor = ""
	row.Facts.V, row.ChangedAt = f, d.Now()
	return nil
}

// closeValue puts a value into the vault, with the key that is current now.
func (d *Secrets) closeValue(ctx context.Context, tx *db.Tx, secret int64, value string) error {
	switch {
	case d.vault == nil:
		return ErrNoVault
	case len(value) > register.MaxSecret:
		return desk.Fault("value", "it has %d bytes, at most %d are allowed", len(value), register.MaxSecret)
	case strings.ContainsAny(value, "\x00"):
		return desk.Fault("value", "it has a NUL character: remove it")
	}
	key, err := secretsdb.CurrentKey(ctx, tx, true)
	if err != nil {
		return err
	}
	s, err := d.vault.Seal(key.ID, secretPlace(secret), []byte(value))
	if err != nil {
		return err
	}
	return secretsdb.SetValue(ctx, tx,
		secretsdb.SealedSecret{SecretID: secret, KeyID: s.KeyID, Wrapped: s.Wrapped, Value: s.Value, EncryptedAt: d.Now()})
}

// used keeps what somebody did with a secret; why says what of it was changed.
func (d *Secrets) used(ctx context.Context, tx *db.Tx, a desk.Actor, s secretsdb.Secret, act, why string) error {
	return secretsdb.AddUse(ctx, tx,
		secretsdb.Use{SecretID: s.ID, Name: s.Name, Act: act, Why: why, PersonID: &a.ID, At: d.Now()})
}

// secretChanges says in words how what is known of a secret was changed: above all who may see it.
func secretChanges(was, is register.Secret) string {
	var said []string
	list := func(what string, a, b []string) {
		if !slices.Equal(a, b) {
			said = append(said, fmt.Sprintf("%s: %s (was: %s)", what, cmp.Or(strings.Join(b, ", "), "none"),
				cmp.Or(strings.Join(a, ", "), "none")))
		}
	}
	list("readers", was.Readers, is.Readers)
	list("hosts", was.Hosts, is.Hosts)
	for _, x := range []struct{ what, a, b string }{{"vendor", was.Vendor, is.Vendor}, {"label", was.Label, is.Label},
		{"kind", was.Kind, is.Kind},
		{"holder", was.Holder, is.Holder}, {"place", was.Place, is.Place}, {"note", was.Note, is.Note}} {
		if x.a != x.b {
			said = append(said, x.what)
		}
	}
	return strings.Join(said, "; ")
}

// Add writes a new one; an empty value is one that only a person or a paper holds.
func (d *Secrets) Add(ctx context.Context, a desk.Actor, f register.Secret, value string) error {
	if err := a.May(access.Secrets); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		row := secretsdb.Secret{Name: f.Name}
		if err := d.prepareSecret(ctx, tx, &row, f, value != ""); err != nil {
			return err
		}
		err := secretsdb.Add(ctx, tx, &row)
		if db.Unique(err, "secret_name_key") {
			return desk.Fault("name", "there is already a secret with this name")
		} else if err != nil {
			return err
		}
		if value != "" {
			if err := d.closeValue(ctx, tx, row.ID, value); err != nil {
				return err
			}
		}
		return d.used(ctx, tx, a, row, "added",
			secretChanges(register.Secret{Vendor: f.Vendor, Label: f.Label, Kind: f.Kind, Holder: f.Holder, Place: f.Place,
				Note: f.Note}, f))
	})
}

// Edit changes a secret; a value of nil leaves it, an empty one takes it out.
type Edit struct {
	Facts []byte // an RFC 7396 patch
	Value *string
}

// Change changes what is known of a secret, or its value. Where it may be sent
// is changed only together with the value: nobody gets it to another host who does
// not have it already.
func (d *Secrets) Change(ctx context.Context, a desk.Actor, name string, match int64, ch Edit) error {
	if err := a.May(access.Secrets); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		row, err := secretsdb.Named(ctx, tx, name)
		if err != nil {
			return err
		}
		if row.Version != match {
			return &desk.Stale{What: "secret"}
		}
		before := d.viewOf(a, row).Facts.V
		f := before
		if err := desk.Merge(&f, ch.Facts); err != nil {
			return err
		}
		inVault := row.EncryptedAt != nil
		if ch.Value != nil {
			inVault = *ch.Value != ""
		}
		switch {
		case f.Name != before.Name:
			return desk.Fault("name", "the name cannot be changed: texts refer to it")
		case inVault && (!slices.Equal(f.Hosts, before.Hosts) || f.Vendor != before.Vendor) && ch.Value == nil:
			return desk.Fault("value", "the hosts are bound to the value: give the value again to change them")
		}
		if err := d.prepareSecret(ctx, tx, &row, f, inVault); err != nil {
			return err
		}
		if changed, err := secretsdb.Change(ctx, tx, row); err != nil || !changed {
			return errors.Join(err, desk.IfStale(changed, "secret"))
		}
		act := "changed"
		if ch.Value != nil {
			act = "encrypted"
			if *ch.Value == "" {
				err = secretsdb.DropValue(ctx, tx, row.ID)
			} else {
				err = d.closeValue(ctx, tx, row.ID, *ch.Value)
			}
			if err != nil {
				return err
			}
		}
		return d.used(ctx, tx, a, row, act, secretChanges(before, f))
	})
}

// Remove takes one out, value and all. What was done with it stays on record.
func (d *Secrets) Remove(ctx context.Context, a desk.Actor, name string, match int64) error {
	if err := a.May(access.Secrets); err != nil {
		return err
	}
	return d.db.Do(ctx, func(tx *db.Tx) error {
		row, err := secretsdb.Named(ctx, tx, name)
		if err != nil {
			return err
		}
		if removed, err := secretsdb.Remove(ctx, tx, row.ID, match); err != nil || !removed {
			return errors.Join(err, desk.IfStale(removed, "secret"))
		}
		return d.used(ctx, tx, a, row, "removed", "")
	})
}

// Reveal shows the value of one secret to one person, and keeps that it did. why is
// the person's word, caseID the case that it is for, if any.
func (d *Secrets) Reveal(ctx context.Context, a desk.Actor, name, why string, caseID *int64) (value string, err error) {
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		if err := tx.Durable(ctx); err != nil {
			return err
		}
		row, err := secretsdb.Named(ctx, tx, name)
		if err != nil {
			return err
		}
		if no := d.viewOf(a, row).WhyNot; no != "" {
			return &desk.Forbidden{Why: no}
		}
		kept, err := d.Opened(ctx, tx, row)
		if err != nil {
			return err
		}
		value = kept.Value
		return secretsdb.AddUse(ctx, tx,
			secretsdb.Use{SecretID: row.ID, Name: row.Name, Act: "revealed", PersonID: &a.ID, CaseID: caseID, Why: why,
				Digest: kept.Digest, At: d.Now()})
	})
	if err != nil { // it is shown only once that is on record
		return "", err
	}
	return value, nil
}

// NotInVault is returned where only a person or a paper holds a secret.
type NotInVault struct{ Why string }

func (e *NotInVault) Error() string { return e.Why }

type openedSecret struct{ Value, Digest string }

// Opened is a secret's value, with a digest that tells values apart and does not give them away.
func (d *Secrets) Opened(ctx context.Context, q db.Querier, row secretsdb.Secret) (o openedSecret, err error) {
	if row.EncryptedAt == nil {
		return o, &NotInVault{fmt.Sprintf("The value of %s is not stored here: %s.", row.Name, onPaper(row.Facts.V))}
	}
	if d.vault == nil {
		return o, ErrNoVault
	}
	kept, err := secretsdb.Value(ctx, q, row.ID)
	if err != nil {
		return o, err
	}
	raw, err := d.vault.Open(secretPlace(row.ID), sealed(kept))
	if err != nil {
		return o, fmt.Errorf("the secret %s: %w", row.Name, err)
	}
	digest, err := d.vault.Digest(secretPlace(row.ID), sealed(kept))
	return openedSecret{string(raw), digest}, err
}

func onPaper(f register.Secret) string {
	var parts []string
	if f.Holder != "" {
		parts = append(parts, f.Holder+" holds it")
	}
	if f.Place != "" {
		parts = append(parts, "the paper copy is here: "+f.Place)
	}
	return strings.Join(parts, ", ")
}

// CheckText says what is wrong with the placeholders of a text that is to go to a
// vendor: through its link (host) or by hand (an empty one).
func (d *Secrets) CheckText(ctx context.Context, q db.Querier, vendor int64, host, text string) error {
	var wrong []desk.Field
	for _, name := range disclosure.Placeholders(text) {
		s, err := secretsdb.Named(ctx, q, name)
		switch {
		case errors.Is(err, db.ErrNotFound):
			wrong = append(wrong, desk.Field{Name: "text",
				Detail: fmt.Sprintf("there is no secret %s for %s", name, disclosure.Placeholder(name))})
		case err != nil:
			return err
		case s.VendorID == nil || *s.VendorID != vendor:
			wrong = append(wrong, desk.Field{Name: "text", Detail: fmt.Sprintf("the secret %s is not for this vendor", name)})
		case host != "" && s.EncryptedAt == nil:
			wrong = append(wrong, desk.Field{Name: "text",
				Detail: fmt.Sprintf("the secret %s cannot be sent, because its value is not stored here: %s", name,
					onPaper(s.Facts.V))})
		case host != "" && !s.Facts.V.MayGo(host):
			wrong = append(wrong, desk.Field{Name: "text",
				Detail: fmt.Sprintf("the secret %s may not be sent to %s", name, host)})
		}
	}
	if len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	return nil
}

// Hiding puts the placeholders back into what some vendors say: they may repeat what they were told.
func (d *Secrets) Hiding(ctx context.Context, q db.Querier, vendors ...int64) (func(string) string, error) {
	values := map[string]string{}
	if d.vault != nil {
		rows, err := secretsdb.Values(ctx, q, vendors)
		if err != nil {
			return nil, err
		}
		for _, r := range rows {
			// One that cannot be opened here hides nothing, and holds no case up.
			if raw, err := d.vault.Open(secretPlace(r.SecretID), sealed(r.SealedSecret)); err == nil {
				values[r.Name] = string(raw)
			}
		}
	}
	if len(values) == 0 {
		return func(s string) string { return s }, nil
	}
	return func(s string) string { return disclosure.Hide(s, values) }, nil
}
