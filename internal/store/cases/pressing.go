package cases

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/store/db"
)

// Pressing is a case as far as its place on Today depends on it.
type Pressing struct {
	ID             int64          `db:"id"`
	Number         int64          `db:"number"`
	VendorID       int64          `db:"vendor_id"`
	State          casework.State `db:"state"`
	Severity       *int           `db:"severity"`
	OwnerID        *int64         `db:"owner_id"`
	Unread         int            `db:"unread"`
	UnreadSince    *time.Time     `db:"unread_since"`
	VendorClosedAt *time.Time     `db:"vendor_closed_at"`
	Parked         bool           `db:"parked"`
	ParkedUntil    *time.Time     `db:"parked_until"`
	NextAt         *time.Time     `db:"next_at"`
	Move           *deadline.Side `db:"move"`
	Unnumbered     bool           `db:"unnumbered"`
	// Advice is the rung to escalate to, nil for none, with why, and Raised the highest one raised so far.
	Advice        *int              `db:"advice"`
	AdviceBecause escalation.Reason `db:"advice_because"`
	Raised        int               `db:"raised"`
	// Asks is false where the case has no place on Today: it is not live, and nothing of it waits for a person
	// or goes on.
	Asks bool `db:"asks"`
}

// PressingOf is a case that is at hand, but for whether it asks for anything.
func PressingOf(c *Case) Pressing {
	return Pressing{ID: c.ID, Number: c.Number, VendorID: c.VendorID, State: c.State, Severity: c.Severity,
		OwnerID: c.OwnerID, Unread: c.Unread, UnreadSince: c.UnreadSince, VendorClosedAt: c.VendorClosedAt,
		Parked: c.Parked, ParkedUntil: c.ParkedUntil, NextAt: c.NextAt, Move: c.Move, Unnumbered: c.Unnumbered,
		Advice: c.Advice, AdviceBecause: c.AdviceBecause, Raised: c.Raised}
}

const pressing = `select c.id, c.number, c.vendor_id, c.state, c.severity, c.owner_id, c.unread, c.unread_since,
	c.vendor_closed_at, c.parked, c.parked_until, c.next_at, c.move, c.unnumbered, c.advice,
	c.advice_because, c.raised,
	c.` + LiveCases + ` or exists (select from delivery d where d.case_id = c.id and d.needs_person)
		or exists (select from dated_item i where i.case_id = c.id and i.outcome = 'live') as asks
	from support_case c `

// AllPressing are all that have a place on Today: the live ones, and those of which
// something waits for a person or goes on after their end.
func AllPressing(ctx context.Context, q db.Querier) (out []Pressing, err error) {
	return out, q.SelectContext(ctx, &out, pressing+"where c."+LiveCases+
		" or c.id in (select case_id from delivery where needs_person)"+
		" or c.id in (select case_id from dated_item where outcome = 'live')")
}

// Touched are those that a transaction wrote which had not ended, or not begun, when
// since was the oldest that was running.
func Touched(ctx context.Context, q db.Querier, since uint64) (out []Pressing, err error) {
	return out, q.SelectContext(ctx, &out, pressing+"where c.touched >= cast(cast($1 as text) as xid8)", fmt.Sprint(since))
}

// OldestRunning is the oldest transaction that has not ended as this statement sees it: whatever
// an older one wrote can be seen.
func OldestRunning(ctx context.Context, q db.Querier) (xid uint64, err error) {
	return xid, q.GetContext(ctx, &xid, "select cast(cast(pg_snapshot_xmin(pg_current_snapshot()) as text) as bigint)")
}
