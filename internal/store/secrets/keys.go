package secrets

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// VaultKey is a key of the vault as the database knows it: by name and by what it opens.
type VaultKey struct {
	ID      string    `db:"id"`
	Wrapped []byte    `db:"wrapped"`
	Proof   []byte    `db:"proof"`
	MadeAt  time.Time `db:"made_at"`
	Current bool      `db:"current"`
}

// WrappedOtherwise is up to n values that are not closed with a key, locked.
func WrappedOtherwise(ctx context.Context, q db.Querier, key string, n int) (out []SealedSecret, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from secret_value where key_id <> $1 order by secret_id limit $2 for update", key, n)
}

// Rewrap writes which key closes a value now.
func Rewrap(ctx context.Context, q db.Querier, v SealedSecret) error {
	_, err := q.ExecContext(ctx, "update secret_value set key_id = $2, wrapped = $3 where secret_id = $1", v.SecretID,
		v.KeyID, v.Wrapped)
	return err
}

// keyLock is held shared by who closes a secret, and alone by who changes the key: a
// statement that begins after it is held sees the key that counts till the end.
const keyLock = 7206320

// CurrentKey is the key that new secrets are closed with; shared, it stays that till
// the end of the transaction. ErrNotFound where the vault has none yet.
func CurrentKey(ctx context.Context, q db.Querier, shared bool) (k VaultKey, err error) {
	if shared {
		if _, err := q.ExecContext(ctx, "select pg_advisory_xact_lock_shared($1)", keyLock); err != nil {
			return k, err
		}
	}
	return k, db.One(q.GetContext(ctx, &k, "select * from vault_key where current"))
}

// MakeCurrent writes a key as the one for new secrets.
func MakeCurrent(ctx context.Context, q db.Querier, k VaultKey) error {
	if _, err := q.ExecContext(ctx, "select pg_advisory_xact_lock($1)", keyLock); err != nil {
		return err
	}
	if _, err := q.ExecContext(ctx, "update vault_key set current = false where current and id <> $1", k.ID); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into vault_key (id, wrapped, proof, made_at, current)
		values ($1, $2, $3, $4, true)
		on conflict (id) do update set current = true`, k.ID, k.Wrapped, k.Proof, k.MadeAt)
	return err
}

// ForgetKeys takes out all keys but the current one; nothing may be closed with them.
func ForgetKeys(ctx context.Context, q db.Querier) error {
	_, err := q.ExecContext(ctx, "delete from vault_key where not current")
	return err
}

// CountSealed is how many values the vault has.
func CountSealed(ctx context.Context, q db.Querier) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from secret_value")
}
