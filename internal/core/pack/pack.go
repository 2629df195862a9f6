// Package pack reads and writes vendor packs: one YAML file that holds all of a
// vendor that is neither secret nor a desk's alone, to share, review and import.
//
//	p, findings := pack.Read(file)
//	for _, f := range findings { fmt.Println(f) } // "12: vendor.zone: …"
//
// A pack is held against a JSON Schema (2020-12), so that editors complete and
// validate it, and then against what no schema can say.
package pack

import (
	"bytes"
	_ "embed" // the schema
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
)

// Version is that of the format which this program writes, and the newest it reads. It reads the first too, in
// which some words were others.
const Version = 2

// The longest that a pack can be, far above any vendor's: reading takes the square
// of what stands in a file, and a bad one must be answered in seconds too.
const (
	MaxBytes = 256 << 10
	maxLines = 8_000
	maxLine  = 24_000 // bytes; a longer text is written in lines
)

// Schema is the JSON Schema of packs.
//
//go:embed schema.json
var Schema []byte

// Pack is a vendor with the hours that it names.
type Pack struct {
	Version   int                            `json:"vendor_pack" yaml:"vendor_pack"`
	Vendor    register.Vendor                `json:"vendor" yaml:"vendor"`
	Calendars map[string]calendar.Definition `json:"calendars" yaml:"calendars"`
}

// Finding is one thing that is wrong with a file, or (Warning) that may be.
type Finding struct {
	Line    int // from 1; 0 where it is about the whole
	Field   string
	Detail  string
	Warning bool
}

func (f Finding) String() string {
	var at []string
	if f.Line > 0 {
		at = append(at, fmt.Sprint(f.Line))
	}
	if f.Field != "" {
		at = append(at, f.Field)
	}
	if f.Warning {
		at = append(at, "warning")
	}
	return strings.Join(append(at, f.Detail), ": ")
}

// Of makes the pack of a vendor: what is a desk's alone stays out of it. calendars
// are those known to the desk; the ones that the vendor names go along.
func Of(v register.Vendor, calendars map[string]calendar.Definition) Pack {
	v.Access, v.Partners, v.Note, v.Through, v.DirectAllowed = nil, nil, "", "", false
	p := Pack{Version, v, map[string]calendar.Definition{}}
	names, _ := v.Calendars()
	for _, name := range names {
		if def, there := calendars[name]; there {
			def.Name = "" // it stands before it
			p.Calendars[name] = def
		}
	}
	return p
}

// Onto is the vendor as a desk will know it once the pack is in: what is the
// desk's alone, which no pack holds, stays as it was.
func (p Pack) Onto(before register.Vendor) register.Vendor {
	v := p.Vendor
	v.Access, v.Partners, v.Note, v.Through, v.DirectAllowed = before.Access, before.Partners, before.Note,
		before.Through, before.DirectAllowed
	return v
}

// Write is the pack as a file. Members stand in the order of their type.
func (p Pack) Write() ([]byte, error) {
	raw, err := json.Marshal(p)
	if err != nil {
		return nil, err
	}
	var inOrder yaml.MapSlice
	if err := yaml.UnmarshalWithOptions(raw, &inOrder, yaml.UseOrderedMap()); err != nil {
		return nil, err
	}
	inOrder = inWeekOrder(inOrder)
	var b bytes.Buffer
	b.WriteString("# A vendor pack: what a desk knows about a vendor, except secrets and what concerns only the desk.\n" +
		"# Check it with: roundhouse vendor check FILE\n")
	err = yaml.NewEncoder(&b, yaml.IndentSequence(true), yaml.UseLiteralStyleIfMultiline(true)).Encode(inOrder)
	return b.Bytes(), err
}

var weekdays = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// inWeekOrder puts the days of every week in the order of a week.
func inWeekOrder(m yaml.MapSlice) yaml.MapSlice {
	for i, x := range m {
		inner, ok := x.Value.(yaml.MapSlice)
		if !ok {
			continue
		}
		if x.Key == "week" {
			day := func(x yaml.MapItem) int { return slices.Index(weekdays, fmt.Sprint(x.Key)) }
			slices.SortFunc(inner, func(a, b yaml.MapItem) int { return day(a) - day(b) })
		}
		m[i].Value = inWeekOrder(inner)
	}
	return m
}
