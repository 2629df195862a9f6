package notify

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"
)

func TestWhomAnEventConcerns(t *testing.T) {
	known := Known{Watching: []int64{3, 7}, Rota: 5, Leads: []int64{9, 3}}
	for name, x := range map[string]struct {
		e    Event
		want []Told
	}{
		"the owner and who watches": {Event{Kind: Due, Severity: 2, Owner: 7}, []Told{{7, Owns}, {3, Watches}}},
		"who did it is not told":    {Event{Kind: Message, Severity: 3, Owner: 7, Actor: 7}, []Told{{3, Watches}}},
		"severity 1 reaches the rota": {Event{Kind: Soon, Severity: 1, Owner: 1},
			[]Told{{1, Owns}, {5, OnRota}, {3, Watches}, {7, Watches}}},
		"without an owner the leads": {Event{Kind: Message, Severity: 2},
			[]Told{{3, Watches}, {7, Watches}, {9, NoOwner}}},
		"a second time the leads too": {Event{Kind: Late, Severity: 4, Owner: 7},
			[]Told{{7, Owns}, {3, Watches}, {9, Reminded}}},
		"whose date it is": {Event{Kind: Due, Severity: 4, Owner: 1, Whose: 8},
			[]Told{{1, Owns}, {8, Owes}, {3, Watches}, {7, Watches}}},
		"a mention only those named": {Event{Kind: Mention, Severity: 1, Owner: 7, Actor: 2, Mentioned: []int64{4, 2}},
			[]Told{{4, Named}}},
	} {
		if got := Whom(x.e, known); !slices.Equal(got, x.want) {
			t.Errorf("%s: %v, want %v", name, got, x.want)
		}
	}
}

// Whoever is concerned is told once, and never of what they did themselves.
func TestNobodyIsToldTwice(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	some := func() (out []int64) {
		for range r.IntN(5) {
			out = append(out, r.Int64N(6))
		}
		return out
	}
	for range 20_000 {
		e := Event{Kind: Kinds[r.IntN(len(Kinds))], Severity: r.IntN(5), Owner: r.Int64N(6), Whose: r.Int64N(6),
			Actor: r.Int64N(6), Mentioned: some()}
		k := Known{Watching: some(), Rota: r.Int64N(6), Leads: some()}
		told, seen := Whom(e, k), map[int64]bool{}
		for _, x := range told {
			if seen[x.Person] || x.Person == 0 || x.Person == e.Actor {
				t.Fatalf("%+v, %+v: %v", e, k, told)
			}
			seen[x.Person] = true
		}
		if e.Kind != Mention && e.Owner != 0 && e.Owner != e.Actor && !seen[e.Owner] {
			t.Fatalf("the owner is not told: %+v: %v", e, told)
		}
	}
}

func at(t *testing.T, s string) int64 {
	v, err := time.Parse(time.RFC3339, s)
	if err != nil {
		t.Fatal(err)
	}
	return v.Unix()
}

func TestWhenAnEmailMayGo(t *testing.T) {
	night := Settings{QuietFrom: "22:00", QuietTo: "07:00", Zone: "Europe/Oslo"}
	always := night
	always.QuietAlways = true
	noon := Settings{QuietFrom: "12:00", QuietTo: "13:00"}
	for name, x := range map[string]struct {
		s        Settings
		at       string
		severity int
		want     string
	}{
		"by day":                       {night, "2026-11-30T10:00:00Z", 3, "2026-11-30T10:01:00Z"},
		"by night":                     {night, "2026-11-30T21:30:00Z", 3, "2026-12-01T06:00:00Z"},
		"after midnight":               {night, "2026-12-01T02:00:00+01:00", 2, "2026-12-01T06:00:00Z"},
		"the minute before they begin": {night, "2026-11-30T21:59:00+01:00", 3, "2026-12-01T06:00:00Z"},
		"the minute before they end":   {night, "2026-12-01T06:59:00+01:00", 3, "2026-12-01T06:00:00Z"},
		"severity 1 by night":          {night, "2026-11-30T21:30:00Z", 1, "2026-11-30T21:31:00Z"},
		"severity 1 kept back as well": {always, "2026-11-30T21:30:00Z", 1, "2026-12-01T06:00:00Z"},
		"the night the clocks go on":   {night, "2026-03-28T23:00:00+01:00", 3, "2026-03-29T05:00:00Z"},
		"the night the clocks go back": {night, "2026-10-24T23:00:00+02:00", 3, "2026-10-25T06:00:00Z"},
		"quiet at noon":                {noon, "2026-11-30T12:20:00Z", 3, "2026-11-30T13:00:00Z"},
		"without quiet hours":          {Settings{}, "2026-11-30T03:00:00Z", 4, "2026-11-30T03:01:00Z"},
	} {
		if got, want := x.s.EmailAt(at(t, x.at), x.severity), at(t, x.want); got != want {
			t.Errorf("%s: %s, want %s", name, time.Unix(got, 0).UTC(), x.want)
		}
	}
}

func TestTheNextDigest(t *testing.T) {
	oslo := Settings{Digest: "07:30", Zone: "Europe/Oslo"}
	gap := Settings{Digest: "02:30", Zone: "Europe/Oslo"}
	for name, x := range map[string]struct {
		s           Settings
		after, want string
	}{
		"today":                   {oslo, "2026-11-30T05:00:00Z", "2026-11-30T06:30:00Z"},
		"tomorrow":                {oslo, "2026-11-30T06:30:00Z", "2026-12-01T06:30:00Z"},
		"in summer":               {oslo, "2026-07-01T00:00:00Z", "2026-07-01T05:30:00Z"},
		"a time the clocks leave": {gap, "2026-03-28T12:00:00Z", "2026-03-29T01:30:00Z"},
		"after such a time":       {gap, "2026-03-29T01:30:00Z", "2026-03-30T00:30:00Z"},
	} {
		got, err := x.s.NextDigest(time.Unix(at(t, x.after), 0))
		if err != nil || got.Unix() != at(t, x.want) {
			t.Errorf("%s: %s %v, want %s", name, got, err, x.want)
		}
	}
	if got, err := (Settings{}).NextDigest(time.Now()); err != nil || !got.IsZero() {
		t.Errorf("without an hour: %s %v", got, err)
	}
}

func TestSettingsThatCannotBe(t *testing.T) {
	for field, list := range map[string][]Settings{
		"quiet_from": {{QuietFrom: "22:00"}, {QuietTo: "07:00"}, {QuietFrom: "7", QuietTo: "08:00"},
			{QuietFrom: "07:00", QuietTo: "24:00"}, {QuietFrom: "07:00", QuietTo: "07:00"}},
		"digest_at":    {{Digest: "7:30"}, {Digest: "25:00"}, {Digest: "noon"}},
		"ways":         {{Ways: map[Kind]Way{"rain": Email}}},
		"ways.message": {{Ways: map[Kind]Way{Message: "pigeon"}}},
	} {
		for _, s := range list {
			if f, err := s.Check(); err == nil || f != field {
				t.Errorf("%+v: %q %v, want a fault of %s", s, f, err, field)
			}
		}
	}
	if f, err := (Settings{Ways: map[Kind]Way{Soon: Off}, QuietFrom: "22:00", QuietTo: "06:00", Digest: "07:30",
		Zone: "Asia/Kolkata"}).Check(); err != nil {
		t.Errorf("%s: %v", f, err)
	}
}

var crew = []Person{{1, "Ragna Holm", "ragna@saltmarsh.example"}, {2, "Teo Brandt", "t.brandt@saltmarsh.example"},
	{3, "Teo Quist", "teoq@saltmarsh.example"}, {4, "Ålaug Ås", "alaug@saltmarsh.example"}}

func TestMentions(t *testing.T) {
	for text, want := range map[string][]int64{
		"@Ragna can you look?":                    {1},
		"ask @ragna holm, then @t.brandt.":        {1, 2},
		"@Teo Brandt and @Teo Quist":              {2, 3},
		"@teo":                                    nil, // two have that name
		"mail ragna@ragna.example":                nil,
		"@ragnarok is not she":                    nil,
		"(@Ragna) @Ragna @RAGNA":                  {1},
		"@ålaug ås: @ÅLAUG":                       {4},
		"@ragna-holm.example is a handle of hers": nil,
		"@Ragna.": {1},
		"@":       nil,
	} {
		if got := Mentions(text, crew); !slices.Equal(got, want) {
			t.Errorf("%q: %v, want %v", text, got, want)
		}
	}
}

func FuzzMentions(f *testing.F) {
	f.Add("@Ragna, @teo brandt: see x@y.example")
	f.Add("@\xff@İstanbul @ålaug")
	f.Fuzz(func(t *testing.T, text string) {
		got := Mentions(text, crew)
		if len(got) > len(crew) || len(got) > strings.Count(strings.ToLower(text), "@") {
			t.Errorf("%q: %v", text, got)
		}
		if after := Mentions(text+" @Ragna", crew); !slices.Contains(after, 1) {
			t.Errorf("%q with a mention after it: %v", text, after)
		}
	})
}
