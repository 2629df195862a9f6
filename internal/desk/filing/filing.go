package filing

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
)

// Case is everything that filing a case needs to know.
type Case struct {
	Vendor   registerdb.Vendor
	Level    *registerdb.Level
	Contract *registerdb.Contract
	belongings
	Links     []inboxdb.VendorLink
	Story     intake.Story
	Confirmed []casesdb.Confirmed
	Grade     severity.Grade
	GradeErr  error
	owner     *peopledb.Person // nil for nobody
	about     *casesdb.Case
	// First is whom to go to first, where that is not the vendor of the draft.
	First *registerdb.Vendor
	// OnRota is who can be reached round the clock, where the level needs somebody and the case names nobody.
	OnRota string
}

// Prepare gathers the story of a case as it stands.
func (d *Filing) Prepare(ctx context.Context, q db.Querier, c *casesdb.Case) (Case, error) {
	f := Case{about: c}
	var err error
	if f.Vendor, err = registerdb.VendorByID(ctx, q, c.VendorID); err != nil {
		return f, err
	}
	if f.Links, err = inboxdb.LinksOf(ctx, q, c.VendorID); err != nil {
		return f, err
	}
	if c.ContractID != nil {
		k, err := registerdb.ContractByID(ctx, q, *c.ContractID)
		if err != nil {
			return f, err
		}
		f.Contract = &k
	}
	if f.Confirmed, err = casesdb.Confirmations(ctx, q, c.ID); err != nil {
		return f, err
	}
	levels, err := registerdb.Levels(ctx, q, c.VendorID)
	if err != nil {
		return f, err
	}
	f.Grade, f.GradeErr = d.Supported(c.Kind, c.Facts.V)
	f.Level = levelFor(levels, c)
	f.Story = f.tell(c)
	if f.Story.RoundTheClock && c.State == casework.Draft {
		f.Story.ContactAlways, f.OnRota, err = d.Always(ctx, q, f.Story.ContactAlways)
		if err != nil {
			return f, err
		}
	}
	if c.State != casework.Draft {
		return f, nil // what it was filed with stands in its record
	}
	if err := d.Describe(ctx, q, &f, c); err != nil {
		return f, err
	}
	today, err := d.hours.Today(ctx, q)
	if err != nil {
		return f, err
	}
	elsewhere := 0
	if f.Contract == nil && f.Asset != nil {
		if elsewhere, err = d.inForceOf(ctx, q, c.VendorID); err != nil {
			return f, err
		}
	}
	replaces, err := d.replaced(ctx, q, c)
	if err != nil {
		return f, err
	}
	f.Story.Identifiers = append(replaces, f.identifiers(f.Contract)...)
	f.Story.Doubts = f.doubts(f.Contract, elsewhere, c.Kind, today)
	f.Story.GoOn, f.Story.Unknown = c.GoOnBecause, f.Vendor.Placeholder
	if err := d.doubt(ctx, q, &f, c); err != nil {
		return f, err
	}
	err = d.doubtAnswers(ctx, q, &f, c)
	return f, err
}

// Describe adds to the story of a case what the vendor's form asks and what is known of the things it is about.
func (d *Filing) Describe(ctx context.Context, q db.Querier, f *Case, c *casesdb.Case) (err error) {
	if f.belongings, err = d.BelongingsOf(ctx, q, c); err != nil {
		return err
	}
	f.Story.Asked = f.asked(f.Vendor.Profile.V.Asks(c.Kind), c.Answers.V)
	f.Story.PartsAsked = f.Vendor.Profile.V.Tells(c.Kind)
	if f.Asset != nil {
		f.Story.KnownVersion = f.Asset.Facts.Version
	}
	f.Story.Consents, f.Story.Now = c.Consents.V, d.Now()
	f.Story.VendorZone, _ = time.LoadLocation(f.Vendor.Profile.V.Zone)
	owner, err := d.ownerOf(ctx, q, c)
	if err != nil {
		return err
	}
	f.owner = owner
	if owner != nil && owner.Zone != "" {
		if f.Story.Zone, err = time.LoadLocation(owner.Zone); err == nil {
			return nil
		}
	}
	f.Story.Zone, err = d.hours.Zone(ctx, q)
	return err
}

// replaced is the vendor's number of the case in whose place a draft is filed, where it is the same vendor's.
func (d *Filing) replaced(ctx context.Context, q db.Querier, c *casesdb.Case) (out []intake.Identifier, err error) {
	if c.InsteadOf == nil {
		return nil, nil
	}
	vendor, err := casesdb.VendorOf(ctx, q, *c.InsteadOf)
	if err != nil || vendor != c.VendorID {
		return nil, err
	}
	refs, err := casesdb.References(ctx, q, []int64{*c.InsteadOf})
	if number := casesdb.NumberOf(refs, casework.Vendors); number != "" {
		out = append(out, intake.Identifier{Label: "In place of your reference", Value: number})
	}
	return out, err
}

// Always is who a vendor is told can be reached round the clock: whom the case names, else who is on the rota, which is
// then given a second time.
func (d *Filing) Always(ctx context.Context, q db.Querier, named string) (contact, onRota string, err error) {
	if named = strings.TrimSpace(named); named != "" {
		return named, "", nil
	}
	onRota, err = d.rota.Contact(ctx, q)
	return onRota, onRota, err
}

// doubt says what speaks against filing a draft with its vendor as it stands.
func (d *Filing) doubt(ctx context.Context, q db.Querier, f *Case, c *casesdb.Case) error {
	if n := c.Facts.V.NeededBy; n != nil && n.Before(d.Now()) {
		f.Story.Doubts = append(f.Story.Doubts,
			intake.Need{Field: "facts.needed_by",
				Text: "The needed-by time has passed: give a later one, or clear it"})
	} else if lead := f.Vendor.Profile.V.Lead(c.Kind); n != nil && lead > 0 &&
		n.Before(d.Now().AddDate(0, 0, lead)) {
		f.Story.Doubts = append(f.Story.Doubts, intake.Need{Field: "facts.needed_by",
			Text: fmt.Sprintf("%s wants to know at least %s before it is needed; the needed-by time is sooner than that",
				f.Vendor.Name, desk.Count(lead, "day", "days"))})
	}
	if f.owner != nil {
		if words := mayNot(f.Vendor.Profile.V, *f.owner, "open", "open cases there"); words != "" {
			f.Story.Doubts = append(f.Story.Doubts, intake.Need{Field: "vendor", Text: words, Despite: true})
		}
		if err := d.doubtContact(ctx, q, f, *f.owner); err != nil {
			return err
		}
	}
	if p := f.Vendor.Profile.V; len(p.Takes) > 0 && !slices.Contains(p.Takes, c.Kind) {
		f.Story.Doubts = append(f.Story.Doubts,
			intake.Need{Field: "kind", Despite: true,
				Text: "This vendor does not take this kind of case, only: " + kindsTaken(p.Takes)})
	}
	return d.doubtWays(ctx, q, f, c)
}

// doubtWays says whom to go to first, where that is not the vendor of the case, and what of the case nobody could name.
func (d *Filing) doubtWays(ctx context.Context, q db.Querier, f *Case, c *casesdb.Case) error {
	say := func(n intake.Need) { f.Story.Doubts = append(f.Story.Doubts, n) }
	if p := f.Vendor.Profile.V; p.Through != "" {
		through, err := registerdb.VendorByKey(ctx, q, p.Through)
		if err != nil && !errors.Is(err, db.ErrNotFound) {
			return err
		} else if err == nil {
			f.First = &through
		}
		advice := "Go to " + cmp.Or(through.Name, p.Through) + " first: this vendor is reached through it"
		if p.DirectAllowed {
			advice += ", although going to it directly is allowed"
		}
		say(intake.Need{Field: "vendor", Text: advice, Despite: !p.DirectAllowed})
	}
	if u := c.Unsorted.V; u.Product != "" {
		say(intake.Need{Field: "asset", Text: fmt.Sprintf("The register does not have %q yet", u.Product)})
	}
	if u := c.Unsorted.V; u.Kind != "" {
		say(intake.Need{Field: "kind", Text: fmt.Sprintf("No kind of case is called %q: choose the nearest", u.Kind)})
	}
	return nil
}

// doubtAnswers says which answers name an account or asset that the register does not have.
func (d *Filing) doubtAnswers(ctx context.Context, q db.Querier, f *Case, c *casesdb.Case) error {
	kinds := map[string]registerdb.ThingKind{"account": registerdb.Accounts, "asset": registerdb.Assets}
	for _, x := range f.Vendor.Profile.V.Asks(c.Kind) {
		kind, ok := kinds[x.Type]
		answer := strings.TrimSpace(c.Answers.V[x.Key])
		if amounts, is := x.Amounts(answer); is {
			for _, place := range intake.OutOfPlace(amounts, f.Choices(x)) {
				f.Story.Doubts = append(f.Story.Doubts, intake.Need{Field: "answers." + x.Key,
					Text: fmt.Sprintf("%s: %.60q is not a region of the account, which has %s", x.Label, place,
						strings.Join(f.Choices(x), ", "))})
			}
			continue
		}
		if !ok || answer == "" {
			continue
		}
		_, err := registerdb.ThingNamed(ctx, q, kind, c.VendorID, answer)
		if errors.Is(err, db.ErrNotFound) && c.MakerID != nil {
			_, err = registerdb.ThingNamed(ctx, q, kind, *c.MakerID, answer)
		}
		if errors.Is(err, db.ErrNotFound) {
			f.Story.Doubts = append(f.Story.Doubts,
				intake.Need{Field: "answers." + x.Key,
					Text: fmt.Sprintf("%s: the register has no %s %.60q of this vendor", x.Label, kind.Name, answer)})
		} else if err != nil {
			return err
		}
	}
	return nil
}

// inForceOf is how many contracts with a vendor are in force today.
func (d *Filing) inForceOf(ctx context.Context, q db.Querier, vendor int64) (n int, err error) {
	contracts, err := registerdb.ContractsOf(ctx, q, vendor)
	if err != nil {
		return 0, err
	}
	today, err := d.hours.Today(ctx, q)
	for _, k := range contracts {
		if k.InForce(today) {
			n++
		}
	}
	return n, err
}

// levelFor is the level that the case holds, or, before it is filed, the one
// that its severity points at.
func levelFor(levels []registerdb.Level, c *casesdb.Case) *registerdb.Level {
	for i, l := range levels {
		if c.LevelRank != nil && l.Rank == *c.LevelRank || c.LevelRank == nil && c.Severity != nil &&
			slices.Contains(l.Severities, *c.Severity) {
			return &levels[i]
		}
	}
	return nil
}

func (f *Case) tell(c *casesdb.Case) intake.Story {
	x, facts := c.Texts.V, c.Facts.V
	s := intake.Story{
		Title: c.Title, Kind: c.Kind, Texts: x, Environment: facts.Environment, Effect: facts.Effect, Reach: facts.Reach,
		Workaround: facts.Workaround, HasChannel: len(f.Routes()) > 0, Graded: c.Severity != nil,
		Stopped: c.Severity != nil && *c.Severity == int(severity.Stopped),
	}
	if fe := (*severity.FactError)(nil); errors.As(f.GradeErr, &fe) {
		s.GradeProblem = fe.Field + " " + fe.Problem
		s.GradeField = fe.Field
	} else if f.GradeErr != nil {
		s.GradeProblem = f.GradeErr.Error()
	}
	if c.SeverityChosen != nil && f.GradeErr == nil && severity.Level(*c.SeverityChosen) != f.Grade.Level {
		s.ChosenWithoutReason = strings.TrimSpace(c.SeverityBecause) == ""
	}
	if facts.NeededBy != nil {
		s.NeededBy = facts.NeededBy.UTC().Format("2006-01-02 15:04 UTC")
	}
	if f.Level != nil {
		s.Level, s.RoundTheClock = f.Level.Label, f.Level.RoundTheClock
		for _, k := range f.Level.Criteria {
			st := intake.Statement{Text: k.Text}
			for _, a := range f.Confirmed {
				if a.CriterionID == k.ID {
					st.By = a.Person
				}
			}
			s.Criteria = append(s.Criteria, st)
		}
	}
	return s
}

// kindsTaken lists the kinds of case that a vendor takes, in words.
func kindsTaken(kinds []string) string {
	out := make([]string, len(kinds))
	for i, k := range kinds {
		out[i] = words.Inline(words.Kinds.Of(k))
	}
	return strings.Join(out, ", ")
}

// MayNotConsent says in words that somebody is not among those who may consent at a vendor; empty where nothing speaks
// against it.
func MayNotConsent(v register.Vendor, p peopledb.Person) string {
	return mayNot(v, p, "consent", "give consent there")
}

// MayNotEscalate says in words that somebody is not among those who may escalate at a vendor; empty where nothing
// speaks against it.
func MayNotEscalate(v register.Vendor, p peopledb.Person) string {
	return mayNot(v, p, "escalate", "escalate there")
}

// mayNot says in words that somebody is not among those who may do something at a
// vendor, and whom to ask; empty where the vendor names nobody, or names them.
func mayNot(v register.Vendor, p peopledb.Person, act, people string) string {
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
