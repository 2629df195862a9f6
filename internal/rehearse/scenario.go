// Package rehearse plays scenarios: a simulated vendor that is late, silent or wrong on purpose, on a desk, a database
// and a clock of its own, so that a handler can practise. What was done well and what was missed is said afterwards, by
// the record (package core/rehearsal).
package rehearse

import (
	"embed"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/core/rehearsal"
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/standin"
)

// Schema is the JSON Schema of a scenario's file.
//
//go:embed schema.json
var Schema []byte

//go:embed scenarios
var scenarios embed.FS

// First is the scenario for those who are new.
const First = "first-case"

// Scenario is what a file says. Durations are written as targets are, without business days: 45m, 4h, 1d12h.
type Scenario struct {
	Version int       `json:"rehearsal"`
	Title   string    `json:"title"`
	Teaches string    `json:"teaches"`
	About   string    `json:"about"`
	Begins  time.Time `json:"begins"`
	Lasts   string    `json:"lasts"`
	// Patience is how long something may wait for us that has no deadline of its own; 1h where it is empty.
	Patience    string `json:"patience"`
	Vendor      string `json:"vendor"`
	Case        Matter `json:"case"`
	BriefWithin string `json:"brief_within"`
	Script      []Line `json:"script"`
}

// Matter is the case that the rehearsal is about.
type Matter struct {
	Title    string            `json:"title"`
	Kind     string            `json:"kind"`
	Asset    string            `json:"asset"`
	Happened string            `json:"happened"`
	Expected string            `json:"expected"`
	Since    string            `json:"since"`
	Facts    severity.Facts    `json:"facts"`
	Answers  map[string]string `json:"answers"`
	// FileWithin leaves opening and filing to the handler, within this time; where it is empty the case is filed when the
	// rehearsal begins.
	FileWithin string `json:"file_within"`
}

// Line is one thing of the script. Each waits for the one before.
type Line struct {
	// After is how long after the line before, or after what When waits for.
	After string `json:"after"`
	// When is a deed that it waits for; OrAfter is when it comes without that.
	When    rehearsal.DeedKind `json:"when"`
	Rung    int                `json:"rung"`
	OrAfter string             `json:"or_after"`
	// Says is what the vendor says, Note what a colleague writes on the case.
	Says      string `json:"says"`
	Note      string `json:"note"`
	Automatic bool   `json:"automatic"`
	Asks      bool   `json:"asks"`
	Offers    string `json:"offers"`
	Works     bool   `json:"works"`
	Level     string `json:"level"`
	Closes    bool   `json:"closes"`
}

var compiled = sync.OnceValues(func() (*jsonschema.Schema, error) { return pack.Compile(Schema) })

// Read checks a file and gives its scenario. All that is wrong is told at once, in the order of the lines.
func Read(file []byte) (s Scenario, findings []pack.Finding) {
	schema, err := compiled()
	if err != nil {
		return s, []pack.Finding{{Detail: "the schema itself: " + err.Error()}}
	}
	where, findings := pack.Into(file, schema, &s)
	if len(findings) > 0 {
		return s, findings
	}
	s.check(func(field, format string, args ...any) {
		findings = append(findings, pack.Finding{Line: where(field), Field: field, Detail: fmt.Sprintf(format, args...)})
	})
	return s, findings
}

// longest is how long a rehearsal may last, on its own clock: a script that waits for what never comes ends too.
const longest = 60 * 24 * time.Hour

// check finds what the schema cannot say.
func (s *Scenario) check(wrong func(field, format string, args ...any)) {
	duration := func(field, text string) {
		if _, err := seconds(text); err != nil {
			wrong(field, "%s", err)
		}
	}
	duration("lasts", s.Lasts)
	if d, err := seconds(s.Lasts); err == nil && d > longest {
		wrong("lasts", "it is longer than 60 days, the longest that a rehearsal can last")
	}
	duration("patience", s.Patience)
	duration("brief_within", s.BriefWithin)
	duration("case.file_within", s.Case.FileWithin)
	house := slices.IndexFunc(standin.Houses, func(h standin.House) bool { return h.Key == s.Vendor })
	if house < 0 {
		var keys []string
		for _, h := range standin.Houses {
			keys = append(keys, h.Key)
		}
		wrong("vendor", "%q is not a simulated vendor; use %s", s.Vendor, strings.Join(keys, ", "))
		return
	}
	if _, err := severity.For(s.Case.Kind, s.Case.Facts); err != nil {
		wrong("case.facts", "%s", err)
	}
	offered := false
	for i, l := range s.Script {
		field := func(name string) string { return fmt.Sprintf("script[%d].%s", i, name) }
		duration(field("after"), l.After)
		duration(field("or_after"), l.OrAfter)
		if l.OrAfter != "" && l.When == "" {
			wrong(field("or_after"), "it is used together with when: remove it, or add when")
		}
		if l.Rung > 0 && l.When != rehearsal.Escalated {
			wrong(field("rung"), "it is used only with when: escalated")
		}
		if l.Note != "" && (l.Automatic || l.Asks || l.Offers != "" || l.Level != "" || l.Closes) {
			wrong(field("note"), "a note is written by a colleague: the vendor can do nothing in the same line")
		}
		if l.Works && l.Offers != "fix" {
			wrong(field("works"), "it is used only with offers: fix")
		}
		if grades := standin.Houses[house].Grades; l.Level != "" && !slices.Contains(grades, l.Level) {
			wrong(field("level"), "%q is not a level of %s; use %s", l.Level, s.Vendor, strings.Join(grades, ", "))
		}
		offered = offered || l.Works
	}
	if !offered {
		wrong("script", "no line offers a fix that works, so nobody could end the case well: add offers: fix "+
			"and works: true")
	}
}

// seconds reads a duration.
func seconds(text string) (time.Duration, error) {
	if text == "" {
		return 0, nil
	}
	t, err := calendar.ParseTarget(text)
	switch {
	case err != nil:
		return 0, err
	case t.None || t.Business:
		return 0, fmt.Errorf("%q is not a duration: write it as 45m, 4h or 1d12h", text)
	}
	return time.Duration(t.Seconds) * time.Second, nil
}

// of is a duration that was checked.
func of(text, otherwise string) time.Duration {
	if text == "" {
		text = otherwise
	}
	d, _ := seconds(text) // it was checked
	return d
}

// Over is when the rehearsal ends at the latest.
func (s *Scenario) Over() time.Time { return s.Begins.Add(of(s.Lasts, "")) }

// Shipped are the names of the scenarios that come with the program, the first one for those who are new.
func Shipped() []string {
	files, err := fs.Glob(scenarios, "scenarios/*.yaml")
	if err != nil {
		return nil // the pattern is right
	}
	var names []string
	for _, f := range files {
		names = append(names, strings.TrimSuffix(path.Base(f), ".yaml"))
	}
	slices.SortStableFunc(names, func(a, b string) int {
		if (a == First) != (b == First) {
			if a == First {
				return -1
			}
			return 1
		}
		return strings.Compare(a, b)
	})
	return names
}

// File is a shipped scenario's; ok is false where there is none with this name.
func File(name string) (file []byte, ok bool) {
	if !slices.Contains(Shipped(), name) {
		return nil, false
	}
	file, err := scenarios.ReadFile("scenarios/" + name + ".yaml")
	return file, err == nil
}
