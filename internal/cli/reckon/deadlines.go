package reckon

import (
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/reckon"
	"roundhouse.example/internal/core/words"
)

// printDeadlines prints what follows from a history, for people.
func printDeadlines(p *out.Printer, q *reckon.Deadlines) error {
	result, err := q.Result()
	if err != nil {
		return err
	}
	for _, w := range q.Warnings {
		p.Line("Note: %s", w)
	}
	for _, r := range result.Rows {
		printClock(p, r)
	}
	if result.Dates != nil {
		printDates(p, *result.Dates)
	}
	if a := result.Advice; a != nil && a.Advice != nil {
		p.Line("Escalate to rung %d", *a.Advice)
	} else if a != nil {
		p.Line("Nothing to escalate")
	}
	return nil
}

func printDates(p *out.Printer, dates reckon.Dates) {
	for _, x := range dates.Dated {
		ended := ""
		if x.Ended != nil {
			ended = "; ended " + *x.Ended
		}
		by := "the vendor"
		if x.Owed == string(deadline.Ours) {
			by = "us"
		}
		p.Line("%s %s, owed by %s: %s; set %s; due %s%s", words.Dated.Of(x.Kind), x.Item, by, p.Standing(x.Standing), x.Set,
			x.Due, ended)
	}
	if dates.Next != nil {
		p.Line("Next at %s", *dates.Next)
	} else {
		p.Line("Nothing is next")
	}
}

func printClock(p *out.Printer, r deadline.Row) {
	due := "unknown"
	if r.DueKnown {
		due = reckon.Text(r.Due)
	}
	rank := "level"
	if r.Clock.Kind.Ours() {
		rank = "severity"
	}
	p.Line("%s at %s %d: %s; %s counted of %s; due %s", words.Deadlines.Of(r.Clock.Kind.String()), rank, r.Clock.Rank,
		p.Standing(string(r.Standing)), words.Span(r.Counted), words.Span(r.Clock.Seconds), due)
	for _, s := range r.Clock.Segments {
		to := min(s.To, r.CountedTo)
		if to <= s.From {
			continue
		}
		mark, covered := "paused ", ""
		if s.Counted {
			mark, covered = "counted", words.Span(r.Clock.Hours(r.CountedTo).Span(s.From, to))
		}
		p.Line("  %s  %s to %s  %10s  %s", mark, reckon.Text(s.From), reckon.Text(to), covered, s.Why)
	}
}
