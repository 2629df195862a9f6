package desk

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/alexedwards/argon2id"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/store"
)

// PasswordCost are argon2id's parameters for new passwords; tests make them tiny.
var PasswordCost = &argon2id.Params{Memory: 64 * 1024, Iterations: 2, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// ErrBadSignIn says no more than that: which half was wrong is nobody's business.
var ErrBadSignIn = errors.New("mail address or password is wrong")

// noPassword is what no password has as its hash.
const noPassword = "!"

// hashing holds 64 MiB at a time; two at once are enough for a desk.
var hashing = make(chan struct{}, 2)

var decoy = sync.OnceValue(func() string {
	h, _ := argon2id.CreateHash("nobody's password", PasswordCost)
	return h
})

// Tries to sign in are counted for ten minutes, by the address they come from: so many for
// one person, and so many for all of them. Nobody is locked out by what others try elsewhere.
const (
	triesCount     = 10 * time.Minute
	triesForOne    = 8
	triesForAnyone = 40
)

// ErrTooManySignIns is returned where an address has tried too often.
var ErrTooManySignIns = errors.New("too many tries to sign in from this address: wait ten minutes, then try again")

// TrySignIn is SignIn for an address that may be guessing: every try counts before it is
// looked at, and a good one forgives only what was tried for the same person.
func (d *Desk) TrySignIn(ctx context.Context, address, email, password string) (store.Person, error) {
	who := strings.ToLower(strings.TrimSpace(email))
	now := d.Now()
	all, his, err := store.SignInTries(ctx, d.Store.DB, address, who, now.Add(-triesCount))
	if err != nil {
		return store.Person{}, err
	}
	if all >= triesForAnyone || his >= triesForOne {
		return store.Person{}, ErrTooManySignIns
	}
	if err := store.AddSignInTry(ctx, d.Store.DB, address, who, now); err != nil {
		return store.Person{}, err
	}
	p, err := d.SignIn(ctx, email, password)
	if err == nil {
		err = store.ForgiveSignIn(ctx, d.Store.DB, address, who)
	}
	return p, err
}

// SignIn checks a password; an unknown person, and one who has no password yet, cost as
// much time as any other.
func (d *Desk) SignIn(ctx context.Context, email, password string) (store.Person, error) {
	p, err := store.PersonByEmail(ctx, d.Store.DB, email)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	hash := p.PasswordHash
	if err != nil || hash == noPassword {
		hash, p.Active = decoy(), false
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
	}
	if err := checkPassword(n.Password); err != nil {
		return store.Person{}, err
	}
	p.PasswordHash, err = hashPassword(n.Password)
	return p, err
}

func checkPassword(s string) error {
	if len(strings.TrimSpace(s)) < 10 {
		return invalid("password", "a password has at least ten characters, spaces before and after them not counted")
	}
	return nil
}

// checkPerson is the row of somebody new, but for the password.
func (d *Desk) checkPerson(n NewPerson) (store.Person, error) {
	n.Name, n.Email = strings.TrimSpace(n.Name), strings.TrimSpace(n.Email)
	wrong := checkName(n.Name, n.Role)
	if strings.Index(n.Email, "@") < 1 || strings.HasSuffix(n.Email, "@") || strings.ContainsFunc(n.Email, odd) {
		wrong = append(wrong, Field{"email", fmt.Sprintf("%.80q is not an email address", n.Email)})
	}
	if len(wrong) > 0 {
		return store.Person{}, &Invalid{wrong}
	}
	return store.Person{Name: n.Name, Email: n.Email, Role: n.Role, Active: true, CreatedAt: d.Now()}, nil
}

// odd is a character that has no place in a single line.
func odd(r rune) bool { return unicode.IsControl(r) || r == '\u2028' || r == '\u2029' }

func checkName(name, role string) (wrong []Field) {
	switch {
	case name == "":
		wrong = append(wrong, Field{"name", "a name is needed"})
	case strings.ContainsFunc(name, odd):
		wrong = append(wrong, Field{"name", "it holds a character that cannot be seen, such as the end of a line: take it out"})
	}
	if len(access.Acts(role)) == 0 {
		wrong = append(wrong, Field{"role", "roles are handler, lead, auditor, administrator"})
	}
	return wrong
}

// PersonChange changes a person; nil leaves a thing as it is.
type PersonChange struct {
	Name, Role, Password          *string
	Active                        *bool
	Phone, Zone, Hours, Languages *string
}

// ChangePerson changes one of our people; match is the version that was read. The last
// administrator stays one. A new password, or leaving, ends sessions and tokens.
func (d *Desk) ChangePerson(ctx context.Context, a Actor, id, match int64, ch PersonChange) (store.Person, error) {
	if err := a.may(access.People); err != nil {
		return store.Person{}, err
	}
	var hash string
	if ch.Password != nil {
		if err := checkPassword(*ch.Password); err != nil {
			return store.Person{}, err
		}
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
		if p.Version != match {
			return p, &Stale{"person"}
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
	wrong := checkName(p.Name, p.Role)
	for _, x := range []struct {
		field string
		from  *string
		to    *string
	}{{"phone", ch.Phone, &p.Phone}, {"hours", ch.Hours, &p.Hours}, {"languages", ch.Languages, &p.Languages}, {"zone", ch.Zone, &p.Zone}} {
		if x.from == nil {
			continue
		}
		if *x.to = strings.TrimSpace(*x.from); strings.ContainsFunc(*x.to, odd) {
			wrong = append(wrong, Field{x.field, "it is one line"})
		}
	}
	if _, err := time.LoadLocation(p.Zone); err != nil || p.Zone == "Local" {
		wrong = append(wrong, Field{"zone", fmt.Sprintf("%.60q is not a known time zone; name one like Europe/Oslo", p.Zone)})
	}
	if len(wrong) > 0 {
		return &Invalid{wrong}
	}
	if hash != "" {
		p.PasswordHash = hash
	}
	if hash != "" || was.Active && !p.Active {
		p.Credential++
		if err := store.RevokeTokens(ctx, tx, p.ID, d.Now()); err != nil {
			return err
		}
		if err := tx.Tell(ctx, AccessTold, fmt.Sprint(p.ID)); err != nil {
			return err
		}
	}
	if was.Role == "administrator" && was.Active && (p.Role != was.Role || !p.Active) {
		// Two of them at once must not each count the other.
		if err := store.LockAdministrators(ctx, tx); err != nil {
			return err
		}
		n, err := store.ActiveAdministrators(ctx, tx, p.ID)
		if err != nil {
			return err
		}
		if n == 0 {
			return invalid("role", "%s is the last administrator; make another one first", p.Name)
		}
	}
	if *p == was {
		return nil
	}
	changed, err := store.ChangePerson(ctx, tx, p)
	if err == nil && !changed {
		err = &Stale{"person"}
	}
	return err
}

// EndAccess tells every service to look again at who a person's open streams belong to.
func (d *Desk) EndAccess(ctx context.Context, person int64) error {
	return d.Store.Do(ctx, func(tx *store.Tx) error { return tx.Tell(ctx, AccessTold, fmt.Sprint(person)) })
}

// PersonSignedIn is the person of a session that was begun under a credential;
// store.ErrNotFound where that person has left, or what they sign in with is another now.
func (d *Desk) PersonSignedIn(ctx context.Context, id int64, credential int) (store.Person, error) {
	p, err := store.PersonByID(ctx, d.Store.DB, id)
	if err == nil && (!p.Active || p.Credential != credential) {
		err = store.ErrNotFound
	}
	return p, err
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
	return d.Store.Do(ctx, func(tx *store.Tx) error {
		if err := store.RevokeToken(ctx, tx, a.ID, id, d.Now()); err != nil {
			return err
		}
		return tx.Tell(ctx, AccessTold, fmt.Sprint(a.ID))
	})
}

// ByToken is the person behind a token's secret.
func (d *Desk) ByToken(ctx context.Context, secret string) (store.Person, error) {
	return store.PersonByToken(ctx, d.Store.DB, HashToken(secret), d.Now())
}

// forgetAccess takes out sessions that are over, and tries to sign in of before.
func (d *Desk) forgetAccess(ctx context.Context) error {
	return errors.Join(store.ForgetSessions(ctx, d.Store.DB), store.ForgetSignIns(ctx, d.Store.DB, d.Now().Add(-triesCount)))
}
