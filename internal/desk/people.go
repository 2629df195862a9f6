package desk

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/store"
)

// PasswordCost are argon2id's parameters for new passwords; tests make them tiny.
var PasswordCost = &argon2id.Params{Memory: 64 * 1024, Iterations: 2, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// ErrBadSignIn says no more than that: which half was wrong is nobody's business.
var ErrBadSignIn = errors.New("mail address or password is wrong")

// hashing holds 64 MiB at a time; two at once are enough for a desk.
var hashing = make(chan struct{}, 2)

var decoy = sync.OnceValue(func() string {
	h, _ := argon2id.CreateHash("nobody's password", PasswordCost)
	return h
})

// SignIn checks a password; an unknown person costs as much time as a known one.
func (d *Desk) SignIn(ctx context.Context, email, password string) (store.Person, error) {
	p, err := store.PersonByEmail(ctx, d.Store.DB, email)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	hash := p.PasswordHash
	if err != nil {
		hash = decoy()
	}
	hashing <- struct{}{}
	ok, cmpErr := argon2id.ComparePasswordAndHash(password, hash)
	<-hashing
	if err != nil || cmpErr != nil || !ok || !p.Active {
		return store.Person{}, ErrBadSignIn
	}
	return p, nil
}

func hashPassword(password string) (string, error) {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2id.CreateHash(password, PasswordCost)
}

// NewPerson is somebody to add.
type NewPerson struct{ Name, Email, Role, Password string }

// AddPerson adds one of our people. actor nil is the demo's, which fills a desk.
func (d *Desk) AddPerson(ctx context.Context, actor *Actor, n NewPerson) (store.Person, error) {
	if actor != nil {
		if err := actor.may(access.People); err != nil {
			return store.Person{}, err
		}
	}
	fresh, err := d.newPerson(n)
	if err != nil {
		return fresh, err
	}
	p, err := once(ctx, d, func(tx *store.Tx) (store.Person, error) {
		p := fresh
		return p, store.AddPerson(ctx, tx, &p)
	})
	if store.Unique(err, "person_email") {
		return p, invalid("email", "somebody has the mail address %s already", fresh.Email)
	}
	return p, err
}

// newPerson is the row of somebody who can be added.
func (d *Desk) newPerson(n NewPerson) (store.Person, error) {
	p, err := d.checkPerson(n)
	switch {
	case err != nil:
		return p, err
	case len(n.Password) < 10:
		return store.Person{}, invalid("password", "at least ten characters")
	}
	p.PasswordHash, err = hashPassword(n.Password)
	return p, err
}

// checkPerson is the row of somebody new, but for the password.
func (d *Desk) checkPerson(n NewPerson) (store.Person, error) {
	n.Name, n.Email = strings.TrimSpace(n.Name), strings.TrimSpace(n.Email)
	switch {
	case n.Name == "":
		return store.Person{}, invalid("name", "a name is needed")
	case strings.Index(n.Email, "@") < 1 || strings.HasSuffix(n.Email, "@"):
		return store.Person{}, invalid("email", "%q is not a mail address", n.Email)
	case len(access.Acts(n.Role)) == 0:
		return store.Person{}, invalid("role", "roles are handler, lead, auditor, administrator")
	}
	return store.Person{Name: n.Name, Email: n.Email, Role: n.Role, Active: true, CreatedAt: d.Now()}, nil
}

// PersonChange changes a person; nil leaves a thing as it is.
type PersonChange struct {
	Name, Role, Password          *string
	Active                        *bool
	Phone, Zone, Hours, Languages *string
}

// ChangePerson changes one of our people. The last administrator stays one.
func (d *Desk) ChangePerson(ctx context.Context, a Actor, id int64, ch PersonChange) (store.Person, error) {
	if err := a.may(access.People); err != nil {
		return store.Person{}, err
	}
	var hash string
	if ch.Password != nil {
		var err error
		if hash, err = hashPassword(*ch.Password); err != nil {
			return store.Person{}, err
		}
	}
	return once(ctx, d, func(tx *store.Tx) (store.Person, error) {
		p, err := store.PersonByID(ctx, tx, id)
		if err != nil {
			return p, err
		}
		return p, d.changePerson(ctx, tx, &p, ch, hash)
	})
}

func (d *Desk) changePerson(ctx context.Context, tx *store.Tx, p *store.Person, ch PersonChange, hash string) error {
	was := *p
	if ch.Name != nil {
		p.Name = strings.TrimSpace(*ch.Name)
	}
	if ch.Role != nil {
		p.Role = *ch.Role
	}
	if ch.Active != nil {
		p.Active = *ch.Active
	}
	if p.Name == "" {
		return invalid("name", "a name is needed")
	}
	if len(access.Acts(p.Role)) == 0 {
		return invalid("role", "roles are handler, lead, auditor, administrator")
	}
	for from, to := range map[*string]*string{ch.Phone: &p.Phone, ch.Hours: &p.Hours, ch.Languages: &p.Languages, ch.Zone: &p.Zone} {
		if from != nil {
			*to = strings.TrimSpace(*from)
		}
	}
	if _, err := time.LoadLocation(p.Zone); err != nil {
		return invalid("zone", "%q is not a known time zone; name one like Europe/Oslo", p.Zone)
	}
	if hash != "" {
		p.PasswordHash = hash
	}
	if was.Role == "administrator" && was.Active && (p.Role != was.Role || !p.Active) {
		n, err := store.ActiveAdministrators(ctx, tx, p.ID)
		if err != nil {
			return err
		}
		if n == 0 {
			return invalid("role", "%s is the last administrator; make another one first", p.Name)
		}
	}
	return store.ChangePerson(ctx, tx, *p)
}

// People are all of ours.
func (d *Desk) People(ctx context.Context, a Actor) ([]store.Person, error) {
	if err := a.may(access.Read); err != nil {
		return nil, err
	}
	return store.People(ctx, d.Store.DB)
}

// TokenPrefix begins every secret of a token, so that a leaked one is recognised.
const TokenPrefix = "rht_"

// AddToken makes a token of the person's own; the secret is told this once.
func (d *Desk) AddToken(ctx context.Context, a Actor, name string) (store.Token, string, error) {
	if err := a.may(access.Tokens); err != nil {
		return store.Token{}, "", err
	}
	if strings.TrimSpace(name) == "" {
		return store.Token{}, "", invalid("name", "name the token after where it is used")
	}
	secret := TokenPrefix + rand.Text()
	t, err := once(ctx, d, func(tx *store.Tx) (store.Token, error) {
		t := store.Token{PersonID: a.ID, Name: strings.TrimSpace(name), Hash: HashToken(secret), CreatedAt: d.Now()}
		return t, store.AddToken(ctx, tx, &t)
	})
	return t, secret, err
}

// HashToken is what is kept of a token: it has 130 bits of its own, so a plain hash does.
func HashToken(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// Tokens are the person's own.
func (d *Desk) Tokens(ctx context.Context, a Actor) ([]store.Token, error) {
	return store.Tokens(ctx, d.Store.DB, a.ID)
}

// RevokeToken ends one of the person's own tokens at once.
func (d *Desk) RevokeToken(ctx context.Context, a Actor, id int64) error {
	return store.RevokeToken(ctx, d.Store.DB, a.ID, id, d.Now())
}

// ByToken is the person behind a token's secret.
func (d *Desk) ByToken(ctx context.Context, secret string) (store.Person, error) {
	return store.PersonByToken(ctx, d.Store.DB, HashToken(secret), d.Now())
}
