package agenda

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Invitation is somebody who is invited to what is to happen, and what they were told last.
type Invitation struct {
	ID      int64      `db:"id"`
	CaseID  int64      `db:"case_id"`
	Root    int        `db:"root"` // the first of the item's chain
	EntryID int64      `db:"entry_id"`
	Address string     `db:"address"`
	Said    string     `db:"said"` // empty for nothing yet
	EndedAt *time.Time `db:"ended_at"`
}

// Invite adds somebody, or asks that they are told again.
func Invite(ctx context.Context, t *db.Tx, i Invitation) error {
	_, err := t.ExecContext(ctx, `insert into calendar_invitation (case_id, root, entry_id, address)
		values ($1, $2, $3, $4) on conflict (case_id, root, address) do update set said = '', entry_id = $3,
		ended_at = null`, i.CaseID, i.Root, i.EntryID, i.Address)
	return err
}

// OpenInvitations are those of which something may still have to be told, of some cases after one, case by case.
func OpenInvitations(ctx context.Context, q db.Querier, after int64, limit int) (out []Invitation, err error) {
	return out, q.SelectContext(ctx, &out, `select * from calendar_invitation where ended_at is null and case_id in
		(select case_id from calendar_invitation where ended_at is null and case_id > $1 group by case_id order by case_id
			limit $2) order by case_id, root, id`, after, limit)
}

// Told keeps what somebody was told, if they had been told what was read; it says whether that was so.
func Told(ctx context.Context, t *db.Tx, i Invitation, said string, ended *time.Time) (bool, error) {
	return db.Affected(t.ExecContext(ctx, `update calendar_invitation set said = $3, ended_at = $4 where id = $1
		and said = $2 and ended_at is null`, i.ID, i.Said, said, ended))
}
