package pages

import (
	"fmt"

	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
)

// Advice is whom to escalate a case to, and why.
type Advice struct {
	register.Rung
	Number, Of int // of the ladder's rungs, from the lowest
	Because    escalation.Reason
	Why        string
}

// adviceOf reads it from a case's row and the vendor's ladder; nil where there is nothing to escalate.
func adviceOf(c *casesdb.Case, ladder []register.Rung) *Advice {
	if c.Advice == nil || *c.Advice > len(ladder) { // a shorter ladder is followed in a moment
		return nil
	}
	r := ladder[*c.Advice-1]
	return &Advice{Rung: r, Number: *c.Advice, Of: len(ladder), Because: c.AdviceBecause, Why: why(c.AdviceBecause, r)}
}

// why is a reason in words, with the figure of the rung that it goes by.
func why(because escalation.Reason, r register.Rung) string {
	switch because {
	case escalation.Unanswered:
		return "the last escalation was not answered in time"
	case escalation.Late:
		return "the vendor is late by " + words.Target(r.LateBy) + " or more"
	case escalation.FixesRejected:
		return desk.Count(r.FixesRejected, "fix was rejected", "fixes were rejected")
	case escalation.Reopened:
		return "it was reopened " + desk.Count(r.Reopened, "time", "times")
	case escalation.OpenLong:
		if r.Severity > 0 && r.Severity < 4 {
			return fmt.Sprintf("it has been open for %s or longer at severity %d or worse", words.Target(r.OpenLonger),
				r.Severity)
		}
		return "it has been open for " + words.Target(r.OpenLonger) + " or longer"
	}
	return ""
}
