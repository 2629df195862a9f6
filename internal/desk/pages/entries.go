package pages

import (
	"context"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
	notifydb "roundhouse.example/internal/store/notify"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// EntryView is a line of the record with how its sending stands.
type EntryView struct {
	casesdb.Entry
	Delivery *outboxdb.Delivery
	// Mine says that the person who asks wrote it.
	Mine bool
	// File is the number of the file that it says was added.
	File *int
	// Enclosed are the files that go with it.
	Enclosed []filesdb.Enclosed
	// Holds is what must not leave and is in a line that does not: a note, a call, a message of the vendor's.
	Holds  []disclosure.Kind
	Emails *notifydb.Sent // of a briefing that was emailed
}

// Entries is a part of the record in order of number.
func (d *Pages) Entries(ctx context.Context, a desk.Actor, id int64, after,
	limit int) (out []EntryView, more bool, err error) {
	return d.entries(ctx, a, id, after, limit, nil, false)
}

// entries are those until an instant, where one is given, by what had happened or with known by what was recorded.
func (d *Pages) entries(ctx context.Context, a desk.Actor, id int64, after, limit int, until *time.Time,
	known bool) (out []EntryView, more bool, err error) {
	if err := a.May(access.Read); err != nil {
		return nil, false, err
	}
	if err := d.seen(ctx, a, id); err != nil {
		return nil, false, err
	}
	rows, err := casesdb.Entries(ctx, d.db.DB, id, after, limit+1, a.Grant().Hidden(), until, known)
	if err != nil {
		return nil, false, err
	}
	if more = len(rows) > limit; more {
		rows = rows[:limit]
	}
	deliveries, err := outboxdb.Of(ctx, d.db.DB, id)
	if err != nil {
		return nil, false, err
	}
	byEntry := map[int]*outboxdb.Delivery{}
	for i := range deliveries {
		if deliveries[i].Action != route.Attach { // which follows its message
			byEntry[deliveries[i].EntryNumber] = &deliveries[i]
		}
	}
	with, err := d.enclosedBy(ctx, a, id, len(deliveries) > 0)
	if err != nil {
		return nil, false, err
	}
	var attached []int64
	for _, e := range rows {
		if e.Kind == casework.Attached {
			attached = append(attached, e.ID)
		}
	}
	files := map[int64]int{}
	if len(attached) > 0 {
		if files, err = filesdb.ByEntry(ctx, d.db.DB, attached); err != nil {
			return nil, false, err
		}
	}
	emails, err := d.emails(ctx, rows)
	if err != nil {
		return nil, false, err
	}
	for _, e := range rows {
		v := EntryView{Entry: e, Delivery: byEntry[e.Number], Enclosed: with[e.Number],
			Mine: e.AuthorID != nil && *e.AuthorID == a.ID}
		if s, ok := emails[e.ID]; ok {
			v.Emails = &s
		}
		if n, ok := files[e.ID]; ok {
			v.File = &n
		}
		written := e.Kind != casework.Change && e.Kind != casework.Attached && e.Kind != casework.Briefing
		if written && desk.Deref(e.Direction) != "out" {
			v.Holds = d.leaving.Stops(e.Body)
		}
		out = append(out, v)
	}
	return out, more, nil
}

// emails are how the emails of some briefings stand, by entry.
func (d *Pages) emails(ctx context.Context, rows []casesdb.Entry) (map[int64]notifydb.Sent, error) {
	var briefings []int64
	for _, e := range rows {
		if e.Kind == casework.Briefing {
			briefings = append(briefings, e.ID)
		}
	}
	if len(briefings) == 0 {
		return nil, nil
	}
	return notifydb.ByEntry(ctx, d.db.DB, briefings)
}

// enclosedBy are the files that go with messages of a case, by the message's number.
func (d *Pages) enclosedBy(ctx context.Context, a desk.Actor, id int64, any bool) (map[int][]filesdb.Enclosed, error) {
	if !any {
		return nil, nil
	}
	c, err := casesdb.ByID(ctx, d.db.DB, id)
	if err != nil {
		return nil, err
	}
	list, err := enclosed(ctx, d.db.DB, a, &c)
	out := map[int][]filesdb.Enclosed{}
	for _, f := range list {
		out[f.Entry] = append(out[f.Entry], f)
	}
	return out, err
}

// Entry is one line of the record.
func (d *Pages) Entry(ctx context.Context, a desk.Actor, id int64, number int) (EntryView, error) {
	rows, _, err := d.Entries(ctx, a, id, number-1, 1)
	if err == nil && (len(rows) == 0 || rows[0].Number != number) {
		err = db.ErrNotFound
	}
	if err != nil {
		return EntryView{}, err
	}
	return rows[0], nil
}
