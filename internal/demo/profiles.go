package demo

import (
	"context"
	"encoding/json"
	"time"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// profiles writes how to deal with each of the vendors.
func profiles(ctx context.Context, d *desk.Desk, a desk.Actor, present time.Time) error {
	date := func(days int) string { return present.AddDate(0, 0, days).Format(time.DateOnly) }
	for key, p := range map[string]map[string]any{
		"corvane": {
			"kind": "cloud host", "languages": []string{"English"}, "site": "https://help.corvane.example", "other_way": "Mail desk@corvane.example with the tenant in the subject; the duty line +44 1632 960 111 for Urgent.",
			"closes_after_days": 10, "reopens_within_days": 14, "reference_pattern": `CV-\d{5}`, "automatic_pattern": "(?i)this is an automatic message",
			"ways":         []register.Way{{Channel: "api", Address: "their ticket service", MaxMB: 50, FileTypes: []string{"log", "txt", "zip", "png"}}, {Channel: "phone", Address: "+44 1632 960 111", Urgent: true, Calendar: "round-the-clock"}, {Channel: "chat", Address: "https://help.corvane.example/chat", Calendar: "corvane-office"}},
			"people":       []register.Contact{{Name: "Marit Solli", Role: "account manager", Mail: "marit.solli@corvane.example", Phone: "+44 1632 960 112", Known: "at the review in September"}, {Name: "Duty desk", Role: "duty desk", Phone: "+44 1632 960 111"}},
			"ladder":       []register.Rung{{Role: "Shift lead", How: "+44 1632 960 111, ask for the shift lead", Told: "reference, since when, what it stops", Reply: "1h", LateBy: "2h"}, {Role: "Support manager", Name: "Jonas Friele", How: "jonas.friele@corvane.example", Reply: "4h", FixesRejected: 2}, {Role: "Account manager", Name: "Marit Solli", How: "+44 1632 960 112"}},
			"forms":        []register.FormField{{Kind: "any", Key: "tenant", Label: "Tenant", Type: "account", Must: true, From: "account.number", Hint: "their console finds nothing without it"}, {Kind: "fault", Key: "request_id", Label: "Request identifier", Type: "text", Hint: "one of a failed call; it saves them a day"}, {Kind: "capacity", Key: "wanted", Label: "How much is wanted", Type: "number", Must: true}},
			"status_words": []register.StatusWord{{Word: "logged", State: "taken-in", Move: "theirs"}, {Word: "with the works", Move: "theirs"}, {Word: "waiting on you", Move: "ours"}, {Word: "fix out", State: "fix-offered", Move: "ours"}, {Word: "shut", State: "ended", Move: "ours"}},
			"login_how":    "Ragna adds people in their console under Members; it takes a minute.",
			"access":       []register.Access{{Person: "ragna@saltmarsh.example", May: []string{"open", "consent", "escalate"}, Login: true, Contact: true, Notices: true}, {Person: "emil@saltmarsh.example", May: []string{"open"}, Login: true}, {Person: "solveig@saltmarsh.example", May: []string{"escalate"}, LoginDue: date(6)}},
		},
		"ninefathom": {
			"kind": "carrier", "takes": []string{"fault", "question", "task", "visit", "capacity"}, "languages": []string{"English", "Hindi"}, "other_way": "The line desk answers by phone when their site is down.", "closes_after_days": 5, "reopens_within_days": 7,
			"ways":     []register.Way{{Channel: "api", Address: "their line desk's service"}, {Channel: "phone", Address: "+44 1632 960 131", Area: "lines", Urgent: true}, {Channel: "mail", Address: "links@ninefathom.example", Area: "radio links"}},
			"people":   []register.Contact{{Name: "Asha Menonkar", Role: "engineer, radio", Phone: "+44 1632 960 133", Known: "on the mast at Vaag in October"}, {Name: "Rohan Desai", Role: "account manager", Mail: "rohan.desai@ninefathom.example"}},
			"ladder":   []register.Rung{{Role: "Line desk lead", How: "+44 1632 960 131", LateBy: "30m", Reply: "30m"}, {Role: "Network manager", Name: "Leela Nair", How: "+44 1632 960 134", OpenLonger: "8h", Severity: 1}},
			"forms":    []register.FormField{{Kind: "any", Key: "line", Label: "Line or link number", Type: "text", Must: true, From: "asset.name", Hint: "as on the bill"}, {Kind: "fault", Key: "restarted", Label: "Equipment restarted", Type: "choice", Choices: []string{"yes", "no", "cannot be reached"}, Must: true, Hint: "they send nobody before it was"}},
			"partners": []register.Permission{{Partner: "Kestrel Marine Electric", What: "opens cases for the uplinks while a ferry is in the yard", Where: "ferry uplinks", Since: date(-90), Until: date(60)}},
		},
		"tallow": {
			"kind": "maker of storage and servers", "languages": []string{"English", "Samoan"}, "other_way": "Fax is no joke there: +44 1632 960 155.", "closes_after_days": 14, "reopens_within_days": 30, "reference_pattern": `TW/\d{2}-\d+`,
			"ways":      []register.Way{{Channel: "api", Address: "their works desk's service", MaxMB: 200, FileTypes: []string{"support bundle", "log"}}, {Channel: "portal", Address: "https://works.tallow.example"}, {Channel: "phone", Address: "+44 1632 960 151", Area: "Grade I only", Urgent: true, Calendar: "round-the-clock"}},
			"people":    []register.Contact{{Name: "Imke Vandersloot", Role: "engineer", Mail: "imke@tallow.example", Known: "knows Halsa-2 by heart"}, {Name: "Sione Faleolo", Role: "support manager", Phone: "+44 1632 960 152"}},
			"ladder":    []register.Rung{{Role: "Works desk lead", How: "+44 1632 960 151", LateBy: "4h"}, {Role: "Support manager", Name: "Sione Faleolo", How: "+44 1632 960 152", Reopened: 1}, {Role: "Head of works", How: "by letter, or through the reseller"}},
			"forms":     []register.FormField{{Kind: "any", Key: "serial", Label: "Serial number", Type: "text", Must: true, From: "asset.serial", Hint: "cover is looked up by it"}, {Kind: "part", Key: "part", Label: "Which part", Type: "text", Must: true}, {Kind: "visit", Key: "site_contact", Label: "Whom to ask at the site", Type: "text", From: "asset.site_contact"}},
			"login_how": "Mail the works desk with the site number; two working days of theirs.",
		},
	} {
		patch, err := json.Marshal(p)
		if err != nil {
			return err
		}
		_, version, err := d.VendorFacts(ctx, a, key)
		if err != nil {
			return err
		}
		if err := d.ChangeVendor(ctx, a, key, version, patch); err != nil {
			return err
		}
	}
	return nil
}
