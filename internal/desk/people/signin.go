package people

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"github.com/alexedwards/argon2id"

	"roundhouse.example/internal/desk"
)

// PasswordCost are argon2id's parameters for new passwords; tests make them tiny.
var PasswordCost = &argon2id.Params{Memory: 64 * 1024, Iterations: 2, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// ErrBadSignIn says no more than that: which half was wrong is nobody's business.
var ErrBadSignIn = errors.New("the email address or the password is wrong")

// NoPassword is what no password has as its hash.
const NoPassword = "!"

// hashing holds 64 MiB at a time; two at once are enough for a desk.
var hashing = make(chan struct{}, 2)

var decoy = sync.OnceValue(func() string {
	h, _ := argon2id.CreateHash("nobody's password", PasswordCost)
	return h
})

// Tries to sign in are counted for ten minutes, by the address they come from, with one limit
// for each person and one for all together. Nobody is locked out by what others try elsewhere.
const (
	triesCount     = 10 * time.Minute
	triesForOne    = 8
	triesForAnyone = 40
)

// ErrTooManySignIns is returned where an address has tried too often.
var ErrTooManySignIns = errors.New("too many attempts to sign in from this address: wait ten minutes, then try again")

// TrySignIn is SignIn for an address that may be guessing: every try counts before it is
// looked at, and a good one forgives only what was tried for the same person.
func (d *People) TrySignIn(ctx context.Context, address, email, password string) (peopledb.Person, error) {
	who := strings.ToLower(strings.TrimSpace(email))
	now := d.Now()
	all, his, err := peopledb.SignInTries(ctx, d.db.DB, address, who, now.Add(-triesCount))
	if err != nil {
		return peopledb.Person{}, err
	}
	if all >= triesForAnyone || his >= triesForOne {
		return peopledb.Person{}, ErrTooManySignIns
	}
	if err := peopledb.AddSignInTry(ctx, d.db.DB, address, who, now); err != nil {
		return peopledb.Person{}, err
	}
	p, err := d.SignIn(ctx, email, password)
	if err == nil {
		err = peopledb.ForgiveSignIn(ctx, d.db.DB, address, who)
	}
	return p, err
}

// SignIn checks a password; an unknown person, and one who has no password yet, cost as
// much time as any other.
func (d *People) SignIn(ctx context.Context, email, password string) (peopledb.Person, error) {
	p, err := peopledb.ByEmail(ctx, d.db.DB, email)
	if err != nil && !errors.Is(err, db.ErrNotFound) {
		return p, err
	}
	hash := p.PasswordHash
	if err != nil || hash == NoPassword {
		hash, p.Active = decoy(), false
	}
	hashing <- struct{}{}
	ok, cmpErr := argon2id.ComparePasswordAndHash(password, hash)
	<-hashing
	if err != nil || cmpErr != nil || !ok || !p.Active {
		return peopledb.Person{}, ErrBadSignIn
	}
	return p, nil
}

func hashPassword(password string) (string, error) {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2id.CreateHash(password, PasswordCost)
}

// EndAccess tells every service to look again at who a person's open streams belong to.
func (d *People) EndAccess(ctx context.Context, person int64) error {
	return d.db.Do(ctx, func(tx *db.Tx) error { return tx.Tell(ctx, desk.AccessTold, fmt.Sprint(person)) })
}

// PersonSignedIn is the person of a session that was begun under a credential;
// store.ErrNotFound where that person has left, or what they sign in with is another now.
func (d *People) PersonSignedIn(ctx context.Context, id int64, credential int) (peopledb.Person, error) {
	p, err := peopledb.ByID(ctx, d.db.DB, id)
	if err == nil && (!p.Active || p.Credential != credential) {
		err = db.ErrNotFound
	}
	return p, err
}

// Forget takes out sessions that are over, and tries to sign in of before.
func (d *People) Forget(ctx context.Context) error {
	return errors.Join(peopledb.ForgetSessions(ctx, d.db.DB),
		peopledb.ForgetSignIns(ctx, d.db.DB, d.Now().Add(-triesCount)))
}
