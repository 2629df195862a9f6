package cases

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	corefiles "roundhouse.example/internal/core/files"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/desk/ladders"
	"roundhouse.example/internal/desk/pages"

	"roundhouse.example/internal/desk/outbox"

	"github.com/oapi-codegen/nullable"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/outages"
	webregister "roundhouse.example/internal/server/register"
	"roundhouse.example/internal/server/web"
)

// OpenCase begins a draft.
func (h *Cases) OpenCase(ctx context.Context, r apigen.OpenCaseRequestObject) (apigen.OpenCaseResponseObject, error) {
	b := r.Body
	ref, err := h.desk().Drafts.Open(ctx, web.Actor(ctx), drafts.Draft{
		Like: web.Val(b.Like), Follows: web.Val(b.Follows),
		Maker: web.Val(b.Maker), GoOn: web.Val(b.GoOnReason), Unsorted: unsortedIn(b.Unsorted),
		Vendor: web.Val(b.Vendor), Asset: b.Asset, Account: b.Account, Contract: b.Contract, Title: web.Val(b.Title),
		Kind: string(web.Val(b.Kind)), Facts: factsIn(b.Facts), Texts: web.Val(b.Texts), Answers: web.Val(b.Answers),
		Severity: b.Severity, SeverityReason: web.Val(b.SeverityReason), Ticket: web.Val(b.Ticket),
	})
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Case(ctx, web.Actor(ctx), ref.ID)
	if err != nil {
		return nil, err
	}
	return apigen.OpenCase201JSONResponse{Body: caseOut(v), Headers: apigen.OpenCase201ResponseHeaders{
		ETag: web.Ptr(etag(v)), Location: web.Ptr("/api/v1/cases/" + casework.Name(ref.Number))}}, nil
}

func etag(v pages.View) string { return fmt.Sprintf(`"v%d"`, v.Line.Version) }

// GetCase is one case whole.
func (h *Cases) GetCase(ctx context.Context, r apigen.GetCaseRequestObject) (apigen.GetCaseResponseObject, error) {
	if m, past := web.Moment(r.Params.At, r.Params.Known); past {
		id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), r.Case)
		if err != nil {
			return nil, err
		}
		v, err := h.desk().Pages.CaseAt(ctx, web.Actor(ctx), id, m)
		if err != nil {
			return nil, err
		}
		out := caseOut(v)
		out.AsOf, out.VendorOpen, out.VendorUntil = &m.At, nil, nil // which say how it is now
		return apigen.GetCase200JSONResponse{Body: out}, nil
	}
	v, err := h.whole(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	return apigen.GetCase200JSONResponse{Body: caseOut(v),
		Headers: apigen.GetCase200ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}

func (h *Cases) whole(ctx context.Context, name string) (pages.View, error) {
	id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), name)
	if err != nil {
		return pages.View{}, err
	}
	return h.desk().Pages.Case(ctx, web.Actor(ctx), id)
}

// meant is the case that a request names, and the version that it was made on.
func (h *Cases) meant(ctx context.Context, name string, ifMatch *string) (id, match int64, err error) {
	if id, err = h.desk().Pages.Find(ctx, web.Actor(ctx), name); err != nil {
		return 0, 0, err
	}
	match, err = web.Matched(ifMatch)
	return id, match, err
}

// ChangeCase changes the head by a merge patch.
func (h *Cases) ChangeCase(ctx context.Context,
	r apigen.ChangeCaseRequestObject) (apigen.ChangeCaseResponseObject, error) {
	id, match, err := h.meant(ctx, r.Case, r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	b := r.Body
	ch := drafts.Edit{Title: b.Title, Kind: (*string)(b.Kind), SeverityReason: b.SeverityReason, Vendor: b.Vendor,
		GoOn: b.GoOnReason}
	if b.Maker.IsSpecified() {
		v, _ := b.Maker.Get()
		ch.Maker = &v
	}
	var raw struct{ Facts, Texts, Answers, Unsorted json.RawMessage }
	if body, ok := ctx.Value(web.BodyKey).([]byte); ok {
		if err := json.Unmarshal(body, &raw); err != nil {
			return nil, err
		}
	}
	ch.Reference = b.Reference
	ch.Facts, ch.Texts, ch.Answers, ch.Unsorted = raw.Facts, raw.Texts, raw.Answers, raw.Unsorted
	ch.Asset, ch.Account, ch.Contract = web.Given(b.Asset), web.Given(b.Account), web.Given(b.Contract)
	if b.Severity.IsSpecified() {
		var to *int
		if v, err := b.Severity.Get(); err == nil {
			to = &v
		}
		ch.Severity = &to
	}
	if b.Ticket.IsSpecified() {
		v, _ := b.Ticket.Get()
		ch.Ticket = &v
	}
	if err := h.desk().Drafts.Edit(ctx, web.Actor(ctx), id, match, ch); err != nil {
		return nil, err
	}
	v, err := h.desk().Pages.Saved(ctx, web.Actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.ChangeCase200JSONResponse{Body: caseOut(v),
		Headers: apigen.ChangeCase200ResponseHeaders{ETag: web.Ptr(etag(v))}}, nil
}

func unsortedIn(u *apigen.Unsorted) (out cases.Unsorted) {
	if u != nil {
		out = cases.Unsorted{Vendor: web.Val(u.Vendor), Product: web.Val(u.Product), Kind: web.Val(u.Kind)}
	}
	return out
}

// sortingOut is what could not be named, whom to go to first, and the maker behind a reseller.
func sortingOut(v pages.View, out *apigen.Case) {
	if u := v.Line.Unsorted.V; u != (cases.Unsorted{}) {
		out.Unsorted = &apigen.Unsorted{Vendor: web.Some(u.Vendor), Product: web.Some(u.Product), Kind: web.Some(u.Kind)}
	}
	out.GoOnReason = web.Some(v.Line.GoOnBecause)
	for _, x := range []struct {
		number *int64
		to     **string
	}{{v.Line.InsteadOfNumber, &out.InsteadOf}, {v.Line.RefiledAsNumber, &out.RefiledAs}} {
		if x.number != nil {
			*x.to = web.Ptr(casework.Name(*x.number))
		}
	}
	out.Maker, out.MakerKey = v.Line.Row.Maker, v.Line.Row.MakerKey
	out.MakerStatus, out.MakerStatusAt = web.Some(v.Line.MakerStatus), v.Line.MakerStatusAt
	if f := v.Filing.First; f != nil {
		out.First = &apigen.GoFirst{Vendor: f.Key, Name: f.Name, Direct: v.Filing.Vendor.Profile.V.DirectAllowed}
	}
}

func factsIn(f *apigen.Facts) cases.Facts {
	if f == nil {
		return cases.Facts{}
	}
	out := cases.Facts{Environment: string(web.Val(f.Environment)), Effect: string(web.Val(f.Effect)),
		Reach:      string(web.Val(f.Reach)),
		Workaround: string(web.Val(f.Workaround)), Exposure: web.Val(f.Exposure)}
	if t, err := f.NeededBy.Get(); err == nil {
		t = t.UTC()
		out.NeededBy = &t
	}
	return out
}

func factsOut(f cases.Facts) apigen.Facts {
	out := apigen.Facts{Environment: web.Some(apigen.FactsEnvironment(f.Environment)),
		Effect: web.Some(apigen.FactsEffect(f.Effect)),
		Reach:  web.Some(apigen.FactsReach(f.Reach)), Workaround: web.Some(apigen.FactsWorkaround(f.Workaround)),
		Exposure: web.Some(f.Exposure)}
	if f.NeededBy != nil {
		out.NeededBy = nullable.NewNullableWithValue(*f.NeededBy)
	}
	return out
}

func delivery(d outbox.Delivery) apigen.Delivery {
	return apigen.Delivery{Id: d.ID, Step: web.Some(string(d.Step)), State: apigen.DeliveryState(d.State),
		Attempts: d.Attempts, Problem: web.Some(d.Problem),
		NextAt: d.NextAt, LeftAt: d.LeftAt, NeedsPerson: web.Some(d.NeedsPerson), Channel: &d.Channel,
		Automatic: web.Ptr(d.Route().Automatic()), Entry: &d.EntryNumber}
}

// enclosedOut is a file that goes with a message.
func enclosedOut(f files.Enclosed) apigen.EnclosedFile {
	return apigen.EnclosedFile{Number: f.Number, Name: web.Some(f.Name), Caption: web.Some(f.Caption), Bytes: f.Bytes,
		Sha256: web.Some(hex.EncodeToString(f.SHA256)), State: apigen.DeliveryState(f.State), At: f.LeftAt}
}

func limitOut(l corefiles.Limit) *apigen.FileLimit {
	out := apigen.FileLimit{None: web.Some(l.None), MaxMb: web.Some(l.MB), Together: web.Some(l.Together)}
	if len(l.Endings) > 0 {
		out.FileTypes = &l.Endings
	}
	return &out
}

func way(w register.Way) apigen.Way {
	out := apigen.Way{Channel: string(w.Channel), Address: w.Address, Area: web.Some(w.Area),
		Calendar: web.Some(w.Calendar), Urgent: web.Some(w.Urgent), MaxMb: web.Some(w.MaxMB)}
	if len(w.Languages) > 0 {
		out.Languages = &w.Languages
	}
	if len(w.FileTypes) > 0 {
		out.FileTypes = &w.FileTypes
	}
	return out
}

func referenceOut(r pages.Reference) apigen.Reference {
	return apigen.Reference{Whose: apigen.ReferenceOwner(r.Owner), Role: apigen.ReferenceRole(r.Role), Of: web.Some(r.Of),
		Value: r.Value, Page: web.Some(r.Page)}
}

func routeOut(v pages.View, r route.Route) apigen.Route {
	out := apigen.Route{Channel: r.Kind, Automatic: r.Automatic(), Link: web.Some(r.Name), To: web.Some(r.To),
		UrgentOnly: web.Some(r.UrgentOnly)}
	if h, has := v.Hours[r.Kind]; has {
		out.Open, out.Until = &h.Open, h.Until
	}
	if f, limited := v.Fitted[r.Kind]; limited {
		out.Title, out.Messages, out.Replaced = &f.Title, &f.Texts, web.Some(f.Replaced)
	}
	return out
}

// levelOut is the level that the case holds, with who confirmed its conditions.
func levelOut(v pages.View) *apigen.Level {
	if v.Level == nil {
		return nil
	}
	held := webregister.Level(*v.Level)
	for i := range held.Criteria {
		for _, a := range v.Confirmed {
			if a.CriterionID == held.Criteria[i].Id {
				held.Criteria[i].ConfirmedBy, held.Criteria[i].ConfirmedAt = web.Ptr(a.Person), web.Ptr(a.At)
			}
		}
	}
	return &held
}

// stepsOut says which steps are allowed, and of the others why not.
func stepsOut(v pages.View, out *apigen.Case) {
	var choices []apigen.StepChoice
	for _, s := range v.Allowed {
		out.Allowed = append(out.Allowed, string(s))
		choices = append(choices, apigen.StepChoice{Step: string(s), Label: s.Label()})
	}
	for _, r := range v.Refused {
		choices = append(choices, apigen.StepChoice{Step: string(r.Step), Label: r.Step.Label(), Why: &r.Why})
	}
	if len(choices) > 0 {
		out.Steps = &choices
	}
}

func caseOut(v pages.View) apigen.Case {
	l := v.Line
	out := apigen.Case{
		Line: CaseLine(l), Facts: factsOut(l.Facts.V), Texts: l.Texts.V, Warning: web.Some(v.Warning),
		SeverityChosenBecause: web.Some(l.SeverityBecause),
		LevelSetByVendor:      web.Some(l.VendorLevel), VendorStatus: web.Some(l.VendorStatus),
		VendorStatusAt: l.VendorStatusAt,
		VendorClosed:   web.Some(l.VendorClosedAt != nil),
		VendorContact:  web.Some(l.VendorContact), Parked: web.Some(l.Parked), ParkedAgreed: web.Some(l.ParkedAgreed),
		Outcome: web.Some(l.Outcome), Cause: web.Some(l.Cause),
		Zone: v.Zone, VendorZone: web.Some(l.VendorZone), VendorOpen: web.Ptr(v.VendorOpen), VendorUntil: v.VendorTill,
		Preview: web.Some(v.Preview),
		Allowed: []string{}, Needs: []apigen.Need{}, Deadlines: web.Each(v.Deadlines, deadlineOut),
		OnTheWay:   web.Each(v.Deliveries, delivery),
		References: web.Each(v.References, referenceOut),
		Origin:     web.Ptr(apigen.Origin(l.Origin)), OpenedBy: web.Some(l.OriginBy),
	}
	toldOut(v, &out)
	datesOut(v, &out)
	readOut(v, &out)
	if len(v.FilesDue) > 0 {
		out.FilesDue = &v.FilesDue
	}
	sortingOut(v, &out)
	for i, d := range v.Deliveries {
		out.OnTheWay[i].OnlyFiles = web.Some(d.Action == route.Attach)
		if list := v.Enclosed[d.ID]; len(list) > 0 {
			out.OnTheWay[i].Files = web.Ptr(web.Each(list, enclosedOut))
		}
		if carried, ok := v.Carried[d.ID]; ok {
			out.OnTheWay[i].Text, out.OnTheWay[i].Ways = &carried.Text, web.Ptr(web.Each(carried.Ways, way))
		}
	}
	if len(v.Routes) > 0 {
		out.Routes = web.Ptr(web.Each(v.Routes, func(r route.Route) apigen.Route { return routeOut(v, r) }))
		for i := range *out.Routes {
			(*out.Routes)[i].Files = limitOut(v.Files[i])
		}
	}
	if v.Outage != nil {
		out.Outage = web.Ptr(outages.Out(*v.Outage))
	}
	if l.Reference != "" && out.Line.Reference == nil {
		out.Line.Reference = &l.Reference
	}
	if v.Supported != nil {
		out.SeveritySupported, out.SeverityReasons = web.Ptr(int(v.Supported.Level)), &v.Supported.Reasons
	}
	out.LevelHeld = levelOut(v)
	if v.Contract != nil {
		out.Contract, out.ContractUntil = &v.Contract.Number, web.Ptr(v.Contract.EndsOn.Format(time.DateOnly))
		out.ContractId = &v.Contract.ID
	}
	if len(v.Asked) > 0 {
		out.Asked = web.Ptr(web.Each(v.Asked, question))
	}
	out.AssetSerial = v.Line.AssetSerial
	out.Asset, out.AssetId, out.Account, out.AccountId = v.Line.Row.Asset, v.Line.AssetID, v.Line.Row.Account,
		v.Line.AccountID
	stepsOut(v, &out)
	draftOut(v, &out)
	out.Advice = AdviceOut(v.Advice)
	endedOut(v, &out)
	if n := v.Next; n != nil {
		out.NextStep, out.NextStepWords, out.NextWhy = web.Ptr(string(n.Step)), web.Ptr(words.NextSteps.Of(string(n.Step))),
			web.Ptr(n.Why())
	}
	return out
}

// endedOut is what is known of escalations and of a case's end.
func endedOut(v pages.View, out *apigen.Case) {
	if out.ReopenUntil = v.ReopenUntil; v.ReopenUntil != nil {
		out.ReopenPast = web.Some(v.Now.After(*v.ReopenUntil))
	}
	out.Reopenings, out.ReopenRefused = web.Some(v.Line.Reopenings), web.Some(v.Line.ReopenRefused)
	out.Chases, out.ChasedAt = web.Some(v.Line.Chases), v.Line.ChasedAt
}

// AdviceOut is whom to escalate to, as the API says it; nil for nobody.
func AdviceOut(a *ladders.Advice) *apigen.Advice {
	if a == nil {
		return nil
	}
	return &apigen.Advice{Rung: a.Number, Of: a.Of, Role: a.Role, Name: web.Some(a.Name), How: a.How,
		Told: web.Some(a.Told), Reply: web.Some(a.Reply), Because: apigen.EscalationReason(a.Because), Why: a.Why,
		Open: a.Open, Until: a.Until}
}

func question(q pages.Question) apigen.Question {
	out := apigen.Question{Key: q.Key, Label: q.Label, Answer: q.Answer, Type: q.Type, Required: q.Required,
		Hint: web.Some(q.Hint), Problem: web.Some(q.Problem), Given: web.Some(q.Given)}
	if len(q.Choices) > 0 {
		out.Choices = &q.Choices
	}
	return out
}

// draftOut is what only a draft shows.
func draftOut(v pages.View, out *apigen.Case) {
	for _, n := range v.Needs {
		w := apigen.NeedWeightOptional
		switch {
		case n.Required:
			w = apigen.NeedWeightRequired
		case n.Later:
			w = apigen.NeedWeightLater
		case n.Doubt:
			w = apigen.NeedWeightWarning
		}
		out.Needs = append(out.Needs, apigen.Need{Weight: w, Field: web.Some(n.Field), Text: n.Text, Why: web.Some(n.Why),
			Points: web.Some(n.Points)})
	}
	out.ContactFromRota = web.Some(v.Filing.OnRota)
	if len(v.Earlier) > 0 {
		out.Earlier = web.Ptr(web.Each(v.Earlier, func(e pages.Earlier) apigen.EarlierRequest {
			return apigen.EarlierRequest{Number: casework.Name(e.Case.Number), Title: e.Case.Title,
				State: apigen.State(e.Case.State), Opened: e.Case.OpenedAt, Wanted: web.Some(e.Wanted)}
		}))
	}
	if len(v.Pieces) > 0 {
		parts := []apigen.Part{}
		for _, p := range v.Pieces {
			if p.IsPart {
				parts = append(parts, apigen.Part{Key: strings.TrimPrefix(p.Field, "texts."), Label: p.Label, Why: web.Some(p.Why),
					Points: p.Weight})
			}
		}
		if len(v.Promised) > 0 {
			out.Promised = web.Ptr(web.Each(v.Promised, targetNow))
		}
		out.Parts, out.Complete = &parts, web.Ptr(intake.Measure(v.Pieces))
	}
}
