// Package agenda reads what a desk has dated, for its calendar, and keeps the addresses under which calendar programs
// follow it.
package agenda

import (
	"context"
	"fmt"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Part is a part of a desk, between two instants. Empty fields narrow nothing.
type Part struct {
	Only     []int64 // vendors that may be seen; nil for all
	Vendor   int64
	Person   int64 // owns the case, or it is theirs
	Case     int64
	From, To time.Time
	// Ended has what ended in that time too.
	Ended bool
	Most  int
}

// Case is what is read of a case.
type Case struct {
	ID       int64  `db:"case_id"`
	Number   int64  `db:"number"`
	Title    string `db:"title"`
	Severity int    `db:"severity"`
	// Written is when its dates were written last: changed hours move them too.
	Written time.Time `db:"derived_at"`
	Vendor  string    `db:"vendor"`
}

const ofCase = `c.id as case_id, c.number, c.title, coalesce(c.severity, 4) as severity, c.derived_at, v.name as vendor`

const narrowed = ` and (cast($1 as bigint[]) is null or c.vendor_id = any($1)) and ($2 = 0 or c.vendor_id = $2)
	and ($3 = 0 or c.id = $3)`

// Item is a dated item that nothing followed.
type Item struct {
	Case
	casesdb.DatedItem
	For string `db:"person_name"`
	// Root is the first of its chain.
	Root int `db:"root"`
}

// Items are the dated items of a part, the earliest due first; of those that have ended not what ends by itself.
func Items(ctx context.Context, q db.Querier, p Part) (out []Item, err error) {
	return out, q.SelectContext(ctx, &out, `with recursive found as (
			select i.*, `+ofCase[len("c.id as case_id, "):]+`, coalesce(n.name, '') as person_name
			from dated_item i join support_case c on c.id = i.case_id join vendor v on v.id = c.vendor_id
			left join person n on n.id = i.person_id
			where i.due_at >= $4 and i.due_at < $5
			and (i.outcome = 'live' or $7 and i.outcome <> 'replaced' and i.kind not in ('closing', 'receipt'))
			and ($6 = 0 or c.owner_id = $6 or i.person_id = $6)`+narrowed+`
			and not exists (select from dated_item s where s.case_id = i.case_id and s.follows = i.opened)
			order by i.due_at, i.case_id, i.opened limit $8),
		chain as (select case_id, opened, opened as at, follows from found
			union all select h.case_id, h.opened, b.opened, b.follows
			from chain h join dated_item b on b.case_id = h.case_id and b.opened = h.follows)
		select f.*, h.at as root from found f
		join chain h on h.case_id = f.case_id and h.opened = f.opened and h.follows is null
		order by f.due_at, f.case_id, f.opened`, p.Only, p.Vendor, p.Case, p.From, p.To, p.Person, p.Ended, p.Most)
}

// Clock is a live deadline whose due is known.
type Clock struct {
	Case
	Kind     string     `db:"kind"`
	Opened   int        `db:"opened"`
	DueAt    time.Time  `db:"due_at"`
	SoonAt   *time.Time `db:"soon_at"`
	Counting bool       `db:"counting"`
}

// Clocks are the live deadlines of a part, the earliest due first.
func Clocks(ctx context.Context, q db.Querier, p Part) (out []Clock, err error) {
	from, of := "deadline k", "join support_case c on c.id = k.case_id"
	if p.Only == nil && p.Vendor == 0 && p.Person == 0 && p.Case == 0 {
		// Chosen before anything is read of their cases: of a great desk that is a small part.
		from = `(select case_id, outcome, kind, opened, due_at, soon_at, counting from deadline
			where outcome = 'live' and due_at >= $4 and due_at < $5 order by due_at, case_id, opened limit $7) k`
		of = "cross join lateral (select * from support_case x where x.id = k.case_id offset 0) c" // each by its id
	}
	return out, q.SelectContext(ctx, &out, `select `+ofCase+`, k.kind, k.opened, k.due_at, k.soon_at, k.counting
		from `+from+` `+of+` join vendor v on v.id = c.vendor_id
		where k.outcome = 'live' and k.due_at >= $4 and k.due_at < $5 and ($6 = 0 or c.owner_id = $6)`+narrowed+`
		order by k.due_at, k.case_id, k.opened limit $7`, p.Only, p.Vendor, p.Case, p.From, p.To, p.Person, p.Most)
}

// Parking is a case that is parked until an instant.
type Parking struct {
	Case
	Until time.Time `db:"parked_until"`
}

// Parkings are the cases of a part that are parked, the earliest first.
func Parkings(ctx context.Context, q db.Querier, p Part) (out []Parking, err error) {
	return out, q.SelectContext(ctx, &out, `select `+ofCase+`, c.parked_until
		from support_case c join vendor v on v.id = c.vendor_id
		where c.`+casesdb.LiveCases+` and c.parked_until >= $4 and c.parked_until < $5
		and ($6 = 0 or c.owner_id = $6)`+narrowed+` order by c.parked_until, c.id limit $7`, p.Only, p.Vendor, p.Case, p.From,
		p.To, p.Person, p.Most)
}

// Contract is one that ends, or whose notice has to be given.
type Contract struct {
	ID       int64      `db:"id"`
	Version  int64      `db:"version"`
	Number   string     `db:"number"`
	Vendor   string     `db:"vendor"`
	EndsOn   time.Time  `db:"ends_on"`
	NoticeOn *time.Time `db:"notice_on"`
}

// Contracts are those with a date between two days.
func Contracts(ctx context.Context, q db.Querier, p Part) (out []Contract, err error) {
	return out, q.SelectContext(ctx, &out, `select c.id, c.version, c.number, v.name as vendor, c.ends_on, c.notice_on
		from contract c join vendor v on v.id = c.vendor_id
		where (c.ends_on between cast($4 as date) and cast($5 as date)
			or c.notice_on between cast($4 as date) and cast($5 as date))
		and (cast($1 as bigint[]) is null or c.vendor_id = any($1)) and ($2 = 0 or c.vendor_id = $2) and $3 = 0
		order by c.ends_on, c.id limit $6`, p.Only, p.Vendor, p.Case, p.From, p.To, p.Most)
}

// DeskID is what tells this desk from any other.
func DeskID(ctx context.Context, q db.Querier) (id string, err error) {
	return id, q.GetContext(ctx, &id, "select id from desk_identity")
}

// State stands for all that a calendar is made from: as long as it is the same, so is the calendar of an instant. ok is
// false while somebody is writing who began before the last change that can be seen: then nobody can say.
func State(ctx context.Context, q db.Querier) (state string, ok bool, err error) {
	var x struct {
		Latest int64 `db:"latest"`
		Oldest int64 `db:"oldest"`
		Rest   int64 `db:"rest"`
	}
	err = q.GetContext(ctx, &x, `select coalesce((select cast(cast(touched as text) as bigint) from support_case
			order by support_case.touched desc limit 1), 0) as latest,
		cast(cast(pg_snapshot_xmin(pg_current_snapshot()) as text) as bigint) as oldest,
		(select count(*) * 1000003 + coalesce(sum(version), 0) + coalesce(max(id), 0) * 7919 from rota_period)
		+ (select count(*) * 1000033 + coalesce(sum(version), 0) from contract)
		+ (select coalesce(sum(version), 0) from vendor) + (select coalesce(sum(version), 0) from person) as rest`)
	return fmt.Sprintf("%x-%x", x.Latest, x.Rest), x.Oldest > x.Latest, err
}

// Whose is what a feed has.
type Whose string

// The parts that feeds have.
const (
	Desk    Whose = "desk"
	Persons Whose = "person"
	Vendors Whose = "vendor"
)

// Feed is an address under which a calendar program follows a part of the desk.
type Feed struct {
	ID       int64      `db:"id"`
	Name     string     `db:"name"`
	Whose    Whose      `db:"whose"`
	PersonID *int64     `db:"person_id"`
	VendorID *int64     `db:"vendor_id"`
	OwnerID  int64      `db:"owner_id"` // by whose rights it is read
	Hash     []byte     `db:"hash" json:"-"`
	MadeAt   time.Time  `db:"made_at"`
	ReadAt   *time.Time `db:"read_at"`
	Revoked  *time.Time `db:"revoked_at"`
	Person   *string    `db:"person"`
	Vendor   *string    `db:"vendor"`
}

const feeds = `select f.*, p.name as person, v.name as vendor from calendar_feed f
	left join person p on p.id = f.person_id left join vendor v on v.id = f.vendor_id `

// Feeds are those of a person that were not revoked, the latest first.
func Feeds(ctx context.Context, q db.Querier, owner int64) (out []Feed, err error) {
	return out, q.SelectContext(ctx, &out, feeds+"where f.owner_id = $1 and f.revoked_at is null order by f.id desc",
		owner)
}

// AddFeed gives a feed its id.
func AddFeed(ctx context.Context, q db.Querier, f *Feed) error {
	return q.GetContext(ctx, &f.ID, `insert into calendar_feed (name, whose, person_id, vendor_id, owner_id, hash, made_at)
		values ($1, $2, $3, $4, $5, $6, $7) returning id`, f.Name, f.Whose, f.PersonID, f.VendorID, f.OwnerID, f.Hash,
		f.MadeAt)
}

// RevokeFeed ends a person's feed, and says whether it was there.
func RevokeFeed(ctx context.Context, q db.Querier, owner, id int64, at time.Time) (bool, error) {
	return db.Affected(q.ExecContext(ctx, `update calendar_feed set revoked_at = $3 where id = $1 and owner_id = $2
		and revoked_at is null`, id, owner, at))
}

// ByHash is the feed of an address, whose owner still works here; db.ErrNotFound where there is none.
func ByHash(ctx context.Context, q db.Querier, hash []byte) (f Feed, err error) {
	return f, db.One(q.GetContext(ctx, &f, feeds+"join person o on o.id = f.owner_id and o.active "+
		"where f.hash = $1 and f.revoked_at is null", hash))
}

// Read notes that a feed was read.
func Read(ctx context.Context, q db.Querier, id int64, at time.Time) error {
	_, err := q.ExecContext(ctx, "update calendar_feed set read_at = $2 where id = $1", id, at)
	return err
}
