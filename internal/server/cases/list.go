package cases

import (
	"context"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/severity"
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
	f := today.CaseFilter{Sort: "newest", Limit: 50, Words: strings.TrimSpace(web.Val(p.Words)), Move: web.Val(p.Move),
		Vendors: web.Val(p.Vendor), Kinds: web.Each(web.Val(p.Kind), func(k apigen.CaseKind) string { return string(k) })}
	for _, s := range web.Val(p.State) {
		if s == apigen.StateFilterLive {
			f.States = append(f.States, casework.Filed, casework.Open, casework.FixOffered)
			continue
		}
		f.States = append(f.States, casework.State(s))
	}
	for _, s := range web.Val(p.Severity) {
		f.Severities = append(f.Severities, int64(s))
	}
	f.Asset, f.Account, f.Contract = web.Val(p.Asset), web.Val(p.Account), web.Val(p.Contract)
	f.NoReference, f.Unsorted = web.Val(p.NoReference), web.Val(p.Unsorted)
	if web.Val(p.Whose) == apigen.WhoseMine {
		f.Owner = web.Actor(ctx).ID
	}
	if p.Sort != nil {
		f.Sort = string(*p.Sort)
	}
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
	lines, more, err := h.desk().Today.Cases(ctx, web.Actor(ctx), f)
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

func sortKey(c cursor) bool {
	switch c.Sort {
	case "severity":
		n, err := strconv.Atoi(c.Key)
		return err == nil && n >= 0 && n <= 9
	case "changed":
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
