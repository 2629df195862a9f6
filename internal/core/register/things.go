package register

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// Product is something that a vendor makes or runs.
type Product struct {
	Vendor string `json:"vendor"` // its key
	Name   string `json:"name"`
	// OurNames are what people here call it.
	OurNames   []string  `json:"our_names,omitempty"`
	Versions   []Version `json:"versions,omitempty"`
	Components []string  `json:"components,omitempty"`
	// NumberFound says where on such a thing its number stands.
	NumberFound string `json:"number_found,omitempty"`
	Note        string `json:"note,omitempty"`
}

// Version is one version of a product.
type Version struct {
	Name           string `json:"name"`
	SupportedUntil string `json:"supported_until,omitempty"`
	Note           string `json:"note,omitempty"`
}

// Check says what is wrong with it.
func (p Product) Check() []Fault {
	var f faults
	f.name("vendor", p.Vendor)
	f.name("name", p.Name)
	f.names("our_names", p.OurNames)
	f.names("components", p.Components)
	f.long("number_found", p.NumberFound)
	f.long("note", p.Note)
	var names []string
	for i, v := range p.Versions {
		at := fmt.Sprintf("versions[%d]", i)
		f.name(at+".name", v.Name)
		if strings.Contains(v.Name, " = ") {
			f.add(at+".name", "the name of a version cannot contain \" = \", which tables use before its date")
		}
		f.date(at+".supported_until", v.SupportedUntil)
		f.short(at+".note", v.Note)
		if slices.Contains(names, v.Name) {
			f.add(at+".name", "%s is listed twice", clip(v.Name))
		}
		names = append(names, v.Name)
	}
	return f
}

// Account is our identity at a vendor: a tenant, a subscription, a customer number.
type Account struct {
	Vendor string `json:"vendor"`
	Number string `json:"number"`
	Name   string `json:"name,omitempty"`
	// Called is the word that the vendor uses for the number.
	Called  string   `json:"called,omitempty"`
	Regions []string `json:"regions,omitempty"`
	Country string   `json:"country,omitempty"`
	// Holder is who of ours has the secret part.
	Holder string `json:"holder,omitempty"`
	Note   string `json:"note,omitempty"`
}

// Check says what is wrong with it.
func (a Account) Check() []Fault {
	var f faults
	f.name("vendor", a.Vendor)
	f.name("number", a.Number)
	f.short("name", a.Name)
	f.short("called", a.Called)
	f.names("regions", a.Regions)
	f.country("country", a.Country)
	f.short("holder", a.Holder)
	f.long("note", a.Note)
	return f
}

// Contract is a support contract: what is covered, from when until when, and
// what is promised.
type Contract struct {
	Vendor string `json:"vendor"`
	Number string `json:"number"`
	Tier   string `json:"tier,omitempty"` // what the vendor calls this kind of support
	Starts string `json:"starts"`
	Ends   string `json:"ends"`
	// Notice is the last date on which it can be given up.
	Notice  string `json:"notice,omitempty"`
	Country string `json:"country,omitempty"`
	// Rights are what we may ask for under it, in words.
	Rights     []string `json:"rights,omitempty"`
	Exclusions string   `json:"exclusions,omitempty"`
	// Kinds are the kinds of case that its tier includes; none: all.
	Kinds []string `json:"kinds,omitempty"`
	// Everything is true where all that we have of the vendor is covered.
	Everything bool       `json:"everything,omitempty"`
	Products   []string   `json:"products,omitempty"`
	Accounts   []string   `json:"accounts,omitempty"`
	Allowance  *Allowance `json:"allowance,omitempty"`
	OnChange   string     `json:"on_change,omitempty"`
	WhileOurs  string     `json:"while_ours,omitempty"`
	Terms      []Term     `json:"terms,omitempty"`
	Note       string     `json:"note,omitempty"`
}

// Allowance is what was paid ahead.
type Allowance struct {
	Unit   string `json:"unit"` // cases or hours
	Amount int    `json:"amount"`
	// Used is what was used of it beside the cases that the desk itself counts.
	Used int `json:"used,omitempty"`
}

// Check says what is wrong with it.
func (c Contract) Check() []Fault {
	var f faults
	f.name("vendor", c.Vendor)
	f.name("number", c.Number)
	f.short("tier", c.Tier)
	starts, ends := f.date("starts", c.Starts), f.date("ends", c.Ends)
	if c.Starts == "" {
		f.add("starts", "give the first date")
	}
	switch {
	case c.Ends == "":
		f.add("ends", "give the last date")
	case starts && ends && c.Ends < c.Starts:
		f.add("ends", "%s is before %s, the date it starts", c.Ends, c.Starts)
	}
	if f.date("notice", c.Notice) && c.Notice != "" && ends && c.Notice > c.Ends {
		f.add("notice", "%s is after %s, the date it ends", c.Notice, c.Ends)
	}
	f.country("country", c.Country)
	f.names("rights", c.Rights)
	f.long("exclusions", c.Exclusions)
	f.names("kinds", c.Kinds)
	for i, k := range c.Kinds {
		oneOf(&f, fmt.Sprintf("kinds[%d]", i), k, Kinds)
	}
	f.names("products", c.Products)
	f.names("accounts", c.Accounts)
	if a := c.Allowance; a != nil {
		if a.Unit == "" {
			f.add("allowance.unit", "use cases or hours")
		}
		oneOf(&f, "allowance.unit", a.Unit, []string{"cases", "hours"})
		if a.Amount < 1 || a.Amount > 1_000_000 {
			f.add("allowance.amount", "it has to be 1 to 1000000")
		}
		if a.Used < 0 || a.Used > 1_000_000 {
			f.add("allowance.used", "it has to be 0 to 1000000")
		}
	}
	oneOf(&f, "on_change", c.OnChange, []string{"restart", "keep", "restart-if-raised"})
	oneOf(&f, "while_ours", c.WhileOurs, []string{"pause", "run"})
	f.long("note", c.Note)
	return append(f, CheckTerms(c.Terms, false)...)
}

// Asset is one thing that we own or rent and a vendor supports.
type Asset struct {
	Vendor  string `json:"vendor"`
	Name    string `json:"name"`
	Serial  string `json:"serial,omitempty"`
	Model   string `json:"model,omitempty"`
	Product string `json:"product,omitempty"`
	Version string `json:"version,omitempty"`
	System  string `json:"system,omitempty"` // what it runs on, or runs
	// ResourceID is how a cloud calls it.
	ResourceID  string `json:"resource_id,omitempty"`
	Account     string `json:"account,omitempty"`
	Region      string `json:"region,omitempty"`
	Environment string `json:"environment,omitempty"` // production or other
	Site        string `json:"site,omitempty"`
	Address     string `json:"address,omitempty"`
	Country     string `json:"country,omitempty"`
	SiteContact string `json:"site_contact,omitempty"`
	SitePhone   string `json:"site_phone,omitempty"`
	Contract    string `json:"contract,omitempty"`
	Owner       string `json:"owner,omitempty"` // who of ours answers for it
	// StartWith is whom to go to first, where that is not the vendor.
	StartWith string `json:"start_with,omitempty"`
	// NumberFound says where on this one its number stands, where that is not as on others of its product.
	NumberFound string            `json:"number_found,omitempty"`
	Platform    *Platform         `json:"platform,omitempty"`
	Attributes  map[string]string `json:"attributes,omitempty"`
	Note        string            `json:"note,omitempty"`
}

// Platform is whether the vendor supports what the asset runs on.
type Platform struct {
	Supported string `json:"supported"` // yes, no or unknown
	Until     string `json:"until,omitempty"`
	Source    string `json:"source,omitempty"`
	Checked   string `json:"checked,omitempty"`
}

// attributeName has no bound of its own: with one, it takes longer to compile than the program to start.
var attributeName = regexp.MustCompile(`^[\pL\pN][\pL\pN _./-]*$`)

const attributeNameMax = 60 // letters

// Check says what is wrong with it.
func (a Asset) Check() []Fault {
	var f faults
	f.name("vendor", a.Vendor)
	f.name("name", a.Name)
	for _, x := range []struct{ field, value string }{
		{"serial", a.Serial}, {"model", a.Model}, {"product", a.Product}, {"version", a.Version}, {"system", a.System},
		{"resource_id", a.ResourceID},
		{"account", a.Account}, {"region", a.Region}, {"site", a.Site}, {"site_contact", a.SiteContact},
		{"site_phone", a.SitePhone},
		{"contract", a.Contract}, {"owner", a.Owner}, {"start_with", a.StartWith},
	} {
		f.short(x.field, x.value)
	}
	oneOf(&f, "environment", a.Environment, []string{"production", "other"})
	f.country("country", a.Country)
	f.long("address", a.Address)
	f.long("number_found", a.NumberFound)
	f.long("note", a.Note)
	if p := a.Platform; p != nil {
		if p.Supported == "" {
			f.add("platform.supported", "use yes, no or unknown")
		}
		oneOf(&f, "platform.supported", p.Supported, []string{"yes", "no", "unknown"})
		f.date("platform.until", p.Until)
		f.date("platform.checked", p.Checked)
		f.short("platform.source", p.Source)
	}
	if a.Version != "" && a.Product == "" {
		f.add("version", "a version needs a product: give the product")
	}
	if len(a.Attributes) > 100 {
		f.add("attributes", "there are %d, at most 100 are allowed", len(a.Attributes))
	}
	for k, v := range a.Attributes {
		if !attributeName.MatchString(k) || utf8.RuneCountInString(k) > attributeNameMax {
			f.add("attributes", "%q cannot be the name of an attribute; use letters, digits, spaces and _ . / -", clip(k))
		}
		f.short("attributes."+clip(k), v)
	}
	return f
}
