package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

// Person is one of our own people.
type Person struct {
	ID           int64     `db:"id"`
	Name         string    `db:"name"`
	Email        string    `db:"email"`
	Role         string    `db:"role"`
	PasswordHash string    `db:"password_hash" json:"-"`
	Active       bool      `db:"active"`
	CreatedAt    time.Time `db:"created_at"`
	// How the person can be reached, in words but for the zone.
	Phone     string `db:"phone"`
	Zone      string `db:"zone"`
	Hours     string `db:"hours"`
	Languages string `db:"languages"`
	Version   int64  `db:"version"`
	// Credential counts up whenever what the person signs in with changes: sessions begun before end.
	Credential int `db:"credential"`
}

// Reach is how somebody can be reached, as a vendor is told.
func (p Person) Reach() string {
	if p.Phone == "" {
		return ""
	}
	words := p.Name + ", " + p.Phone
	if p.Hours != "" {
		words += ", " + strings.TrimSpace(p.Hours+" "+p.Zone)
	}
	if p.Languages != "" {
		words += "; speaks " + p.Languages
	}
	return words
}

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

// Querier is what reads and writes run on: the database or a transaction.
type Querier interface {
	sqlx.ExtContext
	GetContext(ctx context.Context, dest any, query string, args ...any) error
	SelectContext(ctx context.Context, dest any, query string, args ...any) error
}

// PersonByID is ErrNotFound where there is none.
func PersonByID(ctx context.Context, q Querier, id int64) (p Person, err error) {
	return p, one(q.GetContext(ctx, &p, "select * from person where id = $1", id))
}

// PersonByEmail ignores case; ErrNotFound where there is none.
func PersonByEmail(ctx context.Context, q Querier, email string) (p Person, err error) {
	return p, one(q.GetContext(ctx, &p, "select * from person where lower(email) = lower($1)", email))
}

// PersonByToken finds the active person behind a token's hash and notes its use,
// at most once a minute.
func PersonByToken(ctx context.Context, q Querier, hash []byte, now time.Time) (p Person, err error) {
	err = one(q.GetContext(ctx, &p, `select p.* from token t join person p on p.id = t.person_id
		where t.hash = $1 and t.revoked_at is null and p.active`, hash))
	if err == nil {
		_, err = q.ExecContext(ctx, `update token set last_used_at = $2 where hash = $1
			and (last_used_at is null or last_used_at < $2::timestamptz - interval '1 minute')`, hash, now)
	}
	return p, err
}

// People are all of them by name.
func People(ctx context.Context, q Querier) (out []Person, err error) {
	return out, q.SelectContext(ctx, &out, "select * from person order by lower(name), id")
}

// AddPerson gives the person an id. A second one with the same mail address
// violates the index person_email.
func AddPerson(ctx context.Context, q Querier, p *Person) error {
	p.Version, p.Credential = 1, 1
	return q.GetContext(ctx, &p.ID, `insert into person (name, email, role, password_hash, active, created_at)
		values ($1, $2, $3, $4, true, $5) returning id`, p.Name, p.Email, p.Role, p.PasswordHash, p.CreatedAt)
}

// ChangePerson writes all but the mail address and id, unless the person is no longer at
// the version that was read; changed is then false.
func ChangePerson(ctx context.Context, q Querier, p *Person) (changed bool, err error) {
	changed, err = affected(q.ExecContext(ctx, `update person set name = $2, role = $3, password_hash = $4, active = $5, phone = $6, zone = $7, hours = $8, languages = $9,
		credential = $10, version = version + 1 where id = $1 and version = $11`,
		p.ID, p.Name, p.Role, p.PasswordHash, p.Active, p.Phone, p.Zone, p.Hours, p.Languages, p.Credential, p.Version))
	p.Version++
	return changed, err
}

// PeopleByEmail are those with one of these addresses, in any case.
func PeopleByEmail(ctx context.Context, q Querier, emails []string) (out []Person, err error) {
	return out, q.SelectContext(ctx, &out, "select * from person where lower(email) = any(select lower(x) from unnest(cast($1 as text[])) x)", emails)
}

// LockAdministrators lets one transaction at a time change who the administrators are.
func LockAdministrators(ctx context.Context, q Querier) error {
	_, err := q.ExecContext(ctx, "select pg_advisory_xact_lock(7206321)")
	return err
}

// RevokeTokens ends all tokens of a person.
func RevokeTokens(ctx context.Context, q Querier, person int64, now time.Time) error {
	_, err := q.ExecContext(ctx, "update token set revoked_at = $2 where person_id = $1 and revoked_at is null", person, now)
	return err
}

// SignInTries counts the tries that an address has made since an instant, and those of them for one person.
func SignInTries(ctx context.Context, q Querier, address, person string, since time.Time) (all, his int, err error) {
	var n struct {
		All int `db:"all"`
		His int `db:"his"`
	}
	err = q.GetContext(ctx, &n, `select count(*) as "all", count(*) filter (where person = $2) as his from sign_in_try where address = $1 and at > $3`, address, person, since)
	return n.All, n.His, err
}

// AddSignInTry keeps a try.
func AddSignInTry(ctx context.Context, q Querier, address, person string, at time.Time) error {
	_, err := q.ExecContext(ctx, "insert into sign_in_try (address, person, at) values ($1, $2, $3)", address, person, at)
	return err
}

// ForgiveSignIn forgets what an address tried for one person, who has shown to be that one.
func ForgiveSignIn(ctx context.Context, q Querier, address, person string) error {
	_, err := q.ExecContext(ctx, "delete from sign_in_try where address = $1 and person = $2", address, person)
	return err
}

// ForgetSignIns takes out tries from before an instant.
func ForgetSignIns(ctx context.Context, q Querier, before time.Time) error {
	_, err := q.ExecContext(ctx, "delete from sign_in_try where at < $1", before)
	return err
}

// ActiveAdministrators counts them, other than one person.
func ActiveAdministrators(ctx context.Context, q Querier, besides int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from person where role = 'administrator' and active and id <> $1", besides)
}

// AddToken gives the token an id.
func AddToken(ctx context.Context, q Querier, t *Token) error {
	return q.GetContext(ctx, &t.ID, `insert into token (person_id, name, hash, created_at) values ($1, $2, $3, $4) returning id`,
		t.PersonID, t.Name, t.Hash, t.CreatedAt)
}

// Tokens are a person's, newest first.
func Tokens(ctx context.Context, q Querier, person int64) (out []Token, err error) {
	return out, q.SelectContext(ctx, &out, "select * from token where person_id = $1 order by id desc", person)
}

// RevokeToken is ErrNotFound where the person has no such token.
func RevokeToken(ctx context.Context, q Querier, person, id int64, now time.Time) error {
	var n int
	return one(q.GetContext(ctx, &n, `update token set revoked_at = coalesce(revoked_at, $3)
		where id = $2 and person_id = $1 returning 1`, person, id, now))
}

// Idempotent is what is kept of a POST that named a key.
type Idempotent struct {
	BodyHash []byte  `db:"body_hash"`
	Answer   *string `db:"answer"`
}

// ClaimKey takes an idempotency key in this transaction. busy: another request
// with it is under way. before: the answer kept from an earlier one, or nil.
// Keys older than a day count for nothing.
func (t *Tx) ClaimKey(ctx context.Context, person int64, route, key string, bodyHash []byte, now time.Time) (before *Idempotent, busy bool, err error) {
	var got bool
	if err := t.GetContext(ctx, &got, "select pg_try_advisory_xact_lock(hashtextextended($1, 0))",
		fmt.Sprintf("%d %s %s", person, route, key)); err != nil || !got {
		return nil, !got, err
	}
	if _, err := t.ExecContext(ctx, "delete from idempotency_key where created_at < $1", now.Add(-24*time.Hour)); err != nil {
		return nil, false, err
	}
	var i Idempotent
	err = one(t.GetContext(ctx, &i, "select body_hash, answer::text as answer from idempotency_key where person_id = $1 and route = $2 and key = $3", person, route, key))
	if err == nil {
		return &i, false, nil
	}
	if err != ErrNotFound {
		return nil, false, err
	}
	_, err = t.ExecContext(ctx, "insert into idempotency_key (person_id, route, key, body_hash, created_at) values ($1, $2, $3, $4, $5)",
		person, route, key, bodyHash, now)
	return nil, false, err
}

// KeepAnswer stores what a keyed POST answered.
func (t *Tx) KeepAnswer(ctx context.Context, person int64, route, key, answer string) error {
	_, err := t.ExecContext(ctx, "update idempotency_key set answer = cast($4 as jsonb) where person_id = $1 and route = $2 and key = $3",
		person, route, key, answer)
	return err
}
