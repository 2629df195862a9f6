package cases

import (
	"fmt"
	"slices"
	"strings"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Needs says what a draft lacks, why that matters, and what it adds to the measure.
func (a *Commands) Needs(c clientgen.Case) {
	p := a.Printer()
	if c.Complete != nil {
		p.Line("The description is %d%% complete.", *c.Complete)
	}
	for _, n := range c.Needs {
		line := fmt.Sprintf("%-8s  %s", words.Weights.Of(string(n.Weight)), n.Text)
		if why := app.Deref(n.Why); why != "" && !strings.Contains(n.Text, why) {
			line += ": " + why
		}
		if points := app.Deref(n.Points); points > 0 {
			line += fmt.Sprintf(" (+%d%%, %s)", points, flagFor(app.Deref(n.Field)))
		} else if flag := flagFor(app.Deref(n.Field)); flag != "" {
			line += " (" + flag + ")"
		}
		p.Line("%s", line)
	}
}

// Earlier are the requests for capacity that were made before a draft that asks for some.
func (a *Commands) Earlier(c clientgen.Case, times out.Times) {
	p := a.Printer()
	for i, e := range app.Deref(c.Earlier) {
		if i == 0 {
			p.Line("\nEarlier requests:")
		}
		p.Line("  %s, %s, opened %s: %s", e.Number, words.Inline(words.States.Of(string(e.State))),
			times.Short(&e.Opened), e.Title)
		for line := range strings.Lines(app.Deref(e.Wanted)) {
			p.Line("    %s", strings.TrimSpace(line))
		}
	}
}

// TextFlags are what the vendor is told in words, as flags of the commands for drafts.
var TextFlags = []struct{ Flag, Member, Help string }{
	{"on", "affected", "the service, machine or account that is affected"},
	{"happened", "happened", "what happened (- reads it from standard input)"},
	{"expected", "expected", "what was expected"},
	{"steps", "steps", "the steps to reproduce it"},
	{"error", "error", "the exact error text (- reads it from standard input)"},
	{"since", "since", "when it started"},
	{"often", "often", "how often it happens"},
	{"changed", "changed", "what changed before it began"},
	{"tried", "tried", "what has been tried, with its results"},
	{"workaround-used", "workaround", "the workaround, in words"},
	{"hit", "hit", "which people and places are affected"},
	{"version", "version", "the version, if not the asset's"},
	{"system", "system", "the operating system and its release"},
	{"browser", "browser", "the browser and its version"},
	{"role", "role", "the role of the user"},
	{"contact", "contact", "who the vendor may contact"},
	{"contact-always", "contact_always", "who can be reached round the clock; whoever is on the rota if left out"},
	{"contact-by", "contact_by", "how the vendor should reach you: email, phone, chat or callback"},
	{"call-from", "call_from", "the start of the time in which you ask to be called, like \"2026-12-01 14:00\""},
	{"call-until", "call_until", "the end of the time in which you ask to be called"},
	{"on-site", "on_site", "who is at the equipment, with phone and address"},
	{"copy-to", "copy_to", "email addresses to copy in, separated by commas"},
	{"instructions", "instructions", "special instructions for the vendor"},
}

// IsTime says whether a text is an instant, written with its zone.
func IsTime(member string) bool { return member == "call_from" || member == "call_until" }

// flagFor is the flag that fills in a field of a draft.
func flagFor(field string) string {
	if key, ok := strings.CutPrefix(field, "answers."); ok {
		return "--answer " + key + "=…"
	}
	if fact, ok := strings.CutPrefix(field, "facts."); ok {
		return "--" + fact
	}
	for _, x := range TextFlags {
		if "texts."+x.Member == field {
			return "--" + x.Flag
		}
	}
	return map[string]string{"go_on_reason": "--go-on-reason", "severity_reason": "--severity-reason"}[field]
}

// notYet says why a draft cannot be filed, a line for each thing that is missing, and how to add it.
func notYet(name string, missing []clientgen.FieldError) error {
	text := name + " cannot be filed yet:"
	for _, f := range missing {
		text += "\n  " + out.Plain(f.Detail)
		if flag := flagFor(f.Field); flag != "" {
			text += ": " + flag
		}
	}
	condition := func(f clientgen.FieldError) bool { return f.Field == "criteria" }
	if slices.ContainsFunc(missing, func(f clientgen.FieldError) bool { return !condition(f) }) {
		text += "\nAdd it with: roundhouse case edit " + name
	}
	if slices.ContainsFunc(missing, condition) {
		text += "\nConfirm the conditions that hold with: roundhouse case confirm " + name
	}
	return &app.Refused{Text: text}
}
