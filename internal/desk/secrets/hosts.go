package secrets

import (
	"context"
	"errors"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store/db"
	secretsdb "roundhouse.example/internal/store/secrets"
)

// ForHost is a secret's value for signing in at a host, if it may be sent there; otherwise the error says why not.
func (d *Secrets) ForHost(ctx context.Context, q db.Querier, name, host string) (string, error) {
	row, err := d.MayGo(ctx, q, name, host)
	if err != nil {
		return "", err
	}
	o, err := d.Opened(ctx, q, row)
	return o.Value, err
}

// SignIn gives a channel the password that it needs, if it needs one and that may be sent to the host; otherwise the
// error says why not.
func (d *Secrets) SignIn(ctx context.Context, q db.Querier, ch desk.Channel, host string) error {
	s, signs := ch.(desk.SignsIn)
	if !signs || s.SecretName() == "" {
		return nil
	}
	password, err := d.ForHost(ctx, q, s.SecretName(), host)
	if err == nil {
		s.SignIn(password)
	}
	return err
}

// MayGo is a secret with which one can sign in at a host; otherwise the error says why not.
func (d *Secrets) MayGo(ctx context.Context, q db.Querier, name, host string) (row secretsdb.Secret, err error) {
	row, err = secretsdb.Named(ctx, q, name)
	switch {
	case errors.Is(err, db.ErrNotFound):
		err = desk.Fault("settings", "there is no secret %.60q", name)
	case err != nil:
	case row.EncryptedAt == nil:
		err = desk.Fault("settings", "the value of the secret %s is not stored here: %s", name, onPaper(row.Facts.V))
	case !row.Facts.V.MayGo(host):
		err = desk.Fault("settings", "the secret %s may not be sent to %s: add that host to the secret", name, host)
	}
	return row, err
}
