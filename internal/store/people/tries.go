package people

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// SignInTries counts the tries that an address has made since an instant, and those of them for one person.
func SignInTries(ctx context.Context, q db.Querier, address, person string, since time.Time) (all, his int, err error) {
	var n struct {
		All int `db:"all"`
		His int `db:"his"`
	}
	err = q.GetContext(ctx, &n,
		`select count(*) as "all", count(*) filter (where person = $2) as his from sign_in_try
			where address = $1 and at > $3`, address, person, since)
	return n.All, n.His, err
}

// AddSignInTry keeps a try.
func AddSignInTry(ctx context.Context, q db.Querier, address, person string, at time.Time) error {
	_, err := q.ExecContext(ctx, "insert into sign_in_try (address, person, at) values ($1, $2, $3)", address, person, at)
	return err
}

// ForgiveSignIn forgets what an address tried for one person, who has shown to be that one.
func ForgiveSignIn(ctx context.Context, q db.Querier, address, person string) error {
	_, err := q.ExecContext(ctx, "delete from sign_in_try where address = $1 and person = $2", address, person)
	return err
}

// ForgetSignIns takes out tries from before an instant.
func ForgetSignIns(ctx context.Context, q db.Querier, before time.Time) error {
	_, err := q.ExecContext(ctx, "delete from sign_in_try where at < $1", before)
	return err
}
