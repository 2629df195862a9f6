package cases

import (
	"context"
	"crypto/sha256"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/store/db"
)

// Effect is what an entry does to the clocks and the state: an event of
// docs/rules.md, section 7, with the terms that a filing or reopening puts in force.
type Effect struct {
	Event     deadline.EventKind `json:"event"`
	Severity  int                `json:"severity,omitempty"`
	Level     int                `json:"level,omitempty"`
	To        int                `json:"to,omitempty"`
	Move      deadline.Side      `json:"move,omitempty"`
	Automatic bool               `json:"automatic,omitempty"`
	Offers    deadline.Offer     `json:"offers,omitempty"`
	Of        *time.Time         `json:"of,omitempty"`
	Agreed    bool               `json:"agreed,omitempty"`
	// Until is when a parking ends by itself.
	Until   *time.Time `json:"until,omitempty"`
	TermsID int64      `json:"terms_id,omitempty"`
	// Kind, Channel and Country are what the terms were narrowed by.
	Kind     string     `json:"kind,omitempty"`
	Channel  route.Kind `json:"channel,omitempty"`
	Country  string     `json:"country,omitempty"`
	PolicyID int64      `json:"policy_id,omitempty"`
	// ClosesDays is after how many days of our silence the vendor closes the case, with a filing or reopening.
	ClosesDays int `json:"closes_days,omitempty"`
	// Told says that the vendor was told of it, which makes it a message of ours.
	Told bool `json:"told,omitempty"`
	// Chases says that it asked the vendor for what it owes.
	Chases bool `json:"chases,omitempty"`
	// Item is the dated item that it is about; nil for none. Without an event it adds details to a live one.
	Item *Item `json:"item,omitempty"`
	// Sets is what else of the case it sets; nil for nothing.
	Sets *Sets `json:"sets,omitempty"`
}

// Briefed is who was told where a case stands: by email, or another way.
type Briefed struct {
	To     []string `json:"to"`
	Copied bool     `json:"copied,omitempty"`
}

// Sets is what an entry sets on its case beside state and clocks. What is missing stays as it is.
type Sets struct {
	Owner *int64 `json:"owner,omitempty"` // a person's id; 0 for nobody
	// VendorClosedAt is when the vendor closed its side; VendorOpen takes that back.
	VendorClosedAt *time.Time `json:"vendor_closed_at,omitempty"`
	VendorOpen     bool       `json:"vendor_open,omitempty"`
	// VendorLevel is the level that the vendor set without our agreeing; empty once that is over.
	VendorLevel *string `json:"vendor_level,omitempty"`
	// VendorStatus is the vendor's status word, said at VendorStatusAt, or when the entry happened.
	VendorStatus   *string    `json:"vendor_status,omitempty"`
	VendorStatusAt *time.Time `json:"vendor_status_at,omitempty"`
	VendorContact  *string    `json:"vendor_contact,omitempty"`
	// On is on whom exactly the case waits, until the move turns.
	On *casework.On `json:"on,omitempty"`
	// Summary is where the case stands, in the words of a person; By names them.
	Summary   *string `json:"summary,omitempty"`
	SummaryBy string  `json:"summary_by,omitempty"`
	Cause     *string `json:"cause,omitempty"`
	Outcome   *string `json:"outcome,omitempty"`
	// Title and Ticket are set from the filing on; before it they are the draft's own.
	Title     *string `json:"title,omitempty"`
	Ticket    *string `json:"ticket,omitempty"`    // our own ticket's number; empty for none
	Reference *string `json:"reference,omitempty"` // the vendor's number
	// Origin is who opened it, and OriginBy names them.
	Origin   *string `json:"origin,omitempty"`
	OriginBy *string `json:"origin_by,omitempty"`
	// Briefed is whom a briefing was for.
	Briefed *Briefed `json:"briefed,omitempty"`
	// ReopenRefused says that the vendor refused to reopen the case.
	ReopenRefused bool `json:"reopen_refused,omitempty"`
	// NoReference says that the vendor gives none, so that the case is open without one.
	NoReference bool `json:"no_reference,omitempty"`
	// Numbers are all others that the case is known by, from here on.
	Numbers *[]casework.Reference `json:"numbers,omitempty"`
	// InsteadOf is the case, by id, in whose place this one is filed, and RefiledAs the one in place of this.
	InsteadOf *int64 `json:"instead_of,omitempty"`
	RefiledAs *int64 `json:"refiled_as,omitempty"`
	// MakerStatus is the status word of the maker behind a reseller, said when the entry happened.
	MakerStatus *string `json:"maker_status,omitempty"`
	// Texts and Answers are what was completed or corrected after the filing, by the names of the API's fields; an empty
	// one was cleared. The vendor has been told of what was set up to the entry Told.
	Texts   map[string]string `json:"texts,omitempty"`
	Answers map[string]string `json:"answers,omitempty"`
	Told    int               `json:"told,omitempty"`
	// Consent is one that was given or withdrawn.
	Consent *casework.Consent `json:"consent,omitempty"`
	// ParkedUntil is of cases that were parked before their record said until when.
	ParkedUntil *time.Time `json:"parked_until,omitempty"`
}

// Words are the texts in it that people wrote.
func (s *Sets) Words() (out []*string) {
	for _, p := range []*string{s.Cause, s.Outcome, s.Title, s.Summary} {
		if p != nil {
			out = append(out, p)
		}
	}
	if s.On != nil {
		out = append(out, &s.On.Name)
	}
	if s.Consent != nil {
		out = append(out, &s.Consent.For, &s.Consent.By, &s.Consent.Why)
	}
	return out
}

// Entry is one line of a case's record with its body.
type Entry struct {
	ID         int64              `db:"id"`
	CaseID     int64              `db:"case_id"`
	Number     int                `db:"number"`
	Kind       casework.EntryKind `db:"kind"`
	Direction  *string            `db:"direction"`
	AuthorID   *int64             `db:"author_id"`
	AuthorName string             `db:"author_name"`
	Channel    route.Kind         `db:"channel"`
	StatedAt   *time.Time         `db:"stated_at"`
	HappenedAt time.Time          `db:"happened_at"`
	RecordedAt time.Time          `db:"recorded_at"`
	Automatic  bool               `db:"automatic"`
	Effect     db.JSON[*Effect]   `db:"effect"`
	RefersTo   *int               `db:"refers_to"`
	Supersedes *int               `db:"supersedes"`
	BodyHash   []byte             `db:"body_hash"`
	Body       string             `db:"body"`
}

// Set is what the entry sets, to be filled in.
func (e *Entry) Set() *Sets {
	if e.Effect.V == nil {
		e.Effect.V = &Effect{}
	}
	if e.Effect.V.Sets == nil {
		e.Effect.V.Sets = &Sets{}
	}
	return e.Effect.V.Sets
}

// AddEntry writes a line of the record, numbered after the last.
func AddEntry(ctx context.Context, t *db.Tx, c *Case, e *Entry) error {
	c.LastEntry++
	e.CaseID, e.Number = c.ID, c.LastEntry
	sum := sha256.Sum256([]byte(e.Body))
	e.BodyHash = sum[:]
	var effect *string
	if e.Effect.V != nil {
		s, err := e.Effect.Text()
		if err != nil {
			return err
		}
		effect = &s
	}
	return t.GetContext(ctx, &e.ID, `with e as (insert into case_entry
		(case_id, number, kind, direction, author_id, author_name, channel, stated_at, happened_at, recorded_at,
		automatic, effect, refers_to, supersedes, body_hash)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, cast($12 as jsonb), $13, $14, $15) returning id),
		b as (insert into entry_body (entry_id, body) select id, $16 from e)
		select id from e`,
		e.CaseID, e.Number, e.Kind, e.Direction, e.AuthorID, e.AuthorName, e.Channel, e.StatedAt, e.HappenedAt, e.RecordedAt,
		e.Automatic, effect, e.RefersTo, e.Supersedes, e.BodyHash, e.Body)
}

const entryColumns = "e.id, e.case_id, e.number, e.kind, e.direction, e.author_id, e.author_name, e.channel, " +
	"e.stated_at, e.happened_at, e.recorded_at, e.automatic, e.effect, e.refers_to, e.supersedes, e.body_hash, b.body"

// CountEntries is how many lines a case's record has.
func CountEntries(ctx context.Context, q db.Querier, caseID int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from case_entry where case_id = $1", caseID)
}

// Entries are those of a case after a number, in order of number, but for hidden kinds; until an instant, where one is
// given, by what had happened, or with known by what was recorded.
func Entries(ctx context.Context, q db.Querier, caseID int64, after, limit int, hidden []string, until *time.Time,
	known bool) (out []Entry, err error) {
	return out, q.SelectContext(ctx, &out, "select "+entryColumns+
		` from case_entry e join entry_body b on b.entry_id = e.id
		where e.case_id = $1 and e.number > $2::bigint and e.kind <> all($4)
		and ($5::timestamptz is null or e.happened_at <= $5 and (not $6 or e.recorded_at <= $5))
		order by e.number limit $3`, caseID, after, limit, hidden, until, known)
}

// EntryByNumber is ErrNotFound where the case has no such entry.
func EntryByNumber(ctx context.Context, q db.Querier, caseID int64, number int) (e Entry, err error) {
	return e, db.One(q.GetContext(ctx, &e, "select "+entryColumns+
		` from case_entry e join entry_body b on b.entry_id = e.id
		where e.case_id = $1 and e.number = $2`, caseID, number))
}

// SaidAt is when an entry of a case was said: the vendor's word, or a message or step of ours that has left, by the
// number of its message. ErrNotFound where it is none.
func SaidAt(ctx context.Context, q db.Querier, caseID int64, number int, theirs bool) (at time.Time, err error) {
	events, by := []string{string(deadline.VendorMessage), string(deadline.Offered)}, "number"
	if !theirs {
		events, by = []string{string(deadline.OurMessage)}, "refers_to"
	}
	return at, db.One(q.GetContext(ctx, &at, "select happened_at from case_entry where case_id = $1 and "+by+` = $2
		and (effect->>'event' = any($3) or not $4 and cast(coalesce(effect->>'told', 'false') as boolean))
		and not cast(coalesce(effect->>'automatic', 'false') as boolean) order by number limit 1`,
		caseID, number, events, theirs))
}

// EffectRow is one event of a case's history.
type EffectRow struct {
	Number     int              `db:"number"`
	HappenedAt time.Time        `db:"happened_at"`
	Effect     db.JSON[*Effect] `db:"effect"`
}

// History is what a case's clocks are replayed from: the effects that no later
// entry supersedes, in order.
func History(ctx context.Context, q db.Querier, caseID int64) (out []EffectRow, err error) {
	return out, q.SelectContext(ctx, &out, `select number, happened_at, effect from case_entry e
		where case_id = $1 and effect is not null and not exists
		(select 1 from case_entry s where s.case_id = $1 and s.supersedes = e.number)
		order by happened_at, number`, caseID)
}

// Histories are those of several cases, by case.
func Histories(ctx context.Context, q db.Querier, cases []int64) (map[int64][]EffectRow, error) {
	return byCase(ctx, q, `select case_id, number, happened_at, effect from case_entry e
		where case_id = any($1) and effect is not null and not exists
		(select 1 from case_entry s where s.case_id = e.case_id and s.supersedes = e.number)
		order by case_id, happened_at, number`, cases)
}

// byCase are the rows of some cases that a query finds, by case.
func byCase(ctx context.Context, q db.Querier, query string, args ...any) (map[int64][]EffectRow, error) {
	var rows []struct {
		CaseID int64 `db:"case_id"`
		EffectRow
	}
	err := q.SelectContext(ctx, &rows, query, args...)
	out := make(map[int64][]EffectRow)
	for _, r := range rows {
		out[r.CaseID] = append(out[r.CaseID], r.EffectRow)
	}
	return out, err
}

// UnreadBeyond counts the vendor's messages after an entry, and when the first came.
func UnreadBeyond(ctx context.Context, q db.Querier, caseID int64, entry int) (n int, since *time.Time, err error) {
	var row struct {
		N     int        `db:"n"`
		Since *time.Time `db:"since"`
	}
	err = q.GetContext(ctx, &row, `select count(*) as n, min(happened_at) as since from case_entry
		where case_id = $1 and number > $2::bigint and kind = 'message' and direction = 'in'
		and not automatic`, caseID, entry)
	return row.N, row.Since, err
}

// MarkRead says that the vendor's messages are read up to an entry; changed is false where
// nothing was unread.
func MarkRead(ctx context.Context, t *db.Tx, caseID int64, entry int) (changed bool, err error) {
	return db.Affected(t.ExecContext(ctx, `update support_case c
		set read_entry = $2, unread = u.n, unread_since = u.since from
		(select count(*) as n, min(happened_at) as since from case_entry
			where case_id = $1 and number > $2 and kind = 'message' and direction = 'in' and not automatic) u
		where c.id = $1 and c.read_entry < $2 and c.unread <> u.n`, caseID, entry))
}

// HistoriesAt are the histories of some cases up to an instant, by what happened until then; known leaves out what was
// recorded later, and takes what was corrected later as it was.
func HistoriesAt(ctx context.Context, q db.Querier, cases []int64, at time.Time, known bool) (map[int64][]EffectRow,
	error) {
	return byCase(ctx, q, `select case_id, number, happened_at, effect from case_entry e
		where case_id = any($1) and effect is not null and happened_at <= $2 and (not $3 or recorded_at <= $2)
		and not exists (select 1 from case_entry s where s.case_id = e.case_id and s.supersedes = e.number
			and (not $3 or s.recorded_at <= $2))
		order by case_id, happened_at, number`, cases, at, known)
}

// OpenedBy are the ids of the cases that were opened until an instant: with ended all of them, else those that may have
// been live, or have had something going on.
func OpenedBy(ctx context.Context, q db.Querier, at time.Time, only []int64, ended bool) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, `select id from support_case where opened_at <= $1
		and (cast($2 as bigint[]) is null or vendor_id = any($2))
		and ($3 or `+LiveCases+` or derived_at >= $1 or reopenings > 0 or ended_at is null or ended_at >= $1
			or exists (select from dated_item i where i.case_id = support_case.id and i.outcome = 'live')) order by id`, at,
		only, ended)
}

// ByIDs are some cases, by id.
func ByIDs(ctx context.Context, q db.Querier, ids []int64) (out []Case, err error) {
	return out, q.SelectContext(ctx, &out, "select * from support_case where id = any($1) order by id", ids)
}

// BareByIDs are cases without what follows from their record, and without what people wrote of them but the title: most
// of a row is that, and a replay needs none of it.
func BareByIDs(ctx context.Context, q db.Querier, ids []int64) (out []Case, err error) {
	return out, q.SelectContext(ctx, &out, `select id, number, vendor_id, contract_id, asset_id, account_id, outage_id,
		maker_id, go_on_because, unsorted, title, kind, severity_chosen, severity_because, severity, opened_by, opened_at,
		changed_at, derived_at, version from support_case where id = any($1) order by id`, ids)
}
