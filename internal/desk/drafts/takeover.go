package drafts

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
)

// Existing is a case that is live at its vendor already, before this desk knows it.
type Existing struct {
	Vendor, Title, Kind string // the vendor by key or name; a fault where no kind is given
	Reference, Ticket   string
	// FiledAt is when the vendor got it, and LastReply when the vendor wrote or called last; nil: never.
	FiledAt   time.Time
	LastReply *time.Time
	// Level is the vendor's, by its label, and Severity ours: one of them is enough, the other follows.
	Level    string
	Severity int
	// Owner is one of our people by email address; whoever takes the case over where it is empty.
	Owner string
	// Origin says who opened it, and By names them.
	Origin casework.Origin
	By     string
	// Maker is the vendor behind the reseller that is given as the vendor, by key.
	Maker string
	// Asset, Account and Contract are named by any of their numbers or names.
	Asset, Account, Contract string
	VendorStatus             string
	Move                     deadline.Side // whose move it is; empty for what follows by itself
	Story                    string
}

// ErrKnown is returned where the desk has a case with that vendor and reference already.
type ErrKnown struct{ Number int64 }

func (e *ErrKnown) Error() string {
	return casework.Name(e.Number) + " has this vendor reference already"
}

// TakeOver brings a case onto the desk that is live at its vendor already.
func (d *Drafts) TakeOver(ctx context.Context, a desk.Actor, x Existing) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		t, err := d.CheckExisting(ctx, tx, a, x)
		var known *ErrKnown
		if errors.As(err, &known) {
			err = desk.Fault("reference", "%s", known)
		}
		if err != nil {
			return desk.Ref{}, err
		}
		return d.Enter(ctx, tx, a, t)
	})
}

// TakenOver is an existing case with what its names lead to.
type TakenOver struct {
	Existing
	vendor registerdb.Vendor
	owner  peopledb.Person
	level  registerdb.Level
	c      casesdb.Case
	wrong  []desk.Field
}

func (t *TakenOver) add(field, format string, args ...any) {
	t.wrong = append(t.wrong, desk.Field{Name: field, Detail: fmt.Sprintf(format, args...)})
}

// Enter brings a case onto the desk that was checked in the same transaction.
func (d *Drafts) Enter(ctx context.Context, tx *db.Tx, a desk.Actor, t *TakenOver) (desk.Ref, error) {
	err := d.cases.Begin(ctx, tx, &t.c, &a, func(w *cases.Work) error { return d.enter(ctx, w, a, t) })
	return desk.Ref{ID: t.c.ID, Number: t.c.Number, Entry: 1}, err
}

// CheckExisting finds what an existing case names, to be entered. The error is *desk.Invalid with all that is wrong, or
// *ErrKnown where the desk has the case already.
func (d *Drafts) CheckExisting(ctx context.Context, tx *db.Tx, a desk.Actor, x Existing) (*TakenOver, error) {
	t := &TakenOver{Existing: x}
	if err := d.findFor(ctx, tx, a, t); err != nil {
		return nil, err
	}
	d.checkTimes(t)
	if len(t.wrong) > 0 {
		return nil, &desk.Invalid{Fields: t.wrong}
	}
	if t.Reference != "" {
		id, err := casesdb.ByReference(ctx, tx, t.vendor.ID, t.Reference)
		if err == nil {
			c, err := casesdb.ByID(ctx, tx, id)
			if err != nil {
				return nil, err
			}
			return nil, &ErrKnown{c.Number}
		} else if !errors.Is(err, db.ErrNotFound) {
			return nil, err
		}
	}
	t.c.Texts.V.Happened, t.c.Answers.V = strings.TrimSpace(t.Story), map[string]string{}
	return t, d.filing.Attach(ctx, tx, &t.c, nil)
}

// findFor finds what the names of an existing case lead to.
func (d *Drafts) findFor(ctx context.Context, tx *db.Tx, a desk.Actor, t *TakenOver) (err error) {
	for _, s := range []*string{&t.Vendor, &t.Title, &t.Kind, &t.Reference, &t.Ticket, &t.Level, &t.Owner, &t.By, &t.Maker,
		&t.Asset, &t.Account, &t.Contract, &t.VendorStatus} {
		*s = strings.TrimSpace(*s)
	}
	t.vendor, err = registerdb.VendorByKey(ctx, tx, t.Vendor)
	if errors.Is(err, db.ErrNotFound) || err == nil && !a.Grant().SeesVendor(t.vendor.ID) {
		t.add("vendor", "there is no vendor %.60q", t.Vendor)
		return nil
	} else if err != nil {
		return err
	}
	if t.Title == "" {
		t.add("title", "give a title")
	}
	if t.Kind = cmp.Or(t.Kind, register.Kinds[0]); !slices.Contains(register.Kinds, t.Kind) {
		t.add("kind", "use one of %s, not %.40q", strings.Join(register.Kinds, ", "), t.Kind)
	}
	if t.Origin = cmp.Or(t.Origin, casework.ByUs); !slices.Contains(casework.Origins, t.Origin) {
		t.add("origin", "use us, vendor, partner or colleague, not %.40q", string(t.Origin))
	}
	if !t.vendor.Profile.V.LooksRight(t.Reference) && t.Reference != "" {
		t.add("reference", "%.60q does not look like a reference of %s", t.Reference, t.vendor.Name)
	}
	if t.owner = a.Person; t.Owner != "" {
		t.owner, err = peopledb.ByEmail(ctx, tx, t.Owner)
		if errors.Is(err, db.ErrNotFound) {
			t.add("owner", "nobody here has the address %.80q", t.Owner)
		} else if err != nil {
			return err
		}
	}
	t.c = casesdb.Case{VendorID: t.vendor.ID, Title: t.Title, Kind: t.Kind, OwnerID: &t.owner.ID, OpenedBy: a.ID,
		OpenedAt: t.FiledAt}
	if t.Maker != "" {
		t.c.MakerID, err = makerOf(ctx, tx, t.vendor, t.Maker, nil)
		if fault := (*desk.Invalid)(nil); errors.As(err, &fault) {
			t.wrong = append(t.wrong, fault.Fields...)
		} else if err != nil {
			return err
		}
	}
	for _, x := range []struct {
		field, name string
		kind        registerdb.ThingKind
		to          **int64
	}{{"asset", t.Asset, registerdb.Assets, &t.c.AssetID}, {"account", t.Account, registerdb.Accounts, &t.c.AccountID},
		{"contract", t.Contract, registerdb.Contracts, &t.c.ContractID}} {
		if x.name == "" {
			continue
		}
		id, err := registerdb.ThingNamed(ctx, tx, x.kind, t.vendor.ID, x.name)
		if errors.Is(err, db.ErrNotFound) && t.c.MakerID != nil { // a reseller's case is about the maker's things
			id, err = registerdb.ThingNamed(ctx, tx, x.kind, *t.c.MakerID, x.name)
		}
		switch {
		case errors.Is(err, db.ErrNotFound):
			t.add(x.field, "%s has no %s %.60q in the register", t.vendor.Name, x.field, x.name)
		case err != nil:
			return err
		default:
			*x.to = &id
		}
	}
	return d.grade(ctx, tx, t)
}

// grade lets the vendor's level and our severity follow from each other.
func (d *Drafts) grade(ctx context.Context, tx *db.Tx, t *TakenOver) error {
	levels, err := registerdb.Levels(ctx, tx, t.vendor.ID)
	if err != nil {
		return err
	}
	var labels []string
	at := -1
	for i, l := range levels {
		labels = append(labels, l.Label)
		if t.Level != "" && strings.EqualFold(l.Label, t.Level) ||
			t.Level == "" && slices.Contains(l.Severities, t.Severity) {
			at = i
		}
	}
	switch {
	case t.Severity < 0 || t.Severity > 4:
		t.add("severity", "it is 1, 2, 3 or 4, not %d", t.Severity)
	case t.Level == "" && t.Severity == 0:
		t.add("level", "give the vendor's level or our severity")
	case at < 0 && t.Level != "":
		t.add("level", "%s has the levels %s, not %.40q", t.vendor.Name, strings.Join(labels, ", "), t.Level)
	case at < 0:
		t.add("level", "no level of %s is for severity %d: give its level", t.vendor.Name, t.Severity)
	default:
		t.level = levels[at]
	}
	if t.Severity == 0 && len(t.level.Severities) > 0 {
		t.Severity = t.level.Severities[0]
	} else if t.Severity == 0 && t.level.Label != "" {
		t.add("severity", "no severity of ours is at the level %s: give it", t.level.Label)
	}
	if t.Severity > 0 {
		t.c.Severity, t.c.SeverityChosen = new(t.Severity), new(t.Severity)
		t.c.SeverityBecause = "As it was when the case was taken over."
	}
	return nil
}

// checkTimes says what is wrong with when things happened.
func (d *Drafts) checkTimes(t *TakenOver) {
	now := d.Now()
	switch {
	case t.FiledAt.IsZero():
		t.add("filed_at", "say when the vendor got it")
	case t.FiledAt.After(now):
		t.add("filed_at", "this is in the future")
	}
	if t.LastReply != nil {
		switch {
		case t.LastReply.After(now):
			t.add("last_reply", "this is in the future")
		case t.LastReply.Before(t.FiledAt):
			t.add("last_reply", "this is before the case was filed")
		}
	}
}

// enter writes the record of a case that is taken over: its filing, the vendor's last reply, and how it stands.
func (d *Drafts) enter(ctx context.Context, w *cases.Work, a desk.Actor, t *TakenOver) error {
	terms, policy, err := d.termsAt(ctx, w.Tx, t.c.ContractID, t.FiledAt)
	if err != nil {
		return err
	}
	origin := string(t.Origin)
	sets := &casesdb.Sets{Title: &t.Title, Ticket: &t.Ticket, Owner: &t.owner.ID, Origin: &origin, OriginBy: &t.By}
	if t.Reference != "" {
		sets.Reference = &t.Reference
	}
	text := "Taken over: the vendor had this case already."
	if t.Reference != "" {
		text += " Vendor reference: " + t.Reference + "."
	}
	if story := strings.TrimSpace(t.Story); story != "" {
		text += "\n\n" + story
	}
	filed := &casesdb.Effect{Event: deadline.Filed, Sets: sets, Severity: t.Severity, Level: t.level.Rank,
		TermsID: terms, PolicyID: policy, Kind: t.Kind, ClosesDays: t.vendor.Profile.V.ClosesAfterDays}
	if _, err := w.Add(ctx, casesdb.Entry{Kind: casework.Change, AuthorID: &a.ID, AuthorName: a.Name,
		HappenedAt: t.FiledAt, Body: text, Effect: db.JSON[*casesdb.Effect]{V: filed}}); err != nil {
		return err
	}
	if err := w.SetReference(ctx, string(casework.OurTicket), t.Ticket); err != nil {
		return err
	}
	if err := w.SetReference(ctx, string(casework.Vendors), t.Reference); err != nil {
		return err
	}
	if t.LastReply != nil {
		inward := "in"
		e := casesdb.Entry{Kind: casework.Message, Channel: route.Portal, Direction: &inward, AuthorID: &a.ID,
			AuthorName: t.vendor.Name, HappenedAt: *t.LastReply,
			Body: "The vendor's last reply before the case was taken over. It is not in this record."}
		e.Effect.V = &casesdb.Effect{Event: deadline.VendorMessage, Move: t.Move}
		w.Word(t.vendor.Profile.V, t.VendorStatus, &e, true)
		if _, err := w.Add(ctx, e); err != nil {
			return err
		}
		w.Case.ReadEntry = w.Case.LastEntry // whoever takes it over knows it
		return nil
	}
	if t.Move == deadline.Ours {
		_, err = w.Changed(ctx, "Waiting on us when it was taken over.",
			&casesdb.Effect{Event: deadline.Moved, Move: t.Move})
	}
	return err
}

// termsAt are the contract's terms and our policy that were in force at an instant, else the first of each.
func (d *Drafts) termsAt(ctx context.Context, q db.Querier, contract *int64, at time.Time) (terms, policy int64,
	err error) {
	if contract != nil {
		t, err := hoursdb.TermsAt(ctx, q, contract, at)
		if err != nil && !errors.Is(err, db.ErrNotFound) {
			return 0, 0, err
		}
		terms = t.ID
	}
	p, err := hoursdb.TermsAt(ctx, q, nil, at)
	return terms, p.ID, err
}
