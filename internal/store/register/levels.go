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
	Criteria   []Criterion
	Severities []int
}

// Criterion is a statement to confirm before a level can be filed.
type Criterion struct {
	ID       int64  `db:"id"`
	LevelID  int64  `db:"level_id"`
	Position int    `db:"position"`
	Text     string `db:"text"`
}

// Levels are a vendor's, with criteria and our severities, the most severe first.
func Levels(ctx context.Context, q db.Querier, vendor int64) ([]Level, error) {
	return LevelsOf(ctx, q, []int64{vendor})
}

// LevelsOf are those of some vendors, by vendor and then the most severe first.
func LevelsOf(ctx context.Context, q db.Querier, vendors []int64) ([]Level, error) {
	var out []Level
	if err := q.SelectContext(ctx, &out, `select id, vendor_id, rank, label, meaning, round_the_clock, channels
		from vendor_level
		where vendor_id = any($1) order by vendor_id, rank`, vendors); err != nil {
		return nil, err
	}
	var criteria []Criterion
	if err := q.SelectContext(ctx, &criteria, `select c.id, c.level_id, c.position, c.text from level_criterion c
		join vendor_level l on l.id = c.level_id
		where l.vendor_id = any($1) and not c.retired order by l.rank, c.position, c.id`, vendors); err != nil {
		return nil, err
	}
	var points []struct {
		Vendor   int64 `db:"vendor_id"`
		Severity int   `db:"severity"`
		Rank     int   `db:"rank"`
	}
	if err := q.SelectContext(ctx, &points,
		"select vendor_id, severity, rank from severity_level where vendor_id = any($1) order by severity",
		vendors); err != nil {
		return nil, err
	}
	byID, byRank := map[int64]*Level{}, map[[2]int64]*Level{}
	for i := range out {
		byID[out[i].ID], byRank[[2]int64{out[i].VendorID, int64(out[i].Rank)}] = &out[i], &out[i]
	}
	for _, c := range criteria {
		l := byID[c.LevelID]
		l.Criteria = append(l.Criteria, c)
	}
	for _, p := range points {
		l := byRank[[2]int64{p.Vendor, int64(p.Rank)}]
		l.Severities = append(l.Severities, p.Severity)
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
