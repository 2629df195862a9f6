package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"fmt"
	"strings"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
)

// TokenPrefix begins every secret of a token, so that a leaked one is recognised.
const TokenPrefix = "rht_"

// AddToken makes a token of the person's own; the secret is told this once.
func (d *People) AddToken(ctx context.Context, a desk.Actor, name string) (peopledb.Token, string, error) {
	if err := a.May(access.Tokens); err != nil {
		return peopledb.Token{}, "", err
	}
	if strings.TrimSpace(name) == "" {
		return peopledb.Token{}, "", desk.Fault("name", "give the token a name that says where it is used")
	}
	secret := TokenPrefix + rand.Text()
	t, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (peopledb.Token, error) {
		t := peopledb.Token{PersonID: a.ID, Name: strings.TrimSpace(name), Hash: HashToken(secret), CreatedAt: d.Now()}
		return t, peopledb.AddToken(ctx, tx, &t)
	})
	return t, secret, err
}

// HashToken is what is kept of a token: it has 130 bits of its own, so a plain hash does.
func HashToken(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// Tokens are the person's own.
func (d *People) Tokens(ctx context.Context, a desk.Actor) ([]peopledb.Token, error) {
	return peopledb.Tokens(ctx, d.db.DB, a.ID)
}

// RevokeToken ends one of the person's own tokens at once.
func (d *People) RevokeToken(ctx context.Context, a desk.Actor, id int64) error {
	return d.db.Do(ctx, func(tx *db.Tx) error {
		if err := peopledb.RevokeToken(ctx, tx, a.ID, id, d.Now()); err != nil {
			return err
		}
		return tx.Tell(ctx, desk.AccessTold, fmt.Sprint(a.ID))
	})
}

// ByToken is the person behind a token's secret.
func (d *People) ByToken(ctx context.Context, secret string) (peopledb.Person, error) {
	return peopledb.ByToken(ctx, d.db.DB, HashToken(secret), d.Now())
}
