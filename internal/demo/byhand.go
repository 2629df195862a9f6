package demo

import (
	"context"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/store"
)

// terminals are the makers of the card terminals: a vendor without a link, written
// to on its portal and by phone, in a zone that is half an hour off.
func terminals(ctx context.Context, d *desk.Desk, admin, lead desk.Actor, present time.Time) error {
	if _, err := d.AddCalendar(ctx, admin, "pellow-office", "", calendar.Definition{Zone: "America/St_Johns", Week: week("08:30-17:00", weekdays...)}); err != nil {
		return err
	}
	if _, err := d.AddVendor(ctx, admin, register.Vendor{
		Key: "pellow", Name: "Pellow Card Terminals", Kind: "payment terminals", Does: "Card terminals at every gate and counter", Zone: "America/St_Johns", Languages: []string{"English"}, Hours: "pellow-office",
		Site: "https://care.pellow.example", OtherWay: "The duty line, +44 1632 960 171, day and night.", ClosesAfterDays: 7, ReopensWithinDays: 14,
		ReferencePattern: `PT-\d{5}`, AutomaticPattern: "(?i)^your request has been logged", Takes: []string{"fault", "question", "part", "purchase", "access"},
		Levels: []register.VendorLevel{
			{Label: "Dark", Meaning: "No terminal of a site takes cards.", Severities: []int{1}, RoundTheClock: true, Channels: []string{"phone"}, Criteria: []string{"The terminals were restarted, and the line carries other traffic"}},
			{Label: "Dim", Meaning: "Some cards or some terminals are refused.", Severities: []int{2, 3}},
			{Label: "Desk", Meaning: "Questions and paper rolls.", Severities: []int{4}},
		},
		StatusWords: []register.StatusWord{{Word: "With merchant", Move: "ours"}, {Word: "With Pellow", State: "taken-in", Move: "theirs"}, {Word: "Answer given", State: "fix-offered"}, {Word: "Filed away", State: "ended"}},
		Ways: []register.Way{{Channel: "portal", Address: "https://care.pellow.example/new", MaxMB: 20, FileTypes: []string{"log", "jpg"}},
			{Channel: "phone", Address: "+44 1632 960 170", Calendar: "pellow-office"}, {Channel: "phone", Address: "+44 1632 960 171", Urgent: true, Calendar: "round-the-clock"}},
		People: []register.Contact{{Name: "Maeve Corrigan", Role: "account manager", Mail: "maeve@pellow.example", Phone: "+44 1632 960 172", Known: "rings back before noon of theirs"}},
		Ladder: []register.Rung{{Role: "Care desk lead", How: "+44 1632 960 171, ask for the lead", LateBy: "4h", Reply: "2h"}, {Role: "Head of care", Name: "Brendan Snook", How: "by mail", Reopened: 2}},
		Forms: []register.FormField{{Kind: "any", Key: "terminal", Label: "Terminal number", Type: "asset", Must: true, From: "asset.serial", Hint: "they look up its line by it"},
			{Kind: "fault", Key: "firmware", Label: "Firmware", Type: "version", From: "asset.version"}},
		Access: []register.Access{{Person: "emil@saltmarsh.example", May: []string{"open", "escalate"}, Login: true, Contact: true}, {Person: "ragna@saltmarsh.example", May: []string{"open"}, LoginDue: present.AddDate(0, 0, 9).Format(time.DateOnly)}},
	}); err != nil {
		return err
	}
	if _, err := desk.Products.Add(ctx, d, lead, register.Product{Vendor: "pellow", Name: "Counter terminal", OurNames: []string{"card reader"}, NumberFound: "Under the paper lid", Versions: []register.Version{{Name: "8.1"}, {Name: "7.9", SupportedUntil: present.AddDate(0, 0, 20).Format(time.DateOnly)}}}); err != nil {
		return err
	}
	if _, err := desk.Contracts.Add(ctx, d, lead, register.Contract{Vendor: "pellow", Number: "PCT-0419", Level: "Care", Starts: present.AddDate(0, -8, 0).Format(time.DateOnly), Ends: present.AddDate(0, 16, 0).Format(time.DateOnly), Everything: true,
		Terms: []register.Term{{Deadline: "first-response", Level: 1, Target: "1h", Calendar: "round-the-clock"}, {Deadline: "first-response", Level: 2, Target: "4h", Calendar: "pellow-office"},
			{Deadline: "first-response", Level: 2, Target: "2h", Calendar: "pellow-office", Channel: "phone"}, {Deadline: "resolution", Level: 2, Target: "5bd", Calendar: "pellow-office"}, {Deadline: "first-response", Level: 3, Target: "none"}}}); err != nil {
		return err
	}
	for _, x := range []register.Asset{{Name: "Counter Vaag 1", Serial: "PCT-88-10417", Site: "Vaag", Version: "8.1"}, {Name: "Counter Vaag 2", Serial: "PCT-88-10418", Site: "Vaag", Version: "7.9"}, {Name: "Gate Halsa 3", Serial: "PCT-88-11002", Site: "Halsa", Version: "8.1"}} {
		x.Vendor, x.Product, x.Environment = "pellow", "Counter terminal", "production"
		if _, err := desk.Assets.Add(ctx, d, lead, x); err != nil {
			return err
		}
	}
	return nil
}

// carried are the cases of the terminals' makers: one that they asked about, one
// that they have, and one that waits to be taken to them.
func (s *stage) carried(ctx context.Context, present time.Time) error {
	v, err := store.VendorByKey(ctx, s.d.Store.DB, "pellow")
	if err != nil {
		return err
	}
	emil := s.people[1]
	for _, x := range []struct {
		serial, title, happened, reach, reference, heard string
		ago                                              time.Duration
	}{
		{"PCT-88-10418", "Counter Vaag 2 prints every receipt twice", "Since the paper was changed this morning each receipt comes twice; the books have it once.", "one", "PT-40692", "Which lot is printed on the core of the paper roll?", 26 * time.Hour},
		{"PCT-88-11002", "Gate Halsa 3 refuses cards of one bank", "Cards that begin with 5399 are refused with code 57; all others are taken.", "few", "PT-40718", "", 5 * time.Hour},
		{"PCT-88-10417", "Counter Vaag 1 loses its line after closing", "At eleven in the evening it goes dark and comes back at five.", "few", "", "", 40 * time.Minute},
	} {
		s.now = present.Add(-x.ago).Truncate(time.Second)
		ref, err := s.d.OpenCase(ctx, emil, desk.NewCase{Vendor: "pellow", Title: x.title, Kind: "fault", Asset: mentioned(ctx, s.d.Store.DB, v.ID, []string{x.serial}),
			Facts: store.Facts{Environment: "production", Effect: "degraded", Reach: x.reach, Workaround: "costly"}, Texts: store.Texts{Happened: x.happened}})
		if err != nil {
			return err
		}
		c, err := store.CaseByID(ctx, s.d.Store.DB, ref.ID)
		if err != nil {
			return err
		}
		if _, err := s.d.TakeStep(ctx, emil, ref.ID, c.Version, desk.StepRequest{Step: casework.File}); err != nil {
			return err
		}
		if x.reference == "" {
			continue
		}
		waiting, err := store.OpenDeliveries(ctx, s.d.Store.DB, []int64{ref.ID})
		if err != nil {
			return err
		}
		s.now = s.now.Add(6 * time.Minute)
		if _, err := s.d.Decide(ctx, emil, ref.ID, waiting[0].ID, desk.Decision{What: "it-arrived", Reference: x.reference}); err != nil {
			return err
		}
		if x.heard == "" {
			continue
		}
		s.now = s.now.Add(3 * time.Hour)
		if _, err := s.d.AddCall(ctx, emil, ref.ID, desk.Heard{With: "Care desk", By: "portal", At: s.now, Text: x.heard, Word: "With merchant"}); err != nil {
			return err
		}
		if err := s.d.MarkRead(ctx, emil, ref.ID, 4); err != nil {
			return err
		}
	}
	return nil
}
