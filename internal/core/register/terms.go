package register

import (
	"fmt"
	"strconv"
	"strings"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
)

// Term is one promise of a contract, or of our own desk: a target by deadline and
// rank, narrowed where it says so.
type Term struct {
	Deadline string `json:"deadline"`
	// Level is the rank of the vendor's level, 1 the most severe; of our own two
	// deadlines it is our severity.
	Level    int    `json:"level"`
	Target   string `json:"target"`
	Calendar string `json:"calendar,omitempty"` // its name; a target of none needs none
	// Kind, Channel and Country narrow the promise; empty ones do not.
	Kind    string     `json:"kind,omitempty"`
	Channel route.Kind `json:"channel,omitempty"`
	Country string     `json:"country,omitempty"`
}

// Policy is what we owe ourselves: promises by severity, our calendar by its name, and how long, as targets, a case of
// each severity may be quiet, and nobody may react to what is due or was said before the leads are told. The latter
// counts round the clock for severity 1, else in our hours.
type Policy struct {
	DeskName string `json:"desk_name"`
	Calendar string `json:"calendar"`
	OnChange string `json:"on_change"`
	Terms    []Term `json:"terms"`
	Quiet1   string `json:"quiet_1"`
	Quiet2   string `json:"quiet_2"`
	Quiet3   string `json:"quiet_3"`
	Quiet4   string `json:"quiet_4"`
	// QuietCalm is the rhythm of what takes long by its nature; see CalmKinds. Empty: as its severity says.
	QuietCalm string `json:"quiet_calm,omitempty"`
	React1    string `json:"react_1"`
	React2    string `json:"react_2"`
	React3    string `json:"react_3"`
	React4    string `json:"react_4"`
	// EmailLink is the link of ours by which our people are told by email; empty: they are not.
	EmailLink string `json:"email_link,omitempty"`
}

// CalmKinds are the kinds of case that follow a calmer rhythm where nothing of them is dated: wishes, requests for
// capacity, long work.
var CalmKinds = []string{"wish", "capacity", "work"}

// String writes a promise in a line: first-response 2 4h office kind=fault country=NO.
func (t Term) String() string {
	parts := []string{t.Deadline, strconv.Itoa(t.Level), t.Target}
	if t.Calendar != "" {
		parts = append(parts, t.Calendar)
	}
	for _, x := range [][2]string{{"kind", t.Kind}, {"channel", string(t.Channel)}, {"country", t.Country}} {
		if x[1] != "" {
			parts = append(parts, x[0]+"="+x[1])
		}
	}
	return strings.Join(parts, " ")
}

// ParseTerm reads what String writes.
func ParseTerm(s string) (t Term, err error) {
	parts := strings.Fields(s)
	bad := fmt.Errorf("write a target as DEADLINE LEVEL TARGET [CALENDAR] [kind=…] [channel=…] [country=…], not %.80q",
		s)
	if len(parts) < 3 {
		return t, bad
	}
	t.Deadline, t.Target = parts[0], parts[2]
	if t.Level, err = strconv.Atoi(parts[1]); err != nil {
		return t, bad
	}
	for i, p := range parts[3:] {
		k, v, ok := strings.Cut(p, "=")
		switch {
		case ok && k == "kind":
			t.Kind = v
		case ok && k == "channel":
			t.Channel = route.Kind(v)
		case ok && k == "country":
			t.Country = v
		case !ok && i == 0:
			t.Calendar = p
		default:
			return t, bad
		}
	}
	return t, nil
}

// Kinds of case, the usual one first.
var Kinds = []string{"fault", "question", "capacity", "money", "licence", "order", "wish", "work", "part", "visit",
	"access"}

// CheckTerms says what is wrong with a set of promises: of a vendor, or of ours.
func CheckTerms(list []Term, ours bool) []Fault {
	var f faults
	if len(list) > 1000 {
		f.add("terms", "there are %d, at most 1000 are allowed", len(list))
		return f
	}
	for i, t := range list {
		at := fmt.Sprintf("terms[%d]", i)
		kind, err := deadline.ParseKind(t.Deadline)
		switch {
		case err != nil:
			f.add(at+".deadline", "%s", err)
		case kind.Ours() != ours && ours:
			f.add(at+".deadline", "%s is owed by the vendor, so it belongs in a contract", t.Deadline)
		case kind.Ours() != ours:
			f.add(at+".deadline", "%s is owed by us, so it belongs in our policy", t.Deadline)
		}
		if t.Level < 1 || ours && t.Level > 4 || t.Level > 99 {
			f.add(at+".level", "%d is not a rank; the most severe level is 1", t.Level)
		}
		target, err := calendar.ParseTarget(t.Target)
		if err != nil {
			f.add(at+".target", "%s", err)
		} else if t.Calendar == "" && !target.None {
			f.add(at+".calendar", "name the calendar it counts in")
		}
		oneOf(&f, at+".kind", t.Kind, Kinds)
		oneOf(&f, at+".channel", t.Channel, route.Kinds)
		f.country(at+".country", t.Country)
		for j := range i {
			if o := list[j]; o.Deadline == t.Deadline && o.Level == t.Level && o.weight() == t.weight() && meet(o, t) {
				f.add(at, "it overlaps terms[%d]: both are for %s at level %d%s, and neither is narrower", j, t.Deadline, t.Level,
					t.narrowed())
			}
		}
	}
	return f
}

func (t Term) weight() (n int) {
	for _, s := range []string{t.Kind, string(t.Channel), t.Country} {
		if s != "" {
			n++
		}
	}
	return n
}

func (t Term) narrowed() string {
	s := ""
	for _, x := range [][2]string{{"kind", t.Kind}, {"channel", string(t.Channel)}, {"country", t.Country}} {
		if x[1] != "" {
			s += fmt.Sprintf(", %s %s", x[0], x[1])
		}
	}
	return s
}

// meet says whether a case can be fit by both.
func meet(a, b Term) bool {
	both := func(x, y string) bool { return x == "" || y == "" || x == y }
	return both(a.Kind, b.Kind) && both(string(a.Channel), string(b.Channel)) && both(a.Country, b.Country)
}

// Narrow picks, of terms that hold for a case of a kind, by a channel, in a
// country, the row with the most conditions for each deadline and level
// (docs/rules.md, section 4). It keeps their order. For a wish only rows that name
// wishes hold: nobody promises an answer to one by promising answers.
func Narrow(list []Term, kind string, channel route.Kind, country string) []Term {
	type key struct {
		deadline string
		level    int
	}
	best := map[key]int{}
	fits := func(want, have string) bool { return want == "" || want == have }
	for i, t := range list {
		if kind == "wish" && t.Kind != kind {
			continue
		}
		if !fits(t.Kind, kind) || !fits(string(t.Channel), string(channel)) || !fits(t.Country, country) {
			continue
		}
		k := key{t.Deadline, t.Level}
		if j, there := best[k]; !there || t.weight() > list[j].weight() {
			best[k] = i
		}
	}
	var out []Term
	for i, t := range list {
		if j, there := best[key{t.Deadline, t.Level}]; there && j == i {
			out = append(out, t)
		}
	}
	return out
}
