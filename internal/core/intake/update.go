package intake

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/words"
)

// contactFields are the texts that make the contact block, which the vendor is told whole.
var contactFields = []string{"texts.contact", "texts.contact_always", "texts.contact_by", "texts.call_from",
	"texts.call_until", "texts.on_site", "texts.copy_to"}

// FieldLabel is what the vendor reads above a field: texts.steps, answers.tenant, consents.1.
func FieldLabel(s Story, field string) string {
	if field == "texts.affected" {
		return "Affected"
	}
	for _, p := range Pieces(s) {
		if p.Field == field {
			return p.Label
		}
	}
	switch {
	case field == "texts.instructions":
		return "Special instructions"
	case slices.Contains(contactFields, field):
		return "Contact"
	}
	if c, ok := s.consent(field); ok {
		return "Consent: " + words.Inline(words.ConsentKinds.Of(string(c.Kind)))
	}
	_, key, _ := strings.Cut(field, ".")
	return key
}

func (s Story) consent(field string) (c casework.Consent, ok bool) {
	n, found := strings.CutPrefix(field, "consents.")
	number, err := strconv.Atoi(n)
	i := slices.IndexFunc(s.Consents, func(c casework.Consent) bool { return c.Number == number })
	if !found || err != nil || i < 0 {
		return c, false
	}
	return s.Consents[i], true
}

// Update tells the vendor of some fields as they are now: what was completed or corrected since it was told last.
func Update(s Story, fields []string) string {
	var lines, blocks []string
	add := func(label, text string, line bool) {
		switch text = strings.TrimSpace(text); {
		case text == "":
			lines = append(lines, label+": this no longer applies")
		case line && !strings.Contains(text, "\n"):
			lines = append(lines, label+": "+text)
		default:
			blocks = append(blocks, label+"\n"+text)
		}
	}
	has := func(field string) bool { return slices.Contains(fields, field) }
	if has("texts.affected") {
		add("Affected", s.Affected, true)
	}
	for _, p := range Pieces(s) {
		if p.IsPart && has(p.Field) {
			add(p.Label, p.text, p.line)
		}
	}
	for _, q := range s.Asked {
		if has("answers." + q.Key) {
			add(q.Label, q.told(), !q.long())
		}
	}
	for _, c := range s.Consents {
		if has("consents." + strconv.Itoa(c.Number)) {
			add("Consent", s.consented(c), true)
		}
	}
	if slices.ContainsFunc(contactFields, has) {
		add("Contact", s.contact(), false)
	}
	if has("texts.instructions") {
		add("Please note", s.Instructions, false)
	}
	if len(lines) > 0 {
		blocks = slices.Insert(blocks, 0, strings.Join(lines, "\n"))
	}
	return strings.Join(blocks, "\n\n")
}

// consents are those that hold, a line each.
func (s Story) consents() string {
	var lines []string
	for _, c := range s.Consents {
		if !c.Ended(s.Now) {
			lines = append(lines, "- "+s.consented(c))
		}
	}
	return strings.Join(lines, "\n")
}

// consented is one consent as the vendor reads it.
func (s Story) consented(c casework.Consent) string {
	day := func(t time.Time) string { return t.In(orUTC(s.Zone)).Format("2 January 2006") }
	text := words.ConsentKinds.Of(string(c.Kind))
	if c.For != "" {
		text += ", for " + strings.TrimSpace(c.For)
	}
	if c.Withdrawn != nil {
		return text + ": withdrawn by " + c.WithdrawnBy + " on " + day(*c.Withdrawn)
	}
	text += ": given by " + c.By + " on " + day(c.Given)
	if c.Until != nil {
		text += ", until " + c.Until.In(orUTC(s.Zone)).Format("2 January 2006, 15:04 ") + zoneName(s.Zone)
	}
	return text
}

func orUTC(z *time.Location) *time.Location {
	if z == nil {
		return time.UTC
	}
	return z
}
