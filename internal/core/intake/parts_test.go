package intake

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"roundhouse.example/internal/core/words"
)

var kinds = []string{"fault", "question", "capacity", "money", "licence", "order", "wish", "work", "part", "visit",
	"access"}

// Each part has its place in Texts and its label, in one order, and is filled from where it says.
func TestThePartsAreThoseOfTexts(t *testing.T) {
	var labels, fields []string
	for _, l := range words.Parts {
		labels = append(labels, l.Value)
	}
	if !slices.Equal(labels, PartKeys()) {
		t.Errorf("labels %v, parts %v", labels, PartKeys())
	}
	var x Texts
	for i := range reflect.TypeOf(x).NumField() {
		key, _, _ := strings.Cut(reflect.TypeOf(x).Field(i).Tag.Get("json"), ",")
		fields = append(fields, key)
		for _, p := range parts {
			if p.key == key && p.of(&x) != reflect.ValueOf(&x).Elem().Field(i).Addr().Interface() {
				t.Errorf("%s is read from another field", key)
			}
		}
	}
	var y Texts
	for _, text := range y.All() {
		*text = "x"
	}
	for i := range reflect.TypeOf(y).NumField() {
		if reflect.ValueOf(y).Field(i).String() != "x" {
			t.Errorf("%s is not among all texts", reflect.TypeOf(y).Field(i).Name)
		}
	}
	if want := append(PartKeys(), "affected", "contact", "contact_always", "contact_by", "call_from",
		"call_until", "on_site", "copy_to", "instructions"); !slices.Equal(fields, want) {
		t.Errorf("Texts has %v, want %v", fields, want)
	}
	for key, at := range y.ByName() {
		if y.Set(map[string]string{key: key, "no such text": "x"}); *at != key {
			t.Errorf("%s is not set by its name", key)
		}
	}
	for kind, counts := range usual {
		for key := range counts {
			if !IsPart(key) {
				t.Errorf("%s counts %q, which is no part", kind, key)
			}
		}
	}
}

// Whatever is filled in, the measure never falls, is 0 with nothing and 100 with everything that counts and only then,
// and what is still missing says how far it goes.
func TestTheMeasure(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		s := Story{Kind: kinds[rnd.IntN(len(kinds))], Workaround: []string{"", "none", "easy"}[rnd.IntN(3)]}
		for i := range rnd.IntN(4) {
			s.Asked = append(s.Asked, Question{Key: string(rune('a' + i)), Required: rnd.IntN(2) == 0, Weight: rnd.IntN(30)})
		}
		if rnd.IntN(2) == 0 {
			s.PartsAsked = []Asked{{Key: PartKeys()[rnd.IntN(len(parts))], Label: "Theirs", Weight: rnd.IntN(50)}}
		}
		if got := Measure(Pieces(s)); got != 0 {
			t.Fatalf("%+v: an empty story measures %d", s, got)
		}
		last := 0
		for _, p := range parts {
			*p.of(&s.Texts) = "x"
			now := Measure(Pieces(s))
			if now < last {
				t.Fatalf("%+v: %s lowers the measure from %d to %d", s, p.key, last, now)
			}
			last = now
		}
		s.Affected = "x"
		for i := range s.Asked {
			if Measure(Pieces(s)) == 100 {
				t.Fatalf("%+v: complete without an answer", s)
			}
			s.Asked[i].Answer = "x"
		}
		if got := Measure(Pieces(s)); got != 100 {
			t.Fatalf("%+v: everything measures %d", s, got)
		}
	}
}

func TestWhatAKindAsksFor(t *testing.T) {
	for _, x := range []struct {
		name  string
		story Story
		want  string // required! later? optional, by field, in order
	}{
		{"a fault, by what helps most", Story{Kind: "fault"}, "texts.happened! texts.steps texts.expected texts.error " +
			"texts.since texts.changed texts.tried texts.affected texts.often texts.hit texts.version texts.system"},
		{"with a workaround, which one", Story{Kind: "fault", Workaround: "costly", KnownVersion: "7.2",
			Texts: Texts{Happened: "x", Steps: "x", Expected: "x", Error: "x", Since: "x", Changed: "x", Tried: "x",
				Affected: "x", Often: "x", Hit: "x"}}, "texts.workaround texts.system"},
		{"a question", Story{Kind: "question", Texts: Texts{Happened: "x"}},
			"texts.tried texts.expected texts.version texts.system"},
		{"an order", Story{Kind: "order", Texts: Texts{Happened: "x"}}, "texts.expected"},
		{"a wish like an order", Story{Kind: "wish"}, "texts.happened! texts.expected"},
		{"the vendor's fields", Story{Kind: "order", Texts: Texts{Happened: "x", Expected: "x"},
			Asked: []Question{{Key: "size"}, {Key: "site", Required: true}, {Key: "reason", Weight: 60}}},
			"answers.site! answers.reason answers.size"},
		{"at severity 1 they can come later", Story{Kind: "fault", Stopped: true, Texts: Texts{Expected: "x", Steps: "x",
			Error: "x", Since: "x", Changed: "x", Tried: "x", Affected: "x", Often: "x", Hit: "x", Version: "x", System: "x"},
			Asked: []Question{{Key: "site", Required: true}}}, "texts.happened! answers.site?"},
		{"a part that it calls by a name of its own counts a little", Story{Kind: "order",
			Texts: Texts{Happened: "x", Expected: "x"}, PartsAsked: []Asked{{Key: "since", Label: "Needed since"}}},
			"texts.since"},
		{"a vendor wants other parts", Story{Kind: "question", Texts: Texts{Happened: "x", Tried: "x", Version: "x",
			System: "x", Expected: "x"}, PartsAsked: []Asked{{Key: "browser", Label: "Browser", Required: true},
			{Key: "role", Label: "Who is signed in", Weight: 40}}}, "texts.browser! texts.role"},
	} {
		x.story.HasChannel, x.story.Graded = true, true
		var got []string
		for _, n := range Missing(x.story) {
			mark := map[bool]string{true: "!"}[n.Required] + map[bool]string{true: "?"}[n.Later]
			got = append(got, n.Field+mark)
			if n.Points < 1 || n.Why == "" && strings.HasPrefix(n.Field, "texts.") {
				t.Errorf("%s: %+v", x.name, n)
			}
		}
		if strings.Join(got, " ") != x.want {
			t.Errorf("%s:\n got %s\nwant %s", x.name, strings.Join(got, " "), x.want)
		}
	}
}

// What the vendor reads: identifiers, one fact a line, then the parts under the names that its form or the kind gives.
func TestComposingParts(t *testing.T) {
	s := Story{Kind: "fault", Identifiers: []Identifier{{"Product", "Array 40 7.2"}}, Level: "Grade II",
		Environment: "production", Effect: "degraded", Reach: "few", Workaround: "easy",
		PartsAsked: []Asked{{Key: "steps", Label: "How to see it"}},
		Texts: Texts{Happened: "It restarts.", Steps: "Take two snapshots.", Since: "Thursday", Often: "hourly",
			Version: "7.2",
			System:  "none", Affected: "Array Ern-1", Workaround: "One snapshot an hour.", Hit: "Both counters.", Error: "E 57"}}
	want := "Product: Array 40 7.2\nAffected: Array Ern-1\nSince: Thursday\nHow often: hourly\nSystem: none\n" +
		"Requested level: Grade II\nImpact: production, degraded, a few users; workaround: easy\n\n" +
		"What happened\nIt restarts.\n\nHow to see it\nTake two snapshots.\n\nError text\nE 57\n\n" +
		"Workaround used\nOne snapshot an hour.\n\nWho and where\nBoth counters."
	if got := Compose(s); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	for kind, head := range map[string]string{"question": "The question", "capacity": "Situation",
		"part": "What happened"} {
		if got := Compose(Story{Kind: kind, Texts: Texts{Happened: "x"}}); got != head+"\nx" {
			t.Errorf("%s: %q", kind, got)
		}
	}
}
