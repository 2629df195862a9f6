package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/store"
)

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
		if k.InForce(today) {
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
	g, err := d.fresh(ctx, d.Store.DB)
	if err != nil {
		return nil, err
	}
	today, err := d.today(ctx, d.Store.DB)
	if err != nil {
		return nil, err
	}
	contracts = slices.DeleteFunc(contracts, func(k store.Contract) bool { return !k.InForce(today) })
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
		slices.SortStableFunc(out[first:], func(a, b Promise) int { return deadline.Order(a.Deadline) - deadline.Order(b.Deadline) })
	}
	return out, nil
}

// mayNot says in words that somebody is not among those who may do something at a
// vendor, and whom to ask; empty where the vendor names nobody, or names them.
func mayNot(v register.Vendor, p store.Person, act, people string) string {
	var others []string
	for _, x := range v.Access {
		for _, m := range x.May {
			if m != act {
				continue
			}
			if strings.EqualFold(x.Person, p.Email) {
				return ""
			}
			others = append(others, x.Person)
		}
	}
	if len(others) == 0 {
		return ""
	}
	return p.Name + " is not among those who may " + people + "; ask " + strings.Join(others, " or ")
}
