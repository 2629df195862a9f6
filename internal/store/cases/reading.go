package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Reading is how far a person has read the record of a case.
type Reading struct {
	CaseID int64     `db:"case_id"`
	Entry  int       `db:"entry"`
	At     time.Time `db:"read_at"`
}

// Contact is who had a case at the vendor from an instant on.
type Contact struct {
	Name string    `db:"name"`
	At   time.Time `db:"at"`
}

// Contacts are all that a case has had at its vendor, the latest first.
func Contacts(ctx context.Context, q db.Querier, caseID int64) (out []Contact, err error) {
	return out, q.SelectContext(ctx, &out, `select name, at from (
			select effect->'sets'->>'vendor_contact' as name, happened_at as at, number,
				lag(effect->'sets'->>'vendor_contact') over (order by happened_at, number) as former
			from case_entry where case_id = $1 and effect->'sets' ? 'vendor_contact') x
		where name is distinct from former and name <> '' order by at desc, number desc limit 100`, caseID)
}

// ContactBefore is who had a case at the vendor before an entry; empty where nobody is known to have had it.
func ContactBefore(ctx context.Context, q db.Querier, caseID int64, entry int) (name string, err error) {
	err = db.One(q.GetContext(ctx, &name, `select effect->'sets'->>'vendor_contact' from case_entry
		where case_id = $1 and number < $2 and effect->'sets' ? 'vendor_contact' order by number desc
			limit 1`, caseID, entry))
	if err == db.ErrNotFound {
		err = nil
	}
	return name, err
}

// ReadUpTo notes that a person has read the record of a case up to an entry; what was read stays read.
func ReadUpTo(ctx context.Context, q db.Querier, person, caseID int64, entry int, at time.Time) error {
	_, err := q.ExecContext(ctx, `insert into case_reading (person_id, case_id, entry, read_at) values ($1, $2, $3, $4)
		on conflict (person_id, case_id) do update set entry = greatest(case_reading.entry, excluded.entry),
			read_at = excluded.read_at`, person, caseID, entry, at)
	return err
}

// ReadBy is how far a person has read a case; the zero value where they have not looked at it.
func ReadBy(ctx context.Context, q db.Querier, person, caseID int64) (r Reading, err error) {
	err = db.One(q.GetContext(ctx, &r, `select case_id, entry, read_at from case_reading
		where person_id = $1 and case_id = $2`, person, caseID))
	if err == db.ErrNotFound {
		err = nil
	}
	return r, err
}

// NewTo counts what others have written on some cases since a person read them, without entries of hidden kinds. Cases
// with nothing new are left out.
func NewTo(ctx context.Context, q db.Querier, person int64, cases []int64, hidden []string) (map[int64]int, error) {
	var rows []struct {
		CaseID int64 `db:"case_id"`
		N      int   `db:"n"`
	}
	err := q.SelectContext(ctx, &rows, `select e.case_id, count(*) as n from case_entry e
		left join case_reading r on r.person_id = $1 and r.case_id = e.case_id
		where e.case_id = any($2) and e.number > coalesce(r.entry, 0) and e.author_id is distinct from $1
		and e.kind <> all($3) group by e.case_id`, person, cases, hidden)
	out := make(map[int64]int, len(rows))
	for _, r := range rows {
		out[r.CaseID] = r.N
	}
	return out, err
}

// HasRead says whether a person has ever read a case.
func HasRead(ctx context.Context, q db.Querier, person int64) (has bool, err error) {
	return has, q.GetContext(ctx, &has, "select exists (select 1 from case_reading where person_id = $1)", person)
}
