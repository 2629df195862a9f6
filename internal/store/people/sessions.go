package people

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// FindSession is a session's data, by its token's hash; there is false where there is none
// that goes on.
func FindSession(ctx context.Context, q db.Querier, token string) (data []byte, there bool, err error) {
	err = db.One(q.GetContext(ctx, &data, "select data from sessions where token = $1 and expiry > now() and not ended",
		token))
	if err == db.ErrNotFound {
		return nil, false, nil
	}
	return data, err == nil, err
}

// KeepSession writes a session, unless it was ended.
func KeepSession(ctx context.Context, q db.Querier, token string, data []byte, expiry time.Time) error {
	_, err := q.ExecContext(ctx, `insert into sessions (token, data, expiry) values ($1, $2, $3)
		on conflict (token) do update set data = excluded.data, expiry = excluded.expiry
		where not sessions.ended`, token, data, expiry)
	return err
}

// EndSession ends a session for good: its row stays until it would have ended by itself.
func EndSession(ctx context.Context, q db.Querier, token string) error {
	_, err := q.ExecContext(ctx, "update sessions set ended = true, data = '' where token = $1", token)
	return err
}

// ForgetSessions takes out those whose time is over.
func ForgetSessions(ctx context.Context, q db.Querier) error {
	_, err := q.ExecContext(ctx, "delete from sessions where expiry < now()")
	return err
}
