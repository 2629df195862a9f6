package people

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
)

// Sessions are those of browsers. One that was ended stays ended, whatever a request that
// began before writes back.
type Sessions struct{ db *db.Store }

// Sessions keeps the sessions of browsers in the desk's database.
func (d *People) Sessions() Sessions { return Sessions{d.db} }

// FindCtx is a session's data, by its token's hash; false where there is none that goes on.
func (s Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	return peopledb.FindSession(ctx, s.db.DB, token)
}

// CommitCtx writes a session, unless it was ended.
func (s Sessions) CommitCtx(ctx context.Context, token string, b []byte, expiry time.Time) error {
	return peopledb.KeepSession(ctx, s.db.DB, token, b, expiry)
}

// DeleteCtx ends a session for good.
func (s Sessions) DeleteCtx(ctx context.Context, token string) error {
	return peopledb.EndSession(ctx, s.db.DB, token)
}

// Find, Commit and Delete are what a manager of sessions asks for where there is no context.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}

// Commit writes a session.
func (s Sessions) Commit(token string, b []byte, expiry time.Time) error {
	return s.CommitCtx(context.Background(), token, b, expiry)
}

// Delete ends a session.
func (s Sessions) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }
