package hours

import (
	"context"
	"time"

	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/store/db"
)

// Terms are one version of what a contract promises, or, without a contract,
// of what we owe ourselves. They never change.
type Terms struct {
	ID         int64     `db:"id"`
	ContractID *int64    `db:"contract_id"`
	Version    int       `db:"version"`
	OnChange   string    `db:"on_change"`
	WhileOurs  string    `db:"while_ours"`
	MadeAt     time.Time `db:"made_at"`
}

// Term is one promise of some terms.
type Term struct {
	TermsID    int64  `db:"terms_id"`
	Deadline   string `db:"deadline"`
	Rank       int    `db:"rank"`
	Target     string `db:"target"`
	CalendarID *int64 `db:"calendar_id"` // none only where the target is none
	// Kind, Channel and Country narrow the promise; empty ones do not.
	Kind    string     `db:"kind"`
	Channel route.Kind `db:"channel"`
	Country string     `db:"country"`
}

// DeskPolicy is our own desk's part of its terms: its zone and hours, and how
// long a case may be quiet, by severity.
type DeskPolicy struct {
	TermsID    int64  `db:"terms_id"`
	DeskName   string `db:"desk_name"`
	CalendarID int64  `db:"calendar_id"`
	Quiet1     string `db:"quiet_1"`
	Quiet2     string `db:"quiet_2"`
	Quiet3     string `db:"quiet_3"`
	Quiet4     string `db:"quiet_4"`
	// QuietCalm is how long wishes, requests for capacity and long work may be quiet; empty: as their severity says.
	QuietCalm string `db:"quiet_calm"`
	// React1 to React4 are how long nobody may react before the leads are told, by severity.
	React1 string `db:"react_1"`
	React2 string `db:"react_2"`
	React3 string `db:"react_3"`
	React4 string `db:"react_4"`
	// EmailLink is the link by which our own people get email; empty: none do.
	EmailLink string `db:"email_link"`
}

// CurrentTermsOf are the newest versions for some contracts.
func CurrentTermsOf(ctx context.Context, q db.Querier, contracts []int64) (out []Terms, err error) {
	return out, q.SelectContext(ctx, &out,
		"select distinct on (contract_id) * from terms where contract_id = any($1) order by contract_id, version desc",
		contracts)
}

// TermsRows are the promises of some terms.
func TermsRows(ctx context.Context, q db.Querier, terms []int64) (out []Term, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from term where terms_id = any($1) order by terms_id, deadline, rank, kind, channel, country", terms)
}

// CurrentTerms is the newest version for a contract; nil asks for our own desk's.
func CurrentTerms(ctx context.Context, q db.Querier, contract *int64) (t Terms, err error) {
	return t, db.One(q.GetContext(ctx, &t,
		"select * from terms where contract_id is not distinct from $1 order by version desc limit 1", contract))
}

// TermsAt is the version for a contract that was in force at an instant, or the first where none was yet; nil asks for
// our own desk's.
func TermsAt(ctx context.Context, q db.Querier, contract *int64, at time.Time) (t Terms, err error) {
	return t, db.One(q.GetContext(ctx, &t, `select * from terms where contract_id is not distinct from $1
		order by made_at <= $2 desc, case when made_at <= $2 then -version else version end limit 1`, contract, at))
}

// TermsByID gives terms and their promises.
func TermsByID(ctx context.Context, q db.Querier, id int64) (t Terms, rows []Term, err error) {
	if err = db.One(q.GetContext(ctx, &t, "select * from terms where id = $1", id)); err != nil {
		return
	}
	rows, err = TermsRows(ctx, q, []int64{id})
	return
}

// Policy is the desk's part of its terms.
func Policy(ctx context.Context, q db.Querier, terms int64) (p DeskPolicy, err error) {
	return p, db.One(q.GetContext(ctx, &p, "select * from desk_policy where terms_id = $1", terms))
}

// AddTerms writes a version with its promises.
func AddTerms(ctx context.Context, q db.Querier, t *Terms, rows []Term) error {
	if err := q.GetContext(ctx, &t.ID, `insert into terms (contract_id, version, on_change, while_ours, made_at)
		values ($1, $2, $3, $4, $5) returning id`, t.ContractID, t.Version, t.OnChange, t.WhileOurs, t.MadeAt); err != nil {
		return err
	}
	for _, r := range rows {
		if _, err := q.ExecContext(ctx,
			`insert into term (terms_id, deadline, rank, target, calendar_id, kind, channel, country)
				values ($1, $2, $3, $4, $5, $6, $7, $8)`,
			t.ID, r.Deadline, r.Rank, r.Target, r.CalendarID, r.Kind, r.Channel, r.Country); err != nil {
			return err
		}
	}
	return nil
}

// AddPolicy writes the desk's part of its terms.
func AddPolicy(ctx context.Context, q db.Querier, p DeskPolicy) error {
	_, err := q.ExecContext(ctx, `insert into desk_policy (terms_id, desk_name, calendar_id, quiet_1, quiet_2,
			quiet_3, quiet_4, quiet_calm, react_1, react_2, react_3, react_4, email_link)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)`, p.TermsID, p.DeskName, p.CalendarID, p.Quiet1,
		p.Quiet2, p.Quiet3, p.Quiet4, p.QuietCalm, p.React1, p.React2, p.React3, p.React4, p.EmailLink)
	return err
}
