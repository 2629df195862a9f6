// Package ladder reads a vendor's escalation ladder, as its pack says it, for package escalation.
package ladder

import (
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/register"
)

// What a business day comes to in a ladder (docs/rules.md, section 9), in seconds: covered ones where lateness is
// measured, others where age is.
const (
	lateDay = 8 * 3600
	openDay = 24 * 3600
)

// Of says when the rungs of a vendor's ladder are due. What cannot be read, which the vendor's own check refuses, makes
// none due.
func Of(rungs []register.Rung) escalation.Ladder {
	out := make(escalation.Ladder, len(rungs))
	for i, r := range rungs {
		out[i] = escalation.Rung{LateBy: seconds(r.LateBy, lateDay), FixesRejected: r.FixesRejected, Reopened: r.Reopened,
			OpenLonger: seconds(r.OpenLonger, openDay), Severity: r.Severity}
		if r.Severity == 0 {
			out[i].Severity = 4
		}
	}
	return out
}

// seconds are those of a length of time; nil where there is none.
func seconds(text string, day int64) *int64 {
	t, err := calendar.ParseTarget(text)
	switch {
	case text == "" || err != nil || t.None:
		return nil
	case t.Business:
		return new(int64(t.Days) * day)
	}
	return &t.Seconds
}
