package people

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Token is a key of a person's for the command line and programs; only its
// hash is kept.
type Token struct {
	ID         int64      `db:"id"`
	PersonID   int64      `db:"person_id"`
	Name       string     `db:"name"`
	Hash       []byte     `db:"hash" json:"-"`
	CreatedAt  time.Time  `db:"created_at"`
	LastUsedAt *time.Time `db:"last_used_at"`
	RevokedAt  *time.Time `db:"revoked_at"`
}

// ByToken finds the active person behind a token's hash and notes its use,
// at most once a minute.
func ByToken(ctx context.Context, q db.Querier, hash []byte, now time.Time) (p Person, err error) {
	var row struct {
		Person
		Noted bool `db:"noted"`
	}
	err = db.One(q.GetContext(ctx, &row, `select p.*,
		coalesce(t.last_used_at >= $2::timestamptz - interval '1 minute', false) as noted
		from token t join person p on p.id = t.person_id
		where t.hash = $1 and t.revoked_at is null and p.active`, hash, now))
	if err == nil && !row.Noted {
		_, err = q.ExecContext(ctx, `update token set last_used_at = $2 where hash = $1
			and (last_used_at is null or last_used_at < $2::timestamptz - interval '1 minute')`, hash, now)
	}
	return row.Person, err
}

// RevokeTokens ends all tokens of a person.
func RevokeTokens(ctx context.Context, q db.Querier, person int64, now time.Time) error {
	_, err := q.ExecContext(ctx, "update token set revoked_at = $2 where person_id = $1 and revoked_at is null", person,
		now)
	return err
}

// AddToken gives the token an id.
func AddToken(ctx context.Context, q db.Querier, t *Token) error {
	return q.GetContext(ctx, &t.ID,
		`insert into token (person_id, name, hash, created_at) values ($1, $2, $3, $4) returning id`,
		t.PersonID, t.Name, t.Hash, t.CreatedAt)
}

// Tokens are a person's, newest first.
func Tokens(ctx context.Context, q db.Querier, person int64) (out []Token, err error) {
	return out, q.SelectContext(ctx, &out, "select * from token where person_id = $1 order by id desc", person)
}

// RevokeToken is ErrNotFound where the person has no such token.
func RevokeToken(ctx context.Context, q db.Querier, person, id int64, now time.Time) error {
	var n int
	return db.One(q.GetContext(ctx, &n, `update token set revoked_at = coalesce(revoked_at, $3)
		where id = $2 and person_id = $1 returning 1`, person, id, now))
}
