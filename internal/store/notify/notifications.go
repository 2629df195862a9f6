package notify

import (
	"context"
	"encoding/json"
	"time"

	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/store/db"
)

// Notification is one person's of an event.
type Notification struct {
	EventID  int64          `json:"event_id"`
	PersonID int64          `json:"person_id"`
	Because  notify.Because `json:"because"`
	EmailAt  *time.Time     `json:"email_at"`
}

// Add gives persons their notifications.
func Add(ctx context.Context, t *db.Tx, list []Notification) error {
	if len(list) == 0 {
		return nil
	}
	rows, err := json.Marshal(list)
	if err != nil {
		return err
	}
	_, err = t.ExecContext(ctx, `insert into notification (event_id, person_id, because, email_at)
		select event_id, person_id, because, email_at from jsonb_to_recordset(cast($1 as jsonb))
			as x(event_id bigint, person_id bigint, because text, email_at timestamptz)
		on conflict (event_id, person_id) do nothing`, string(rows))
	return err
}

// Watcher is a person who watches a case, by itself, its vendor or its severity.
type Watcher struct {
	PersonID int64  `db:"person_id"`
	CaseID   *int64 `db:"case_id"`
	VendorID *int64 `db:"vendor_id"`
	Severity *int   `db:"severity"`
}

// Watchers are all who watch some cases or vendors, or a severity.
func Watchers(ctx context.Context, q db.Querier, cases, vendors []int64) (out []Watcher, err error) {
	return out, q.SelectContext(ctx, &out, `select person_id, case_id, vendor_id, severity from watch
		where case_id = any($1) or vendor_id = any($2) or severity is not null order by id`, cases, vendors)
}

// Row is a notification with what it is of.
type Row struct {
	ID       int64          `db:"id"`
	PersonID int64          `db:"person_id"`
	Because  notify.Because `db:"because"`
	ReadAt   *time.Time     `db:"read_at"`
	Event
	Number   int64  `db:"number"`
	Title    string `db:"title"`
	VendorID int64  `db:"vendor_id"`
	Vendor   string `db:"vendor"`
}

const columns = `select n.id, n.person_id, n.because, n.read_at, e.case_id, e.key, e.kind, e.severity, e.what, e.owed,
	e.entry, e.happened_at, e.made_at, e.actor_id, c.number, c.title, c.vendor_id, v.name as vendor
	from notification n join notification_event e on e.id = n.event_id
	join support_case c on c.id = e.case_id join vendor v on v.id = c.vendor_id `

// Query is which notifications of a person's are listed.
type Query struct {
	Unread bool
	Before int64 // only older ones, by id; 0: from the newest
	Limit  int
}

// Of are a person's, the newest first.
func Of(ctx context.Context, q db.Querier, person int64, w Query) (out []Row, err error) {
	return out, q.SelectContext(ctx, &out, columns+`where n.person_id = $1 and (not $2 or n.read_at is null)
		and ($3 = 0 or n.id < $3) order by n.id desc limit $4`, person, w.Unread, w.Before, w.Limit)
}

// CountUnread is how many a person has not read, up to a limit.
func CountUnread(ctx context.Context, q db.Querier, person int64, limit int) (n int, err error) {
	return n, q.GetContext(ctx, &n, `select count(*) from (select from notification where person_id = $1
		and read_at is null limit $2) x`, person, limit)
}

// Read marks some of a person's as read, all of them where ids is nil, up to the one with the id through. What was read
// is not emailed any more.
func Read(ctx context.Context, q db.Querier, person int64, ids []int64, through int64, at time.Time) error {
	_, err := q.ExecContext(ctx, `update notification set read_at = $4, email_at = null where person_id = $1
		and read_at is null and id <= $3 and ($2 or id = any($5))`, person, ids == nil, through, at, ids)
	return err
}

// ReadCase marks those about a case up to an entry as read by a person who has opened it; changed says whether any was
// unread.
func ReadCase(ctx context.Context, q db.Querier, person, caseID int64, entry int, at time.Time) (changed bool,
	err error) {
	return db.Affected(q.ExecContext(ctx, `update notification n set read_at = $4, email_at = null
		from notification_event e where e.id = n.event_id and e.case_id = $2 and e.entry <= $3 and n.person_id = $1
		and n.read_at is null`, person, caseID, entry, at))
}

// Settings are what a person wants to be told, and how.
type Settings struct {
	PersonID     int64                               `db:"person_id"`
	Ways         db.JSON[map[notify.Kind]notify.Way] `db:"ways"`
	QuietFrom    string                              `db:"quiet_from"`
	QuietTo      string                              `db:"quiet_to"`
	QuietAlways  bool                                `db:"quiet_always"`
	DigestAt     string                              `db:"digest_at"`
	DigestNextAt *time.Time                          `db:"digest_next_at"`
	Version      int64                               `db:"version"`
}

// SettingsOf are those of some persons who have said anything, by person; of all of them where persons is nil.
func SettingsOf(ctx context.Context, q db.Querier, persons []int64) (map[int64]Settings, error) {
	var rows []Settings
	err := q.SelectContext(ctx, &rows, "select * from notification_settings where $1 or person_id = any($2)",
		persons == nil, persons)
	out := make(map[int64]Settings, len(rows))
	for _, s := range rows {
		out[s.PersonID] = s
	}
	return out, err
}

// SaveSettings writes a person's, unless they are no longer at the version that was read; changed is then false.
func SaveSettings(ctx context.Context, q db.Querier, s Settings) (changed bool, err error) {
	return db.Affected(q.ExecContext(ctx, `insert into notification_settings (person_id, ways, quiet_from, quiet_to,
			quiet_always, digest_at, digest_next_at, version) values ($1, cast($2 as jsonb), $3, $4, $5, $6, $7, $8 + 1)
		on conflict (person_id) do update set ways = excluded.ways, quiet_from = excluded.quiet_from,
			quiet_to = excluded.quiet_to, quiet_always = excluded.quiet_always, digest_at = excluded.digest_at,
			digest_next_at = excluded.digest_next_at, version = excluded.version
		where notification_settings.version = $8`, s.PersonID, s.Ways, s.QuietFrom, s.QuietTo, s.QuietAlways, s.DigestAt,
		s.DigestNextAt, s.Version))
}

// DigestsDue are the persons whose digest's time has come.
func DigestsDue(ctx context.Context, q db.Querier, at time.Time) (out []Settings, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from notification_settings where digest_next_at <= $1 order by digest_next_at limit 100", at)
}

// NextDigest says when a person's next digest goes, unless somebody else has said so since; took is then false.
func NextDigest(ctx context.Context, t *db.Tx, s Settings, next *time.Time) (took bool, err error) {
	return db.Affected(t.ExecContext(ctx, `update notification_settings set digest_next_at = $3
		where person_id = $1 and digest_next_at = $2`, s.PersonID, s.DigestNextAt, next))
}
