package demo

import (
	"context"
	"time"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/outages"
)

// outages are what was noted of vendors: one that goes on, and one of last month.
func (s *stage) outages(ctx context.Context, present time.Time) error {
	s.now = present
	at := func(ago time.Duration) *time.Time { return new(present.Add(-ago).Truncate(time.Minute)) }
	for _, x := range []struct {
		person int
		facts  outages.Facts
	}{
		{1, outages.Facts{Vendor: "ninefathom", Title: "The Marrowby mast was without power",
			Effect: "Ferries at Marrowby had no uplink", Said: "A storm cut the power; the batteries lasted four hours.",
			Since: *at(26 * day), UpdatedAt: at(26*day - 5*hour), EndedAt: at(26*day - 6*hour)}},
		{0, outages.Facts{Vendor: "corvane", Title: "Sign-in to the console is slow in region Ern",
			Effect: "People wait a minute at the sign-in, then it works", Said: "We are adding capacity. Next update at noon.",
			Page: "https://status.corvane.example", Since: *at(3 * hour), UpdatedAt: at(70 * minute)}},
	} {
		if _, err := s.d.Outages.Add(ctx, desk.Actor{Person: s.people[x.person].Person}, x.facts); err != nil {
			return err
		}
	}
	return nil
}
