package firm

import (
	"context"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"time"

	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// packs are the vendors' own: what any desk could know of them.
//
//go:embed packs
var packs embed.FS

// Packs are the files of all vendors, by their keys.
func Packs() (map[string][]byte, error) {
	names, err := fs.Glob(packs, "packs/*.yaml")
	if err != nil {
		return nil, err
	}
	out := map[string][]byte{}
	for _, n := range names {
		file, err := packs.ReadFile(n)
		if err != nil {
			return nil, err
		}
		base := path.Base(n)
		out[base[:len(base)-len(".yaml")]] = file
	}
	return out, nil
}

// Pack is one vendor's.
func Pack(key string) (pack.Pack, error) {
	file, err := packs.ReadFile("packs/" + key + ".yaml")
	if err != nil {
		return pack.Pack{}, err
	}
	p, findings := pack.Read(file)
	for _, f := range findings {
		err = errors.Join(err, fmt.Errorf("%s.yaml:%s", key, f))
	}
	return p, err
}

// own is what Saltmarsh Ferries alone knows of its vendors.
func own(present time.Time) map[string]register.Vendor {
	date := func(days int) string { return present.AddDate(0, 0, days).Format(time.DateOnly) }
	return map[string]register.Vendor{
		"corvane": {Access: []register.Access{{Person: "ragna@saltmarsh.example",
			May: []string{"open", "consent", "escalate"}, Login: true, Contact: true, Notices: true},
			{Person: "emil@saltmarsh.example", May: []string{"open"}, Login: true},
			{Person: "solveig@saltmarsh.example", May: []string{"open", "escalate"}, LoginDue: date(6)}}},
		"ninefathom": {Partners: []register.Permission{{Partner: "Kestrel Marine Electric",
			What: "opens cases for the uplinks while a ferry is in the yard", Where: "ferry uplinks", Since: date(-90),
			Until: date(60)}}},
		"tallow": {},
		"pellow": {Access: []register.Access{{Person: "emil@saltmarsh.example", May: []string{"open", "escalate"},
			Login: true, Contact: true}, {Person: "ragna@saltmarsh.example", May: []string{"open"}, LoginDue: date(9)}}},
		"quillgate": {Through: "brackwater", Note: "The maker answers us only when Brackwater is copied in.",
			Partners: []register.Permission{{Partner: "Brackwater Systems",
				What: "opens and follows cases for the shop and the counters", Since: date(-400), Until: date(120)}}},
		"thornwatch": {Access: []register.Access{{Person: "ragna@saltmarsh.example",
			May: []string{"open", "consent", "escalate"}, Login: true, Contact: true, Notices: true},
			{Person: "solveig@saltmarsh.example", May: []string{"open", "escalate"}, Login: true}}},
		"ledgerwell": {Access: []register.Access{{Person: "solveig@saltmarsh.example", May: []string{"open", "escalate"},
			Login: true, Contact: true}}},
	}
}

// profiles writes how to deal with the vendors that were there from the beginning.
func profiles(ctx context.Context, d *whole.Desk, a desk.Actor, present time.Time) error {
	for _, v := range vendors {
		p, err := Pack(v.key)
		if err != nil {
			return err
		}
		patch, err := json.Marshal(p.Onto(own(present)[v.key]))
		if err != nil {
			return err
		}
		_, version, err := d.Register.VendorFacts(ctx, a, v.key)
		if err != nil {
			return err
		}
		if err := d.Register.ChangeVendor(ctx, a, v.key, version, patch); err != nil {
			return err
		}
	}
	return nil
}

// newcomers are vendors that came in as packs, with a contract each that promises
// what is usual with them.
// In one piece: it is data.
func newcomers(ctx context.Context, d *whole.Desk, admin, lead desk.Actor, present time.Time) error {
	date := func(days int) string { return present.AddDate(0, 0, days).Format(time.DateOnly) }
	for _, x := range []struct {
		key      string
		contract register.Contract
		account  register.Account
		product  register.Product
		assets   []register.Asset
	}{
		{key: "brackwater", contract: register.Contract{Number: "BW 311", Tier: "Counter support", Starts: date(-400),
			Ends: date(120)}},
		{key: "quillgate", contract: register.Contract{Number: "QG-L-20417", Tier: "Licences with maintenance",
			Starts: date(-200), Ends: date(165), Notice: date(80)},
			account: register.Account{Number: "SALT-20417", Called: "licence", Name: "Shop and counters",
				Holder: "Solveig Brandt"},
			product: register.Product{Name: "Ticket shop", OurNames: []string{"the shop"},
				Components: []string{"shop", "counter screen", "gate list"},
				Versions:   []register.Version{{Name: "2026.3"}, {Name: "2026.1", SupportedUntil: date(70)}}},
			assets: []register.Asset{{Name: "Ticket shop, public", Product: "Ticket shop", Version: "2026.3",
				Environment: "production"},
				{Name: "Counter screens, all harbours", Product: "Ticket shop", Version: "2026.1", Environment: "production"}}},
		{key: "thornwatch", contract: register.Contract{Number: "TH-900-214-077", Tier: "Guard with warden",
			Starts: date(-30), Ends: date(335)},
			account: register.Account{Number: "900-214-077", Called: "licence", Name: "All machines"}},
		{key: "ledgerwell", contract: register.Contract{Number: "LW-EMP-00612", Tier: "Monthly runs", Starts: date(-700),
			Ends: date(30), Notice: date(5)},
			account: register.Account{Number: "LW-EMP-00612", Called: "employer number", Holder: "Solveig Brandt"}},
		{key: "emberline", contract: register.Contract{Number: "EB-KEEP-8841", Tier: "Support with parts and visits",
			Starts: date(-150), Ends: date(215)},
			product: register.Product{Name: "Kiln 12", OurNames: []string{"the oven"},
				NumberFound: "Behind the lid, under the button", Versions: []register.Version{{Name: "5.4"}}},
			assets: []register.Asset{{Name: "Kiln Gannetholm", Serial: "EBK-12-40077", Product: "Kiln 12", Version: "5.4",
				Site: "Gannetholm", Environment: "production"},
				{Name: "Kiln Ern", Serial: "EBK-12-40081", Product: "Kiln 12", Version: "5.4", Site: "Ern harbour",
					Environment: "production"}}},
	} {
		file, err := packs.ReadFile("packs/" + x.key + ".yaml")
		if err != nil {
			return err
		}
		look, err := d.Exchange.ImportPack(ctx, admin, file, "", true)
		if err != nil {
			return err
		}
		if _, err := d.Exchange.ImportPack(ctx, admin, file, look.Seen, false); err != nil {
			return err
		}
		facts, version, err := d.Register.VendorFacts(ctx, admin, x.key)
		if err != nil {
			return err
		}
		mine := own(present)[x.key]
		patch, err := json.Marshal(register.Vendor{Key: facts.Key, Name: facts.Name, Zone: facts.Zone, Hours: facts.Hours,
			Levels: facts.Levels, Access: mine.Access, Partners: mine.Partners, Note: mine.Note, Through: mine.Through})
		if err != nil {
			return err
		}
		if err := d.Register.ChangeVendor(ctx, admin, x.key, version, patch); err != nil {
			return err
		}
		x.contract.Vendor, x.contract.Everything, x.contract.Terms = x.key, true, facts.UsualTerms
		if _, err := registry.Contracts.Add(ctx, d.Register, lead, x.contract); err != nil {
			return err
		}
		if x.account.Vendor = x.key; x.account.Number != "" {
			if _, err := registry.Accounts.Add(ctx, d.Register, lead, x.account); err != nil {
				return err
			}
		}
		if x.product.Vendor = x.key; x.product.Name != "" {
			if _, err := registry.Products.Add(ctx, d.Register, lead, x.product); err != nil {
				return err
			}
		}
		for _, asset := range x.assets {
			asset.Vendor = x.key
			if _, err := registry.Assets.Add(ctx, d.Register, lead, asset); err != nil {
				return err
			}
		}
	}
	return nil
}
