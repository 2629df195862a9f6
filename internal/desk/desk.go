// Package desk is what every subject of a desk needs and none is about: who acts, the transaction
// that is done once for a key, patches, and what is said when something cannot be done.
package desk

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/failpoint"
)

// Clock tells the time. The service runs on the machine's, tests inject one.
type Clock interface{ Now() time.Time }

// Queue wakes the workers. What it is told may be lost: a sweep finds it again.
type Queue interface {
	// Deliver is told of something that is to go to a vendor.
	Deliver(ctx context.Context, tx *db.Tx, delivery int64) error
	// Rebuild is told that cases were marked to be recalculated.
	Rebuild(ctx context.Context, tx *db.Tx) error
}

// Channel is a way to one vendor that works by itself.
type Channel interface {
	Send(context.Context, channel.Letter) (channel.Receipt, error)
	Collect(ctx context.Context, cursor string) (events []channel.Incoming, next string, err error)
	LookUp(ctx context.Context, action route.Action, reference string, markers []string,
		since time.Time) (*channel.Receipt, error)
	Timeout() time.Duration
	Settle() time.Duration
	// TakesFiles says whether files go that way.
	TakesFiles() bool
}

// SignsIn is a channel that signs in with a password before it sends.
type SignsIn interface {
	SecretName() string // of the password; empty where there is no signing in
	SignIn(password string)
}

// Channels makes a channel from a link's row.
type Channels func(inboxdb.Link) (Channel, error)

// Desk is what every subject needs and none is about. Its store is its own: a subject is given
// the store apart. Use New.
type Desk struct {
	Queue    Queue
	Channels Channels
	store    *db.Store
	clock    Clock
}

// New makes the common part of a desk over a database.
func New(s *db.Store, c Clock, q Queue, ch Channels) *Desk {
	return &Desk{store: s, clock: c, Queue: q, Channels: ch}
}

// Now is the desk's time in UTC, to the microsecond that the database keeps.
func (d *Desk) Now() time.Time { return d.clock.Now().UTC().Truncate(time.Microsecond) }

// Actor is the person who does something, with what that person may do and see.
type Actor struct {
	peopledb.Person
	// Limits narrow what the role grants; nil: nothing does.
	Limits *access.Grant
}

// Grant is what the person may do and see.
func (a Actor) Grant() access.Grant {
	if a.Limits != nil {
		return *a.Limits
	}
	return access.Of(a.Role)
}

// May is nil where the person may do something.
func (a Actor) May(act access.Act) error { return a.Grant().May(act) }

// Forbidden is returned where the person may not do it.
type Forbidden = access.Forbidden

// Field is one thing wrong with what was asked.
type Field struct{ Name, Detail string }

// Invalid is returned where what was asked cannot be done as it stands; it
// names every field at fault.
type Invalid struct{ Fields []Field }

func (e *Invalid) Error() string { return strings.Join(e.Lines(), "; ") }

// Lines are the faults, one a line.
func (e *Invalid) Lines() []string {
	parts := make([]string, len(e.Fields))
	for i, f := range e.Fields {
		parts[i] = f.Name + ": " + f.Detail
	}
	return parts
}

// Fault is an *Invalid with one field at fault.
func Fault(field, format string, args ...any) *Invalid {
	return &Invalid{[]Field{{field, fmt.Sprintf(format, args...)}}}
}

// Errors of what guards a change.
var (
	ErrStale       = errors.New("it has changed since you read it: read it again, then repeat")
	ErrNoMatch     = errors.New("If-Match is missing: send the ETag of the case as you read it")
	ErrKeyReused   = errors.New("this Idempotency-Key was used with another request: use a new one")
	ErrKeyBusy     = errors.New("a request with this Idempotency-Key is still running: try again in a moment")
	ErrNotAnswered = errors.New("a request with this Idempotency-Key was made, but its answer is not kept: check " +
		"what it did before you repeat it with a new key")
)

// NewerMessage is returned where the vendor wrote after what the writer has seen.
type NewerMessage struct{ Entry int }

func (e *NewerMessage) Error() string {
	return fmt.Sprintf("the vendor has written since (entry %d): read it, then send again", e.Entry)
}

// Keyed is a POST that named an Idempotency-Key.
type Keyed struct {
	Person   int64
	Route    string
	Key      string
	BodyHash [sha256.Size]byte
	// Secret answers are never stored.
	Secret bool
}

type keyedContext struct{}

// WithKey lets the next step of this context be done once for a key.
func WithKey(ctx context.Context, k *Keyed) context.Context {
	return context.WithValue(ctx, keyedContext{}, k)
}

// Once runs fn in a transaction; with a key, an earlier answer is given instead.
func Once[T any](ctx context.Context, d *Desk, fn func(*db.Tx) (T, error)) (T, error) {
	var out T
	k, _ := ctx.Value(keyedContext{}).(*Keyed)
	err := d.store.Do(ctx, func(tx *db.Tx) error {
		if k != nil {
			before, busy, err := tx.ClaimKey(ctx, k.Person, k.Route, k.Key, k.BodyHash[:], d.Now())
			switch {
			case err != nil:
				return err
			case busy:
				return ErrKeyBusy
			case before != nil && string(before.BodyHash) != string(k.BodyHash[:]):
				return ErrKeyReused
			case before != nil && before.Answer == nil:
				return ErrNotAnswered
			case before != nil:
				return json.Unmarshal([]byte(*before.Answer), &out)
			}
		}
		var err error
		if out, err = fn(tx); err != nil {
			return err
		}
		if k != nil && !k.Secret {
			answer, err := json.Marshal(out)
			if err != nil {
				return err
			}
			if err := tx.KeepAnswer(ctx, k.Person, k.Route, k.Key, string(answer)); err != nil {
				return err
			}
		}
		failpoint.Hit("step.before-commit")
		return nil
	})
	if err == nil {
		failpoint.Hit("step.committed")
	}
	return out, err
}

// ErrOnlyLooked takes a transaction back that was only to see what would happen.
var ErrOnlyLooked = errors.New("only looked at")

// OnlyLook does something in a transaction and takes it back: it is for what would be wrong.
func (d *Desk) OnlyLook(ctx context.Context, fn func(*db.Tx) error) error {
	err := d.store.Do(ctx, func(tx *db.Tx) error {
		if err := fn(tx); err != nil {
			return err
		}
		return ErrOnlyLooked
	})
	if errors.Is(err, ErrOnlyLooked) {
		return nil
	}
	return err
}

// Ref names a case in answers that are kept.
type Ref struct {
	ID     int64
	Number int64
	Entry  int
	// Warning is what may be wrong with what was written.
	Warning string
}

// Told is the channel of notifications that a case has changed: "C-1042 17".
const Told = "roundhouse_case"

// PersonTold is the channel of notifications that somebody is told of something: the person's id.
const PersonTold = "roundhouse_person"

// AccessTold is the channel of notifications that a person's sessions or tokens may have
// ended: the person's id.
const AccessTold = "roundhouse_access"
