package db

import (
	"context"
	"fmt"
	"time"
)

// Idempotent is what is kept of a POST that named a key.
type Idempotent struct {
	BodyHash []byte  `db:"body_hash"`
	Answer   *string `db:"answer"`
}

// ClaimKey takes an idempotency key in this transaction. busy: another request
// with it is under way. before: the answer kept from an earlier one, or nil.
// Keys older than a day count for nothing.
func (t *Tx) ClaimKey(ctx context.Context, person int64, route, key string, bodyHash []byte,
	now time.Time) (before *Idempotent, busy bool, err error) {
	var got bool
	if err := t.GetContext(ctx, &got, "select pg_try_advisory_xact_lock(hashtextextended($1, 0))",
		fmt.Sprintf("%d %s %s", person, route, key)); err != nil || !got {
		return nil, !got, err
	}
	if _, err := t.ExecContext(ctx, "delete from idempotency_key where created_at < $1",
		now.Add(-24*time.Hour)); err != nil {
		return nil, false, err
	}
	var i Idempotent
	err = One(t.GetContext(ctx, &i,
		"select body_hash, answer::text as answer from idempotency_key where person_id = $1 and route = $2 and key = $3",
		person, route, key))
	if err == nil {
		return &i, false, nil
	}
	if err != ErrNotFound {
		return nil, false, err
	}
	_, err = t.ExecContext(ctx,
		"insert into idempotency_key (person_id, route, key, body_hash, created_at) values ($1, $2, $3, $4, $5)",
		person, route, key, bodyHash, now)
	return nil, false, err
}

// KeepAnswer stores what a keyed POST answered.
func (t *Tx) KeepAnswer(ctx context.Context, person int64, route, key, answer string) error {
	_, err := t.ExecContext(ctx,
		"update idempotency_key set answer = cast($4 as jsonb) where person_id = $1 and route = $2 and key = $3",
		person, route, key, answer)
	return err
}
