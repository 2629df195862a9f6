// Package secrets keeps what is known of secrets, their encrypted values, and who used them.
package secrets

import (
	"context"
	"time"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/store/db"
)

// Secret is what is known of one, without its value.
type Secret struct {
	ID          int64                    `db:"id"`
	VendorID    *int64                   `db:"vendor_id"`
	Facts       db.JSON[register.Secret] `db:"facts"`
	Name        string                   `db:"name"`
	Version     int64                    `db:"version"`
	ChangedAt   time.Time                `db:"changed_at"`
	Vendor      *string                  `db:"vendor"` // its key
	EncryptedAt *time.Time               `db:"encrypted_at"`
	// Revealed is when it was last shown to somebody.
	Revealed *time.Time `db:"revealed_at"`
}

// SealedSecret is a value as it is kept.
type SealedSecret struct {
	SecretID    int64     `db:"secret_id"`
	KeyID       string    `db:"key_id"`
	Wrapped     []byte    `db:"wrapped"`
	Value       []byte    `db:"value"`
	EncryptedAt time.Time `db:"encrypted_at"`
}

// Use is one thing that was done with a secret.
type Use struct {
	ID       int64     `db:"id"`
	SecretID int64     `db:"secret_id"`
	Name     string    `db:"name"`
	Act      string    `db:"act"` // added, changed, encrypted, revealed, sent, removed
	PersonID *int64    `db:"person_id"`
	Person   *string   `db:"person"` // by name
	CaseID   *int64    `db:"case_id"`
	Case     *int64    `db:"case_number"`
	Entry    *int      `db:"entry"`
	Host     string    `db:"host"`
	Why      string    `db:"why"`
	Digest   string    `db:"digest"`
	At       time.Time `db:"at"`
}

const secretColumns = `select s.*, v.key as vendor, x.encrypted_at, (select max(u.at) from secret_use u
	where u.secret_id = s.id and u.act = 'revealed') as revealed_at
	from secret s left join vendor v on v.id = s.vendor_id left join secret_value x on x.secret_id = s.id `

// List are a vendor's, or (0) all, by name.
func List(ctx context.Context, q db.Querier, vendor int64) (out []Secret, err error) {
	return out, q.SelectContext(ctx, &out, secretColumns+"where cast($1 as bigint) in (0, s.vendor_id) order by s.name",
		vendor)
}

// Named is ErrNotFound where there is none.
func Named(ctx context.Context, q db.Querier, name string) (s Secret, err error) {
	return s, db.One(q.GetContext(ctx, &s, secretColumns+"where s.name = $1", name))
}

// Add gives it an id.
func Add(ctx context.Context, q db.Querier, s *Secret) error {
	s.Version = 1
	return q.GetContext(ctx, &s.ID,
		"insert into secret (vendor_id, facts, changed_at) values ($1, cast($2 as jsonb), $3) returning id", s.VendorID,
		s.Facts, s.ChangedAt)
}

// Change writes what is known of it, unless it is no longer at the version it was read at.
func Change(ctx context.Context, q db.Querier, s Secret) (changed bool, err error) {
	return db.Affected(q.ExecContext(ctx,
		`update secret set version = version + 1, vendor_id = $5, facts = cast($3 as jsonb), changed_at = $4
			where id = $1 and version = $2`, s.ID, s.Version, s.Facts, s.ChangedAt, s.VendorID))
}

// Remove takes one out with its value; what was done with it stays.
func Remove(ctx context.Context, q db.Querier, id, version int64) (removed bool, err error) {
	if _, err := q.ExecContext(ctx, "delete from secret_value where secret_id = $1", id); err != nil {
		return false, err
	}
	return db.Affected(q.ExecContext(ctx, "delete from secret where id = $1 and version = $2", id, version))
}

// Value is ErrNotFound where the vault has none.
func Value(ctx context.Context, q db.Querier, id int64) (v SealedSecret, err error) {
	return v, db.One(q.GetContext(ctx, &v, "select * from secret_value where secret_id = $1", id))
}

// NamedSecret is a value as it is kept, with the name of its secret.
type NamedSecret struct {
	SealedSecret
	Name string `db:"name"`
}

// Values are those that the vault has of some vendors' secrets.
func Values(ctx context.Context, q db.Querier, vendors []int64) (out []NamedSecret, err error) {
	return out, q.SelectContext(ctx, &out,
		"select x.*, s.name from secret s join secret_value x on x.secret_id = s.id where s.vendor_id = any($1)", vendors)
}

// SetValue writes a value, in place of another.
func SetValue(ctx context.Context, q db.Querier, v SealedSecret) error {
	_, err := q.ExecContext(ctx, `insert into secret_value (secret_id, key_id, wrapped, value, encrypted_at)
		values ($1, $2, $3, $4, $5)
		on conflict (secret_id) do update set key_id = excluded.key_id, wrapped = excluded.wrapped, value =
		excluded.value, encrypted_at = excluded.encrypted_at`,
		v.SecretID, v.KeyID, v.Wrapped, v.Value, v.EncryptedAt)
	return err
}

// DropValue takes a value out of the vault.
func DropValue(ctx context.Context, q db.Querier, id int64) error {
	_, err := q.ExecContext(ctx, "delete from secret_value where secret_id = $1", id)
	return err
}

// AddUse keeps what was done with a secret.
func AddUse(ctx context.Context, q db.Querier, u Use) error {
	_, err := q.ExecContext(ctx,
		`insert into secret_use (secret_id, name, act, person_id, case_id, entry, host, why, digest, at)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
		u.SecretID, u.Name, u.Act, u.PersonID, u.CaseID, u.Entry, u.Host, u.Why, u.Digest, u.At)
	return err
}

// Uses are the last n things that were done with a secret, the newest first.
func Uses(ctx context.Context, q db.Querier, id int64, n int) (out []Use, err error) {
	return out, q.SelectContext(ctx, &out, `select u.*, p.name as person, c.number as case_number from secret_use u
		left join person p on p.id = u.person_id
		left join support_case c on c.id = u.case_id where u.secret_id = $1 order by u.id desc limit $2`, id, n)
}
