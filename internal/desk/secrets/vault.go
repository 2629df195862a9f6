package secrets

import (
	"context"
	"errors"
	"fmt"
	"time"

	"roundhouse.example/internal/store/db"
	secretsdb "roundhouse.example/internal/store/secrets"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/vault"
)

// ErrNoVault is returned where a secret is asked for and the service has no key.
var ErrNoVault = errors.New("the service has no key to the vault: start it with --key-file or " +
	"ROUNDHOUSE_VAULT_KEY")

// proof is what every key of the vault seals once, so that a wrong key is found out.
const proof = "this is the key"

func proofPlace(id string) string { return "vault_key/" + id }

func secretPlace(id int64) string { return fmt.Sprintf("secret_value/%d", id) }

func sealed(v secretsdb.SealedSecret) vault.Sealed {
	return vault.Sealed{KeyID: v.KeyID, Wrapped: v.Wrapped, Value: v.Value}
}

// Use lets the desk open and close secrets with a ring of keys. The first ring
// that a desk ever has becomes its own; another is refused in words. What an earlier
// change of keys left undone is done.
func (d *Secrets) Use(ctx context.Context, ring *vault.Ring) error {
	err := d.db.Do(ctx, func(tx *db.Tx) error {
		now, err := secretsdb.CurrentKey(ctx, tx, false)
		if errors.Is(err, db.ErrNotFound) {
			return d.makeCurrent(ctx, tx, ring, ring.First())
		} else if err != nil {
			return err
		}
		word, err := ring.Open(proofPlace(now.ID), vault.Sealed{KeyID: now.ID, Wrapped: now.Wrapped, Value: now.Proof})
		var unknown *vault.UnknownKey
		switch {
		case errors.As(err, &unknown):
			return fmt.Errorf("%s is not the key of this desk: its secrets are encrypted with the key %s, which that file "+
				"does not have. Nothing was changed: start again with the right key file", unknown.From, now.ID)
		case err != nil:
			return fmt.Errorf("the key %s: %w", now.ID, err)
		case string(word) != proof:
			return vault.ErrSpoilt
		}
		return nil
	})
	if err != nil {
		return err
	}
	d.vault = ring
	_, err = d.rewrap(ctx)
	return err
}

// HasKeys says whether the desk's secrets have keys already.
func (d *Secrets) HasKeys(ctx context.Context) (bool, error) {
	_, err := secretsdb.CurrentKey(ctx, d.db.DB, false)
	if errors.Is(err, db.ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

func (d *Secrets) makeCurrent(ctx context.Context, tx *db.Tx, ring *vault.Ring, id string) error {
	s, err := ring.Seal(id, proofPlace(id), []byte(proof))
	if err != nil {
		return err
	}
	return secretsdb.MakeCurrent(ctx, tx, secretsdb.VaultKey{ID: id, Wrapped: s.Wrapped, Proof: s.Value, MadeAt: d.Now()})
}

// rewrap closes all that is closed with an older key with the current one. It can
// be stopped and begun again at any time.
func (d *Secrets) rewrap(ctx context.Context) (done int, err error) {
	for {
		n := 0
		err := d.db.Do(ctx, func(tx *db.Tx) error {
			now, err := secretsdb.CurrentKey(ctx, tx, true)
			if err != nil {
				return err
			}
			rows, err := secretsdb.WrappedOtherwise(ctx, tx, now.ID, 100)
			if err != nil {
				return err
			}
			n = len(rows)
			for _, r := range rows {
				s, err := d.vault.Rewrap(secretPlace(r.SecretID), sealed(r), now.ID)
				if err != nil {
					return err
				}
				r.KeyID, r.Wrapped = s.KeyID, s.Wrapped
				if err := secretsdb.Rewrap(ctx, tx, r); err != nil {
					return err
				}
			}
			return nil
		})
		done += n
		if err != nil || n == 0 {
			return done, err
		}
	}
}

// State is what can be said of the vault to everybody who may know of it.
type State struct {
	Open    bool
	Key     string
	Since   time.Time
	Keys    []string // the ring's
	Secrets int
}

// State says how the vault stands.
func (d *Secrets) State(ctx context.Context, a desk.Actor) (v State, err error) {
	if err := a.May(access.Read); err != nil {
		return v, err
	}
	now, err := secretsdb.CurrentKey(ctx, d.db.DB, false)
	if err == nil {
		v.Key, v.Since = now.ID, now.MadeAt
	} else if !errors.Is(err, db.ErrNotFound) {
		return v, err
	}
	if v.Open = d.vault != nil; v.Open {
		v.Keys = d.vault.IDs()
	}
	v.Secrets, err = secretsdb.CountSealed(ctx, d.db.DB)
	return v, err
}

// Rotation is what a change of keys did.
type Rotation struct {
	From, To  string
	Rewrapped int
	Forgotten bool
}

// Rotate makes a new key, writes it to the key file, and closes every secret with
// it, while people work. The older keys stay in the file for copies of the database
// that were made with them, unless they are to be forgotten.
func (d *Secrets) Rotate(ctx context.Context, a desk.Actor, forget bool) (r Rotation, err error) {
	if err := a.May(access.Secrets); err != nil {
		return r, err
	}
	if d.vault == nil {
		return r, ErrNoVault
	}
	ran := false
	err = d.db.Alone(ctx, rotating, func() error {
		ran = true
		r, err = d.rotate(ctx, forget)
		return err
	})
	if err == nil && !ran {
		err = &desk.InUse{Why: "Somebody else is changing the key right now: try again when that is done."}
	}
	return r, err
}

// rotating is the lock of a change of keys.
const rotating = 7206319

func (d *Secrets) rotate(ctx context.Context, forget bool) (r Rotation, err error) {
	before, err := secretsdb.CurrentKey(ctx, d.db.DB, false)
	if err != nil {
		return r, err
	}
	r.From, r.To = before.ID, d.vault.First()
	if r.To == r.From { // else somebody has put one there to change to
		if r.To, err = d.vault.Add(); err != nil {
			return r, desk.Fault("key", "%s", err)
		}
	}
	if err := d.db.Do(ctx, func(tx *db.Tx) error { return d.makeCurrent(ctx, tx, d.vault, r.To) }); err != nil {
		return r, err
	}
	if r.Rewrapped, err = d.rewrap(ctx); err != nil || !forget {
		return r, err
	}
	if err := d.db.Do(ctx, func(tx *db.Tx) error { return secretsdb.ForgetKeys(ctx, tx) }); err != nil {
		return r, err
	}
	r.Forgotten = true
	return r, d.vault.Keep(r.To)
}
