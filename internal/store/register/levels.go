package register

import (
	"context"

	"roundhouse.example/internal/core/route"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Level is one of a vendor's own levels; rank 1 is the most severe.
type Level struct {
	ID            int64  `db:"id"`
	VendorID      int64  `db:"vendor_id"`
	Rank          int    `db:"rank"`
	Label         string `db:"label"`
	Meaning       string `db:"meaning"`
	RoundTheClock bool   `db:"round_the_clock"`
	// Channels are those by which it must come; none: any.
	Channels   db.JSON[[]route.Kind] `db:"channels"`
	Criteria   []Criterion           `db:"-"`
	Severities []int                 `db:"-"`
}

// Criterion is a statement to confirm before a level can be filed.
type Criterion struct {
	ID       int64  `db:"id" json:"id"`
	LevelID  int64  `db:"level_id" json:"level_id"`
	Position int    `db:"position" json:"position"`
	Text     string `db:"text" json:"text"`
}

// Levels are a vendor's, with criteria and our severities, the most severe first.
func Levels(ctx context.Context, q db.Querier, vendor int64) ([]Level, error) {
	return LevelsOf(ctx, q, []int64{vendor})
}

// LevelsOf are those of some vendors, by vendor and then the most severe first.
func LevelsOf(ctx context.Context, q db.Querier, vendors []int64) ([]Level, error) {
	var rows []struct {
		Level
		Criteria   db.JSON[[]Criterion] `db:"criteria"`
		Severities db.JSON[[]int]       `db:"severities"`
	}
	if err := q.SelectContext(ctx, &rows, `select id, vendor_id, rank, label, meaning, round_the_clock, channels,
		(select jsonb_agg(jsonb_build_object('id', c.id, 'level_id', c.level_id, 'position', c.position, 'text', c.text)
			order by c.position, c.id) from level_criterion c where c.level_id = l.id and not c.retired) as criteria,
		(select jsonb_agg(s.severity order by s.severity) from severity_level s
			where s.vendor_id = l.vendor_id and s.rank = l.rank) as severities
		from vendor_level l where vendor_id = any($1) order by vendor_id, rank`, vendors); err != nil {
		return nil, err
	}
	out := make([]Level, len(rows))
	for i, r := range rows {
		out[i] = r.Level
		out[i].Criteria, out[i].Severities = r.Criteria.V, r.Severities.V
	}
	return out, nil
}

// SetLevels makes a vendor's scheme what is given, in order of rank. Conditions
// that somebody confirmed are retired, not deleted.
func SetLevels(ctx context.Context, q db.Querier, vendor int64, levels []Level) error {
	if _, err := q.ExecContext(ctx, "delete from severity_level where vendor_id = $1", vendor); err != nil {
		return err
	}
	if _, err := q.ExecContext(ctx, `with gone as (select id from vendor_level where vendor_id = $1 and rank > $2),
		c as (delete from level_criterion where level_id in (select id from gone)) delete from vendor_level
		where id in (select id from gone)`, vendor, len(levels)); err != nil {
		return err
	}
	for i := range levels {
		l := &levels[i]
		if err := q.GetContext(ctx, &l.ID, `insert into vendor_level (vendor_id, rank, label, meaning, round_the_clock,
			channels) values ($1, $2, $3, $4, $5, cast($6 as jsonb))
			on conflict (vendor_id, rank) do update set label = excluded.label, meaning = excluded.meaning, round_the_clock
			= excluded.round_the_clock, channels = excluded.channels
			returning id`, vendor, i+1, l.Label, l.Meaning, l.RoundTheClock, l.Channels); err != nil {
			return err
		}
		texts := []string{}
		for j, c := range l.Criteria {
			texts = append(texts, c.Text)
			if _, err := q.ExecContext(ctx, `with known as (update level_criterion set position = $2, retired = false
				where level_id = $1 and text = $3 returning id)
				insert into level_criterion (level_id, position, text) select $1, $2, $3 where not exists (select
				from known)`, l.ID, j+1, c.Text); err != nil {
				return err
			}
		}
		if _, err := q.ExecContext(ctx,
			"update level_criterion set retired = true where level_id = $1 and text <> all(cast($2 as text[]))", l.ID,
			texts); err != nil {
			return err
		}
		for _, s := range l.Severities {
			if _, err := q.ExecContext(ctx, "insert into severity_level (vendor_id, severity, rank) values ($1, $2, $3)",
				vendor, s, i+1); err != nil {
				return err
			}
		}
	}
	return nil
}

// HeldAbove is how many live cases hold a level of a vendor's beyond a rank.
func HeldAbove(ctx context.Context, q db.Querier, vendor int64, rank int) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from support_case where vendor_id = $1 and level_rank > $2 and "+
		casesdb.LiveCases, vendor, rank)
}

// AddLevel writes a level with its criteria and the severities that point at it.
func AddLevel(ctx context.Context, q db.Querier, l *Level) error {
	if err := q.GetContext(ctx, &l.ID, `insert into vendor_level (vendor_id, rank, label, meaning, round_the_clock)
		values ($1, $2, $3, $4, $5) returning id`, l.VendorID, l.Rank, l.Label, l.Meaning, l.RoundTheClock); err != nil {
		return err
	}
	for i, c := range l.Criteria {
		if _, err := q.ExecContext(ctx, "insert into level_criterion (level_id, position, text) values ($1, $2, $3)", l.ID,
			i+1, c.Text); err != nil {
			return err
		}
	}
	for _, s := range l.Severities {
		if _, err := q.ExecContext(ctx, "insert into severity_level (vendor_id, severity, rank) values ($1, $2, $3)",
			l.VendorID, s, l.Rank); err != nil {
			return err
		}
	}
	return nil
}
