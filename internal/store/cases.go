package store

import (
	"context"
	"crypto/sha256"
	"fmt"
	"regexp"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

// Facts are what a case is graded from, as given; rules.md section 2.
type Facts struct {
	Environment string     `json:"environment,omitempty"`
	Effect      string     `json:"effect,omitempty"`
	Reach       string     `json:"reach,omitempty"`
	Workaround  string     `json:"workaround,omitempty"`
	Exposure    bool       `json:"exposure,omitempty"`
	NeededBy    *time.Time `json:"needed_by,omitempty"`
}

// Texts are what the vendor is told when the case is filed.
type Texts struct {
	Happened      string `json:"happened,omitempty"`
	Expected      string `json:"expected,omitempty"`
	Steps         string `json:"steps,omitempty"`
	Since         string `json:"since,omitempty"`
	Tried         string `json:"tried,omitempty"`
	OnWhat        string `json:"on_what,omitempty"`
	Contact       string `json:"contact,omitempty"`
	ContactAlways string `json:"contact_always,omitempty"`
}

// Case is a row of support_case; the lower half caches the record.
type Case struct {
	ID         int64       `db:"id"`
	Number     int64       `db:"number"`
	VendorID   int64       `db:"vendor_id"`
	ContractID *int64      `db:"contract_id"`
	Title      string      `db:"title"`
	Kind       string      `db:"kind"`
	Facts      JSON[Facts] `db:"facts"`
	Texts      JSON[Texts] `db:"texts"`
	// Answers are to the vendor's intake form, by the fields' short names.
	Answers           JSON[map[string]string] `db:"answers"`
	SeverityChosen    *int                    `db:"severity_chosen"`
	SeverityBecause   string                  `db:"severity_because"`
	OwnerID           *int64                  `db:"owner_id"`
	OpenedBy          int64                   `db:"opened_by"`
	OpenedAt          time.Time               `db:"opened_at"`
	AssetID           *int64                  `db:"asset_id"`
	AccountID         *int64                  `db:"account_id"`
	TermsID           *int64                  `db:"terms_id"`
	PolicyID          *int64                  `db:"policy_id"`
	VendorWord        string                  `db:"vendor_word"`
	VendorWordAt      *time.Time              `db:"vendor_word_at"`
	VendorLevel       string                  `db:"vendor_level"`
	VendorClosedAt    *time.Time              `db:"vendor_closed_at"`
	Holder            string                  `db:"holder"`
	ParkedUntil       *time.Time              `db:"parked_until"`
	Cause             string                  `db:"cause"`
	Outcome           string                  `db:"outcome"`
	State             string                  `db:"state"`
	Severity          *int                    `db:"severity"`
	LevelRank         *int                    `db:"level_rank"`
	Move              *string                 `db:"move"`
	MoveSince         *time.Time              `db:"move_since"`
	Parked            bool                    `db:"parked"`
	ParkedAgreed      bool                    `db:"parked_agreed"`
	WorkaroundOffered bool                    `db:"workaround_offered"`
	FiledAt           *time.Time              `db:"filed_at"`
	LastVendorAt      *time.Time              `db:"last_vendor_at"`
	LastWordAt        *time.Time              `db:"last_word_at"`
	LastEntry         int                     `db:"last_entry"`
	ReadEntry         int                     `db:"read_entry"`
	Unread            int                     `db:"unread"`
	UnreadSince       *time.Time              `db:"unread_since"`
	ChangedAt         time.Time               `db:"changed_at"`
	Version           int64                   `db:"version"`
	NextAt            *time.Time              `db:"next_at"`
	WakeAt            *time.Time              `db:"wake_at"`
	// Touched is the transaction that wrote the row last.
	Touched uint64 `db:"touched"`
}

// Effect is what an entry does to the clocks and the state: an event of
// rules.md section 10, with the terms that a filing or reopening puts in force.
type Effect struct {
	Event     string     `json:"event"`
	Severity  int        `json:"severity,omitempty"`
	Level     int        `json:"level,omitempty"`
	To        int        `json:"to,omitempty"`
	Move      string     `json:"move,omitempty"`
	Automatic bool       `json:"automatic,omitempty"`
	Offers    string     `json:"offers,omitempty"`
	Of        *time.Time `json:"of,omitempty"`
	Agreed    bool       `json:"agreed,omitempty"`
	// Until is when a parking ends by itself.
	Until   *time.Time `json:"until,omitempty"`
	TermsID int64      `json:"terms_id,omitempty"`
	// Kind, Channel and Country are what the terms were narrowed by.
	Kind     string `json:"kind,omitempty"`
	Channel  string `json:"channel,omitempty"`
	Country  string `json:"country,omitempty"`
	PolicyID int64  `json:"policy_id,omitempty"`
}

// Entry is one line of a case's record with its body.
type Entry struct {
	ID         int64         `db:"id"`
	CaseID     int64         `db:"case_id"`
	Number     int           `db:"number"`
	Kind       string        `db:"kind"`
	Direction  *string       `db:"direction"`
	AuthorID   *int64        `db:"author_id"`
	AuthorName string        `db:"author_name"`
	Channel    string        `db:"channel"`
	StatedAt   *time.Time    `db:"stated_at"`
	HappenedAt time.Time     `db:"happened_at"`
	RecordedAt time.Time     `db:"recorded_at"`
	Automatic  bool          `db:"automatic"`
	Effect     JSON[*Effect] `db:"effect"`
	RefersTo   *int          `db:"refers_to"`
	Supersedes *int          `db:"supersedes"`
	BodyHash   []byte        `db:"body_hash"`
	Body       string        `db:"body"`
}

// InsertCase gives the case its id and number.
func (t *Tx) InsertCase(ctx context.Context, c *Case) error {
	return t.QueryRowxContext(ctx, `insert into support_case
		(number, vendor_id, contract_id, title, kind, facts, texts, severity_chosen, severity_because, owner_id, opened_by, opened_at, state, severity, changed_at, asset_id, account_id, answers)
		values (nextval('case_number'), $1, $2, $3, $4, cast($5 as jsonb), cast($6 as jsonb), $7, $8, $9, $10, $11, 'draft', $12, $11, $13, $14, cast($15 as jsonb)) returning id, number`,
		c.VendorID, c.ContractID, c.Title, c.Kind, c.Facts, c.Texts, c.SeverityChosen, c.SeverityBecause, c.OwnerID, c.OpenedBy, c.OpenedAt, c.Severity, c.AssetID, c.AccountID, c.Answers).
		Scan(&c.ID, &c.Number)
}

// LockCase takes the row that every change of a case goes through.
func (t *Tx) LockCase(ctx context.Context, id int64) (c Case, err error) {
	return c, one(t.GetContext(ctx, &c, "select * from support_case where id = $1 for update", id))
}

// SaveCase writes everything of the row that can change.
func (t *Tx) SaveCase(ctx context.Context, c *Case) error {
	_, err := t.NamedExecContext(ctx, `update support_case set
		contract_id = :contract_id, asset_id = :asset_id, account_id = :account_id, title = :title, kind = :kind, facts = CAST(:facts AS jsonb), texts = CAST(:texts AS jsonb), answers = CAST(:answers AS jsonb), severity_chosen = :severity_chosen,
		severity_because = :severity_because, owner_id = :owner_id, terms_id = :terms_id, policy_id = :policy_id,
		vendor_word = :vendor_word, vendor_word_at = :vendor_word_at, vendor_level = :vendor_level,
		vendor_closed_at = :vendor_closed_at, holder = :holder, parked_until = :parked_until, cause = :cause, outcome = :outcome,
		state = :state, severity = :severity, level_rank = :level_rank, move = :move, move_since = :move_since, parked = :parked,
		parked_agreed = :parked_agreed, workaround_offered = :workaround_offered, filed_at = :filed_at,
		last_vendor_at = :last_vendor_at, last_word_at = :last_word_at, last_entry = :last_entry, read_entry = :read_entry,
		unread = :unread, unread_since = :unread_since, changed_at = :changed_at, version = :version, next_at = :next_at,
		wake_at = :wake_at where id = :id`, c)
	return err
}

// FindCase names a case by its number (C-1042 or 1042) or any reference.
func FindCase(ctx context.Context, q Querier, name string) (id int64, err error) {
	var number int64
	if n, ok := strings.CutPrefix(strings.ToUpper(strings.TrimSpace(name)), "C-"); ok || isDigits(name) {
		if len(n) > 18 || !isDigits(n) {
			n = "0"
		}
		fmt.Sscan(n, &number)
	}
	if number > 0 {
		err = one(q.GetContext(ctx, &id, "select id from support_case where number = $1", number))
		if err != ErrNotFound {
			return id, err
		}
	}
	return id, one(q.GetContext(ctx, &id, "select case_id from case_reference where folded = $1 order by id desc limit 1", Fold(name)))
}

func isDigits(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }

// Fold takes spaces, dashes, slashes and case out of a reference, so that it is
// found however it was copied.
func Fold(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(" -_/.#\t", r) {
			return -1
		}
		return r
	}, strings.ToLower(s))
}

// CaseByID is ErrNotFound where there is none.
func CaseByID(ctx context.Context, q Querier, id int64) (c Case, err error) {
	return c, one(q.GetContext(ctx, &c, "select * from support_case where id = $1", id))
}

// CaseByReference finds the case that a vendor knows by a number.
func CaseByReference(ctx context.Context, q Querier, vendor int64, value string) (id int64, err error) {
	return id, one(q.GetContext(ctx, &id, "select case_id from case_reference where vendor_id = $1 and whose = 'vendor' and value = $2", vendor, value))
}

// Reference is a number that somebody else gave a case.
type Reference struct {
	CaseID int64  `db:"case_id"`
	Whose  string `db:"whose"`
	Value  string `db:"value"`
}

// References are those of some cases.
func References(ctx context.Context, q Querier, cases []int64) (out []Reference, err error) {
	return out, q.SelectContext(ctx, &out, "select case_id, whose, value from case_reference where case_id = any($1) order by case_id, id", cases)
}

// SetReference makes a number the one that somebody has for the case, in place of
// another; an empty one takes it out.
func (t *Tx) SetReference(ctx context.Context, c *Case, whose, value string) error {
	if _, err := t.ExecContext(ctx, "delete from case_reference where case_id = $1 and whose = $2 and value <> $3", c.ID, whose, value); err != nil || value == "" {
		return err
	}
	_, err := t.ExecContext(ctx, `insert into case_reference (case_id, vendor_id, whose, value, folded) values ($1, $2, $3, $4, $5)
		on conflict (case_id, whose, value) do nothing`, c.ID, c.VendorID, whose, value, Fold(value))
	return err
}

// AddEntry writes a line of the record, numbered after the last.
func (t *Tx) AddEntry(ctx context.Context, c *Case, e *Entry) error {
	c.LastEntry++
	e.CaseID, e.Number = c.ID, c.LastEntry
	sum := sha256.Sum256([]byte(e.Body))
	e.BodyHash = sum[:]
	var effect *string
	if e.Effect.V != nil {
		s, err := e.Effect.value()
		if err != nil {
			return err
		}
		effect = &s
	}
	return t.GetContext(ctx, &e.ID, `with e as (insert into case_entry
		(case_id, number, kind, direction, author_id, author_name, channel, stated_at, happened_at, recorded_at, automatic, effect, refers_to, supersedes, body_hash)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, cast($12 as jsonb), $13, $14, $15) returning id),
		b as (insert into entry_body (entry_id, body) select id, $16 from e)
		select id from e`,
		e.CaseID, e.Number, e.Kind, e.Direction, e.AuthorID, e.AuthorName, e.Channel, e.StatedAt, e.HappenedAt, e.RecordedAt,
		e.Automatic, effect, e.RefersTo, e.Supersedes, e.BodyHash, e.Body)
}

const entryColumns = "e.id, e.case_id, e.number, e.kind, e.direction, e.author_id, e.author_name, e.channel, e.stated_at, e.happened_at, e.recorded_at, e.automatic, e.effect, e.refers_to, e.supersedes, e.body_hash, b.body"

// Entries are those of a case after a number, in order of number.
func Entries(ctx context.Context, q Querier, caseID int64, after, limit int) (out []Entry, err error) {
	return out, q.SelectContext(ctx, &out, "select "+entryColumns+` from case_entry e join entry_body b on b.entry_id = e.id
		where e.case_id = $1 and e.number > $2::bigint order by e.number limit $3`, caseID, after, limit)
}

// EntryByNumber is ErrNotFound where the case has no such entry.
func EntryByNumber(ctx context.Context, q Querier, caseID int64, number int) (e Entry, err error) {
	return e, one(q.GetContext(ctx, &e, "select "+entryColumns+` from case_entry e join entry_body b on b.entry_id = e.id
		where e.case_id = $1 and e.number = $2`, caseID, number))
}

// EffectRow is one event of a case's history.
type EffectRow struct {
	Number     int           `db:"number"`
	HappenedAt time.Time     `db:"happened_at"`
	Effect     JSON[*Effect] `db:"effect"`
}

// History is what a case's clocks are replayed from: the effects that no later
// entry supersedes, in order.
func History(ctx context.Context, q Querier, caseID int64) (out []EffectRow, err error) {
	return out, q.SelectContext(ctx, &out, `select number, happened_at, effect from case_entry e
		where case_id = $1 and effect is not null and not exists
		(select 1 from case_entry s where s.case_id = $1 and s.supersedes = e.number)
		order by happened_at, number`, caseID)
}

// UnreadBeyond counts the vendor's messages after an entry, and when the first came.
func UnreadBeyond(ctx context.Context, q Querier, caseID int64, entry int) (n int, since *time.Time, err error) {
	var row struct {
		N     int        `db:"n"`
		Since *time.Time `db:"since"`
	}
	err = q.GetContext(ctx, &row, `select count(*) as n, min(happened_at) as since from case_entry
		where case_id = $1 and number > $2::bigint and kind = 'message' and direction = 'in' and not automatic`, caseID, entry)
	return row.N, row.Since, err
}

// Attested are the criteria of a case that somebody stood for.
type Attested struct {
	CriterionID int64     `db:"criterion_id"`
	Person      string    `db:"name"`
	At          time.Time `db:"attested_at"`
}

// Attestations are a case's.
func Attestations(ctx context.Context, q Querier, caseID int64) (out []Attested, err error) {
	return out, q.SelectContext(ctx, &out, `select a.criterion_id, p.name, a.attested_at from attestation a
		join person p on p.id = a.person_id where a.case_id = $1`, caseID)
}

// Attest records that a person stands for a criterion.
func (t *Tx) Attest(ctx context.Context, caseID, criterion, person int64, at time.Time) error {
	_, err := t.ExecContext(ctx, `insert into attestation (case_id, criterion_id, person_id, attested_at) values ($1, $2, $3, $4)
		on conflict do nothing`, caseID, criterion, person, at)
	return err
}

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
func (t *Tx) ReplaceDeadlines(ctx context.Context, caseID int64, rows []Deadline) error {
	if _, err := t.ExecContext(ctx, "delete from deadline where case_id = $1", caseID); err != nil || len(rows) == 0 {
		return err
	}
	_, err := t.NamedExecContext(ctx, `insert into deadline (case_id, opened, kind, rank, target, target_seconds, calendar_id, started_at, due_at,
		soon_at, ended_at, outcome, counting, counted_seconds, counted_at, start_entry, end_entry, rules) values (:case_id, :opened, :kind, :rank, :target,
		:target_seconds, :calendar_id, :started_at, :due_at, :soon_at, :ended_at, :outcome, :counting, :counted_seconds, :counted_at, :start_entry, :end_entry, :rules)`, rows)
	return err
}

// Deadlines are the cached clocks of one case, as they were opened.
func Deadlines(ctx context.Context, q Querier, caseID int64) (out []Deadline, err error) {
	return out, q.SelectContext(ctx, &out, "select * from deadline where case_id = $1 order by opened", caseID)
}

// CasesFrom are the next cases by id after one, to walk through all of them.
func CasesFrom(ctx context.Context, q Querier, after int64, limit int) (out []Case, err error) {
	return out, q.SelectContext(ctx, &out, "select * from support_case where id > $1 order by id limit $2", after, limit)
}

// LiveDeadlines are the cached live clocks of some cases.
func LiveDeadlines(ctx context.Context, q Querier, cases []int64) (out []Deadline, err error) {
	return out, q.SelectContext(ctx, &out, "select * from deadline where case_id = any($1) and outcome = 'live' order by case_id, opened", cases)
}

// CaseRow is a case with the names that a list shows.
type CaseRow struct {
	Case
	Vendor     string  `db:"vendor"`
	VendorKey  string  `db:"vendor_key"`
	VendorZone string  `db:"vendor_zone"`
	Owner      *string `db:"owner"`
	LevelLabel *string `db:"level_label"`
	Asset      *string `db:"asset"`
	Account    *string `db:"account"`
}

const caseRowColumns = `c.*, v.name as vendor, v.key as vendor_key, v.zone as vendor_zone, p.name as owner, l.label as level_label, s.name as asset, o.number as account
	from support_case c join vendor v on v.id = c.vendor_id left join person p on p.id = c.owner_id
	left join vendor_level l on l.vendor_id = c.vendor_id and l.rank = c.level_rank
	left join asset s on s.id = c.asset_id left join account o on o.id = c.account_id`

// CaseRowByID is one case as a list shows it.
func CaseRowByID(ctx context.Context, q Querier, id int64) (r CaseRow, err error) {
	return r, one(q.GetContext(ctx, &r, "select "+caseRowColumns+" where c.id = $1", id))
}

// CaseRows are some cases as a list shows them, in no order.
func CaseRows(ctx context.Context, q Querier, ids []int64) (out []CaseRow, err error) {
	return out, q.SelectContext(ctx, &out, "select "+caseRowColumns+" where c.id = any($1)", ids)
}

// Pressing is a case as far as its place on Today depends on it.
type Pressing struct {
	ID             int64      `db:"id"`
	Number         int64      `db:"number"`
	State          string     `db:"state"`
	Severity       *int       `db:"severity"`
	OwnerID        *int64     `db:"owner_id"`
	Unread         int        `db:"unread"`
	UnreadSince    *time.Time `db:"unread_since"`
	VendorClosedAt *time.Time `db:"vendor_closed_at"`
	Parked         bool       `db:"parked"`
	ParkedUntil    *time.Time `db:"parked_until"`
	NextAt         *time.Time `db:"next_at"`
	// Asks is false where the case has no place on Today: it is not live, and nothing of it waits for a person.
	Asks bool `db:"asks"`
}

const pressing = `select c.id, c.number, c.state, c.severity, c.owner_id, c.unread, c.unread_since, c.vendor_closed_at, c.parked, c.parked_until, c.next_at,
	c.` + liveCases + ` or exists (select from delivery d where d.case_id = c.id and d.needs_person) as asks from support_case c `

// PressingCases are all that have a place on Today: the live ones, and those of which
// something waits for a person.
func PressingCases(ctx context.Context, q Querier) (out []Pressing, err error) {
	return out, q.SelectContext(ctx, &out, pressing+"where c."+liveCases+" or c.id in (select case_id from delivery where needs_person)")
}

// TouchedCases are those that a transaction wrote which had not ended, or not begun, when
// since was the oldest that was running.
func TouchedCases(ctx context.Context, q Querier, since uint64) (out []Pressing, err error) {
	return out, q.SelectContext(ctx, &out, pressing+"where c.touched >= cast(cast($1 as text) as xid8)", fmt.Sprint(since))
}

// OldestRunning is the oldest transaction that has not ended as this statement sees it: whatever
// an older one wrote can be seen.
func OldestRunning(ctx context.Context, q Querier) (xid uint64, err error) {
	return xid, q.GetContext(ctx, &xid, "select cast(cast(pg_snapshot_xmin(pg_current_snapshot()) as text) as bigint)")
}

// MarkRead says that the vendor's messages are read up to an entry; changed is false where
// nothing was unread.
func (t *Tx) MarkRead(ctx context.Context, caseID int64, entry int) (changed bool, err error) {
	return affected(t.ExecContext(ctx, `update support_case c set read_entry = $2, unread = u.n, unread_since = u.since from
		(select count(*) as n, min(happened_at) as since from case_entry
			where case_id = $1 and number > $2 and kind = 'message' and direction = 'in' and not automatic) u
		where c.id = $1 and c.read_entry < $2 and c.unread <> u.n`, caseID, entry))
}

// dashes are those that the search would take for one "not" within another.
var dashes = regexp.MustCompile(`-(\s*-)+`)

// CaseFilter narrows and orders the list of cases. The zero value is all, newest first.
type CaseFilter struct {
	States     []string
	Vendors    []string
	Severities []int64
	Move       string
	Owner      int64
	Words      string
	Asset      int64
	Account    int64
	Contract   int64
	Sort       string // newest, oldest, severity, changed
	// After is where the last page ended: the sort key and the number of its last row.
	After     bool
	AfterKey  string
	AfterCase int64
	Limit     int
}

// orders is the whitelist of sorts; each is backed by an index and ends with the
// number, which is unique. A missing severity counts as 9.
var orders = map[string]struct{ by, after string }{
	"newest":   {"c.number desc", "c.number < :after_case"},
	"oldest":   {"c.number", "c.number > :after_case"},
	"severity": {"coalesce(c.severity, 9), c.number desc", "(coalesce(c.severity, 9) > CAST(:after_key AS integer) or coalesce(c.severity, 9) = CAST(:after_key AS integer) and c.number < :after_case)"},
	"changed":  {"c.changed_at desc, c.number desc", "(c.changed_at, c.number) < (CAST(:after_key AS timestamptz), :after_case)"},
}

// SortKey is what a row sorts by, for the cursor.
func SortKey(sort string, r CaseRow) string {
	switch sort {
	case "severity":
		if r.Severity == nil {
			return "9"
		}
		return fmt.Sprint(*r.Severity)
	case "changed":
		return r.ChangedAt.Format(time.RFC3339Nano)
	}
	return ""
}

// Cases is one page of the list.
func Cases(ctx context.Context, q Querier, f CaseFilter) ([]CaseRow, error) {
	order, ok := orders[f.Sort]
	if !ok {
		return nil, fmt.Errorf("no order %q", f.Sort)
	}
	var where []string
	args := map[string]any{"after_case": f.AfterCase, "after_key": f.AfterKey, "limit": f.Limit}
	cond := func(on bool, sql, name string, v any) {
		if on {
			where = append(where, sql)
			args[name] = v
		}
	}
	cond(len(f.States) > 0, "c.state = any(:states)", "states", f.States)
	cond(len(f.Vendors) > 0, "v.key = any(:vendors)", "vendors", f.Vendors)
	cond(len(f.Severities) > 0, "c.severity = any(:severities)", "severities", f.Severities)
	cond(f.Move != "", "c.move = :move", "move", f.Move)
	cond(f.Owner != 0, "c.owner_id = :owner", "owner", f.Owner)
	cond(f.Asset != 0, "c.asset_id = :asset", "asset", f.Asset)
	cond(f.Account != 0, "c.account_id = :account", "account", f.Account)
	cond(f.Contract != 0, "c.contract_id = :contract", "contract", f.Contract)
	if f.Words != "" {
		where = append(where, `(to_tsvector('simple', c.title) @@ websearch_to_tsquery('simple', :words) or c.number = :number
			or c.id in (select case_id from case_reference where folded = :folded))`)
		var number int64
		if n := strings.TrimPrefix(strings.ToUpper(f.Words), "C-"); isDigits(n) && len(n) < 19 {
			fmt.Sscan(n, &number)
		}
		args["words"], args["number"], args["folded"] = dashes.ReplaceAllString(f.Words, " "), number, Fold(f.Words)
	}
	if f.After {
		where = append(where, order.after)
	}
	sql := "select " + caseRowColumns
	if len(where) > 0 {
		sql += " where " + strings.Join(where, " and ")
	}
	sql, list, err := sqlx.Named(sql+" order by "+order.by+" limit :limit", args)
	if err != nil {
		return nil, err
	}
	var out []CaseRow
	return out, q.SelectContext(ctx, &out, sqlx.Rebind(sqlx.DOLLAR, sql), list...)
}

// WakeCases has the sweep look at cases as of an instant, whatever their own dates say.
func WakeCases(ctx context.Context, q Querier, ids []int64, at time.Time) error {
	_, err := q.ExecContext(ctx, "update support_case set wake_at = $2 where id = any($1)", ids, at)
	return err
}

// Waking are live cases whose time to be looked at again has come.
func Waking(ctx context.Context, q Querier, now time.Time, limit int) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, "select id from support_case where wake_at <= $1 order by wake_at limit $2", now, limit)
}
