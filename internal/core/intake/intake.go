// Package intake knows what a vendor must be told to take a case in, what is
// still missing, and how the whole reads as one text.
package intake

import (
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/words"
)

// Story is a case as it will be told.
type Story struct {
	Title, Affected, Level string
	// Identifiers are what the vendor knows us and the thing by, in its own words, first ones first.
	Identifiers                             []Identifier
	Happened, Expected, Steps, Since, Tried string
	Contact, ContactAlways                  string
	Environment, Effect, Reach, Workaround  string
	NeededBy                                string
	RoundTheClock                           bool
	Criteria                                []Statement
	Graded                                  bool
	GradeProblem                            string
	HasChannel                              bool
	ChosenWithoutReason                     bool
	// Asked is what the vendor's form asks, with what is answered so far.
	Asked []Question
	// Doubts are what speaks against filing it as it stands, and does not forbid it.
	Doubts []Need
}

// Identifier is a number by which the vendor knows something.
type Identifier struct{ Label, Value string }

// Question is one field of the vendor's intake form. Problem says what is wrong with the answer.
type Question struct {
	Key, Label, Answer, Hint, Problem string
	Required                          bool
}

// Statement is a criterion of the vendor's level, and who confirmed it.
type Statement struct{ Text, By string }

// Need is something missing before a case can be filed, or that would help.
type Need struct {
	Required bool
	Field    string
	Text     string
}

// Missing lists what a story lacks, what is required first.
func Missing(s Story) []Need {
	var out []Need
	required := func(lacks bool, field, text string) {
		if lacks {
			out = append(out, Need{true, field, text})
		}
	}
	optional := func(lacks bool, field, text string) {
		if lacks {
			out = append(out, Need{false, field, text})
		}
	}
	required(!s.HasChannel, "vendor", "A way to reach the vendor")
	required(!s.Graded, "facts", "The severity: "+s.GradeProblem)
	required(s.ChosenWithoutReason, "severity_reason", "Why the severity differs from what the facts support")
	required(strings.TrimSpace(s.Happened) == "", "texts.happened", "What happened")
	for _, c := range s.Criteria {
		required(c.By == "", "criteria", "Not confirmed: "+c.Text)
	}
	required(s.RoundTheClock && strings.TrimSpace(s.ContactAlways) == "", "texts.contact_always",
		"A contact round the clock, which the vendor level needs")
	for _, q := range s.Asked {
		why := ""
		if q.Hint != "" {
			why = " (" + q.Hint + ")"
		}
		required(q.Required && q.Answer == "", "answers."+q.Key, q.Label+", which the vendor asks for"+why)
		required(q.Problem != "", "answers."+q.Key, q.Label+": "+q.Problem)
	}
	optional(s.Expected == "", "texts.expected", "What was expected")
	optional(s.Since == "", "texts.since", "Since when")
	optional(s.Steps == "", "texts.steps", "Steps to reproduce it")
	optional(s.Tried == "", "texts.tried", "What has been tried")
	optional(s.Affected == "", "texts.affected", "What is affected: the service, machine or account")
	return append(out, s.Doubts...)
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
		line(q.Label, q.Answer)
	}
	line("Affected", s.Affected)
	line("Requested level", s.Level)
	line("Since", s.Since)
	line("Impact", impact(s))
	part("What happened", s.Happened)
	part("What was expected", s.Expected)
	part("Steps to reproduce", s.Steps)
	part("Already tried", s.Tried)
	part(conditionsHead, conditions(s.Criteria))
	contact := s.Contact
	if s.ContactAlways != "" {
		contact += "\nRound the clock: " + s.ContactAlways
	}
	part("Contact", contact)
	return strings.TrimSpace(b.String())
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

// impact is one line: where, how and for whom it is broken, and whether one can work around it.
func impact(s Story) string {
	var parts []string
	effect := words.Effects.Of(s.Effect)
	if s.Effect == "none" {
		effect = ""
	}
	for _, word := range []string{words.Environments.Of(s.Environment), effect, words.Reaches.Of(s.Reach)} {
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
