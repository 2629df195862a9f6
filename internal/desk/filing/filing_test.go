package filing_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/register"
	casesdb "roundhouse.example/internal/store/cases"
	registerdb "roundhouse.example/internal/store/register"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// The usual route is the first; another is asked for by its channel or by its link's name, and what is not there is
// refused with what is.
func TestPickingARoute(t *testing.T) {
	t.Parallel()
	routes := []route.Route{{Kind: "api", Link: 7, Name: "Main desk"}, {Kind: "api", Link: 8, Name: "Parts desk"},
		{Kind: "portal"}, {Kind: "phone"}}
	for _, x := range []struct {
		wanted  filing.Wanted
		at      int
		field   string
		refused string
	}{
		{filing.Wanted{}, 0, "", ""},
		{filing.Wanted{Channel: "phone"}, 3, "", ""},
		{filing.Wanted{Channel: "api"}, 0, "", ""},
		{filing.Wanted{Link: "Parts desk"}, 1, "", ""},
		{filing.Wanted{Channel: "api", Link: "Parts desk"}, 1, "", ""},
		{filing.Wanted{Channel: "chat"}, 0, "channel", "by chat, only by api (Main desk, Parts desk), portal, phone"},
		{filing.Wanted{Link: "Night desk"}, 0, "link", `by a link "Night desk", only by api (Main desk, Parts desk)`},
		{filing.Wanted{Channel: "phone", Link: "Main desk"}, 0, "link", "only by"},
	} {
		got, err := filing.PickRoute(routes, x.wanted)
		if x.refused == "" {
			if err != nil || got != routes[x.at] {
				t.Errorf("%+v: %+v, %v", x.wanted, got, err)
			}
		} else if err == nil || !strings.Contains(err.Error(), x.refused) ||
			!slices.Equal(desktest.Fields(err), []string{x.field}) {
			t.Errorf("%+v: %+v, %v", x.wanted, got, err)
		}
	}
	if _, err := filing.PickRoute(nil, filing.Wanted{}); err == nil || !strings.Contains(err.Error(), "has no channel") {
		t.Errorf("a vendor that cannot be reached: %v", err)
	}
}

// Grading says which severity the facts support, what it is at the vendor, what is promised for it, and what comes of
// choosing another.
func TestGrading(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna := d.As("Ragna")
	facts := casesdb.Facts{Environment: "production", Effect: "stopped", Reach: "many", Workaround: "costly"}
	number := func(n int) *int { return &n }
	for _, x := range []struct {
		name    string
		facts   casesdb.Facts
		vendor  string
		chosen  *int
		want    int
		level   string
		warning string
		field   string
	}{
		{"as the facts say", facts, "corvane", nil, 1, "Alarm", "", ""},
		{"without a vendor", facts, "", nil, 1, "", "", ""},
		{"less severe", facts, "corvane", number(3), 3, "Regular", "longer targets", ""},
		{"more severe", casesdb.Facts{Environment: "other", Effect: "degraded"}, "corvane", number(1), 1, "Alarm",
			"end up last", ""},
		{"a fact is missing", casesdb.Facts{Environment: "production", Effect: "stopped"}, "corvane", nil, 0, "", "",
			"facts.reach"},
		{"no such vendor", facts, "nobody", nil, 0, "", "", "vendor"},
	} {
		g, err := d.Filing.Grade(t.Context(), ragna, x.vendor, "fault", x.facts, x.chosen)
		if x.field != "" {
			if !slices.Equal(desktest.Fields(err), []string{x.field}) {
				t.Errorf("%s: %v", x.name, err)
			}
			continue
		}
		level := ""
		if g.Level != nil {
			level = g.Level.Label
		}
		if err != nil || int(g.Severity) != x.want || level != x.level || !strings.Contains(g.Warning, x.warning) ||
			(x.warning == "") != (g.Warning == "") {
			t.Errorf("%s: severity %d, %s, %q, %v", x.name, g.Severity, level, g.Warning, err)
		}
		for _, to := range g.Targets {
			if to.Target != "none" && (to.Due == nil || !to.Due.After(d.Clock.Now())) {
				t.Errorf("%s: %s of %s is due %v", x.name, to.Deadline, to.Contract, to.Due)
			}
		}
		if (len(g.Targets) > 0) != (x.level != "") {
			t.Errorf("%s: %d targets", x.name, len(g.Targets))
		}
	}
}

// A target that holds for one channel only is shown where the case would go by that channel, and no other.
func TestTargetsOfTheUsualChannel(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	page, _, err := register.Contracts.List(t.Context(), d.Register, tuva,
		registerdb.ThingFilter{Vendor: "corvane", Limit: 10})
	if err != nil || len(page) == 0 {
		t.Fatal(page, err)
	}
	k := page[0]
	if _, err := register.Contracts.Change(t.Context(), d.Register, tuva, k.ID, k.Version, []byte(`{"terms": [
		{"deadline": "first-response", "level": 1, "target": "20m", "calendar": "round-the-clock", "channel": "api"},
		{"deadline": "first-response", "level": 1, "target": "10m", "calendar": "round-the-clock", "channel": "phone"},
		{"deadline": "first-response", "level": 1, "target": "30m", "calendar": "round-the-clock"}]}`), true); err != nil {
		t.Fatal(err)
	}
	facts := casesdb.Facts{Environment: "production", Effect: "stopped", Reach: "many", Workaround: "costly"}
	g, err := d.Filing.Grade(t.Context(), d.As("Ragna"), "corvane", "fault", facts, nil)
	if err != nil || len(g.Targets) != 1 || g.Targets[0].Target != "20m" {
		t.Errorf("by the vendor's API: %+v %v", g.Targets, err)
	}
}

// What a draft still lacks is said by field, and nothing that is filled in is asked for again.
func TestWhatIsMissing(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	required := func() (out []string) {
		for _, n := range d.View(id).Needs {
			if n.Required {
				out = append(out, n.Field)
			}
		}
		return out
	}
	if got := required(); len(got) != 0 {
		t.Fatalf("a complete draft lacks %v", got)
	}
	d.Change("corvane", `{"forms":[{"kind":"any","type":"text","key":"tenant","label":"Tenant","required":true}]}`)
	if got := required(); !slices.Equal(got, []string{"answers.tenant"}) {
		t.Errorf("after the vendor asks for more it lacks %v", got)
	}
	if _, err := d.Store.DB.Exec("update support_case set texts = '{}' where id = $1", id); err != nil {
		t.Fatal(err)
	}
	if got := required(); !slices.Contains(got, "texts.happened") {
		t.Errorf("without a story it lacks %v", got)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err == nil || d.Row(id).State != casework.Draft {
		t.Errorf("it can be filed as it is: %v, %s", err, d.Row(id).State)
	}
}

// Where the vendor wants to know ahead, a sooner date is asked about, and stops nothing.
func TestNeededSoonerThanTheVendorWantsToKnow(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("A shelf")
	asked := func(days int) (texts []string) {
		t.Helper()
		at := d.Clock.Now().AddDate(0, 0, days).Format(time.RFC3339)
		if err := d.Drafts.Edit(t.Context(), d.As("Ragna"), id, d.Row(id).Version,
			drafts.Edit{Facts: []byte(`{"needed_by": "` + at + `"}`)}); err != nil {
			t.Fatal(err)
		}
		for _, n := range d.View(id).Needs {
			if n.Field == "facts.needed_by" && !n.Required {
				texts = append(texts, n.Text)
			}
		}
		return texts
	}
	if got := asked(5); len(got) != 0 {
		t.Errorf("before the vendor says anything: %v", got)
	}
	d.Change("corvane", `{"lead_times": [{"kind": "fault", "days": 10}, {"kind": "order", "days": 90}]}`)
	if got := asked(5); len(got) != 1 || !strings.Contains(got[0], "at least 10 days before it is needed") {
		t.Errorf("five days ahead: %v", got)
	}
	if got := asked(11); len(got) != 0 {
		t.Errorf("eleven days ahead: %v", got)
	}
}
