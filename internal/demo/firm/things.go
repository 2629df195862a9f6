package firm

import (
	"context"
	"time"

	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"

	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// Things writes what Saltmarsh Ferries owns and rents, as of a present instant:
// products, accounts, contracts and assets, covered once, twice and not at all.
// In one piece: it is data, most of it.
func Things(ctx context.Context, d *whole.Desk, st *db.Store, a desk.Actor, present time.Time) error {
	date := func(days int) string { return present.AddDate(0, 0, days).Format(time.DateOnly) }
	for _, p := range []register.Product{
		{Vendor: "tallow", Name: "Array 40", OurNames: []string{"the big cupboard"},
			Components:  []string{"controller", "shelf", "fan tray", "drive"},
			NumberFound: "On the pull-out tab at the front, left of the first drive",
			Versions: []register.Version{{Name: "7.2", SupportedUntil: date(120)}, {Name: "7.3"},
				{Name: "6.9", SupportedUntil: date(-200), Note: "updates ended"}}},
		{Vendor: "tallow", Name: "Shelf 12", Components: []string{"drive", "power supply"},
			NumberFound: "On the rear, beside the upper power socket"},
		{Vendor: "tallow", Name: "Server R2", OurNames: []string{"pizza box"},
			NumberFound: "On the lid, and in the setup screen"},
		{Vendor: "ninefathom", Name: "Radio link", Components: []string{"mast unit", "indoor unit", "aerial"},
			NumberFound: "In the yearly list; it starts with RL"},
		{Vendor: "ninefathom", Name: "Leased line", NumberFound: "On the bill, and on the label of the wall box"},
		{Vendor: "ninefathom", Name: "Ferry uplink", OurNames: []string{"ship net"}},
		{Vendor: "corvane", Name: "Machine", OurNames: []string{"VM", "virtual server"},
			NumberFound: "In the console under Details, first line"},
		{Vendor: "corvane", Name: "Managed database",
			Versions: []register.Version{{Name: "14", SupportedUntil: date(45)}, {Name: "15"}}},
		{Vendor: "corvane", Name: "Message queue"}, {Vendor: "corvane", Name: "Object store"},
		{Vendor: "corvane", Name: "Private network"},
	} {
		if _, err := registry.Products.Add(ctx, d.Register, a, p); err != nil {
			return err
		}
	}
	for _, x := range []register.Account{
		{Vendor: "corvane", Number: "saltmarsh-prod", Name: "Everything that passengers use", Called: "tenant",
			Regions: []string{"Ern", "Marrowby"}, Country: "NO", Holder: "Ragna Lie"},
		{Vendor: "corvane", Number: "saltmarsh-lab", Name: "Trials and training", Called: "tenant",
			Regions: []string{"Ern"}, Country: "NO", Holder: "Emil Dahl"},
		{Vendor: "ninefathom", Number: "NFN-SLK-0093", Name: "All lines and links", Called: "customer number",
			Holder: "Tuva Holm", Note: "The pass phrase for the phone desk is in the safe at Gannetholm, second envelope."},
		{Vendor: "tallow", Number: "TW-55018", Name: "Gannetholm and Ern", Called: "site number"},
	} {
		if _, err := registry.Accounts.Add(ctx, d.Register, a, x); err != nil {
			return err
		}
	}
	for _, k := range []register.Contract{
		{Vendor: "tallow", Number: "TW-C-5120", Tier: "Parts by next day", Starts: date(-390), Ends: date(-25),
			Products: []string{"Shelf 12"}, Note: "Not renewed: the shelves will be replaced in spring."},
		{Vendor: "tallow", Number: "TW-V-2201", Tier: "Visits, servers", Starts: date(-340), Ends: date(24),
			Notice: date(10), Products: []string{"Server R2"}, Rights: []string{"an engineer on the spot", "parts"},
			Exclusions: "Batteries and salt damage.",
			Allowance:  &register.Allowance{Unit: "hours", Amount: 40, Used: 31},
			Terms: []register.Term{{Deadline: "first-response", Level: 1, Target: "2h", Calendar: "round-the-clock"},
				{Deadline: "first-response", Level: 2, Target: "1bd", Calendar: "tallow-office"}}},
		{Vendor: "ninefathom", Number: "NFN/RL/0107", Tier: "Radio links, swift", Starts: date(-100), Ends: date(75),
			Products: []string{"Radio link"}, Rights: []string{"a named contact"}, WhileOurs: "run",
			Terms: []register.Term{{Deadline: "first-response", Level: 1, Target: "10m", Calendar: "round-the-clock"},
				{Deadline: "first-response", Level: 2, Target: "1h", Calendar: "round-the-clock"},
				{Deadline: "first-response", Level: 2, Target: "30m", Calendar: "round-the-clock", Channel: "phone"},
				{Deadline: "first-response", Level: 3, Target: "none"},
				{Deadline: "resolution", Level: 1, Target: "4h", Calendar: "round-the-clock"}}},
	} {
		if _, err := registry.Contracts.Add(ctx, d.Register, a, k); err != nil {
			return err
		}
	}
	// The maker's main contract covers the arrays alone.
	main, err := registerdb.ContractsOf(ctx, st.DB, 0)
	if err != nil {
		return err
	}
	for _, k := range main {
		if k.Number == "TW-C-7718" {
			if _, err := registry.Contracts.Change(ctx, d.Register, a, k.ID, 1,
				[]byte(`{"everything":null,"products":["Array 40"],"tier":"Arrays, round the clock"}`), true); err != nil {
				return err
			}
		}
	}
	for _, x := range assets(date) {
		if _, err := registry.Assets.Add(ctx, d.Register, a, x); err != nil {
			return err
		}
	}
	return nil
}

func assets(date func(int) string) []register.Asset {
	array := func(name, serial, version, site string) register.Asset {
		return register.Asset{Vendor: "tallow", Name: name, Serial: serial, Model: "TW-A40-D", Product: "Array 40",
			Version: version, Environment: "production", Account: "TW-55018", Site: site, Country: "NO",
			Address: "Harbour house", SiteContact: "Harbour office", SitePhone: "+44 1632 960 071",
			Owner: "Ragna Lie", Attributes: map[string]string{"Rack": "2, lower half"}}
	}
	link := func(name, product, site string) register.Asset {
		return register.Asset{Vendor: "ninefathom", Name: name, Product: product, Environment: "production",
			Account: "NFN-SLK-0093", Site: site, Owner: "Emil Dahl"}
	}
	cloud := func(name, product, version, id, region string) register.Asset {
		return register.Asset{Vendor: "corvane", Name: name, Product: product, Version: version, ResourceID: id,
			Account: "saltmarsh-prod", Region: region, Environment: "production", Owner: "Ragna Lie"}
	}
	old := array("Array Marrowby-1", "TWS-40-0071102", "6.9", "Marrowby")
	old.Platform = &register.Platform{Supported: "no", Until: date(-200), Source: "the maker's list of versions",
		Checked: date(-60)}
	shelf := register.Asset{Vendor: "tallow", Name: "Shelf Ern-3", Serial: "TWS-12-0033018", Product: "Shelf 12",
		Environment: "production", Site: "Ern harbour", Owner: "Tuva Holm"}
	server := register.Asset{Vendor: "tallow", Name: "Ticket server Gannetholm", Serial: "TWR-2-118830",
		Product: "Server R2",
		System:  "a long-term release, 12.4", Environment: "production", Site: "Gannetholm", Country: "NO",
		Owner:     "Ragna Lie",
		StartWith: "the ticketing firm, for everything above the operating system"}
	lab := cloud("Trial machine 4", "Machine", "", "ern.mc.trial-4", "Ern")
	lab.Account, lab.Environment = "saltmarsh-lab", "other"
	return []register.Asset{
		array("Array Gannetholm-1", "TWS-40-0088021", "7.2", "Gannetholm"),
		array("Array Gannetholm-2", "TWS-40-0093187", "7.2", "Gannetholm"),
		array("Array Ern-1", "TWS-40-0090455", "7.3", "Ern harbour"), old, shelf, server,
		link("RL-ERN-MARROWBY", "Radio link", "Ern harbour"), link("RL-MARROWBY-GANNETHOLM", "Radio link", "Marrowby"),
		link("L-0093-7", "Leased line", "Gannetholm pier"), link("L-0093-2", "Leased line", "Ern harbour"),
		link("Uplink MF Skarv", "Ferry uplink", "aboard"), link("Uplink MF Terna", "Ferry uplink", "aboard"),
		cloud("db-timetable-1", "Managed database", "14", "ern.db.timetable-1", "Ern"),
		cloud("storm-notices", "Message queue", "", "ern.mq.storm-notices", "Ern"),
		cloud("ern-private-2", "Private network", "", "ern.net.private-2", "Ern"),
		cloud("booking-eu", "Machine", "", "marrowby.mc.booking-eu", "Marrowby"), lab,
	}
}

// Mentioned is the asset that a story names, if any.
func Mentioned(ctx context.Context, q db.Querier, vendor int64, words []string) *int64 {
	for _, w := range words {
		if id, err := registerdb.ThingNamed(ctx, q, registerdb.Assets, vendor, w); err == nil {
			return &id
		}
	}
	return nil
}
