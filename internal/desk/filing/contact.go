package filing

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/words"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
)

// ownerOf is who has a case; nil where nobody has.
func (d *Filing) ownerOf(ctx context.Context, q db.Querier, c *casesdb.Case) (*peopledb.Person, error) {
	if c.OwnerID == nil {
		return nil, nil
	}
	p, err := peopledb.ByID(ctx, q, *c.OwnerID)
	return &p, err
}

// doubtContact says what speaks against how the vendor is to reach us.
func (d *Filing) doubtContact(ctx context.Context, q db.Querier, f *Case, owner peopledb.Person) error {
	say := func(field, format string, args ...any) {
		f.Story.Doubts = append(f.Story.Doubts, intake.Need{Field: field, Text: fmt.Sprintf(format, args...)})
	}
	if theirs := f.Vendor.Profile.V.Languages; len(theirs) > 0 && !shares(theirs, owner.Languages) {
		say("texts.contact", "%s speaks %s, but this vendor only %s: name a contact who speaks that too", owner.Name,
			owner.Languages, strings.Join(theirs, ", "))
	}
	from, until, asked, wrong := f.Story.Call()
	if !asked || wrong != "" {
		return nil
	}
	if until.Before(d.Now()) {
		say("texts.call_from", "The time for a callback has passed: give a later one, or clear it")
		return nil
	}
	g, err := d.hours.Compiled(ctx, q)
	if err != nil {
		return err
	}
	cal, err := g.Calendar(ctx, q, f.Vendor.HoursID)
	if err != nil {
		return err
	}
	if hours := cal.At(d.Now().Unix()); hours.Span(from.Unix(), until.Unix()) == 0 {
		say("texts.call_from", "The vendor is closed when it should call you: it is open %s (%s)",
			words.Week(hours.Definition().Week), hours.Location())
	}
	return nil
}

// shares says whether somebody who speaks some languages speaks one of a vendor's; whose languages nobody wrote down
// speaks all.
func shares(theirs []string, ours string) bool {
	if strings.TrimSpace(ours) == "" {
		return true
	}
	for s := range strings.SplitSeq(ours, ",") {
		if slices.ContainsFunc(theirs, func(x string) bool { return strings.EqualFold(x, strings.TrimSpace(s)) }) {
			return true
		}
	}
	return false
}
