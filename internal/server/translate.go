package server

import (
	"context"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	hoursdb "roundhouse.example/internal/store/hours"
	outboxdb "roundhouse.example/internal/store/outbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/filing"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/today"

	"github.com/oapi-codegen/nullable"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/server/apigen"
)

func ptr[T any](v T) *T { return &v }

// some is a pointer to a value, or nil to the zero value.
func some[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

func val[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

func each[A, B any](list []A, fn func(A) B) []B {
	out := make([]B, len(list))
	for i, v := range list {
		out[i] = fn(v)
	}
	return out
}

func clientIP(ctx context.Context) string {
	ip, _ := ctx.Value(addressKey).(string)
	return ip
}

func person(p peopledb.Person) apigen.Person {
	return apigen.Person{Id: p.ID, Version: p.Version, Name: p.Name, Email: p.Email, Role: apigen.Role(p.Role), Active: p.Active,
		Phone: some(p.Phone), Zone: some(p.Zone), Hours: some(p.Hours), Languages: some(p.Languages)}
}

func token(t peopledb.Token) apigen.Token {
	return apigen.Token{Id: t.ID, Name: t.Name, CreatedAt: t.CreatedAt, LastUsedAt: t.LastUsedAt, RevokedAt: t.RevokedAt}
}

func factsIn(f *apigen.Facts) casesdb.Facts {
	if f == nil {
		return casesdb.Facts{}
	}
	out := casesdb.Facts{Environment: string(val(f.Environment)), Effect: string(val(f.Effect)), Reach: string(val(f.Reach)),
		Workaround: string(val(f.Workaround)), Exposure: val(f.Exposure)}
	if t, err := f.NeededBy.Get(); err == nil {
		t = t.UTC()
		out.NeededBy = &t
	}
	return out
}

func factsOut(f casesdb.Facts) apigen.Facts {
	out := apigen.Facts{Environment: some(apigen.FactsEnvironment(f.Environment)), Effect: some(apigen.FactsEffect(f.Effect)),
		Reach: some(apigen.FactsReach(f.Reach)), Workaround: some(apigen.FactsWorkaround(f.Workaround)), Exposure: some(f.Exposure)}
	if f.NeededBy != nil {
		out.NeededBy = nullable.NewNullableWithValue(*f.NeededBy)
	}
	return out
}

func textsIn(t *apigen.Texts) casesdb.Texts {
	if t == nil {
		return casesdb.Texts{}
	}
	return casesdb.Texts{Happened: val(t.Happened), Expected: val(t.Expected), Steps: val(t.Steps), Since: val(t.Since), Tried: val(t.Tried),
		OnWhat: val(t.OnWhat), Contact: val(t.Contact), ContactAlways: val(t.ContactAlways)}
}

func textsOut(t casesdb.Texts) apigen.Texts {
	return apigen.Texts{Happened: some(t.Happened), Expected: some(t.Expected), Steps: some(t.Steps), Since: some(t.Since), Tried: some(t.Tried),
		OnWhat: some(t.OnWhat), Contact: some(t.Contact), ContactAlways: some(t.ContactAlways)}
}

func level(l registerdb.Level) apigen.Level {
	out := apigen.Level{Rank: l.Rank, Label: l.Label, Meaning: some(l.Meaning), RoundTheClock: l.RoundTheClock, Severities: l.Severities, Criteria: []apigen.Criterion{}}
	if out.Severities == nil {
		out.Severities = []int{}
	}
	if len(l.Channels.V) > 0 {
		out.Channels = &l.Channels.V
	}
	for _, c := range l.Criteria {
		out.Criteria = append(out.Criteria, apigen.Criterion{Id: c.ID, Text: c.Text})
	}
	return out
}

func grading(g filing.Grading) apigen.Grade {
	out := apigen.Grade{Severity: int(g.Severity), Word: g.Severity.String(), Supported: int(g.Supported.Level), Reasons: g.Supported.Reasons, Warning: some(g.Warning)}
	if g.Level != nil {
		out.Level = ptr(level(*g.Level))
	}
	if g.Promises != nil {
		out.Promises = ptr(each(g.Promises, func(p filing.Promise) apigen.Promise {
			return apigen.Promise{Deadline: apigen.DeadlineKind(p.Deadline), Target: p.Target, Calendar: some(p.Calendar), Due: p.Due, Contract: some(p.Contract)}
		}))
	}
	return out
}

func vendor(v registry.VendorView) apigen.Vendor {
	out := apigen.Vendor{Key: v.Key, Name: v.Name, Zone: v.Zone, Does: v.Does, Open: v.Open, Until: v.Until, LiveCases: v.Live,
		Levels: each(v.Levels, level), Contracts: []apigen.VendorContract{}, Hours: each(v.Hours, hoursOf)}
	labels := map[int]string{}
	for _, l := range v.Levels {
		labels[l.Rank] = l.Label
	}
	for _, k := range v.Contracts {
		c := apigen.VendorContract{Number: k.Number, StartsOn: k.StartsOn.Format(time.DateOnly), EndsOn: k.EndsOn.Format(time.DateOnly),
			Id: k.ID, OnChange: k.Terms.OnChange, WhileOurs: k.Terms.WhileOurs, Terms: []apigen.Term{}}
		for _, r := range k.Rows {
			c.Terms = append(c.Terms, apigen.Term{Deadline: apigen.DeadlineKind(r.Deadline), Rank: r.Rank, Label: some(labels[r.Rank]), Target: r.Target, Calendar: k.Names[val(r.CalendarID)],
				Kind: some(r.Kind), Channel: some(r.Channel), Country: some(r.Country)})
		}
		out.Contracts = append(out.Contracts, c)
	}
	if l := v.Link; l != nil {
		out.Link = &apigen.Link{Kind: l.Kind, Address: l.Address, LastLookAt: l.LookedAt, FailingSince: l.FailingSince, Failures: l.Failures, Problem: some(l.Problem), NotPlaced: some(v.NotPlaced)}
	}
	return out
}

func hoursOf(c hoursdb.CalendarVersion) apigen.Hours {
	d := c.Definition.V
	h := apigen.Hours{Name: c.Name, Zone: d.Zone, Always: d.Always}
	if h.Zone == "" {
		h.Zone = "UTC"
	}
	if len(d.Week) > 0 {
		h.Week = &d.Week
	}
	if len(d.Closed) > 0 {
		h.Closed = &d.Closed
	}
	if len(d.Extra) > 0 {
		h.Extra = &d.Extra
	}
	return h
}

func caseLine(l today.CaseLine) apigen.CaseLine {
	out := apigen.CaseLine{
		Number: casework.Name(l.Number), Title: l.Title, Vendor: l.Vendor, VendorKey: l.VendorKey, Reference: some(l.Reference),
		Kind: apigen.CaseKind(l.Kind), State: apigen.State(l.State), Severity: l.Severity, Level: l.LevelRank, LevelLabel: l.LevelLabel,
		Move: (*apigen.Side)(l.Move), MoveSince: l.MoveSince, Standing: some(apigen.Standing(l.Standing)), Due: l.Due, Deadline: some(apigen.DeadlineKind(l.Deadline)),
		NextAt: l.NextAt, Owner: l.Owner, OpenedAt: l.OpenedAt, ChangedAt: l.ChangedAt, LastVendorAt: l.LastVendorAt, LastEntry: l.LastEntry,
		Unread: l.Unread, ParkedUntil: l.ParkedUntil,
	}
	if l.Severity != nil {
		out.SeverityWord = ptr(severity.Level(*l.Severity).String())
	}
	if l.Owner != nil {
		out.OwnerInitials = ptr(initials(*l.Owner))
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

func deadlineOut(v cases.DeadlineView) apigen.Deadline {
	c := v.Clock
	out := apigen.Deadline{
		Deadline: apigen.DeadlineKind(c.Kind.String()), Side: apigen.SideTheirs, Rank: c.Rank, Label: some(v.Label), Started: unix(c.Start),
		Standing: apigen.Standing(v.Standing), Target: c.Term.Target.String(), TargetSeconds: c.Seconds, CountedSeconds: v.Counted,
		Calendar: v.Calendar, LateSeconds: some(v.Late), Words: some(v.Words),
	}
	if c.Kind.Ours() {
		out.Side = apigen.SideOurs
	}
	if v.DueKnown {
		out.Due = ptr(unix(v.Due))
	}
	if c.Outcome != deadline.Live {
		out.Ended = ptr(unix(c.End))
	}
	out.Segments = each(v.Segments, func(s cases.SegmentView) apigen.Segment {
		return apigen.Segment{From: unix(s.From), To: unix(s.To), Counted: s.Counted, Why: s.Why.String(), CoveredSeconds: s.Covered}
	})
	return out
}

func unix(s int64) time.Time { return time.Unix(s, 0).UTC() }

func delivery(d outboxdb.Delivery) apigen.Delivery {
	return apigen.Delivery{Id: d.ID, Step: some(d.Step), State: apigen.DeliveryState(d.State), Attempts: d.Attempts, Problem: some(d.Problem),
		NextAt: d.NextAt, LeftAt: d.LeftAt, NeedsPerson: some(d.NeedsPerson), Channel: ptr(apigen.DeliveryChannel(d.Channel)), Entry: &d.EntryNumber}
}

func entry(e cases.EntryView) apigen.Entry {
	out := apigen.Entry{
		Number: e.Number, Kind: apigen.EntryKind(e.Kind), Direction: (*apigen.EntryDirection)(e.Direction), Author: some(e.AuthorName),
		Channel: some(e.Channel), StatedAt: e.StatedAt, HappenedAt: e.HappenedAt, RecordedAt: e.RecordedAt, Text: e.Body,
		Automatic: some(e.Automatic), RefersTo: e.RefersTo,
	}
	if x := e.Effect.V; x != nil {
		out.Effect = &apigen.Effect{Event: x.Event, Move: some(apigen.Side(x.Move)), Offers: some(x.Offers), To: some(x.To),
			Severity: some(x.Severity), Level: some(x.Level), Automatic: some(x.Automatic), Agreed: some(x.Agreed)}
	}
	if e.Delivery != nil {
		out.Delivery = ptr(delivery(*e.Delivery))
	}
	return out
}

func way(w register.Way) apigen.Way {
	out := apigen.Way{Channel: w.Channel, Address: w.Address, Area: some(w.Area), Calendar: some(w.Calendar), Urgent: some(w.Urgent), MaxMb: some(w.MaxMB)}
	if len(w.Languages) > 0 {
		out.Languages = &w.Languages
	}
	if len(w.FileTypes) > 0 {
		out.FileTypes = &w.FileTypes
	}
	return out
}

func caseOut(v cases.View) apigen.Case {
	l := v.Line
	out := apigen.Case{
		Line: caseLine(l), Facts: factsOut(l.Facts.V), Texts: textsOut(l.Texts.V), Warning: some(v.Warning), SeverityChosenBecause: some(l.SeverityBecause),
		LevelSetByVendor: some(l.VendorLevel), VendorWord: some(l.VendorWord), VendorWordAt: l.VendorWordAt, VendorClosed: some(l.VendorClosedAt != nil),
		Holder: some(l.Holder), Parked: some(l.Parked), ParkedAgreed: some(l.ParkedAgreed), Outcome: some(l.Outcome), Cause: some(l.Cause),
		Zone: v.Zone, VendorZone: some(l.VendorZone), VendorOpen: ptr(v.VendorOpen), VendorUntil: v.VendorTill, Preview: some(v.Preview),
		Allowed: []string{}, Needs: []apigen.Need{}, Deadlines: each(v.Deadlines, deadlineOut), OnTheWay: each(v.Deliveries, delivery),
		References: each(v.References, func(r casesdb.Reference) apigen.Reference { return apigen.Reference{Whose: r.Whose, Value: r.Value} }),
	}
	for i, d := range v.Deliveries {
		if carried, ok := v.Carried[d.ID]; ok {
			out.OnTheWay[i].Text, out.OnTheWay[i].Ways = &carried.Text, ptr(each(carried.Ways, way))
		}
	}
	if len(v.Routes) > 0 {
		out.Routes = &v.Routes
	}
	if l.Reference != "" && out.Line.Reference == nil {
		out.Line.Reference = &l.Reference
	}
	if v.Supported != nil {
		out.SeveritySupported, out.SeverityReasons = ptr(int(v.Supported.Level)), &v.Supported.Reasons
	}
	if v.Level != nil {
		held := level(*v.Level)
		for i := range held.Criteria {
			for _, a := range v.Attested {
				if a.CriterionID == held.Criteria[i].Id {
					held.Criteria[i].AttestedBy, held.Criteria[i].AttestedAt = ptr(a.Person), ptr(a.At)
				}
			}
		}
		out.LevelHeld = &held
	}
	if v.Contract != nil {
		out.Contract, out.ContractUntil = &v.Contract.Number, ptr(v.Contract.EndsOn.Format(time.DateOnly))
		out.ContractId = &v.Contract.ID
	}
	if len(v.Asked) > 0 {
		out.Asked = ptr(each(v.Asked, question))
	}
	out.Asset, out.AssetId, out.Account, out.AccountId = v.Line.Row.Asset, v.Line.AssetID, v.Line.Row.Account, v.Line.AccountID
	for _, s := range v.Allowed {
		out.Allowed = append(out.Allowed, string(s))
	}
	for _, n := range v.Needs {
		w := apigen.NeedWeightMay
		if n.Must {
			w = apigen.NeedWeightMust
		}
		out.Needs = append(out.Needs, apigen.Need{Weight: w, Field: some(n.Field), Text: n.Text})
	}
	if n := v.Next; n != nil {
		out.NextStep, out.NextStepWords, out.NextWhy = ptr(string(n.Step)), ptr(stepWords[string(n.Step)]), ptr(n.Why())
	}
	return out
}

// stepWords is what the button says that answers a line of Today.
var stepWords = map[string]string{
	"answer": "Answer", "verify": "Verify", "chase": "Chase", "read": "Read", "decide": "Decide", "carry": "Take it there", "look": "Look", "return": "Take up again",
	"agree-or-dispute": "Agree or dispute",
}

func todayOf(t today.View) apigen.Today {
	out := apigen.Today{Contracts: each(t.Contracts, func(k registry.Thing[register.Contract]) apigen.ContractLine {
		return apigen.ContractLine{Id: k.ID, Number: k.Facts.Number, Vendor: k.VendorName, Within: apigen.ContractLineWithin(k.Within), Words: k.Warnings}
	}), AsOf: t.AsOf, Zone: t.Zone, Late: t.Late, DueSoon: t.DueSoon, Unread: t.Unread, OnTheWay: t.OnTheWay, Live: t.Live, Total: t.Sums.Lines}
	out.Lines = each(t.Lines, func(l today.Line) apigen.TodayLine {
		x := apigen.TodayLine{Case: caseLine(l.Case), Why: l.Why(), Step: string(l.Step), StepWords: stepWords[string(l.Step)],
			Pressure: float32(l.Pressure), Standing: some(apigen.Standing(l.Standing))}
		if l.HasDue {
			x.Due = ptr(unix(l.Due))
		}
		return x
	})
	return out
}

func question(q cases.Question) apigen.Question {
	out := apigen.Question{Key: q.Key, Label: q.Label, Answer: q.Answer, Type: q.Type, Must: q.Must, Hint: some(q.Hint), Problem: some(q.Problem), Given: some(q.Given)}
	if len(q.Choices) > 0 {
		out.Choices = &q.Choices
	}
	return out
}
