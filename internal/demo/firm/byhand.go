package firm

import (
	"context"
	"time"

	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/core/calendar"
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
