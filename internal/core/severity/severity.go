// Package severity grades a case from facts, by docs/rules.md, section 2: four levels
// of our own, the same for every vendor, always with reasons in words.
package severity

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	labels "roundhouse.example/internal/core/words"
)

// Level is our own severity, 1 (Stopped) to 4 (Minor); the zero value is "not graded".
type Level int

// Our four levels.
const (
	Stopped Level = iota + 1
	Impaired
	Hampered
	Minor
)

// Valid says whether l is one of the four.
func (l Level) Valid() bool { return l >= Stopped && l <= Minor }

// String is the level's word.
func (l Level) String() string {
	if !l.Valid() {
		return "not graded"
	}
	return labels.Severities.Of(strconv.Itoa(int(l)))
}

// Facts are what a level is computed from. Empty words are "not given".
type Facts struct {
	Environment string // production, other
	Effect      string // stopped, degraded, awkward, none
	Reach       string // everyone, many, few, one
	Workaround  string // none, costly, easy
	Exposure    bool   // data being lost, or security open, right now
	// NeededWithinHours is the time until the business needs it, in hours;
	// nil when there is no such instant, negative when it has passed.
	NeededWithinHours *float64
}

// Grade is a level and why.
type Grade struct {
	Level   Level
	Reasons []string
}

// FactError names the fact that is missing or not understood.
type FactError struct{ Field, Problem string }

func (e *FactError) Error() string { return e.Field + ": " + e.Problem }

var words = []struct {
	field string
	get   func(*Facts) string
	known []string
}{
	{"environment", func(f *Facts) string { return f.Environment }, []string{"production", "other"}},
	{"effect", func(f *Facts) string { return f.Effect }, []string{"stopped", "degraded", "awkward", "none"}},
	{"reach", func(f *Facts) string { return f.Reach }, []string{"everyone", "many", "few", "one"}},
	{"workaround", func(f *Facts) string { return f.Workaround }, []string{"none", "costly", "easy"}},
}

// table is the one of docs/rules.md, section 2: by effect and reach, for a workaround
// that is none, costly, easy.
var table = map[string][3]Level{
	"stopped many": {1, 1, 2}, "stopped few": {2, 3, 3}, "stopped one": {3, 3, 3},
	"degraded many": {2, 2, 3}, "degraded few": {3, 3, 3}, "degraded one": {3, 3, 4},
	"awkward many": {3, 3, 3}, "awkward few": {3, 3, 4}, "awkward one": {4, 4, 4},
}

// Of grades the facts. The error is a *FactError.
func Of(f Facts) (Grade, error) {
	for i, w := range words {
		v := w.get(&f)
		if v == "" && i >= 2 {
			continue // only the table reads reach and workaround
		}
		if err := known(w.field, v, w.known); err != nil {
			return Grade{}, err
		}
	}
	g, final, err := base(f)
	if err != nil {
		return Grade{}, err
	}
	if h := f.NeededWithinHours; h != nil && !final && *h >= 0 && *h <= 24 && g.Level > Impaired {
		g.Level--
		g.Reasons = append(g.Reasons, "needed within 24 hours, which raises it by one")
	}
	return g, nil
}

// calm are the kinds of case that no outage grades.
var calm = []string{"question", "money", "licence", "order", "wish", "access"}

// For grades a case of a kind. A question, and whatever else no outage grades, is Minor where nobody has said what
// is broken for whom; an environment alone, which an asset brings with it, says nothing of that. The error is a
// *FactError.
func For(kind string, f Facts) (Grade, error) {
	if !slices.Contains(calm, kind) || f.Effect != "" || f.Reach != "" || f.Workaround != "" || f.Exposure {
		return Of(f)
	}
	f.Effect = "none"
	if f.Environment == "" {
		f.Environment = "other"
	}
	g, err := Of(f)
	if err == nil {
		g.Reasons[0] = "nothing is reported as broken"
	}
	return g, err
}

func known(field, v string, list []string) error {
	if v == "" {
		return &FactError{field, "is missing; use " + either(list)}
	}
	for _, k := range list {
		if v == k {
			return nil
		}
	}
	return &FactError{field, fmt.Sprintf("%.40q is not known; use %s", v, either(list))}
}

func either(list []string) string {
	last := len(list) - 1
	return strings.Join(list[:last], ", ") + " or " + list[last]
}

// states is what an effect makes of a service, in a sentence.
var states = map[string]string{"stopped": "stopped", "degraded": "degraded", "awkward": "awkward to use"}

func base(f Facts) (g Grade, final bool, err error) {
	where := "production"
	if f.Environment == "other" {
		where = "a system outside production"
	}
	switch {
	case f.Exposure && f.Environment == "production":
		return Grade{Stopped, []string{"data is being lost or exposed right now, in production"}}, true, nil
	case f.Exposure:
		return Grade{Impaired, []string{"data is being lost or exposed right now, outside production"}}, true, nil
	case f.Effect == "none":
		return Grade{Minor, []string{"nothing is affected"}}, false, nil
	case f.Environment == "other" && f.Effect == "stopped":
		return Grade{Hampered, []string{where + " is stopped"}}, false, nil
	case f.Environment == "other":
		return Grade{Minor, []string{where + " is " + states[f.Effect]}}, false, nil
	}
	for _, w := range words[2:] {
		if err := known(w.field, w.get(&f), w.known); err != nil {
			return Grade{}, false, err
		}
	}
	reach := f.Reach
	if reach == "everyone" {
		reach = "many"
	}
	col := map[string]int{"none": 0, "costly": 1, "easy": 2}[f.Workaround]
	around := "there is no workaround"
	if col > 0 {
		around = "the workaround is " + f.Workaround
	}
	who := labels.Inline(labels.Reaches.Of(f.Reach))
	return Grade{table[f.Effect+" "+reach][col],
		[]string{fmt.Sprintf("production is %s for %s", states[f.Effect], who), around}}, false, nil
}

// Override is the warning for choosing another level than the facts support;
// empty where the two agree.
func Override(facts, chosen Level) string {
	switch {
	case chosen < facts:
		return fmt.Sprintf("The facts support severity %d (%s). A case that is graded too high can end up last in the "+
			"vendor's queue.", facts, facts)
	case chosen > facts:
		return fmt.Sprintf("The facts support severity %d (%s). A less severe one has longer targets.", facts, facts)
	}
	return ""
}
