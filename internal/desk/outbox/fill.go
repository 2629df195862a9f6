package outbox

import (
	"context"

	"roundhouse.example/internal/store/db"
	secretsdb "roundhouse.example/internal/store/secrets"

	"roundhouse.example/internal/core/disclosure"
)

// fill puts secrets where their placeholders stand, at the last moment before a
// letter leaves, and keeps which went where. What it fills in is never stored.
func (d *Outbox) fill(ctx context.Context, t *task) error {
	if err := d.secrets.SignIn(ctx, d.db.DB, t.ch, t.host); err != nil {
		return err
	}
	names := disclosure.Placeholders(t.letter.Text)
	if len(names) == 0 {
		return nil
	}
	values := map[string]string{}
	err := d.db.Do(ctx, func(tx *db.Tx) error {
		if err := d.secrets.CheckText(ctx, tx, t.vendor, t.host, t.letter.Text); err != nil {
			return err
		}
		for _, name := range names {
			row, err := secretsdb.Named(ctx, tx, name)
			if err != nil {
				return err
			}
			o, err := d.secrets.Opened(ctx, tx, row)
			if err != nil {
				return err
			}
			values[name] = o.Value
			if err := secretsdb.AddUse(ctx, tx,
				secretsdb.Use{SecretID: row.ID, Name: name, Act: "sent", CaseID: &t.delivery.CaseID,
					Entry: &t.delivery.EntryNumber, Host: t.host, Digest: o.Digest, At: d.Now()}); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	t.letter.Text, t.filled = disclosure.Fill(t.letter.Text, values), values
	return nil
}
