package intake

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"roundhouse.example/internal/core/words"
)

// Texts are what the vendor is told in words, part by part. The names in JSON are those of the API, of the record and
// of a form's fields.
type Texts struct {
	Happened   string `json:"happened,omitempty"`
	Expected   string `json:"expected,omitempty"`
	Steps      string `json:"steps,omitempty"`
	Error      string `json:"error,omitempty"`
	Since      string `json:"since,omitempty"`
	Often      string `json:"often,omitempty"`
	Changed    string `json:"changed,omitempty"`
	Tried      string `json:"tried,omitempty"`
	Workaround string `json:"workaround,omitempty"` // in words; whether there is one is a fact of the severity
	Hit        string `json:"hit,omitempty"`        // which people and places
	Version    string `json:"version,omitempty"`
	System     string `json:"system,omitempty"` // with its release
	Browser    string `json:"browser,omitempty"`
	Role       string `json:"role,omitempty"` // of the user

	Affected      string `json:"affected,omitempty"`
	Contact       string `json:"contact,omitempty"`
	ContactAlways string `json:"contact_always,omitempty"`
	ContactBy     string `json:"contact_by,omitempty"` // how to reach us: email, phone, chat or callback
	// CallFrom and CallUntil are when we ask to be called, as in RFC 3339, with a zone.
	CallFrom     string `json:"call_from,omitempty"`
	CallUntil    string `json:"call_until,omitempty"`
	OnSite       string `json:"on_site,omitempty"` // who is at the equipment, with phone and address
	CopyTo       string `json:"copy_to,omitempty"` // email addresses, with commas between them
	Instructions string `json:"instructions,omitempty"`
}

// part is one part of a description: what it is called is in words.Parts, in the same order.
type part struct {
	key  string
	of   func(*Texts) *string
	line bool   // one line of the head instead of a paragraph
	why  string // why a vendor wants it
}

var parts = []part{
	{"happened", func(t *Texts) *string { return &t.Happened }, false, "without it nobody can begin"},
	{"expected", func(t *Texts) *string { return &t.Expected }, false, "it says when the case is solved"},
	{"steps", func(t *Texts) *string { return &t.Steps }, false, "an engineer who sees it happen needs no questions"},
	{"error", func(t *Texts) *string { return &t.Error }, false, "its exact words can be searched for"},
	{"since", func(t *Texts) *string { return &t.Since }, true, "logs are read from there"},
	{"often", func(t *Texts) *string { return &t.Often }, true, "it tells the engineer when to catch it"},
	{"changed", func(t *Texts) *string { return &t.Changed }, false, "most faults follow a change"},
	{"tried", func(t *Texts) *string { return &t.Tried }, false, "otherwise you are asked to try it again"},
	{"workaround", func(t *Texts) *string { return &t.Workaround }, false, "it shows what still works"},
	{"hit", func(t *Texts) *string { return &t.Hit }, false, "it shows what they have in common"},
	{"version", func(t *Texts) *string { return &t.Version }, true, "known faults are listed by version"},
	{"system", func(t *Texts) *string { return &t.System }, true, "the same fault can differ from system to system"},
	{"browser", func(t *Texts) *string { return &t.Browser }, true, "pages differ from browser to browser"},
	{"role", func(t *Texts) *string { return &t.Role }, true, "rights often explain what a user sees"},
}

// usual says how much each part counts for a kind of case where a vendor's form does not say; 0 is not asked for. A
// kind that is not here counts like an order.
var usual = map[string]map[string]int{
	"fault": {"happened": 25, "expected": 10, "steps": 15, "error": 10, "since": 10, "often": 5, "changed": 10,
		"tried": 10,
		"hit":   5, "version": 5, "system": 2},
	"part":     {"happened": 40, "expected": 10, "error": 10, "since": 10, "tried": 20, "version": 5},
	"question": {"happened": 60, "expected": 10, "tried": 15, "version": 10, "system": 5},
	"order":    {"happened": 50, "expected": 50},
}

// broken are the kinds that something has happened in; concerning those that concern something we have.
var (
	broken     = []string{"fault", "part"}
	concerning = []string{"fault", "part", "visit", "work"}
)

// What a field of a vendor's form, and the thing that is affected, count where nobody says otherwise.
const (
	requiredCounts = 10
	optionalCounts = 5
	affectedCounts = 10
)

// IsLine says whether a part of the description is one line, of a name, a version or a time, and no paragraph.
func IsLine(key string) bool {
	return slices.ContainsFunc(parts, func(p part) bool { return p.key == key && p.line })
}

// IsPart says whether a description has a part of this name.
func IsPart(key string) bool {
	return slices.ContainsFunc(parts, func(p part) bool { return p.key == key })
}

// All are the texts, each where it can be changed: none is left out.
func (t *Texts) All() []*string {
	return slices.Collect(maps.Values(t.ByName()))
}

// Texts by the API's names, beside the parts.
var furtherTexts = map[string]func(*Texts) *string{
	"affected": func(t *Texts) *string { return &t.Affected }, "contact": func(t *Texts) *string { return &t.Contact },
	"contact_always": func(t *Texts) *string { return &t.ContactAlways },
	"contact_by":     func(t *Texts) *string { return &t.ContactBy },
	"call_from":      func(t *Texts) *string { return &t.CallFrom },
	"call_until":     func(t *Texts) *string { return &t.CallUntil },
	"on_site":        func(t *Texts) *string { return &t.OnSite },
	"copy_to":        func(t *Texts) *string { return &t.CopyTo },
	"instructions":   func(t *Texts) *string { return &t.Instructions },
}

// ByName are the texts by the API's names, each where it can be changed.
func (t *Texts) ByName() map[string]*string {
	out := map[string]*string{}
	for k, of := range furtherTexts {
		out[k] = of(t)
	}
	for _, p := range parts {
		out[p.key] = p.of(t)
	}
	return out
}

// Set changes texts by the API's names; a name that there is not is passed over.
func (t *Texts) Set(to map[string]string) {
	for k, at := range t.ByName() {
		if v, there := to[k]; there {
			*at = v
		}
	}
}

// PartKeys are the names of all parts, in their order.
func PartKeys() []string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = p.key
	}
	return out
}

// PartLabel is what a part of a description is called for a kind of case: a fault has happened, a question is asked.
func PartLabel(kind, key string) string {
	switch {
	case kind == "question" && key == "happened":
		return "The question"
	case kind == "question" && key == "expected":
		return "What would help"
	case !slices.Contains(broken, kind) && key == "happened":
		return "Situation"
	case !slices.Contains(broken, kind) && key == "expected":
		return "What is needed"
	}
	return words.Parts.Of(key)
}

// Piece is one thing that a description can have: a part, or a field of the vendor's form.
type Piece struct {
	Field      string // where it is entered, in the API's names: texts.steps, answers.tenant
	Label, Why string
	Weight     int // how much it counts; 0 where it is not asked for
	Filled     bool
	Required   bool
	IsPart     bool
	line       bool
	text       string
}

// Asked is a part of the description as a vendor's form asks for it.
type Asked struct {
	Key, Label, Why string
	Weight          int // 0 as usual
	Required        bool
}

// Pieces are all that a story can have, the parts of the description first.
func Pieces(s Story) []Piece {
	var out []Piece
	counts := usual[s.Kind]
	if counts == nil {
		counts = usual["order"]
	}
	for _, p := range parts {
		text := strings.TrimSpace(*p.of(&s.Texts))
		x := Piece{Field: "texts." + p.key, Label: PartLabel(s.Kind, p.key), Why: p.why, Weight: counts[p.key],
			Filled: text != "", Required: p.key == "happened", IsPart: true, line: p.line, text: text}
		if p.key == "workaround" && x.Weight == 0 && (s.Workaround == "costly" || s.Workaround == "easy") {
			x.Weight = optionalCounts
		}
		if p.key == "version" && s.KnownVersion != "" {
			x.Filled = true
		}
		if i := slices.IndexFunc(s.PartsAsked, func(a Asked) bool { return a.Key == p.key }); i >= 0 {
			a := s.PartsAsked[i]
			x.Label, x.Required = a.Label, x.Required || a.Required
			if a.Why != "" {
				x.Why = a.Why
			}
			if x.Weight = max(x.Weight, optionalCounts); a.Weight > 0 {
				x.Weight = a.Weight
			}
		}
		out = append(out, x)
	}
	if slices.Contains(concerning, s.Kind) {
		out = append(out, Piece{Field: "texts.affected", Label: "What is affected: the service, machine or account",
			Why: "it is looked up before anything else", Weight: affectedCounts, Filled: s.Affected != ""})
	}
	for _, q := range s.Asked {
		x := Piece{Field: "answers." + q.Key, Label: q.Label, Why: q.Hint, Weight: q.Weight,
			Filled: q.Answer != "" && q.Problem == "", Required: q.Required}
		if x.Weight == 0 {
			if x.Weight = optionalCounts; q.Required {
				x.Weight = requiredCounts
			}
		}
		out = append(out, x)
	}
	return out
}

// Measure is how complete a description is, 0 to 100: what is there as a share of what counts. It is 100 only where
// nothing that counts is missing.
func Measure(pieces []Piece) int {
	there, all := 0, counted(pieces)
	for _, p := range pieces {
		if p.Filled {
			there += p.Weight
		}
	}
	if all == 0 {
		return 100
	}
	return there * 100 / all
}

// counted is what all pieces count together.
func counted(pieces []Piece) (all int) {
	for _, p := range pieces {
		all += p.Weight
	}
	return all
}

// points is how much a piece would add to the measure, at least 1.
func points(p Piece, all int) int { return max(1, (p.Weight*100+all/2)/max(1, all)) }

func (p Piece) lacks() string {
	if !strings.HasPrefix(p.Field, "answers.") {
		return p.Label
	}
	if p.Why == "" {
		return p.Label + ", which the vendor asks for"
	}
	return fmt.Sprintf("%s, which the vendor asks for (%s)", p.Label, p.Why)
}
