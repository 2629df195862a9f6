package files

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Serving is a file that is one of those that the vendor wants, and whether it has left.
type Serving struct {
	Serves string `db:"serves"`
	Number int    `db:"number"`
	Sent   bool   `db:"sent"`
}

// ServingOf are those of a case, in order.
func ServingOf(ctx context.Context, q db.Querier, caseID int64) (out []Serving, err error) {
	return out, q.SelectContext(ctx, &out, `select f.serves, f.number, exists (select 1 from delivery_file x
		join delivery d on d.id = x.delivery_id where d.state = 'arrived' and (x.file_id = f.id or x.file_id in
		(select m.id from file m where m.made_from = f.id))) as sent
		from file f where f.case_id = $1 and f.serves <> '' and f.number is not null order by f.number`, caseID)
}

// Waiver says that the vendor does not get a file that it wants.
type Waiver struct {
	CaseID int64     `db:"case_id"`
	Name   string    `db:"name"`
	Reason string    `db:"reason"`
	Person int64     `db:"person_id"`
	MadeAt time.Time `db:"made_at"`
	By     string    `db:"by_name"`
}

// Waivers are those of a case.
func Waivers(ctx context.Context, q db.Querier, caseID int64) (out []Waiver, err error) {
	return out, q.SelectContext(ctx, &out, `select w.*, p.name as by_name from file_waiver w
		join person p on p.id = w.person_id where w.case_id = $1`, caseID)
}

// Waive writes one, in place of an earlier one.
func Waive(ctx context.Context, t *db.Tx, w Waiver) error {
	_, err := t.ExecContext(ctx, `insert into file_waiver (case_id, name, reason, person_id, made_at)
		values ($1, $2, $3, $4, $5) on conflict (case_id, name)
		do update set reason = excluded.reason, person_id = excluded.person_id, made_at = excluded.made_at`,
		w.CaseID, w.Name, w.Reason, w.Person, w.MadeAt)
	return err
}

// Unwaive takes one back; false where there was none.
func Unwaive(ctx context.Context, t *db.Tx, caseID int64, name string) (bool, error) {
	return db.Affected(t.ExecContext(ctx, "delete from file_waiver where case_id = $1 and name = $2", caseID, name))
}
