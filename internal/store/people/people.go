// Package people keeps who works at the desk, their sessions and tokens.
package people

import (
	"context"
	"strings"
	"time"

	"roundhouse.example/internal/store/db"
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

// ByID is ErrNotFound where there is none.
func ByID(ctx context.Context, q db.Querier, id int64) (p Person, err error) {
	return p, db.One(q.GetContext(ctx, &p, "select * from person where id = $1", id))
}

// ByEmail ignores case; ErrNotFound where there is none.
func ByEmail(ctx context.Context, q db.Querier, email string) (p Person, err error) {
	return p, db.One(q.GetContext(ctx, &p, "select * from person where lower(email) = lower($1)", email))
}

// All are all of them by name.
func All(ctx context.Context, q db.Querier) (out []Person, err error) {
	return out, q.SelectContext(ctx, &out, "select * from person order by lower(name), id")
}

// Add gives the person an id. A second one with the same email address
// violates the index person_email.
func Add(ctx context.Context, q db.Querier, p *Person) error {
	p.Version, p.Credential = 1, 1
	return q.GetContext(ctx, &p.ID, `insert into person (name, email, role, password_hash, active, created_at)
		values ($1, $2, $3, $4, true, $5) returning id`, p.Name, p.Email, p.Role, p.PasswordHash, p.CreatedAt)
}

// Change writes all but the email address and id, unless the person is no longer at
// the version that was read; changed is then false.
func Change(ctx context.Context, q db.Querier, p *Person) (changed bool, err error) {
	changed, err = db.Affected(q.ExecContext(ctx, `update person set name = $2, role = $3, password_hash = $4, active
		= $5, phone = $6, zone = $7, hours = $8, languages = $9,
		credential = $10, version = version + 1 where id = $1 and version = $11`,
		p.ID, p.Name, p.Role, p.PasswordHash, p.Active, p.Phone, p.Zone, p.Hours, p.Languages, p.Credential, p.Version))
	p.Version++
	return changed, err
}

// ByEmails are those with one of these addresses, in any case.
func ByEmails(ctx context.Context, q db.Querier, emails []string) (out []Person, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from person where lower(email) = any(select lower(x) from unnest(cast($1 as text[])) x)", emails)
}

// LockAdministrators lets one transaction at a time change who the administrators are.
func LockAdministrators(ctx context.Context, q db.Querier) error {
	_, err := q.ExecContext(ctx, "select pg_advisory_xact_lock(7206321)")
	return err
}

// ActiveAdministrators counts them, other than one person.
func ActiveAdministrators(ctx context.Context, q db.Querier, besides int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from person where role = 'administrator' and active and id <> $1",
		besides)
}
