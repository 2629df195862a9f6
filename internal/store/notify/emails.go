package notify

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
)

// Email is one to a person of ours, with what they are told, gathered, or a digest; or to an address, with what an
// entry of a case says.
type Email struct {
	ID       int64      `db:"id"`
	PersonID *int64     `db:"person_id"`
	Address  string     `db:"address"` // instead of the person
	EntryID  *int64     `db:"entry_id"`
	Digest   bool       `db:"digest"`
	Method   string     `db:"method"` // of an invitation: REQUEST or CANCEL
	Calendar string     `db:"calendar"`
	Marker   string     `db:"marker"` // in its Message-ID, the same however often it is tried
	Subject  string     `db:"subject"`
	Body     string     `db:"body"`
	MadeAt   time.Time  `db:"made_at"`
	NextAt   *time.Time `db:"next_at"`
	Tries    int        `db:"tries"`
	Problem  string     `db:"problem"`
	SentAt   *time.Time `db:"sent_at"`
}

// PersonsToEmail are those with notifications that may go by email now, the longest waiting first. Who has an email
// under way waits for that.
func PersonsToEmail(ctx context.Context, q db.Querier, at time.Time, limit int) (out []int64, err error) {
	return out, q.SelectContext(ctx, &out, `select n.person_id from notification n where n.email_at <= $1
			and not exists (select from notification_email m where m.person_id = n.person_id and m.next_at is not null
				and not m.digest)
		group by n.person_id order by min(n.email_at) limit $2`, at, limit)
}

// ToEmail takes what may go to a person by email now, with what has waited for its minute, the oldest first. What
// somebody else has taken is left out.
func ToEmail(ctx context.Context, t *db.Tx, person int64, at time.Time, limit int) (out []Row, err error) {
	var ids []int64
	if err := t.SelectContext(ctx, &ids, `select id from notification where person_id = $1 and email_at <= $2
			order by id limit $3 for update skip locked`, person, at, limit); err != nil {
		return nil, err
	}
	return out, t.SelectContext(ctx, &out, columns+"where n.id = any($1) order by n.id", ids)
}

// AddEmail puts an email on its way, with the notifications that it carries.
func AddEmail(ctx context.Context, t *db.Tx, m *Email, notifications []int64) error {
	if err := t.GetContext(ctx, &m.ID, `insert into notification_email (person_id, digest, marker, subject, body, made_at,
			next_at, address, entry_id, method, calendar) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning id`,
		m.PersonID, m.Digest, m.Marker, m.Subject, m.Body, m.MadeAt, m.NextAt, m.Address, m.EntryID, m.Method,
		m.Calendar); err != nil {
		return err
	}
	_, err := t.ExecContext(ctx, "update notification set email_id = $1, email_at = null where id = any($2)", m.ID,
		notifications)
	return err
}

// ReplaceDigests takes a person's digests away that have not left: a newer one says it all.
func ReplaceDigests(ctx context.Context, t *db.Tx, person int64) error {
	_, err := t.ExecContext(ctx, `delete from notification_email where person_id = $1 and digest and sent_at is null
		and tries = 0`, person)
	return err
}

// ClaimEmails takes emails whose turn has come: nobody else sends them until a while is over.
func ClaimEmails(ctx context.Context, t *db.Tx, at, until time.Time, limit int) (out []Email, err error) {
	return out, t.SelectContext(ctx, &out, `update notification_email set next_at = $2, tries = tries + 1
		where id in (select id from notification_email where next_at <= $1 order by next_at limit $3 for update skip locked)
		returning *`, at, until, limit)
}

// SettleEmail says what became of an attempt; next is nil where there is no other.
func SettleEmail(ctx context.Context, q db.Querier, id int64, sent, next *time.Time, problem string) error {
	_, err := q.ExecContext(ctx, `update notification_email set sent_at = $2, next_at = $3, problem = $4
		where id = $1 and sent_at is null`, id, sent, next, problem)
	return err
}

// NotSent takes an email back that has certainly not left: what it carried goes with a later one.
func NotSent(ctx context.Context, t *db.Tx, m Email, again time.Time) error {
	if m.Digest || m.PersonID == nil {
		_, err := t.ExecContext(ctx, "update notification_email set next_at = $2, tries = 0 where id = $1", m.ID, again)
		return err
	}
	if _, err := t.ExecContext(ctx, `update notification set email_id = null, email_at = case when read_at is null then
		cast($2 as timestamptz) end where email_id = $1`, m.ID, again); err != nil {
		return err
	}
	_, err := t.ExecContext(ctx, "delete from notification_email where id = $1", m.ID)
	return err
}

// ByEntry are how the emails stand that some entries were sent by: how many there are, have left, and will not leave,
// by entry.
func ByEntry(ctx context.Context, q db.Querier, entries []int64) (map[int64]Sent, error) {
	var rows []Sent
	err := q.SelectContext(ctx, &rows, `select entry_id, count(*) as of, count(sent_at) as sent,
			count(*) filter (where sent_at is null and next_at is null) as lost, max(problem) as problem
		from notification_email where entry_id = any($1) group by entry_id`, entries)
	out := make(map[int64]Sent, len(rows))
	for _, r := range rows {
		out[r.EntryID] = r
	}
	return out, err
}

// Sent is how the emails of an entry stand.
type Sent struct {
	EntryID int64  `db:"entry_id"`
	Of      int    `db:"of"`
	Sent    int    `db:"sent"`
	Lost    int    `db:"lost"` // will not leave
	Problem string `db:"problem"`
}

// EmailsOf are the last emails to a person, the newest first.
func EmailsOf(ctx context.Context, q db.Querier, person int64, limit int) (out []Email, err error) {
	return out, q.SelectContext(ctx, &out,
		"select * from notification_email where person_id = $1 order by id desc limit $2",
		person, limit)
}
