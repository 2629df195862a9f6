package cases

import (
	"context"
	"slices"
	"time"

	"roundhouse.example/internal/store/db"
)

// Deadline is a row of the cache.
type Deadline struct {
	CaseID         int64      `db:"case_id"`
	Opened         int        `db:"opened"`
	Kind           string     `db:"kind"`
	Rank           int        `db:"rank"`
	Target         string     `db:"target"`
	TargetSeconds  int64      `db:"target_seconds"`
	CalendarID     int64      `db:"calendar_id"`
	StartedAt      time.Time  `db:"started_at"`
	DueAt          *time.Time `db:"due_at"`
	SoonAt         *time.Time `db:"soon_at"`
	EndedAt        *time.Time `db:"ended_at"`
	Outcome        string     `db:"outcome"`
	Counting       bool       `db:"counting"`
	CountedSeconds int64      `db:"counted_seconds"`
	CountedAt      time.Time  `db:"counted_at"`
	StartEntry     int        `db:"start_entry"`
	EndEntry       int        `db:"end_entry"`
	Rules          int        `db:"rules"`
}

// ReplaceDeadlines rewrites a case's cache.
func ReplaceDeadlines(ctx context.Context, t *db.Tx, caseID int64, rows []Deadline) error {
	return ReplaceDeadlinesOf(ctx, t, []int64{caseID}, rows)
}

// most is how many rows a statement takes: its parameters are counted in 16 bits.
const most = 2000

// ReplaceDeadlinesOf rewrites the caches of several cases.
func ReplaceDeadlinesOf(ctx context.Context, t *db.Tx, cases []int64, rows []Deadline) error {
	if _, err := t.ExecContext(ctx, "delete from deadline where case_id = any($1)", cases); err != nil {
		return err
	}
	for part := range slices.Chunk(rows, most) {
		if err := insertDeadlines(ctx, t, part); err != nil {
			return err
		}
	}
	return nil
}

func insertDeadlines(ctx context.Context, t *db.Tx, rows []Deadline) error {
	_, err := t.NamedExecContext(ctx, `insert into deadline (case_id, opened, kind, rank, target, target_seconds,
		calendar_id, started_at, due_at,
		soon_at, ended_at, outcome, counting, counted_seconds, counted_at, start_entry, end_entry, rules)
		values (:case_id, :opened, :kind, :rank, :target,
		:target_seconds, :calendar_id, :started_at, :due_at, :soon_at, :ended_at, :outcome, :counting, :counted_seconds,
		:counted_at, :start_entry, :end_entry, :rules)`, rows)
	return err
}

// Deadlines are the cached clocks of one case, as they were opened.
func Deadlines(ctx context.Context, q db.Querier, caseID int64) (out []Deadline, err error) {
	return out, q.SelectContext(ctx, &out, "select * from deadline where case_id = $1 order by opened", caseID)
}

// LiveDeadlines are the cached live clocks of some cases.
func LiveDeadlines(ctx context.Context, q db.Querier, cases []int64) (out []Deadline, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from deadline where case_id = any($1) and outcome = 'live' order by case_id, opened", cases)
}
