package cases

import (
	"context"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// cursor is where a page of the list ended.
type cursor struct {
	Sort string `json:"s"`
	Key  string `json:"k"`
	Case int64  `json:"c"`
}

// ListCases is one page over all vendors.
func (h *Cases) ListCases(ctx context.Context,
	r apigen.ListCasesRequestObject) (apigen.ListCasesResponseObject, error) {
	p := r.Params
	f, scope := h.filter(apigen.CaseQuery{State: p.State, Vendor: p.Vendor, Kind: p.Kind, Severity: p.Severity,
		Move: p.Move, Whose: p.Whose, Person: p.Person, Words: p.Words, Asset: p.Asset, Account: p.Account,
		Contract: p.Contract,
		Late:     p.Late, Unread: p.Unread, NotConfirmed: p.NotConfirmed, NextBefore: p.NextBefore, DueBefore: p.DueBefore,
		Origin: p.Origin, Unsorted: p.Unsorted, NoReference: p.NoReference, Sort: p.Sort})
	f.Limit = 50
	if p.Limit != nil {
		f.Limit = *p.Limit
	}
	if p.Cursor != nil {
		var at cursor
		if err := web.ReadCursor(*p.Cursor, &at); err != nil || at.Sort != f.Sort || !sortKey(at) {
			return nil, web.BadCursor("Use the cursor of the previous page, with the same sort.")
		}
		f.After, f.AfterKey, f.AfterCase = true, at.Key, at.Case
	}
	if m, past := web.Moment(p.At, p.Known); past {
		return h.listAt(ctx, p, today.ListAt{Scope: scope, States: f.States, All: len(f.States) == 0,
			Vendors: f.Vendors, Severities: f.Severities, Limit: f.Limit}, m)
	}
	lines, more, err := h.desk().Today.CasesOf(ctx, web.Actor(ctx), f, scope)
	if err != nil {
		return nil, err
	}
	page := apigen.CasePage{Items: web.Each(lines, CaseLine), AsOf: h.desk().Now()}
	if more {
		last := lines[len(lines)-1]
		page.Next = web.Ptr(web.WriteCursor(cursor{f.Sort, today.SortKey(f.Sort, last), last.Number}))
	}
	return apigen.ListCases200JSONResponse(page), nil
}

// filter is what a query narrows the list to.
func (h *Cases) filter(q apigen.CaseQuery) (today.CaseFilter, today.Scope) {
	f := today.CaseFilter{Sort: "newest", Words: strings.TrimSpace(web.Val(q.Words)), Move: web.Val(q.Move),
		Vendors: web.Val(q.Vendor), Kinds: web.Each(web.Val(q.Kind), func(k apigen.CaseKind) string { return string(k) }),
		Asset: web.Val(q.Asset), Account: web.Val(q.Account), Contract: web.Val(q.Contract),
		NoReference: web.Val(q.NoReference), Unsorted: web.Val(q.Unsorted), Late: web.Val(q.Late), Unread: web.Val(q.Unread),
		NotConfirmed: web.Val(q.NotConfirmed), NextBefore: q.NextBefore, DueBefore: q.DueBefore,
		Origin: casework.Origin(web.Val(q.Origin))}
	for _, s := range web.Val(q.State) {
		if s == apigen.StateFilterLive {
			f.States = append(f.States, casework.LiveStates...)
			continue
		}
		f.States = append(f.States, casework.State(s))
	}
	for _, s := range web.Val(q.Severity) {
		f.Severities = append(f.Severities, int64(s))
	}
	for _, x := range []struct {
		hours *int
		to    **time.Time
	}{{q.NextWithin, &f.NextBefore}, {q.DueWithin, &f.DueBefore}} {
		if x.hours != nil {
			*x.to = new(h.desk().Now().Add(time.Duration(*x.hours) * time.Hour))
		}
	}
	if q.Sort != nil {
		f.Sort = string(*q.Sort)
	}
	return f, today.Scope{Whose: today.Whose(web.Val(q.Whose)), Person: web.Val(q.Person)}
}

func sortKey(c cursor) bool {
	switch c.Sort {
	case "severity":
		n, err := strconv.Atoi(c.Key)
		return err == nil && n >= 0 && n <= 9
	case "next", "changed":
		if c.Sort == "next" && c.Key == "infinity" { // of cases that have no next date
			return true
		}
		t, err := time.Parse(time.RFC3339Nano, c.Key)
		return err == nil && web.Known(t)
	}
	return true
}

// CaseLine is a case as lists show it, in the contract's form.
func CaseLine(l today.CaseLine) apigen.CaseLine {
	out := apigen.CaseLine{
		Number: casework.Name(l.Number), Title: l.Title, Vendor: l.Vendor, VendorKey: l.VendorKey,
		Reference: web.Some(l.Reference),
		Kind:      apigen.CaseKind(l.Kind), State: l.State, Severity: l.Severity, Level: l.LevelRank,
		LevelLabel: l.LevelLabel,
		Move:       l.Move, MoveSince: l.MoveSince, Standing: web.Some(apigen.Standing(l.Standing)), Due: l.Due,
		Deadline: web.Some(apigen.DeadlineKind(l.Deadline)),
		NextAt:   l.NextAt, Owner: l.Owner, OpenedAt: l.OpenedAt, ChangedAt: l.ChangedAt, LastVendorAt: l.LastVendorAt,
		LastEntry: l.LastEntry,
		Unread:    l.Unread, ParkedUntil: l.ParkedUntil, New: web.Some(l.New), WaitsOn: web.Some(apigen.Whom(l.MoveOn)),
		WaitsOnName: web.Some(l.MoveOnName), Summary: web.Some(l.Summary),
	}
	if l.MoveOn != "" {
		out.WaitsOnWords = web.Ptr(casework.On{Whom: l.MoveOn, Name: l.MoveOnName}.Words())
	}
	if l.Severity != nil {
		out.SeverityWord = web.Ptr(severity.Level(*l.Severity).String())
	}
	if l.Owner != nil {
		out.OwnerInitials = web.Ptr(initials(*l.Owner))
	}
	return out
}

func initials(name string) string {
	var b strings.Builder
	for _, w := range strings.Fields(name) {
		b.WriteString(string([]rune(w)[:1]))
	}
	return strings.ToUpper(b.String())
}

// listAt is a list of cases as they stood at a moment.
func (h *Cases) listAt(ctx context.Context, p apigen.ListCasesParams, f today.ListAt,
	m record.Moment) (apigen.ListCasesResponseObject, error) {
	for name, given := range map[string]bool{"kind": p.Kind != nil, "move": p.Move != nil, "words": p.Words != nil,
		"asset": p.Asset != nil, "account": p.Account != nil, "contract": p.Contract != nil, "late": p.Late != nil,
		"unread": p.Unread != nil, "not_confirmed": p.NotConfirmed != nil, "next_before": p.NextBefore != nil,
		"due_before": p.DueBefore != nil, "origin": p.Origin != nil, "unsorted": p.Unsorted != nil,
		"no_reference": p.NoReference != nil, "sort": p.Sort != nil && *p.Sort != "newest", "cursor": p.Cursor != nil} {
		if given {
			return nil, desk.Fault(name, "a list as it stood is narrowed by state, vendor, severity and person only")
		}
	}
	lines, more, err := h.desk().Today.CasesAt(ctx, web.Actor(ctx), f, m)
	out := apigen.CasePage{Items: web.Each(lines, CaseLine), AsOf: m.At}
	if more {
		out.More = web.Ptr(true)
	}
	return apigen.ListCases200JSONResponse(out), err
}
