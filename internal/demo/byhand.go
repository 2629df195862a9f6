package demo

import (
	"context"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/outbox"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// terminals are the makers of the card terminals: a vendor without a link, written
// to on its portal and by phone, in a zone that is half an hour off.
func terminals(ctx context.Context, d *whole.Desk, admin, lead desk.Actor, present time.Time) error {
	if _, err := d.Hours.AddCalendar(ctx, admin, "pellow-office", "",
		calendar.Definition{Zone: "America/St_Johns", Week: week("08:30-17:00", weekdays...)}); err != nil {
		return err
	}
	p, err := Pack("pellow")
	if err != nil {
		return err
	}
	if _, err := d.Register.AddVendor(ctx, admin, p.Onto(own(present)["pellow"])); err != nil {
		return err
	}
	if _, err := registry.Products.Add(ctx, d.Register, lead,
		register.Product{Vendor: "pellow", Name: "Counter terminal", OurNames: []string{"card reader"},
			NumberFound: "Under the paper lid",
			Versions: []register.Version{{Name: "8.1"},
				{Name: "7.9", SupportedUntil: present.AddDate(0, 0, 20).Format(time.DateOnly)}}}); err != nil {
		return err
	}
	if _, err := registry.Contracts.Add(ctx, d.Register, lead,
		register.Contract{Vendor: "pellow", Number: "PCT-0419", Tier: "Care",
			Starts: present.AddDate(0, -8, 0).Format(time.DateOnly), Ends: present.AddDate(0, 16, 0).Format(time.DateOnly),
			Everything: true,
			Terms:      p.Vendor.UsualTerms}); err != nil {
		return err
	}
	for _, x := range []register.Asset{{Name: "Counter Marrowby 1", Serial: "PCT-88-10417", Site: "Marrowby",
		Version: "8.1"},
		{Name: "Counter Marrowby 2", Serial: "PCT-88-10418", Site: "Marrowby", Version: "7.9"},
		{Name: "Gate Gannetholm 3", Serial: "PCT-88-11002", Site: "Gannetholm", Version: "8.1"}} {
		x.Vendor, x.Product, x.Environment = "pellow", "Counter terminal", "production"
		if _, err := registry.Assets.Add(ctx, d.Register, lead, x); err != nil {
			return err
		}
	}
	return nil
}

// carried are the cases of the terminals' makers: one that they asked about, one
// that they have, and one that waits to be taken to them.
func (s *stage) carried(ctx context.Context, present time.Time) error {
	v, err := registerdb.VendorByKey(ctx, s.db.DB, "pellow")
	if err != nil {
		return err
	}
	emil := s.people[1]
	for _, x := range []struct {
		serial, title, happened, reach, reference, heard string
		ago                                              time.Duration
	}{
		{"PCT-88-10418", "Counter Marrowby 2 prints every receipt twice",
			"Since the paper was changed this morning, every receipt is printed twice; the books have it once.", "one",
			"PT-40692",
			"Which lot is printed on the core of the paper roll?", 26 * time.Hour},
		{"PCT-88-11002", "Gate Gannetholm 3 refuses cards of one bank",
			"Cards of one bank are refused with code 57; all others work.", "few", "PT-40718", "", 5 * time.Hour},
		{"PCT-88-10417", "Counter Marrowby 1 loses its line after closing",
			"At eleven in the evening it goes dark and comes back at five.", "few", "", "", 40 * time.Minute},
	} {
		s.now = present.Add(-x.ago).Truncate(time.Second)
		ref, err := s.d.Drafts.Open(ctx, emil,
			drafts.Draft{Vendor: "pellow", Title: x.title, Kind: "fault",
				Asset: mentioned(ctx, s.db.DB, v.ID, []string{x.serial}),
				Facts: casesdb.Facts{Environment: "production", Effect: "degraded", Reach: x.reach, Workaround: "costly"},
				Texts: casesdb.Texts{Happened: x.happened}})
		if err != nil {
			return err
		}
		c, err := casesdb.ByID(ctx, s.db.DB, ref.ID)
		if err != nil {
			return err
		}
		if _, err := s.d.Cases.Step(ctx, emil, ref.ID, c.Version, cases.StepRequest{Step: casework.File}); err != nil {
			return err
		}
		if x.reference == "" {
			continue
		}
		waiting, err := outboxdb.Open(ctx, s.db.DB, []int64{ref.ID})
		if err != nil {
			return err
		}
		s.now = s.now.Add(6 * time.Minute)
		if _, err := s.d.Outbox.Decide(ctx, emil, ref.ID, waiting[0].ID,
			outbox.Decision{What: outbox.Arrived, Reference: x.reference}); err != nil {
			return err
		}
		if x.heard == "" {
			continue
		}
		s.now = s.now.Add(3 * time.Hour)
		if _, err := s.d.Cases.AddCall(ctx, emil, ref.ID,
			cases.Heard{With: "Care desk", By: "portal", At: s.now, Text: x.heard, Status: "With merchant"}); err != nil {
			return err
		}
		if err := s.d.Cases.MarkRead(ctx, emil, ref.ID, 4); err != nil {
			return err
		}
	}
	return nil
}
