package register

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/pattern"
	"roundhouse.example/internal/core/phrasing"
	"roundhouse.example/internal/core/route"
)

var vendorKey = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)

// Check says what is wrong with it.
func (v Vendor) Check() []Fault {
	var f faults
	if !vendorKey.MatchString(v.Key) {
		f.add("key", "use small letters, digits and dashes, like harbour-net")
	}
	f.name("name", v.Name)
	f.short("kind", v.Kind)
	f.short("does", v.Does)
	if _, err := time.LoadLocation(v.Zone); err != nil || v.Zone == "" || v.Zone == "Local" {
		f.add("zone", "%q is not a known time zone; name one like Europe/Oslo", clip(v.Zone))
	}
	f.names("languages", v.Languages)
	f.name("hours", v.Hours)
	f.short("site", v.Site)
	f.long("other_way", v.OtherWay)
	f.long("login_how", v.LoginHow)
	f.long("note", v.Note)
	if v.Through == v.Key && v.Key != "" {
		f.add("through", "a vendor cannot be reached through itself")
	}
	f.days("closes_after_days", v.ClosesAfterDays)
	if v.ReceiptWithin != "" {
		if _, err := calendar.ParseTarget(v.ReceiptWithin); err != nil {
			f.add("receipt_within", "%s", err)
		}
	}
	f.days("reopens_within_days", v.ReopensWithinDays)
	for i, k := range v.ReopensBy {
		must(&f, fmt.Sprintf("reopens_by[%d]", i), k, route.Kinds)
	}
	f.pattern("reference_pattern", v.ReferencePattern)
	if p := v.ReferencePage; p != "" && (!strings.HasPrefix(p, "https://") && !strings.HasPrefix(p, "http://") ||
		!strings.Contains(p, "{reference}")) {
		f.add("reference_page", "write an address with {reference} where the number goes, like "+
			"https://help.vendor.example/cases/{reference}")
	}
	f.pattern("automatic_pattern", v.AutomaticPattern)
	v.checkLevels(&f)
	v.checkWays(&f)
	v.checkLimits(&f)
	for i, k := range v.Takes {
		must(&f, fmt.Sprintf("takes[%d]", i), k, Kinds)
	}
	v.checkLadder(&f)
	v.checkForms(&f)
	v.checkWanted(&f)
	v.checkAccess(&f)
	for _, x := range CheckTerms(v.UsualTerms, false) {
		x.Field = "usual_" + x.Field
		f = append(f, x)
	}
	for i, t := range v.UsualTerms {
		if t.Level > len(v.Levels) {
			f.add(fmt.Sprintf("usual_terms[%d].level", i), "the vendor has no level %d", t.Level)
		}
	}
	return f
}

func (v Vendor) checkLimits(f *faults) {
	var seen []route.Kind
	for i, x := range v.Limits {
		at := fmt.Sprintf("limits[%d]", i)
		must(f, at+".channel", x.Channel, route.Kinds)
		if slices.Contains(seen, x.Channel) {
			f.add(at+".channel", "%s has its limits already", x.Channel)
		}
		seen = append(seen, x.Channel)
		if x.Title != 0 && (x.Title < 20 || x.Title > 1000) {
			f.add(at+".title", "a title has 20 to 1000 characters; leave it out if there is no limit")
		}
		if x.Text != 0 && (x.Text < 500 || x.Text > 1_000_000) {
			f.add(at+".text", "a text has 500 to 1000000 bytes; leave it out if there is no limit")
		}
		oneOf(f, at+".letters", x.Letters, LettersOf)
	}
}

func (v Vendor) checkWanted(f *faults) {
	for i, x := range v.LeadTimes {
		at := fmt.Sprintf("lead_times[%d]", i)
		must(f, at+".kind", x.Kind, Kinds)
		if x.Days < 1 || x.Days > 3650 {
			f.add(at+".days", "give a number of days from 1 to 3650")
		}
		if slices.ContainsFunc(v.LeadTimes[:i], func(o LeadTime) bool { return o.Kind == x.Kind }) {
			f.add(at+".kind", "%s is listed twice", clip(x.Kind))
		}
	}
	for i, x := range v.Phrases {
		f.short(fmt.Sprintf("phrases[%d].text", i), x.Text)
		if why := phrasing.Wrong(v.Phrases[:i+1]); why != "" {
			f.add(fmt.Sprintf("phrases[%d]", i), "%s", why)
		}
	}
	for i, x := range v.WantedFiles {
		at := fmt.Sprintf("wanted_files[%d]", i)
		must(f, at+".kind", x.Kind, append([]string{"any"}, Kinds...))
		f.name(at+".name", x.Name)
		f.short(at+".how", x.How)
		f.short(at+".where", x.Where)
		if slices.ContainsFunc(v.WantedFiles[:i], func(o WantedFile) bool { return o.Name == x.Name && o.Kind == x.Kind }) {
			f.add(at+".name", "%s is listed twice", clip(x.Name))
		}
	}
}

func must[S ~string](f *faults, field string, s S, known []S) {
	if s == "" {
		f.add(field, "use one of %s", Listed(known))
		return
	}
	oneOf(f, field, s, known)
}

func (f *faults) days(field string, n int) {
	if n < 0 || n > 3650 {
		f.add(field, "it has to be 0 to 3650 days")
	}
}

func (f *faults) pattern(field, s string) {
	if s == "" {
		return
	}
	if _, err := pattern.Compile(s); err != nil {
		f.add(field, "%s", err)
	}
}

// checkWays looks at the words, ways and people by which one speaks with the vendor.
func (v Vendor) checkWays(f *faults) {
	for i, w := range v.StatusWords {
		at := fmt.Sprintf("status_words[%d]", i)
		f.name(at+".word", w.Word)
		oneOf(f, at+".state", w.State, []string{"taken-in", "fix-offered", "ended"})
		oneOf(f, at+".move", w.Move, []deadline.Side{deadline.Ours, deadline.Theirs})
		if slices.ContainsFunc(v.StatusWords[:i], func(o StatusWord) bool { return strings.EqualFold(o.Word, w.Word) }) {
			f.add(at+".word", "%s is listed twice", clip(w.Word))
		}
	}
	for i, w := range v.Ways {
		at := fmt.Sprintf("ways[%d]", i)
		must(f, at+".channel", w.Channel, route.Kinds)
		f.name(at+".address", w.Address)
		f.short(at+".area", w.Area)
		f.names(at+".file_types", w.FileTypes)
		if w.MaxMB < 0 || w.MaxMB > 100_000 {
			f.add(at+".max_mb", "it has to be 0 to 100000")
		}
	}
	for i, p := range v.People {
		at := fmt.Sprintf("people[%d]", i)
		f.name(at+".name", p.Name)
		f.short(at+".role", p.Role)
		f.short(at+".phone", p.Phone)
		f.short(at+".known", p.Known)
		f.short(at+".email", p.Email)
		if p.Email != "" && !strings.Contains(p.Email, "@") {
			f.add(at+".email", "%q is not an email address", clip(p.Email))
		}
	}
}

func (v Vendor) checkLevels(f *faults) {
	if len(v.Levels) == 0 {
		f.add("levels", "a vendor needs at least one level")
	}
	if len(v.Levels) > 99 {
		f.add("levels", "there are %d, at most 99 are allowed", len(v.Levels))
		return
	}
	ours := map[int]int{}
	for i, l := range v.Levels {
		at := fmt.Sprintf("levels[%d]", i)
		f.name(at+".label", l.Label)
		f.long(at+".meaning", l.Meaning)
		f.names(at+".criteria", l.Criteria)
		for j, c := range l.Channels {
			oneOf(f, fmt.Sprintf("%s.channels[%d]", at, j), c, route.Kinds)
			if !slices.ContainsFunc(v.Ways, func(w Way) bool { return w.Channel == c }) {
				f.add(fmt.Sprintf("%s.channels[%d]", at, j), "there is no way to reach it by %s: add one, or allow other channels",
					clip(string(c)))
			}
		}
		for j, s := range l.Severities {
			where := fmt.Sprintf("%s.severities[%d]", at, j)
			if s < 1 || s > 4 {
				f.add(where, "a severity is 1 to 4, not %d", s)
			} else if other, taken := ours[s]; taken {
				f.add(where, "severity %d already maps to levels[%d]; each severity maps to one level", s, other)
			} else {
				ours[s] = i
			}
		}
	}
	for s := 1; s <= 4 && len(v.Levels) > 0; s++ {
		if _, there := ours[s]; !there {
			f.add("levels", "severity %d maps to no level", s)
		}
	}
}

func (v Vendor) checkLadder(f *faults) {
	for i, r := range v.Ladder {
		at := fmt.Sprintf("ladder[%d]", i)
		f.name(at+".role", r.Role)
		f.short(at+".name", r.Name)
		if strings.TrimSpace(r.How) == "" {
			f.add(at+".how", "say how to reach this rung")
		}
		f.short(at+".how", r.How)
		f.long(at+".told", r.Told)
		for _, x := range []struct{ field, target string }{{"reply", r.Reply}, {"late_by", r.LateBy},
			{"open_longer", r.OpenLonger}} {
			if x.target == "" {
				continue
			}
			if t, err := calendar.ParseTarget(x.target); err != nil {
				f.add(at+"."+x.field, "%s", err)
			} else if t.None {
				f.add(at+"."+x.field, "leave it out instead of writing none")
			}
		}
		if r.FixesRejected < 0 || r.Reopened < 0 || r.Severity < 0 || r.Severity > 4 {
			f.add(at, "counts cannot be negative, and a severity is 1 to 4")
		}
		if r.Severity != 0 && r.OpenLonger == "" {
			f.add(at+".severity", "it is used together with open_longer")
		}
	}
}

var fieldKey = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

func (v Vendor) checkForms(f *faults) {
	for i, x := range v.Forms {
		at := fmt.Sprintf("forms[%d]", i)
		if x.Kind != "any" {
			must(f, at+".kind", x.Kind, append([]string{"any"}, Kinds...))
		}
		if !fieldKey.MatchString(x.Key) {
			f.add(at+".key", "use small letters, digits and _")
		}
		f.name(at+".label", x.Label)
		must(f, at+".type", x.Type, FieldTypes)
		f.short(at+".hint", x.Hint)
		if x.Weight < 0 || x.Weight > 100 {
			f.add(at+".weight", "it has to be 0 to 100")
		}
		if x.Type == partType && !intake.IsPart(x.Key) {
			f.add(at+".key", "a description has no such part; use %s", Listed(intake.PartKeys()))
		}
		oneOf(f, at+".from", x.From, Sources)
		if x.Type == "choice" && len(x.Choices) == 0 {
			f.add(at+".choices", "list the choices")
		}
		f.names(at+".choices", x.Choices)
		if slices.ContainsFunc(v.Forms[:i], func(o FormField) bool {
			return o.Key == x.Key && (o.Kind == x.Kind || o.Kind == "any" || x.Kind == "any")
		}) {
			f.add(at+".key", "%s is asked for twice", clip(x.Key))
		}
	}
}

func (v Vendor) checkAccess(f *faults) {
	for i, a := range v.Access {
		at := fmt.Sprintf("access[%d]", i)
		if !strings.Contains(a.Person, "@") {
			f.add(at+".person", "give the email address of one of our people")
		}
		for j, m := range a.May {
			oneOf(f, fmt.Sprintf("%s.may[%d]", at, j), m, []string{"open", "consent", "escalate"})
		}
		f.date(at+".login_due", a.LoginDue)
	}
	for i, p := range v.Partners {
		at := fmt.Sprintf("partners[%d]", i)
		f.name(at+".partner", p.Partner)
		f.name(at+".what", p.What)
		if p.Since == "" {
			f.add(at+".since", "give the first date")
		}
		if f.date(at+".since", p.Since) && f.date(at+".until", p.Until) && p.Until != "" && p.Until < p.Since {
			f.add(at+".until", "%s is before %s, the date it starts", p.Until, p.Since)
		}
	}
}
