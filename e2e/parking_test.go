package e2e

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/server/apigen"
)

// opened is a case at the vendor that nobody linked, with its number.
func (c *caller) opened(title string) (string, apigen.Case) {
	c.w.t.Helper()
	name := c.draft("lark", title)
	v := c.step(name, m{"step": "file"})
	c.must(200, "POST", decision(name, v, 0),
		m{"decision": "arrived", "reference": "FL-" + itoa(20417+c.w.used.Add(1))}).into(c.w.t, &v)
	return name, v
}

// A parking that is agreed takes effect when the vendor has been told, ends when it says,
// and can be taken back while it waits: none lasts for ever.
func TestParkingByAgreement(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.byHand()
	until := w.clock.Now().Add(48 * time.Hour)
	park := m{"step": "park", "agreed": true, "reason": "Waits for the new rollers", "until": until.Format(time.RFC3339)}
	heard := func(name string) {
		ragna.must(201, "POST", "/cases/"+name+"/calls",
			m{"with": "Asmita Rawal", "at": w.clock.Now(), "by": "email", "text": "We have the rollers."})
	}

	name, _ := ragna.opened("Prints blank tickets")
	v := ragna.step(name, park)
	if v.Parked != nil || len(v.OnTheWay) != 1 || v.Line.ParkedUntil != nil {
		t.Errorf("it has not gone yet: %+v", v.Line)
	}
	w.clock.Move(10 * time.Minute)
	heard(name) // ends any parking that is in effect
	w.clock.Move(10 * time.Minute)
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "arrived"}).into(t, &v)
	if v.Parked == nil || !*v.Parked || v.ParkedAgreed == nil || v.Line.ParkedUntil == nil ||
		!v.Line.ParkedUntil.Equal(until) {
		t.Errorf("it has gone: parked %v, agreed %v, until %v", v.Parked, v.ParkedAgreed, v.Line.ParkedUntil)
	}
	w.clock.Move(48 * time.Hour)
	w.until("it comes back by itself", func() bool { v, _ = ragna.get(name); return v.Parked == nil })

	// Taken back while it waits, nothing of it is left.
	other, _ := ragna.opened("Prints grey tickets")
	park["until"] = w.clock.Now().Add(24 * time.Hour).Format(time.RFC3339)
	ragna.step(other, park)
	v = ragna.step(other, m{"step": "resume"})
	if len(v.OnTheWay) != 0 || v.Parked != nil {
		t.Errorf("taken back: %+v %+v", v.OnTheWay, v.Line)
	}

	// One that goes out after its own end parks nothing.
	third, _ := ragna.opened("Prints green tickets")
	v = ragna.step(third, park)
	w.clock.Move(25 * time.Hour)
	ragna.must(200, "POST", decision(third, v, 0), m{"decision": "arrived"})
	w.until("it is not parked", func() bool { v, _ = ragna.get(third); return v.Parked == nil })
	w.replayed()
}

// What waits to be taken to the vendor by hand can be taken back, also a filing.
func TestAFilingByHandIsWithdrawn(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.byHand()
	name := ragna.draft("lark", "Prints blank tickets")
	ragna.step(name, m{"step": "file"})
	v := ragna.step(name, m{"step": "withdraw", "reason": "It was the paper."})
	if v.Line.State != "withdrawn" || len(v.OnTheWay) != 0 {
		t.Errorf("withdrawn: %+v", v.Line)
	}
	w.replayed()
}

// A vendor that refuses to open a case again is heard: the case says so, and stands on Today.
func TestAReopeningThatIsRefused(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Slow [mute]")
	ragna.step(name, m{"step": "resolve", "reason": "Gone by itself"})
	ragna.untilState(name, "resolved")
	ragna.step(name, m{"step": "close"})
	v := ragna.untilState(name, "closed")
	if _, err := w.desk.Store.DB.Exec(`update case_reference set value = 'CV-1' where case_id = (select id
		from support_case where number = 1001)`); err != nil {
		t.Fatal(err)
	}
	ragna.step(name, m{"step": "reopen", "reason": "Back again"})
	w.until("the refusal is on record", func() bool {
		v, _ = ragna.get(name)
		return len(v.OnTheWay) == 1 && v.OnTheWay[0].NeedsPerson != nil
	})
	list := ragna.entries(name)
	if e := list[len(list)-1]; !contains(e.Text, "refused") {
		t.Errorf("the last entry: %+v", e)
	}
	var today apigen.Today
	if ragna.must(200, "GET", "/today", nil).into(t, &today); len(today.Lines) != 1 || today.Lines[0].Case.Number != name {
		t.Errorf("today: %+v", today)
	}
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "dont-send"})
	if v, _ = ragna.get(name); v.Line.State != "closed" || len(v.OnTheWay) != 0 {
		t.Errorf("given up: %+v", v.Line)
	}
	if _, err := w.desk.Store.DB.Exec("update case_reference set value = 'CV-20417' where value = 'CV-1'"); err != nil {
		t.Fatal(err)
	}
	w.replayed()
}

// Whoever changes a draft in the same moment as another is told, whatever of it they change.
func TestTwoPeopleChangeOneDraft(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil := w.as(0), w.as(1)
	w.as(4).patched(200, "/vendors/corvane",
		m{"forms": []m{{"kind": "any", "key": "tenant", "label": "Tenant", "type": "text"}}})
	second := w.as(2).added("/contracts",
		m{"vendor": "corvane", "number": "CC-9", "starts": "2026-01-01", "ends": "2027-12-31", "everything": true})
	second = second[strings.LastIndexByte(second, '/')+1:]
	contract, err := strconv.ParseInt(second, 10, 64)
	if err != nil {
		t.Fatal(err)
	}
	ragna.added("/assets", m{"vendor": "corvane", "name": "Node 1", "environment": "production"})
	var assets apigen.AssetPage
	ragna.must(200, "GET", "/assets?vendor=corvane", nil).into(t, &assets)
	name := ragna.draft("corvane", "Slow") // before there is an account, which would be its
	ragna.added("/accounts", m{"vendor": "corvane", "number": "saltmarsh-9"})
	var accounts apigen.AccountPage
	ragna.must(200, "GET", "/accounts?vendor=corvane", nil).into(t, &accounts)
	ragna.must(200, "PATCH", "/cases/"+name, m{"contract": 1}, "If-Match", tag(ragna, name))
	for _, change := range []m{
		{"contract": contract}, {"answers": m{"tenant": "saltmarsh-prod"}}, {"asset": assets.Items[0].Id},
		{"account": accounts.Items[0].Id}, {"ticket": "our 7"},
		{"title": "Slower"}, {"texts": m{"happened": "Since noon"}},
	} {
		before := tag(ragna, name)
		if a := ragna.do("PATCH", "/cases/"+name, change, "If-Match", before); a.status != 200 {
			t.Errorf("%v: %d %s", change, a.status, a.body)
			continue
		}
		if tag(ragna, name) == before {
			t.Errorf("%v: the version is the same", change)
		}
		// Emil still sees the draft as it was before: he can change what she has not, and nothing that she has.
		title, want := fmt.Sprintf("Emil's %v", change), 200
		if change["title"] != nil {
			want = 412
		}
		a := emil.do("PATCH", "/cases/"+name, m{"title": title, "facts": m{"environment": "production"}}, "If-Match", before)
		if a.status != want || want == 412 && !strings.Contains(string(a.body), `"field":"title"`) {
			t.Errorf("after %v: %d %s", change, a.status, a.body)
		}
		if v, _ := ragna.get(name); (v.Line.Title == title) != (want == 200) {
			t.Errorf("after %v the title is %s", change, v.Line.Title)
		}
	}
	if v, _ := ragna.get(name); v.Texts.Happened != "Since noon" || *v.Contract != "CC-9" {
		t.Errorf("what one wrote is gone: %+v", v)
	}
	if a := emil.do("PATCH", "/cases/"+name, m{"kind": "question"}, "If-Match", `"v999"`); a.status != 412 {
		t.Errorf("a version that is not there yet: %d %s", a.status, a.body)
	}
	// A time by which it is needed cannot be over already, and raises nothing.
	was, _ := ragna.get(name)
	if a := ragna.do("PATCH", "/cases/"+name, m{"facts": m{"needed_by": w.clock.Now().Add(-time.Hour)}}, "If-Match",
		tag(ragna, name)); a.status == 200 {
		if v, _ := ragna.get(name); *v.Line.Severity != *was.Line.Severity {
			t.Errorf("a needed-by that is over makes it %d", *v.Line.Severity)
		}
	}
}
