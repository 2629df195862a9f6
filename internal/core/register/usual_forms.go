package register

import "slices"

// usualForms are what is asked for a kind of case where the vendor has no form of its own for it. A fault and a
// question are told in the parts of the description alone.
var usualForms = map[string][]FormField{
	"capacity": {{Key: "amounts", Label: "Capacity wanted", Type: amountsType, Weight: 40,
		Hint: "without amounts by place, the vendor asks for them first"}},
	"money": {{Key: "papers", Label: "Numbers of the invoices or papers", Type: "text", Weight: 30,
		Hint: "the vendor's accounts look them up by number"},
		{Key: "amount", Label: "Amount, with its currency", Type: "text", Weight: 20}},
	"licence": {{Key: "licence", Label: "Licence", Type: "text", Weight: 20, Hint: "its number or name"},
		{Key: "count", Label: "How many, now and wanted", Type: "text", Weight: 20}},
	"order": {{Key: "quantity", Label: "How many", Type: "text", Weight: 20},
		{Key: "our_order", Label: "Our order number", Type: "text", Weight: 10, Hint: "the invoice has to name it"}},
	"wish": {{Key: "benefit", Label: "What it would make possible", Type: "long", Weight: 30,
		Hint: "a product manager weighs a wish by its use"}},
	"work": {{Key: "window", Label: "When it may be done", Type: "text", Weight: 20,
		Hint: "days and hours, with the time zone"},
		{Key: "lead_time", Label: "Lead time", Type: "text", Weight: 5,
			Hint: "how long before the day the vendor has to know"},
		{Key: "check", Label: "How the result will be checked", Type: "long", Weight: 20}},
	"part": {{Key: "part_number", Label: "Part number", Type: "text", Weight: 20},
		{Key: "ship_to", Label: "Ship to", Type: "long", From: "asset.address", Weight: 20,
			Hint: "street, town, opening hours of the gate"},
		{Key: "on_site", Label: "Contact on site", Type: "text", From: "asset.site_contact", Weight: 15,
			Hint: "name and phone number of who takes it in"},
		{Key: "old_part", Label: "The old part", Type: "choice", Weight: 5,
			Choices: []string{"We send it back", "It is collected", "We keep and destroy it"}}},
	"visit": {{Key: "place", Label: "Where", Type: "long", From: "asset.address", Weight: 20},
		{Key: "when", Label: "When somebody may come", Type: "text", Weight: 20, Hint: "days and hours, with the time zone"},
		{Key: "lets_in", Label: "Who lets them in", Type: "text", From: "asset.site_contact", Weight: 20,
			Hint: "name and phone number"}},
	"access": {{Key: "who", Label: "Who needs access", Type: "text", Weight: 30, Hint: "name and email address"},
		{Key: "what", Label: "To what, and with which rights", Type: "text", Weight: 20},
		{Key: "until", Label: "Until", Type: "date", Weight: 5}},
}

// usualForm is what is asked for a kind of case beside fields that are asked for any kind.
func usualForm(kind string, beside []FormField) (out []FormField) {
	for _, x := range usualForms[kind] {
		if !slices.ContainsFunc(beside, func(o FormField) bool { return o.Key == x.Key }) {
			x.Kind = kind
			out = append(out, x)
		}
	}
	return out
}
