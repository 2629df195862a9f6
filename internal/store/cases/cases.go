// Package cases keeps cases with their record, their references and the cache of their deadlines.
package cases

import (
	"context"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/store/db"
)

// Facts are what a case is graded from, as given; docs/rules.md, section 2.
type Facts struct {
	Environment string     `json:"environment,omitempty"`
	Effect      string     `json:"effect,omitempty"`
	Reach       string     `json:"reach,omitempty"`
	Workaround  string     `json:"workaround,omitempty"`
	Exposure    bool       `json:"exposure,omitempty"`
	NeededBy    *time.Time `json:"needed_by,omitempty"`
}

// Unsorted are names, as somebody gave them, of what the desk does not have; empty where it has it.
type Unsorted struct {
	Vendor  string `json:"vendor,omitempty"`
	Product string `json:"product,omitempty"`
	Kind    string `json:"kind,omitempty"`
}

// Texts are what the vendor is told when the case is filed.
type Texts = intake.Texts

// Case is a row of support_case; the lower half caches the record.
type Case struct {
	ID         int64          `db:"id"`
	Number     int64          `db:"number"`
	VendorID   int64          `db:"vendor_id"`
	ContractID *int64         `db:"contract_id"`
	Title      string         `db:"title"`
	Kind       string         `db:"kind"`
	Facts      db.JSON[Facts] `db:"facts"`
	Texts      db.JSON[Texts] `db:"texts"`
	// Answers are to the vendor's intake form, by the fields' short names.
	Answers         db.JSON[map[string]string] `db:"answers"`
	SeverityChosen  *int                       `db:"severity_chosen"`
	SeverityBecause string                     `db:"severity_because"`
	OwnerID         *int64                     `db:"owner_id"`
	OpenedBy        int64                      `db:"opened_by"`
	OpenedAt        time.Time                  `db:"opened_at"`
	AssetID         *int64                     `db:"asset_id"`
	AccountID       *int64                     `db:"account_id"`
	OutageID        *int64                     `db:"outage_id"`
	// MakerID is the vendor behind the reseller with which the case is, and MakerStatus its status word.
	MakerID       *int64     `db:"maker_id"`
	MakerStatus   string     `db:"maker_status"`
	MakerStatusAt *time.Time `db:"maker_status_at"`
	// InsteadOf is the case in whose place this one was filed, and RefiledAs the one filed in place of this one.
	InsteadOf *int64 `db:"instead_of"`
	RefiledAs *int64 `db:"refiled_as"`
	// GoOnBecause is why somebody goes on although something speaks against filing it.
	GoOnBecause string `db:"go_on_because"`
	// Unsorted is what of it nobody could name yet.
	Unsorted        db.JSON[Unsorted] `db:"unsorted"`
	TermsID         *int64            `db:"terms_id"`
	PolicyID        *int64            `db:"policy_id"`
	VendorStatus    string            `db:"vendor_status"`
	VendorStatusAt  *time.Time        `db:"vendor_status_at"`
	VendorLevel     string            `db:"vendor_level"`
	VendorClosedAt  *time.Time        `db:"vendor_closed_at"`
	VendorContact   string            `db:"vendor_contact"`
	VendorContactAt *time.Time        `db:"vendor_contact_at"`
	// Summary is where the case stands in the words of SummaryBy at SummaryAt; empty where nobody wrote any.
	Summary     string          `db:"summary"`
	SummaryBy   string          `db:"summary_by"`
	SummaryAt   *time.Time      `db:"summary_at"`
	ParkedUntil *time.Time      `db:"parked_until"`
	Cause       string          `db:"cause"`
	Outcome     string          `db:"outcome"`
	Origin      casework.Origin `db:"origin"`
	OriginBy    string          `db:"origin_by"`
	State       casework.State  `db:"state"`
	Severity    *int            `db:"severity"`
	LevelRank   *int            `db:"level_rank"`
	Move        *deadline.Side  `db:"move"`
	MoveSince   *time.Time      `db:"move_since"`
	// MoveOn is on whom exactly it waits, by MoveOnName; empty where it waits on nobody.
	MoveOn     casework.Whom `db:"move_on"`
	MoveOnName string        `db:"move_on_name"`
	// Unnumbered says that the vendor has still to give its reference.
	Unnumbered        bool       `db:"unnumbered"`
	Parked            bool       `db:"parked"`
	ParkedAgreed      bool       `db:"parked_agreed"`
	WorkaroundOffered bool       `db:"workaround_offered"`
	FiledAt           *time.Time `db:"filed_at"`
	LastVendorAt      *time.Time `db:"last_vendor_at"`
	LastWordAt        *time.Time `db:"last_word_at"`
	LastEntry         int        `db:"last_entry"`
	ReadEntry         int        `db:"read_entry"`
	Unread            int        `db:"unread"`
	UnreadSince       *time.Time `db:"unread_since"`
	// ChangedAt is when somebody changed it, or something came in; DerivedAt as of when its row, clocks and dates follow
	// from its record. Time alone moves only the latter.
	ChangedAt time.Time `db:"changed_at"`
	DerivedAt time.Time `db:"derived_at"`
	Version   int64     `db:"version"`
	// FieldVersions says which version of a draft changed each of its fields last; "*" is for fields that are not named.
	FieldVersions db.JSON[map[string]int64] `db:"field_versions"`
	// Consents are those that were given on it, and Untold the fields of which the vendor has not been told, each with
	// the entry that changed it last: texts.steps, answers.tenant, consents.1.
	Consents db.JSON[[]casework.Consent] `db:"consents"`
	Untold   db.JSON[map[string]int]     `db:"untold"`
	NextAt   *time.Time                  `db:"next_at"`
	WakeAt   *time.Time                  `db:"wake_at"`
	// Advice is the rung of the vendor's ladder to escalate to, nil for none, and Raised the highest one raised since the
	// case was filed or last reopened.
	Advice        *int              `db:"advice"`
	AdviceBecause escalation.Reason `db:"advice_because"`
	Raised        int               `db:"raised"`
	// Chases is how often the vendor was asked for what it owes since its last word, the last time at ChasedAt.
	Chases   int        `db:"chases"`
	ChasedAt *time.Time `db:"chased_at"`
	// EndedAt is when it was resolved or closed, nil while it is live or was not filed; Reopenings how often it was
	// reopened, and ReopenRefused how often the vendor refused that.
	EndedAt       *time.Time `db:"ended_at"`
	Reopenings    int        `db:"reopenings"`
	ReopenRefused int        `db:"reopen_refused"`
	// Touched is the transaction that wrote the row last.
	Touched uint64 `db:"touched"`
}

// Urgent says whether an urgent address or number of the vendor's is for this case: at severity 1.
func (c *Case) Urgent() bool { return c.Severity != nil && *c.Severity == 1 }

// Concerns says whether something of a vendor's can be what the case is about: with a reseller it is the maker's as a
// rule.
func (c *Case) Concerns(vendor int64) bool {
	return vendor == c.VendorID || c.MakerID != nil && vendor == *c.MakerID
}

// Insert gives the case its id and number.
func Insert(ctx context.Context, t *db.Tx, c *Case) error {
	return t.QueryRowxContext(ctx, `insert into support_case
		(number, vendor_id, contract_id, title, kind, facts, texts, severity_chosen, severity_because, owner_id,
		opened_by, opened_at, state, severity, changed_at, asset_id, account_id, answers, maker_id, unsorted, go_on_because,
		derived_at)
		values (nextval('case_number'), $1, $2, $3, $4, cast($5 as jsonb), cast($6 as jsonb), $7, $8, $9, $10, $11,
		'draft', $12, $11, $13, $14, cast($15 as jsonb), $16, cast($17 as jsonb), $18, $11) returning id, number`,
		c.VendorID, c.ContractID, c.Title, c.Kind, c.Facts, c.Texts, c.SeverityChosen, c.SeverityBecause, c.OwnerID,
		c.OpenedBy, c.OpenedAt, c.Severity, c.AssetID, c.AccountID, c.Answers, c.MakerID, c.Unsorted,
		c.GoOnBecause).
		Scan(&c.ID, &c.Number)
}

// Lock takes the row that every change of a case goes through.
func Lock(ctx context.Context, t *db.Tx, id int64) (c Case, err error) {
	return c, db.One(t.GetContext(ctx, &c, "select * from support_case where id = $1 for update", id))
}

// LockFree locks several cases but for those that somebody is changing.
func LockFree(ctx context.Context, t *db.Tx, ids []int64) (out []Case, err error) {
	return out, t.SelectContext(ctx, &out,
		"select * from support_case where id = any($1) order by id for update skip locked", ids)
}

// SaveDates writes of several cases what time alone changes, as of an instant.
func SaveDates(ctx context.Context, t *db.Tx, list []Case, at time.Time) error {
	ids, next, wake := make([]int64, len(list)), make([]*time.Time, len(list)), make([]*time.Time, len(list))
	advice, because := make([]*int, len(list)), make([]string, len(list))
	for i := range list {
		ids[i], next[i], wake[i] = list[i].ID, list[i].NextAt, list[i].WakeAt
		advice[i], because[i] = list[i].Advice, string(list[i].AdviceBecause)
	}
	_, err := t.ExecContext(ctx, `update support_case c set next_at = x.next, wake_at = x.wake, advice = x.advice,
			advice_because = x.because, derived_at = $6
		from unnest($1::bigint[], $2::timestamptz[], $3::timestamptz[], $4::integer[], $5::text[])
			as x(id, next, wake, advice, because) where c.id = x.id`, ids, next, wake, advice, because, at)
	return err
}

// Save writes everything of the row that can change.
func Save(ctx context.Context, t *db.Tx, c *Case) error {
	_, err := t.NamedExecContext(ctx, `update support_case set
		contract_id = :contract_id, asset_id = :asset_id, account_id = :account_id, title = :title, kind = :kind, facts =
		CAST(:facts AS jsonb), texts = CAST(:texts AS jsonb), answers = CAST(:answers AS jsonb), severity_chosen =
		:severity_chosen,
		severity_because = :severity_because, owner_id = :owner_id, terms_id = :terms_id, policy_id = :policy_id,
		vendor_status = :vendor_status, vendor_status_at = :vendor_status_at, vendor_level = :vendor_level,
		vendor_closed_at = :vendor_closed_at, vendor_contact = :vendor_contact, vendor_contact_at = :vendor_contact_at,
		summary = :summary, summary_by = :summary_by, summary_at = :summary_at,
		move_on = :move_on, move_on_name = :move_on_name, unnumbered = :unnumbered, parked_until = :parked_until, cause =
		:cause, outcome =
		:outcome,
		state = :state, severity = :severity, level_rank = :level_rank, move = :move, move_since = :move_since, parked =
		:parked,
		parked_agreed = :parked_agreed, workaround_offered = :workaround_offered, filed_at = :filed_at,
		last_vendor_at = :last_vendor_at, last_word_at = :last_word_at, last_entry = :last_entry, read_entry = :read_entry,
		unread = :unread, unread_since = :unread_since, changed_at = :changed_at, derived_at = :derived_at,
		version = :version, next_at = :next_at,
		field_versions = CAST(:field_versions AS jsonb), origin = :origin, origin_by = :origin_by,
		vendor_id = :vendor_id, maker_id = :maker_id, maker_status = :maker_status, maker_status_at = :maker_status_at,
		instead_of = :instead_of, refiled_as = :refiled_as, go_on_because = :go_on_because,
		unsorted = CAST(:unsorted AS jsonb), outage_id = :outage_id, consents = CAST(:consents AS jsonb),
		untold = CAST(:untold AS jsonb),
		wake_at = :wake_at, advice = :advice, advice_because = :advice_because, raised = :raised, chases = :chases,
		chased_at = :chased_at, ended_at = :ended_at, reopenings = :reopenings, reopen_refused = :reopen_refused
		where id = :id`, c)
	return err
}

// VendorOf is with which vendor a case is.
func VendorOf(ctx context.Context, q db.Querier, id int64) (vendor int64, err error) {
	return vendor, db.One(q.GetContext(ctx, &vendor, "select vendor_id from support_case where id = $1", id))
}

// ByID is ErrNotFound where there is none.
func ByID(ctx context.Context, q db.Querier, id int64) (c Case, err error) {
	return c, db.One(q.GetContext(ctx, &c, "select * from support_case where id = $1", id))
}

// Confirmed are the criteria of a case that somebody stood for.
type Confirmed struct {
	CriterionID int64     `db:"criterion_id"`
	Person      string    `db:"name"`
	At          time.Time `db:"confirmed_at"`
}

// Confirmations are a case's.
func Confirmations(ctx context.Context, q db.Querier, caseID int64) (out []Confirmed, err error) {
	return out, q.SelectContext(ctx, &out, `select a.criterion_id, p.name, a.confirmed_at from confirmation a
		join person p on p.id = a.person_id where a.case_id = $1`, caseID)
}

// Confirm records that a person stands for a criterion.
func Confirm(ctx context.Context, t *db.Tx, caseID, criterion, person int64, at time.Time) error {
	_, err := t.ExecContext(ctx, `insert into confirmation (case_id, criterion_id, person_id, confirmed_at)
		values ($1, $2, $3, $4)
		on conflict do nothing`, caseID, criterion, person, at)
	return err
}

// CopyConfirmations has a case that is filed in place of another keep what was confirmed for that, by the same people.
func CopyConfirmations(ctx context.Context, t *db.Tx, from, to int64) error {
	_, err := t.ExecContext(ctx, `insert into confirmation (case_id, criterion_id, person_id, confirmed_at)
		select $2, criterion_id, person_id, confirmed_at from confirmation where case_id = $1
		on conflict do nothing`, from, to)
	return err
}

// From are the next cases by id after one, to walk through all of them.
func From(ctx context.Context, q db.Querier, after int64, limit int) (out []Case, err error) {
	return out, q.SelectContext(ctx, &out, "select * from support_case where id > $1 order by id limit $2", after, limit)
}

// Wake has the sweep look at cases as of an instant, whatever their own dates say.
func Wake(ctx context.Context, q db.Querier, ids []int64, at time.Time) error {
	_, err := q.ExecContext(ctx, "update support_case set wake_at = $2 where id = any($1)", ids, at)
	return err
}

// WakeVendor has the sweep look at all live cases of a vendor.
func WakeVendor(ctx context.Context, q db.Querier, vendor int64, at time.Time) error {
	_, err := q.ExecContext(ctx, "update support_case c set wake_at = $2 where vendor_id = $1 and c."+LiveCases, vendor,
		at)
	return err
}

// Waking are live cases whose time to be looked at again has come.
func Waking(ctx context.Context, q db.Querier, now time.Time, limit int) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, "select id from support_case where wake_at <= $1 order by wake_at limit $2",
		now, limit)
}

// NextWake is the first instant after another at which a case changes by the mere passing of time; nil where none does.
func NextWake(ctx context.Context, q db.Querier, after time.Time) (at *time.Time, err error) {
	return at, q.GetContext(ctx, &at, "select min(wake_at) from support_case where wake_at > $1", after)
}

// LiveCases is the condition that a case is live.
const LiveCases = "state in ('filed', 'open', 'fix-offered')"

// LiveCounts is the number of live cases by vendor.
func LiveCounts(ctx context.Context, q db.Querier) (map[int64]int, error) {
	var rows []struct {
		Vendor int64 `db:"vendor_id"`
		N      int   `db:"n"`
	}
	if err := q.SelectContext(ctx, &rows, `select vendor_id, count(*) as n from support_case
		where state in ('filed', 'open', 'fix-offered') group by vendor_id`); err != nil {
		return nil, err
	}
	out := map[int64]int{}
	for _, r := range rows {
		out[r.Vendor] = r.N
	}
	return out, nil
}
