package run

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/core/rehearsal"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/rehearse"
)

// at is an instant of the rehearsal, in the zone of --zone or of its desk.
func (a *Commands) at(x *rehearse.Stage, t time.Time) string {
	zone := x.Zone
	if a.ZoneName != "" {
		if named, err := time.LoadLocation(a.ZoneName); err == nil {
			zone = named
		}
	}
	return t.In(zone).Format("Mon 2 Jan, 15:04") + " (" + zone.String() + ")"
}

// judged is a finding as it is printed.
type judged struct {
	At   time.Time      `json:"at"`
	Kind rehearsal.Kind `json:"kind"`
	Well bool           `json:"well"`
	Says string         `json:"says"`
}

// told says how a rehearsal went.
func (a *Commands) told(ctx context.Context, x *rehearse.Stage) error {
	findings, err := x.Judge(ctx)
	if err != nil {
		return err
	}
	list := []judged{}
	well := 0
	for _, f := range findings {
		if f.Well {
			well++
		}
		list = append(list, judged{time.Unix(f.At, 0).UTC(), f.Kind, f.Well, a.said(x, f)})
	}
	if a.Format == "json" {
		return a.Printer().JSON(map[string]any{"title": x.Scenario.Title, "case": x.Case(ctx),
			"began": x.Scenario.Begins.UTC(), "over": x.Clock.Now().UTC().Truncate(time.Second),
			"done_well": well, "missed": len(list) - well, "findings": list})
	}
	fmt.Fprintf(a.Stdout, "\n%s: ended on %s.\n", x.Scenario.Title, a.at(x, x.Clock.Now()))
	for _, part := range []struct {
		title string
		well  bool
		n     int
	}{{"Done well", true, well}, {"Missed", false, len(list) - well}} {
		if part.n == 0 {
			continue
		}
		fmt.Fprintf(a.Stdout, "\n%s (%d)\n", part.title, part.n)
		for _, j := range list {
			if j.Well == part.well {
				fmt.Fprintf(a.Stdout, "  %s\n", j.Says)
			}
		}
	}
	return nil
}

// said is a finding as a sentence.
func (a *Commands) said(x *rehearse.Stage, f rehearsal.Finding) string {
	at := func(t int64) string { return time.Unix(t, 0).In(x.Zone).Format("Mon 15:04") }
	// done says when it was done, and by when it was to be, where that was missed.
	done := func(well, late, never string) string {
		switch {
		case f.Well:
			return fmt.Sprintf(well, at(f.Done))
		case f.Done != 0:
			return fmt.Sprintf(late+" It was expected by %s.", at(f.Done), at(f.Until))
		}
		return fmt.Sprintf(never+" It was expected by %s.", at(f.Until))
	}
	switch f.Kind {
	case rehearsal.Filing:
		return done("The case was filed on %s.", "The case was filed on %s.", "The case was not filed.")
	case rehearsal.Grading:
		if f.Well {
			return fmt.Sprintf("The case was graded severity %d, as its facts support.", f.Severity)
		}
		return fmt.Sprintf("The case was graded severity %d. Its facts support severity %d.", f.Severity, f.Expected)
	case rehearsal.OurDeadline:
		name := words.Deadlines.Of(f.Deadline.String())
		return done(name+" was given on %s, in time.", name+" was given on %s.", name+" was not given.")
	case rehearsal.VendorLate:
		name := "The vendor's " + words.Inline(words.Deadlines.Of(f.Deadline.String())) + " was late from " + at(f.At) + ". "
		return name + done("You told the vendor on %s.", "You told the vendor on %s.", "Nobody told the vendor.")
	case rehearsal.Advised:
		to := fmt.Sprintf("From %s, the desk advised escalating to %s (rung %d). ", at(f.At), x.Rung(f.Rung), f.Rung)
		return to + done("You did on %s.", "You did on %s.", "Nobody did.")
	case rehearsal.Lowered:
		return "The vendor lowered its level on " + at(f.At) + ". " + done("You asked for the old one on %s.",
			"You asked for the old one on %s.", "Nobody asked for the old one.")
	case rehearsal.Briefing:
		return done("Our own people were told where it stands on %s.", "Our own people were told where it stands on %s.",
			"Our own people were not told where it stands.")
	}
	return ended(f, at)
}

// ended is a finding about what ends a case, as a sentence.
func ended(f rehearsal.Finding, at func(int64) string) string {
	switch {
	case f.Kind == rehearsal.WrongFix && f.Well:
		return fmt.Sprintf("The fix of %s did not work. You rejected it on %s.", at(f.At), at(f.Done))
	case f.Kind == rehearsal.WrongFix:
		return fmt.Sprintf("The fix of %s did not work. You accepted it on %s.", at(f.At), at(f.Done))
	case f.Kind == rehearsal.GoodFix && f.Well:
		return fmt.Sprintf("The fix of %s works. You accepted it on %s.", at(f.At), at(f.Done))
	case f.Kind == rehearsal.GoodFix:
		return fmt.Sprintf("The fix of %s works. You rejected it on %s.", at(f.At), at(f.Done))
	case f.Kind == rehearsal.ClosedEarly:
		closed := "The vendor closed the case on " + at(f.At) + ", though it was not solved. "
		switch {
		case f.Well:
			return closed + "You disputed that on " + at(f.Done) + "."
		case f.Done != 0:
			return closed + "You answered on " + at(f.Done) + ". A dispute was expected by " + at(f.Until) + "."
		}
		return closed + "Nobody disputed that. It was expected by " + at(f.Until) + "."
	case f.Well:
		return "The case was solved, and ended on " + at(f.Done) + "."
	case f.Done != 0:
		return "The case ended on " + at(f.Done) + ", though it was not solved."
	}
	return "The case is still open."
}
