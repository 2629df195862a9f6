package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/store"
)

// NewCase is what a draft is made of.
type NewCase struct {
	Vendor, Title, Kind string // the vendor may be left out where an asset says it
	// Asset, Account and Contract are from the register; where they are left out they
	// follow from each other, as far as they can.
	Asset, Account, Contract *int64
	Facts                    store.Facts
	Texts                    store.Texts
	Answers                  map[string]string // to the vendor's intake form
	Severity                 *int              // another level than the facts support
	SeverityReason           string
	Ticket                   string // our own ticket's number
}

// Ref names a case in answers that are kept.
type Ref struct {
	ID     int64
	Number int64
	Entry  int
	// Warning is what may be wrong with what was written.
	Warning string
}

// OpenCase makes a draft that belongs to the person who opens it.
func (d *Desk) OpenCase(ctx context.Context, a Actor, n NewCase) (Ref, error) {
	if err := a.may(access.Work); err != nil {
		return Ref{}, err
	}
	return once(ctx, d, func(tx *store.Tx) (Ref, error) {
		v, err := caseVendor(ctx, tx, n)
		if err != nil {
			return Ref{}, err
		}
		c := store.Case{
			VendorID: v.ID, AssetID: n.Asset, AccountID: n.Account, ContractID: n.Contract, Title: strings.TrimSpace(n.Title), Kind: n.Kind, OwnerID: &a.ID, OpenedBy: a.ID, OpenedAt: d.Now(),
			SeverityChosen: n.Severity, SeverityBecause: n.SeverityReason,
		}
		if c.Title == "" {
			return Ref{}, invalid("title", "a title is needed by which the case is recognised in a list")
		}
		if c.Kind == "" {
			c.Kind = register.Kinds[0]
		}
		c.Facts.V, c.Texts.V, c.Answers.V = n.Facts, n.Texts, n.Answers
		if c.Answers.V == nil {
			c.Answers.V = map[string]string{}
		}
		if wrong := unknownAnswers(v.Profile.V, c.Kind, n.Answers); len(wrong) > 0 {
			return Ref{}, &Invalid{wrong}
		}
		if err := d.attach(ctx, tx, &c); err != nil {
			return Ref{}, err
		}
		c.Severity = d.severityOf(&c)
		if c.Texts.V.Contact == "" {
			c.Texts.V.Contact = reach(a.Person)
		}
		hide, err := d.hiding(ctx, tx, c.VendorID)
		if err != nil {
			return Ref{}, err
		}
		hideIn(hide, &c)
		if err := tx.InsertCase(ctx, &c); err != nil {
			return Ref{}, err
		}
		err = d.change(ctx, tx, c.ID, &a, func(w *work) error {
			if n.Ticket != "" {
				if err := tx.SetReference(ctx, w.c, "ours", n.Ticket); err != nil {
					return err
				}
			}
			_, err := w.changed(ctx, "Draft begun.", nil)
			return err
		})
		return Ref{ID: c.ID, Number: c.Number, Entry: 1}, err
	})
}

// unknownAnswers says which answers the vendor's form does not ask for.
func unknownAnswers(v register.Vendor, kind string, answers map[string]string) (wrong []Field) {
	var keys []string
	for _, x := range v.Asks(kind) {
		keys = append(keys, x.Key)
	}
	for _, key := range slices.Sorted(maps.Keys(answers)) {
		if slices.Contains(keys, key) {
			continue
		}
		asks := "asks for nothing of its own"
		if len(keys) > 0 {
			asks = "asks for " + strings.Join(keys, ", ")
		}
		wrong = append(wrong, Field{"answers." + key, fmt.Sprintf("the form for a %s %s", kind, asks)})
	}
	return wrong
}

func inForce(k store.Contract, date string) bool {
	return k.StartsOn.Format(time.DateOnly) <= date && date <= k.EndsOn.Format(time.DateOnly)
}

// severityOf is the chosen level, or what the facts support; nil while neither is known.
func (d *Desk) severityOf(c *store.Case) *int {
	if c.SeverityChosen != nil {
		v := *c.SeverityChosen
		return &v
	}
	g, err := d.grade(c.Facts.V)
	if err != nil {
		return nil
	}
	v := int(g.Level)
	return &v
}

// CaseChange changes the head; nil leaves a thing as it is.
type CaseChange struct {
	Title, Kind *string
	// Asset, Account and Contract are changed where they are set, to nothing where
	// they point to nil.
	Asset, Account, Contract **int64
	// Facts and Texts are merge patches (RFC 7396) in the API's names.
	Facts, Texts   json.RawMessage
	Answers        json.RawMessage
	Severity       **int
	SeverityReason *string
	Ticket         *string
	Reference      *string // the vendor's number, where it came after the filing
}

// ChangeCase changes a draft, or the title and ticket of a case that is filed.
// match is the version that the person saw.
func (d *Desk) ChangeCase(ctx context.Context, a Actor, id, match int64, ch CaseChange) error {
	if err := a.may(access.Work); err != nil {
		return err
	}
	_, err := once(ctx, d, func(tx *store.Tx) (Ref, error) {
		return Ref{}, d.change(ctx, tx, id, &a, func(w *work) error {
			if err := w.matches(match); err != nil {
				return err
			}
			return w.changeHead(ctx, ch)
		})
	})
	return err
}

func (w *work) matches(version int64) error {
	if version != w.c.Version {
		return ErrStale
	}
	return nil
}

func (w *work) changeHead(ctx context.Context, ch CaseChange) error {
	c := w.c
	now, err := w.situation(ctx)
	if err != nil {
		return err
	}
	fixed := ""
	switch {
	case c.State != string(casework.Draft):
		fixed = "a case that is " + c.State + " keeps what it was filed with; write a message instead"
	case now.OnItsWay != "":
		fixed = "the filing is on its way; what it says stands"
	}
	var wrong []Field
	draftOnly := func(set bool, field string) {
		if set && fixed != "" {
			wrong = append(wrong, Field{field, fixed})
		}
	}
	draftOnly(ch.Kind != nil, "kind")
	draftOnly(ch.Facts != nil, "facts")
	draftOnly(ch.Texts != nil, "texts")
	draftOnly(ch.Answers != nil, "answers")
	draftOnly(ch.Asset != nil, "asset")
	draftOnly(ch.Account != nil, "account")
	draftOnly(ch.Contract != nil, "contract")
	draftOnly(ch.Severity != nil, "severity")
	draftOnly(ch.SeverityReason != nil, "severity_reason")
	if len(wrong) > 0 {
		return &Invalid{wrong}
	}
	if ch.Title != nil {
		hide, err := w.hiding(ctx)
		if err != nil {
			return err
		}
		title := hide(strings.TrimSpace(*ch.Title))
		ch.Title = &title
	}
	if ch.Title != nil && *ch.Title != c.Title {
		if strings.TrimSpace(*ch.Title) == "" {
			return invalid("title", "a title is needed by which the case is recognised in a list")
		}
		if fixed != "" {
			if _, err := w.changed(ctx, fmt.Sprintf("Title changed from %q to %q.", c.Title, *ch.Title), nil); err != nil {
				return err
			}
		}
		c.Title = *ch.Title
	}
	if ch.Kind != nil {
		c.Kind = *ch.Kind
	}
	if err := merge(&c.Facts.V, ch.Facts); err != nil {
		return invalid("facts", "%s", err)
	}
	if err := merge(&c.Texts.V, ch.Texts); err != nil {
		return invalid("texts", "%s", err)
	}
	if err := w.answer(ctx, ch.Answers); err != nil {
		return err
	}
	if ch.Asset != nil || ch.Account != nil || ch.Contract != nil {
		if err := w.belong(ctx, ch); err != nil {
			return err
		}
	}
	if ch.Severity != nil {
		c.SeverityChosen = *ch.Severity
	}
	if ch.SeverityReason != nil {
		c.SeverityBecause = *ch.SeverityReason
	}
	if fixed == "" {
		c.Severity = w.d.severityOf(c)
	}
	if ch.Reference != nil {
		if err := w.bring(ctx, *ch.Reference); err != nil {
			return err
		}
	}
	if ch.Ticket != nil {
		w.renumbered = true
		return w.tx.SetReference(ctx, c, "ours", strings.TrimSpace(*ch.Ticket))
	}
	return nil
}

// answer merges answers to the vendor's form into those that are there. What the form asked
// for earlier stays until it is taken out.
func (w *work) answer(ctx context.Context, patch json.RawMessage) error {
	if patch == nil {
		return nil
	}
	var given map[string]*string
	if err := json.Unmarshal(patch, &given); err != nil {
		return invalid("answers", "%s", err)
	}
	fresh := map[string]string{}
	for k, v := range given {
		if _, there := w.c.Answers.V[k]; v != nil && !there {
			fresh[k] = *v
		}
	}
	v, err := store.VendorByID(ctx, w.tx, w.c.VendorID)
	if err != nil {
		return err
	}
	if wrong := unknownAnswers(v.Profile.V, w.c.Kind, fresh); len(wrong) > 0 {
		return &Invalid{wrong}
	}
	if err := merge(&w.c.Answers.V, patch); err != nil {
		return invalid("answers", "%s", err)
	}
	return nil
}

// filing is everything that filing a case needs to know.
type filing struct {
	vendor   store.Vendor
	level    *store.Level
	contract *store.Contract
	belongings
	link     *store.Link
	story    intake.Story
	attested []store.Attested
	grade    severity.Grade
	gradeErr error
}

// prepare gathers the story of a case as it stands.
func (d *Desk) prepare(ctx context.Context, q store.Querier, c *store.Case) (filing, error) {
	var f filing
	var err error
	if f.vendor, err = store.VendorByID(ctx, q, c.VendorID); err != nil {
		return f, err
	}
	link, err := store.LinkOf(ctx, q, c.VendorID)
	if err == nil {
		f.link = &link
	} else if !errors.Is(err, store.ErrNotFound) {
		return f, err
	}
	if c.ContractID != nil {
		k, err := store.ContractByID(ctx, q, *c.ContractID)
		if err != nil {
			return f, err
		}
		f.contract = &k
	}
	if f.attested, err = store.Attestations(ctx, q, c.ID); err != nil {
		return f, err
	}
	levels, err := store.Levels(ctx, q, c.VendorID)
	if err != nil {
		return f, err
	}
	f.grade, f.gradeErr = d.grade(c.Facts.V)
	f.level = levelFor(levels, c)
	f.story = f.tell(c)
	if c.State != string(casework.Draft) {
		return f, nil // what it was filed with stands in its record
	}
	if f.belongings, err = d.belongingsOf(ctx, q, c); err != nil {
		return f, err
	}
	elsewhere := 0
	if f.contract == nil && f.asset != nil {
		if elsewhere, err = d.inForceOf(ctx, q, c.VendorID); err != nil {
			return f, err
		}
	}
	f.story.Identifiers, f.story.Doubts = f.identifiers(f.contract), f.doubts(f.contract, elsewhere)
	if n := c.Facts.V.NeededBy; n != nil && n.Before(d.Now()) {
		f.story.Doubts = append(f.story.Doubts, intake.Need{Field: "facts.needed_by", Text: "The time by which it was needed has passed: give a new one, or take it out"})
	}
	if c.OwnerID != nil {
		owner, err := store.PersonByID(ctx, q, *c.OwnerID)
		if err != nil {
			return f, err
		}
		if words := mayNot(f.vendor.Profile.V, owner, "open", "open cases there"); words != "" {
			f.story.Doubts = append(f.story.Doubts, intake.Need{Field: "vendor", Text: words})
		}
	}
	if p := f.vendor.Profile.V; len(p.Takes) > 0 && !slices.Contains(p.Takes, c.Kind) {
		f.story.Doubts = append(f.story.Doubts, intake.Need{Field: "kind", Text: "They take " + strings.Join(p.Takes, ", ") + "; not " + c.Kind})
	}
	if p := f.vendor.Profile.V; p.Through != "" {
		words := "Start with " + p.Through + ": this vendor is reached through them"
		if p.DirectAllowed {
			words += ", though going direct is allowed"
		}
		f.story.Doubts = append(f.story.Doubts, intake.Need{Field: "vendor", Text: words})
	}
	f.story.Asked = f.asked(f.vendor.Profile.V.Asks(c.Kind), c.Answers.V)
	return f, d.doubtAnswers(ctx, q, &f, c)
}

// doubtAnswers says which answers name an account or asset that the register does not have.
func (d *Desk) doubtAnswers(ctx context.Context, q store.Querier, f *filing, c *store.Case) error {
	kinds := map[string]store.ThingKind{"account": store.Accounts, "asset": store.Assets}
	for _, x := range f.vendor.Profile.V.Asks(c.Kind) {
		kind, ok := kinds[x.Type]
		answer := strings.TrimSpace(c.Answers.V[x.Key])
		if !ok || answer == "" {
			continue
		}
		_, err := store.ThingNamed(ctx, q, kind, c.VendorID, answer)
		if errors.Is(err, store.ErrNotFound) {
			f.story.Doubts = append(f.story.Doubts, intake.Need{Field: "answers." + x.Key, Text: fmt.Sprintf("%s: the register has no %s %.60q of this vendor", x.Label, kind.Name, answer)})
		} else if err != nil {
			return err
		}
	}
	return nil
}

// inForceOf is how many contracts with a vendor are in force today.
func (d *Desk) inForceOf(ctx context.Context, q store.Querier, vendor int64) (n int, err error) {
	contracts, err := store.ContractsOf(ctx, q, vendor)
	if err != nil {
		return 0, err
	}
	today, err := d.today(ctx, q)
	for _, k := range contracts {
		if inForce(k, today) {
			n++
		}
	}
	return n, err
}

// levelFor is the level that the case holds, or, before it is filed, the one
// that its severity points at.
func levelFor(levels []store.Level, c *store.Case) *store.Level {
	for i, l := range levels {
		if c.LevelRank != nil && l.Rank == *c.LevelRank || c.LevelRank == nil && c.Severity != nil && slices.Contains(l.Severities, *c.Severity) {
			return &levels[i]
		}
	}
	return nil
}

func (f *filing) tell(c *store.Case) intake.Story {
	x, facts := c.Texts.V, c.Facts.V
	s := intake.Story{
		Title: c.Title, OnWhat: x.OnWhat, Happened: x.Happened, Expected: x.Expected, Steps: x.Steps, Since: x.Since, Tried: x.Tried,
		Contact: x.Contact, ContactAlways: x.ContactAlways, Environment: facts.Environment, Effect: facts.Effect, Reach: facts.Reach,
		Workaround: facts.Workaround, HasChannel: len(f.routes()) > 0, Graded: c.Severity != nil,
	}
	if f.gradeErr != nil {
		s.GradeProblem = f.gradeErr.Error()
	}
	if c.SeverityChosen != nil && f.gradeErr == nil && severity.Level(*c.SeverityChosen) != f.grade.Level {
		s.ChosenWithoutReason = strings.TrimSpace(c.SeverityBecause) == ""
	}
	if facts.NeededBy != nil {
		s.NeededBy = facts.NeededBy.UTC().Format("2006-01-02 15:04 UTC")
	}
	if f.level != nil {
		s.Level, s.RoundTheClock = f.level.Label, f.level.RoundTheClock
		for _, k := range f.level.Criteria {
			st := intake.Statement{Text: k.Text}
			for _, a := range f.attested {
				if a.CriterionID == k.ID {
					st.By = a.Person
				}
			}
			s.Criteria = append(s.Criteria, st)
		}
	}
	return s
}

// Grading is the answer to "how bad is it, and what is that with them?".
type Grading struct {
	Supported severity.Grade
	Severity  severity.Level
	Warning   string
	Level     *store.Level
	Promises  []Promise
}

// Promise is a target of a level and when it would fall due from now on.
type Promise struct {
	Contract, Deadline, Target, Calendar string
	Due                                  *time.Time
}

// Grade computes without a case: the severity, the vendor's level, what it promises.
func (d *Desk) Grade(ctx context.Context, vendor, kind string, facts store.Facts, chosen *int) (Grading, error) {
	var g Grading
	grade, err := d.grade(facts)
	var fe *severity.FactError
	if errors.As(err, &fe) {
		return g, invalid("facts."+fe.Field, "%s", fe.Problem)
	} else if err != nil {
		return g, err
	}
	g.Supported, g.Severity = grade, grade.Level
	if chosen != nil {
		g.Severity = severity.Level(*chosen)
		g.Warning = severity.Override(grade.Level, g.Severity)
	}
	if vendor == "" {
		return g, nil
	}
	v, err := store.VendorByKey(ctx, d.Store.DB, vendor)
	if errors.Is(err, store.ErrNotFound) {
		return g, invalid("vendor", "there is no vendor %q; see the list of vendors", vendor)
	} else if err != nil {
		return g, err
	}
	levels, err := store.Levels(ctx, d.Store.DB, v.ID)
	if err != nil {
		return g, err
	}
	sev := int(g.Severity)
	g.Level = levelFor(levels, &store.Case{Severity: &sev})
	if g.Level == nil {
		return g, nil
	}
	f := filing{vendor: v, level: g.Level}
	if link, err := store.LinkOf(ctx, d.Store.DB, v.ID); err == nil {
		f.link = &link
	} else if !errors.Is(err, store.ErrNotFound) {
		return g, err
	}
	by := narrowed{kind: kind}
	if routes := f.routes(); len(routes) > 0 {
		by.channel = routes[0]
	}
	g.Promises, err = d.promises(ctx, v.ID, g.Level.Rank, by)
	return g, err
}

func (d *Desk) promises(ctx context.Context, vendor int64, rank int, by narrowed) ([]Promise, error) {
	contracts, err := store.ContractsOf(ctx, d.Store.DB, vendor)
	if err != nil {
		return nil, err
	}
	g, err := d.compiled.fresh(ctx, d.Store.DB)
	if err != nil {
		return nil, err
	}
	today, err := d.today(ctx, d.Store.DB)
	if err != nil {
		return nil, err
	}
	contracts = slices.DeleteFunc(contracts, func(k store.Contract) bool { return !inForce(k, today) })
	ids := make([]int64, len(contracts))
	for i, k := range contracts {
		ids[i] = k.ID
	}
	terms, rows, err := currentTerms(ctx, d.Store.DB, ids)
	if err != nil {
		return nil, err
	}
	var out []Promise
	for _, k := range contracts {
		first := len(out)
		for _, r := range narrow(rows[terms[k.ID].ID], by) {
			if r.Rank != rank {
				continue
			}
			p, err := d.promise(ctx, g, r)
			if err != nil {
				return nil, err
			}
			p.Contract = k.Number
			out = append(out, p)
		}
		slices.SortStableFunc(out[first:], func(a, b Promise) int { return order(a.Deadline) - order(b.Deadline) })
	}
	return out, nil
}
