// Package intake knows what a vendor must be told to take a case in, what is
// still missing, and how the whole reads as one text.
package intake

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/rota"
	"roundhouse.example/internal/core/words"
)

// Story is a case as it will be told.
type Story struct {
	Title, Kind, Level string
	// Identifiers are what the vendor knows us and the thing by, in its own words, first ones first.
	Identifiers []Identifier
	// KnownVersion is the version that the register has of what is affected.
	KnownVersion string
	Texts
	Environment, Effect, Reach, Workaround string // the facts of the severity
	NeededBy                               string
	// Stopped says that the case is of severity 1, which may be filed with little and completed later.
	Stopped             bool
	RoundTheClock       bool
	Criteria            []Statement
	Graded              bool
	GradeProblem        string
	GradeField          string // the fact that the severity lacks, if it is one
	HasChannel          bool
	ChosenWithoutReason bool
	// Asked is what the vendor's form asks beside the parts of the description, with what is answered so far.
	Asked []Question
	// PartsAsked are the parts of the description as the vendor's form asks for them.
	PartsAsked []Asked
	// Zone is where we are, and VendorZone where the vendor is; UTC where they are nil.
	Zone, VendorZone *time.Location
	// Consents are all that were given, and Now says which of them hold.
	Consents []casework.Consent
	Now      time.Time
	// Doubts are what speaks against filing it as it stands, and does not forbid it; GoOn is why one goes on where one of
	// them needs a reason.
	Doubts []Need
	GoOn   string
	// Unknown says that it is not known yet which vendor this belongs to.
	Unknown bool
}

// Identifier is a number by which the vendor knows something.
type Identifier struct{ Label, Value string }

// Question is one field of the vendor's intake form. Problem says what is wrong with the answer.
type Question struct {
	Key, Label, Answer, Hint, Problem string
	// Told is the answer as the vendor reads it, where that is not as it was entered.
	Told     string
	Required bool
	Weight   int // how much it counts; 0 as usual
}

func (q Question) told() string { return cmp.Or(q.Told, q.Answer) }

// long says whether an answer has lines of its own.
func (q Question) long() bool {
	return strings.Contains(q.told(), "\n") || strings.HasPrefix(q.told(), "- ")
}

// Statement is a criterion of the vendor's level, and who confirmed it.
type Statement struct{ Text, By string }

// Need is something missing before a case can be filed, or that would help.
type Need struct {
	Required bool
	// Later is for what the vendor requires and a severity 1 can bring after it was filed.
	Later bool
	Field string
	Text  string
	// Why says why it matters, and Points how much it would add to the measure; 0 for what is not measured.
	Why    string
	Points int
	// Doubt is for what is not missing, but speaks against filing it as it stands.
	Doubt bool
	// Despite is for what speaks so much against filing it that going on needs a reason.
	Despite bool
}

// lackingFact is what is to be said where a fact of the severity is missing.
var lackingFact = map[string]string{
	"environment": "where it happens (in production or not)",
	"effect":      "what the service is (stopped, degraded, awkward or not affected)",
	"reach":       "who is affected (all users, many, a few or one)",
	"workaround":  "whether there is a workaround (none, a costly or an easy one)",
}

// Missing lists what a story lacks: what is required first, then what can come later, then what would help most.
func Missing(s Story) []Need {
	var out []Need
	required := func(lacks bool, field, text string) {
		if lacks {
			out = append(out, Need{Required: true, Field: field, Text: text})
		}
	}
	required(s.Unknown, "vendor", "Which vendor this belongs to")
	required(!s.HasChannel && !s.Unknown, "vendor", "A way to reach the vendor")
	if fact, known := lackingFact[s.GradeField]; known {
		required(!s.Graded, "facts."+s.GradeField, "Severity: "+fact)
	} else {
		required(!s.Graded, "facts", "Severity: "+s.GradeProblem)
	}
	if i := slices.IndexFunc(s.Doubts, func(n Need) bool { return n.Despite }); i >= 0 && strings.TrimSpace(s.GoOn) == "" {
		required(true, "go_on_reason", "A reason for filing it all the same: "+s.Doubts[i].Text)
	}
	required(s.ChosenWithoutReason, "severity_reason", "A reason why the severity differs from what the facts support")
	pieces := Pieces(s)
	all := counted(pieces)
	if p := pieces[0]; !p.Filled { // what happened
		out = append(out, Need{Required: true, Field: p.Field, Text: p.lacks(), Why: p.Why, Points: points(p, all)})
	}
	for _, c := range s.Criteria {
		required(c.By == "", "criteria", "Not confirmed: "+c.Text)
	}
	if why := Unreachable(s.ContactAlways); s.RoundTheClock && why != "" {
		required(true, "texts.contact_always", "A contact round the clock, which the vendor level needs: "+why)
	}
	for _, q := range s.Asked {
		required(q.Problem != "", "answers."+q.Key, q.Label+": "+q.Problem)
	}
	out = append(out, s.Texts.wrongContact()...)
	lacking := make([]Need, 0, len(pieces))
	for _, p := range pieces {
		wrong := slices.ContainsFunc(out, func(n Need) bool { return n.Field == p.Field })
		if p.Filled || wrong || p.Weight == 0 && !p.Required {
			continue
		}
		later := p.Required && s.Stopped
		lacking = append(lacking, Need{Required: p.Required && !later, Later: later, Field: p.Field, Text: p.lacks(),
			Why: p.Why, Points: points(p, all)})
	}
	rank := func(n Need) int {
		switch {
		case n.Required:
			return 0
		case n.Later:
			return 1
		}
		return 2
	}
	slices.SortStableFunc(lacking, func(a, b Need) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(b.Points, a.Points))
	})
	var doubts []Need
	for _, n := range s.Doubts {
		if n.Required {
			out = append(out, n)
			continue
		}
		n.Doubt = true
		doubts = append(doubts, n)
	}
	return append(append(out, lacking...), doubts...)
}

// Unreachable says why nobody can be reached with what is given as a contact round the clock; empty where somebody can.
func Unreachable(contact string) string {
	switch contact = strings.TrimSpace(contact); {
	case contact == "":
		return "nobody is on the rota now; give a name and a phone number"
	case !rota.Callable(contact):
		return "give a phone number too, with its country code"
	}
	return ""
}

// Compose is the text as the vendor will see it: identifiers first, then the
// story, then how bad it is and whom to ask. What is not known is left out.
func Compose(s Story) string {
	var b strings.Builder
	line := func(label, text string) {
		if text != "" {
			fmt.Fprintf(&b, "%s: %s\n", label, text)
		}
	}
	part := func(label, text string) {
		if text = strings.TrimSpace(text); text != "" {
			fmt.Fprintf(&b, "\n%s\n%s\n", label, text)
		}
	}
	for _, id := range s.Identifiers {
		// What their form asks for stands under their own name for it.
		if !slices.ContainsFunc(s.Asked, func(q Question) bool { return q.Answer == id.Value }) {
			line(id.Label, id.Value)
		}
	}
	for _, q := range s.Asked {
		if !q.long() {
			line(q.Label, q.told())
		}
	}
	line("Affected", s.Affected)
	pieces := Pieces(s)
	for _, p := range pieces {
		if p.IsPart && p.line && !s.tells(p.text) {
			line(p.Label, p.text)
		}
	}
	line("Requested level", s.Level)
	if hurts := impact(s); hurts != "" {
		line("Impact", hurts)
	} else {
		line("Needed by", s.NeededBy)
	}
	for _, p := range pieces {
		if p.IsPart && !p.line {
			part(p.Label, p.text)
		}
	}
	for _, q := range s.Asked {
		if q.long() {
			part(q.Label, q.told())
		}
	}
	part(conditionsHead, conditions(s.Criteria))
	part("Contact", s.contact())
	part("Please note", s.Instructions)
	part("Consents", s.consents())
	return strings.TrimSpace(b.String())
}

// tells says whether an identifier has a text already, as "Array 40 7.2" has the version 7.2.
func (s Story) tells(text string) bool {
	return slices.ContainsFunc(s.Identifiers, func(id Identifier) bool {
		return id.Value == text || strings.HasSuffix(id.Value, " "+text)
	})
}

const conditionsHead = "Your conditions for this level"

func conditions(list []Statement) string {
	lines := make([]string, len(list))
	for i, x := range list {
		if lines[i] = "- " + x.Text + ", confirmed by " + x.By; x.By == "" {
			lines[i] = "- " + x.Text + " (not confirmed yet)"
		}
	}
	return strings.Join(lines, "\n")
}

// Asking is the text that asks the vendor for another level: why, its conditions with who confirmed each, and who
// can be reached round the clock, where the level needs that.
func Asking(level, why string, criteria []Statement, contactAlways string) string {
	text := fmt.Sprintf("Please change this to level %q.\n\n%s", level, strings.TrimSpace(why))
	if len(criteria) > 0 {
		text += "\n\n" + conditionsHead + "\n" + conditions(criteria)
	}
	if contactAlways != "" {
		text += "\n\nContact round the clock: " + contactAlways
	}
	return text
}

// impact is one line: where, how and for whom it is broken, and whether one can work around it; empty where nothing is.
func impact(s Story) string {
	if s.Effect == "" || s.Effect == "none" {
		return ""
	}
	var parts []string
	for _, word := range []string{words.Environments.Of(s.Environment), words.Effects.Of(s.Effect),
		words.Reaches.Of(s.Reach)} {
		if word != "" {
			parts = append(parts, words.Inline(word))
		}
	}
	text := strings.Join(parts, ", ")
	for _, more := range [][2]string{{"workaround", words.Inline(words.Workarounds.Of(s.Workaround))},
		{"needed by", s.NeededBy}} {
		if more[1] != "" {
			text += "; " + more[0] + ": " + more[1]
		}
	}
	return strings.TrimPrefix(text, "; ")
}

// Pasted is a message as a person takes it to the vendor: what names the case at
// its head, the title where it is new and the vendor's number where it is known.
func Pasted(opens bool, title, reference, text string) string {
	head := title
	if !opens && reference != "" {
		head = reference + ": " + title
	}
	return head + "\n\n" + strings.TrimSpace(text) + "\n"
}
