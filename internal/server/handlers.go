package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/outbox"
	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/desk/whole"

	"github.com/oapi-codegen/nullable"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
)

// handlers is the generated interface's implementation.
type handlers struct{ s *Server }

func (h *handlers) desk() *whole.Desk { return h.s.desk }

// SignIn begins a session, under a new cookie.
func (h *handlers) SignIn(ctx context.Context, r apigen.SignInRequestObject) (apigen.SignInResponseObject, error) {
	p, err := h.desk().People.TrySignIn(ctx, clientIP(ctx), r.Body.Email, r.Body.Password)
	if err != nil {
		return nil, err
	}
	if err := h.s.begin(ctx, p); err != nil {
		return nil, err
	}
	return apigen.SignIn200JSONResponse(me(p)), nil
}

// SignOut ends the session for good.
func (h *handlers) SignOut(ctx context.Context, _ apigen.SignOutRequestObject) (apigen.SignOutResponseObject, error) {
	if err := h.s.end(ctx); err != nil {
		return nil, err
	}
	// The session has ended; a stream that is not told so finds out by itself.
	if err := h.desk().People.EndAccess(ctx, actor(ctx).ID); err != nil {
		h.s.log.Warn("telling streams of a sign-out", "error", err)
	}
	return apigen.SignOut204Response{}, nil
}

// GetMe says who asks and what they may do.
func (h *handlers) GetMe(ctx context.Context, _ apigen.GetMeRequestObject) (apigen.GetMeResponseObject, error) {
	return apigen.GetMe200JSONResponse(me(actor(ctx).Person)), nil
}

func me(p peopledb.Person) apigen.Me {
	m := apigen.Me{Person: person(p), May: []string{}}
	for _, a := range access.Acts(p.Role) {
		m.May = append(m.May, string(a))
	}
	return m
}

// ListPeople lists our people.
func (h *handlers) ListPeople(ctx context.Context, _ apigen.ListPeopleRequestObject) (apigen.ListPeopleResponseObject, error) {
	list, err := h.desk().People.List(ctx, actor(ctx))
	if err != nil {
		return nil, err
	}
	return apigen.ListPeople200JSONResponse{Items: each(list, person)}, nil
}

// AddPerson adds one of our people.
func (h *handlers) AddPerson(ctx context.Context, r apigen.AddPersonRequestObject) (apigen.AddPersonResponseObject, error) {
	a := actor(ctx)
	p, err := h.desk().People.Add(ctx, &a, people.NewPerson{Name: r.Body.Name, Email: r.Body.Email, Role: string(r.Body.Role), Password: r.Body.Password})
	if err != nil {
		return nil, err
	}
	return apigen.AddPerson201JSONResponse(person(p)), nil
}

// ChangePerson changes one of our people.
func (h *handlers) ChangePerson(ctx context.Context, r apigen.ChangePersonRequestObject) (apigen.ChangePersonResponseObject, error) {
	version, err := matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	ch := people.Edit{Name: r.Body.Name, Password: r.Body.Password, Active: r.Body.Active, Role: (*string)(r.Body.Role),
		Phone: r.Body.Phone, Zone: r.Body.Zone, Hours: r.Body.Hours, Languages: r.Body.Languages}
	p, err := h.desk().People.Change(ctx, actor(ctx), r.Person, version, ch)
	if err != nil {
		return nil, err
	}
	return apigen.ChangePerson200JSONResponse(person(p)), nil
}

// ListHolds says what hangs on a person at the vendors.
func (h *handlers) ListHolds(ctx context.Context, r apigen.ListHoldsRequestObject) (apigen.ListHoldsResponseObject, error) {
	list, err := h.desk().People.Holds(ctx, actor(ctx), r.Person)
	if err != nil {
		return nil, err
	}
	return apigen.ListHolds200JSONResponse{Items: each(list, func(x people.Hold) apigen.Hold { return apigen.Hold{Vendor: x.Vendor, Name: x.Name, What: x.What} })}, nil
}

// ListTokens lists the asker's tokens.
func (h *handlers) ListTokens(ctx context.Context, _ apigen.ListTokensRequestObject) (apigen.ListTokensResponseObject, error) {
	list, err := h.desk().People.Tokens(ctx, actor(ctx))
	if err != nil {
		return nil, err
	}
	return apigen.ListTokens200JSONResponse{Items: each(list, token)}, nil
}

// AddToken makes a token; its secret is in this answer and nowhere else.
func (h *handlers) AddToken(ctx context.Context, r apigen.AddTokenRequestObject) (apigen.AddTokenResponseObject, error) {
	t, secret, err := h.desk().People.AddToken(ctx, actor(ctx), r.Body.Name)
	if err != nil {
		return nil, err
	}
	return apigen.AddToken201JSONResponse{Token: token(t), Secret: secret}, nil
}

// RevokeToken ends a token at once.
func (h *handlers) RevokeToken(ctx context.Context, r apigen.RevokeTokenRequestObject) (apigen.RevokeTokenResponseObject, error) {
	if err := h.desk().People.RevokeToken(ctx, actor(ctx), r.Token); err != nil {
		return nil, err
	}
	return apigen.RevokeToken204Response{}, nil
}

// GetToday is what needs doing next.
func (h *handlers) GetToday(ctx context.Context, r apigen.GetTodayRequestObject) (apigen.GetTodayResponseObject, error) {
	f := today.Filter{Mine: val(r.Params.Whose) == apigen.WhoseMine, Limit: 100}
	if r.Params.Limit != nil {
		f.Limit = *r.Params.Limit
	}
	if r.Params.Cursor != nil {
		var at todayCursor
		if err := readCursor(*r.Params.Cursor, &at); err != nil || at.At <= 0 {
			return nil, badCursor("Take it from the page before.")
		}
		f.At, f.After = unix(at.At), &attention.Line{Pressure: at.Pressure, Due: at.Due, HasDue: at.HasDue, Number: at.Number}
	}
	t, err := h.desk().Today.Next(ctx, actor(ctx), f)
	if err != nil {
		return nil, err
	}
	out := todayOf(t)
	if t.More {
		last := t.Lines[len(t.Lines)-1]
		out.Next = ptr(writeCursor(todayCursor{t.AsOf.Unix(), last.Pressure, last.Due, last.HasDue, last.Line.Number}))
	}
	return apigen.GetToday200JSONResponse(out), nil
}

// Grade computes a severity without a case.
func (h *handlers) Grade(ctx context.Context, r apigen.GradeRequestObject) (apigen.GradeResponseObject, error) {
	if err := may(ctx, access.Read); err != nil {
		return nil, err
	}
	g, err := h.desk().Filing.Grade(ctx, val(r.Body.Vendor), string(val(r.Body.Kind)), factsIn(&r.Body.Facts), r.Body.Severity)
	if err != nil {
		return nil, err
	}
	return apigen.Grade200JSONResponse(grading(g)), nil
}

// ListVendors lists all vendors.
func (h *handlers) ListVendors(ctx context.Context, r apigen.ListVendorsRequestObject) (apigen.ListVendorsResponseObject, error) {
	list, err := h.desk().Register.Vendors(ctx, actor(ctx), val(r.Params.Brief))
	if err != nil {
		return nil, err
	}
	return apigen.ListVendors200JSONResponse{Items: each(list, vendor)}, nil
}

// GetVendor is one vendor by key or name, with all that is known of it.
func (h *handlers) GetVendor(ctx context.Context, r apigen.GetVendorRequestObject) (apigen.GetVendorResponseObject, error) {
	v, tag, err := h.wholeVendor(ctx, r.Vendor)
	return apigen.GetVendor200JSONResponse{Body: v, Headers: apigen.GetVendor200ResponseHeaders{ETag: tag}}, err
}

func (h *handlers) wholeVendor(ctx context.Context, key string) (out apigen.Vendor, tag *string, err error) {
	v, err := h.desk().Register.Vendor(ctx, actor(ctx), key)
	if err != nil {
		return out, nil, err
	}
	facts, version, err := h.desk().Register.VendorFacts(ctx, actor(ctx), key)
	if err != nil {
		return out, nil, err
	}
	out = vendor(v)
	known, err := recast[apigen.VendorFacts](facts)
	out.Facts = &known
	return out, versionTag(version), err
}

// AddVendor adds a vendor.
func (h *handlers) AddVendor(ctx context.Context, r apigen.AddVendorRequestObject) (apigen.AddVendorResponseObject, error) {
	facts, err := recast[register.Vendor](r.Body)
	if err != nil {
		return nil, err
	}
	key, err := h.desk().Register.AddVendor(ctx, actor(ctx), facts)
	if err != nil {
		return nil, err
	}
	v, tag, err := h.wholeVendor(ctx, key)
	return apigen.AddVendor201JSONResponse{Body: v, Headers: apigen.AddVendor201ResponseHeaders{ETag: tag, Location: ptr("/api/v1/vendors/" + key)}}, err
}

// ChangeVendor applies a merge patch to what is known of a vendor.
func (h *handlers) ChangeVendor(ctx context.Context, r apigen.ChangeVendorRequestObject) (apigen.ChangeVendorResponseObject, error) {
	version, err := matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	patch, _ := ctx.Value(bodyKey).([]byte)
	if err := h.desk().Register.ChangeVendor(ctx, actor(ctx), r.Vendor, version, patch); err != nil {
		return nil, err
	}
	v, tag, err := h.wholeVendor(ctx, r.Vendor)
	return apigen.ChangeVendor200JSONResponse{Body: v, Headers: apigen.ChangeVendor200ResponseHeaders{ETag: tag}}, err
}

// RemoveVendor takes one out that nothing refers to.
func (h *handlers) RemoveVendor(ctx context.Context, r apigen.RemoveVendorRequestObject) (apigen.RemoveVendorResponseObject, error) {
	version, err := matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	return apigen.RemoveVendor204Response{}, h.desk().Register.RemoveVendor(ctx, actor(ctx), r.Vendor, version)
}

// ListVendorPeople gives the vendor's people as contact cards.
func (h *handlers) ListVendorPeople(ctx context.Context, r apigen.ListVendorPeopleRequestObject) (apigen.ListVendorPeopleResponseObject, error) {
	facts, _, err := h.desk().Register.VendorFacts(ctx, actor(ctx), r.Vendor)
	if err != nil {
		return nil, err
	}
	cards := facts.Cards()
	return apigen.ListVendorPeople200TextvcardResponse{Body: strings.NewReader(cards), ContentLength: int64(len(cards))}, nil
}

// todayCursor is where a page of Today ended, and as of when.
type todayCursor struct {
	At       int64   `json:"a"`
	Pressure float64 `json:"p"`
	Due      int64   `json:"d"`
	HasDue   bool    `json:"h"`
	Number   int64   `json:"n"`
}

func writeCursor(v any) string {
	raw, _ := json.Marshal(v) // of numbers and texts alone
	return base64.RawURLEncoding.EncodeToString(raw)
}

// readCursor takes a cursor that anybody may have made up: what it says is checked by who reads it.
func readCursor(s string, into any) error {
	raw, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil && !plainText(string(raw)) {
		err = errors.New("it is not text")
	}
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, into)
}

func badCursor(do string) *problem {
	p := newProblem(http.StatusBadRequest, "invalid", "The cursor is not one of this list", do)
	p.Errors = &[]apigen.FieldError{{Field: "cursor", Detail: "is not one that this list gave"}}
	return p
}

// cursor is where a page of the list ended.
type cursor struct {
	Sort string `json:"s"`
	Key  string `json:"k"`
	Case int64  `json:"c"`
}

// ListCases is one page over all vendors.
func (h *handlers) ListCases(ctx context.Context, r apigen.ListCasesRequestObject) (apigen.ListCasesResponseObject, error) {
	p := r.Params
	f := casesdb.Filter{Sort: "newest", Limit: 50, Words: strings.TrimSpace(val(p.Words)), Move: string(val(p.Move)), Vendors: val(p.Vendor)}
	for _, s := range val(p.State) {
		if s == apigen.StateFilterLive {
			f.States = append(f.States, "filed", "open", "fix-offered")
			continue
		}
		f.States = append(f.States, string(s))
	}
	for _, s := range val(p.Severity) {
		f.Severities = append(f.Severities, int64(s))
	}
	f.Asset, f.Account, f.Contract = val(p.Asset), val(p.Account), val(p.Contract)
	if val(p.Whose) == apigen.WhoseMine {
		f.Owner = actor(ctx).ID
	}
	if p.Sort != nil {
		f.Sort = string(*p.Sort)
	}
	if p.Limit != nil {
		f.Limit = *p.Limit
	}
	if p.Cursor != nil {
		var at cursor
		if err := readCursor(*p.Cursor, &at); err != nil || at.Sort != f.Sort || !sortKey(at) {
			return nil, badCursor("Take it from the page before, with the same sort.")
		}
		f.After, f.AfterKey, f.AfterCase = true, at.Key, at.Case
	}
	lines, more, err := h.desk().Today.Cases(ctx, actor(ctx), f)
	if err != nil {
		return nil, err
	}
	page := apigen.CasePage{Items: each(lines, caseLine), AsOf: h.desk().Now()}
	if more {
		last := lines[len(lines)-1]
		page.Next = ptr(writeCursor(cursor{f.Sort, casesdb.SortKey(f.Sort, last.Row), last.Number}))
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
		return err == nil && known(t)
	}
	return true
}

// OpenCase begins a draft.
func (h *handlers) OpenCase(ctx context.Context, r apigen.OpenCaseRequestObject) (apigen.OpenCaseResponseObject, error) {
	b := r.Body
	ref, err := h.desk().Cases.Open(ctx, actor(ctx), cases.Draft{
		Vendor: val(b.Vendor), Asset: b.Asset, Account: b.Account, Contract: b.Contract, Title: b.Title, Kind: string(val(b.Kind)), Facts: factsIn(b.Facts), Texts: textsIn(b.Texts), Answers: val(b.Answers),
		Severity: b.Severity, SeverityReason: val(b.SeverityReason), Ticket: val(b.Ticket),
	})
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Cases.Case(ctx, actor(ctx), ref.ID)
	if err != nil {
		return nil, err
	}
	return apigen.OpenCase201JSONResponse{Body: caseOut(v), Headers: apigen.OpenCase201ResponseHeaders{
		ETag: ptr(etag(v)), Location: ptr("/api/v1/cases/" + casework.Name(ref.Number))}}, nil
}

func etag(v cases.View) string { return fmt.Sprintf(`"v%d"`, v.Line.Version) }

// GetCase is one case whole.
func (h *handlers) GetCase(ctx context.Context, r apigen.GetCaseRequestObject) (apigen.GetCaseResponseObject, error) {
	v, err := h.whole(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	return apigen.GetCase200JSONResponse{Body: caseOut(v), Headers: apigen.GetCase200ResponseHeaders{ETag: ptr(etag(v))}}, nil
}

func (h *handlers) whole(ctx context.Context, name string) (cases.View, error) {
	id, err := h.desk().Cases.Find(ctx, name)
	if err != nil {
		return cases.View{}, err
	}
	return h.desk().Cases.Case(ctx, actor(ctx), id)
}

// matched reads If-Match: missing and malformed are told apart from stale.
func matched(header *string) (int64, error) {
	if header == nil || *header == "" {
		return 0, desk.ErrNoMatch
	}
	v, ok := strings.CutPrefix(strings.Trim(strings.TrimPrefix(*header, "W/"), `"`), "v")
	n, err := strconv.ParseInt(v, 10, 64)
	if !ok || err != nil {
		return 0, desk.ErrStale
	}
	return n, nil
}

// given is nil where a member was left out, and points to nil where it was null.
func given(n nullable.Nullable[int64]) **int64 {
	if !n.IsSpecified() {
		return nil
	}
	var to *int64
	if v, err := n.Get(); err == nil {
		to = &v
	}
	return &to
}

// ChangeCase changes the head by a merge patch.
func (h *handlers) ChangeCase(ctx context.Context, r apigen.ChangeCaseRequestObject) (apigen.ChangeCaseResponseObject, error) {
	id, err := h.desk().Cases.Find(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	match, err := matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	b := r.Body
	ch := cases.Edit{Title: b.Title, Kind: (*string)(b.Kind), SeverityReason: b.SeverityReason}
	var raw struct{ Facts, Texts, Answers json.RawMessage }
	if body, ok := ctx.Value(bodyKey).([]byte); ok {
		if err := json.Unmarshal(body, &raw); err != nil {
			return nil, err
		}
	}
	ch.Reference = b.Reference
	ch.Facts, ch.Texts, ch.Answers = raw.Facts, raw.Texts, raw.Answers
	ch.Asset, ch.Account, ch.Contract = given(b.Asset), given(b.Account), given(b.Contract)
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
	if err := h.desk().Cases.Edit(ctx, actor(ctx), id, match, ch); err != nil {
		return nil, err
	}
	v, err := h.desk().Cases.Case(ctx, actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.ChangeCase200JSONResponse{Body: caseOut(v), Headers: apigen.ChangeCase200ResponseHeaders{ETag: ptr(etag(v))}}, nil
}

// TakeStep does one step.
func (h *handlers) TakeStep(ctx context.Context, r apigen.TakeStepRequestObject) (apigen.TakeStepResponseObject, error) {
	id, err := h.desk().Cases.Find(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	match, err := matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	b := r.Body
	_, err = h.desk().Cases.Step(ctx, actor(ctx), id, match, cases.StepRequest{
		Step: casework.Step(b.Step), Reason: val(b.Reason), To: val(b.To), Until: b.Until, Agreed: val(b.Agreed), Offers: string(val(b.Offers)),
		Entry: val(b.Entry), Move: string(val(b.Move)), Person: val(b.Person), Criterion: val(b.Criterion), Cause: val(b.Cause), Channel: string(val(b.Channel)),
		Confirmed: val(b.Confirmed), Contact: val(b.Contact),
	})
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Cases.Case(ctx, actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.TakeStep200JSONResponse{Body: caseOut(v), Headers: apigen.TakeStep200ResponseHeaders{ETag: ptr(etag(v))}}, nil
}

// DecideDelivery carries out a person's word on a sending.
func (h *handlers) DecideDelivery(ctx context.Context, r apigen.DecideDeliveryRequestObject) (apigen.DecideDeliveryResponseObject, error) {
	id, err := h.desk().Cases.Find(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	if _, err := h.desk().Outbox.Decide(ctx, actor(ctx), id, r.Delivery, outbox.Decision{What: string(r.Body.Decision), Reference: val(r.Body.Reference), At: r.Body.At, Channel: string(val(r.Body.Channel))}); err != nil {
		return nil, err
	}
	v, err := h.desk().Cases.Case(ctx, actor(ctx), id)
	if err != nil {
		return nil, err
	}
	return apigen.DecideDelivery200JSONResponse{Body: caseOut(v), Headers: apigen.DecideDelivery200ResponseHeaders{ETag: ptr(etag(v))}}, nil
}

// ListEntries is a part of the record.
func (h *handlers) ListEntries(ctx context.Context, r apigen.ListEntriesRequestObject) (apigen.ListEntriesResponseObject, error) {
	id, err := h.desk().Cases.Find(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	limit := 200
	if r.Params.Limit != nil {
		limit = *r.Params.Limit
	}
	list, more, err := h.desk().Cases.Entries(ctx, actor(ctx), id, val(r.Params.After), limit)
	if err != nil {
		return nil, err
	}
	return apigen.ListEntries200JSONResponse{Items: each(list, entry), More: more}, nil
}

// SendMessage puts words on their way to the vendor.
func (h *handlers) SendMessage(ctx context.Context, r apigen.SendMessageRequestObject) (apigen.SendMessageResponseObject, error) {
	e, err := h.written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		return h.desk().Cases.Send(ctx, actor(ctx), id, r.Body.Text, string(val(r.Body.Move)), string(val(r.Body.Channel)), r.Body.Seen)
	})
	return apigen.SendMessage201JSONResponse(e), err
}

// AddNote writes a note.
func (h *handlers) AddNote(ctx context.Context, r apigen.AddNoteRequestObject) (apigen.AddNoteResponseObject, error) {
	e, err := h.written(ctx, r.Case, func(id int64) (desk.Ref, error) { return h.desk().Cases.AddNote(ctx, actor(ctx), id, r.Body.Text) })
	return apigen.AddNote201JSONResponse(e), err
}

// AddCall writes down what was heard: a call or chat, a mail, words on a portal.
func (h *handlers) AddCall(ctx context.Context, r apigen.AddCallRequestObject) (apigen.AddCallResponseObject, error) {
	e, err := h.written(ctx, r.Case, func(id int64) (desk.Ref, error) {
		b := r.Body
		return h.desk().Cases.AddCall(ctx, actor(ctx), id, cases.Heard{With: b.With, At: b.At, By: string(val(b.By)), Text: b.Text, Move: string(val(b.Move)), Word: val(b.Word)})
	})
	return apigen.AddCall201JSONResponse(e), err
}

func (h *handlers) written(ctx context.Context, name string, write func(id int64) (desk.Ref, error)) (apigen.Entry, error) {
	id, err := h.desk().Cases.Find(ctx, name)
	if err != nil {
		return apigen.Entry{}, err
	}
	ref, err := write(id)
	if err != nil {
		return apigen.Entry{}, err
	}
	e, err := h.desk().Cases.Entry(ctx, ref.ID, ref.Entry)
	out := entry(e)
	out.Warning = some(ref.Warning)
	return out, err
}

// MarkRead says that the vendor's messages have been read.
func (h *handlers) MarkRead(ctx context.Context, r apigen.MarkReadRequestObject) (apigen.MarkReadResponseObject, error) {
	id, err := h.desk().Cases.Find(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	return apigen.MarkRead204Response{}, h.desk().Cases.MarkRead(ctx, actor(ctx), id, r.Body.Entry)
}

// ListDeadlines explains every deadline at an instant.
func (h *handlers) ListDeadlines(ctx context.Context, r apigen.ListDeadlinesRequestObject) (apigen.ListDeadlinesResponseObject, error) {
	if err := may(ctx, access.Read); err != nil {
		return nil, err
	}
	id, err := h.desk().Cases.Find(ctx, r.Case)
	if err != nil {
		return nil, err
	}
	asOf := h.desk().Now()
	if r.Params.AsOf != nil {
		asOf = r.Params.AsOf.UTC()
	}
	list, err := h.desk().Cases.Deadlines(ctx, id, asOf)
	if err != nil {
		return nil, err
	}
	return apigen.ListDeadlines200JSONResponse{Items: each(list, deadlineOut), AsOf: asOf, Rules: cases.RulesVersion(), Zones: cases.ZoneData()}, nil
}
