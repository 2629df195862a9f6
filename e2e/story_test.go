package e2e

import (
	"testing"
	"time"

	"roundhouse.example/internal/server/apigen"
)

// The whole way of a case over the API, on a clock that the test moves: graded,
// confirmed, filed, answered, late, disputed, fixed, rejected, accepted, closed, reopened.
func TestTheWayOfACase(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, auditor := w.as(0), w.as(3)

	var v apigen.Case
	ragna.must(201, "POST", "/cases", m{"vendor": "corvane", "title": "All gates refuse tickets [mute]"}).into(t, &v)
	name := v.Line.Number
	if name != "C-1001" || v.Line.State != "draft" || v.Line.Severity != nil {
		t.Fatalf("a new draft: %+v", v.Line)
	}
	_, etag := ragna.get(name)
	ragna.must(200, "PATCH", "/cases/"+name,
		m{"facts": m{"environment": "production", "effect": "stopped", "reach": "many", "workaround": "costly"},
			"texts": m{"happened": "Every gate says no."}}, "If-Match", etag).into(t, &v)
	if *v.Line.Severity != 1 || v.LevelHeld.Label != "Alarm" || len(*v.SeverityReasons) == 0 {
		t.Fatalf("graded %+v", v.Line)
	}
	refused := ragna.do("POST", "/cases/"+name+"/steps", m{"step": "file"}, "If-Match", tag(ragna, name)).problem(t)
	if refused.Status != 422 || len(*refused.Errors) != 3 {
		t.Errorf("filed without confirming or a contact: %+v", refused)
	}
	for _, c := range v.LevelHeld.Criteria {
		ragna.step(name, m{"step": "confirm", "criterion": c.Id})
	}
	ragna.must(200, "PATCH", "/cases/"+name, m{"texts": m{"contact_always": "Emil Dahl, +44 1632 960 001"}}, "If-Match",
		tag(ragna, name))
	v, _ = ragna.get(name)
	if v.Texts.Happened != "Every gate says no." {
		t.Error("a merge patch of one text took another away")
	}

	ragna.step(name, m{"step": "file"})
	v = ragna.untilState(name, "open")
	if *v.Line.Reference != "CV-20417" || *v.Line.Move != "theirs" || len(v.Deadlines) != 3 {
		t.Fatalf("filed: %+v", v.Line)
	}
	if d := find(v, "first-response"); !d.Due.Equal(monday.Add(30*time.Minute)) || d.Standing != "running" {
		t.Errorf("first response %+v", d)
	}

	// An automatic acknowledgement is no answer; the vendor is late; then its engineer speaks.
	w.clock.Move(31 * time.Minute)
	w.speak("corvane", "CV-20417", true, "", "")
	ragna.hears(name, "automatic")
	v, _ = ragna.get(name)
	if find(v, "first-response").Standing != "late" || v.Line.Unread != 0 || *v.NextStep != "chase" {
		t.Errorf("after 31 minutes and a machine's word: %+v, next %s", find(v, "first-response"), *v.NextStep)
	}
	w.clock.Move(9 * time.Minute)
	w.speak("corvane", "CV-20417", false, "waiting on you", "")
	ragna.hears(name, "vendor-message")
	v, _ = ragna.get(name)
	if d := find(v, "first-response"); d.Standing != "met-late" || d.CountedSeconds != 2400 || *d.LateSeconds != 600 {
		t.Errorf("first response after 40 minutes: %+v", d)
	}
	if *v.Line.Move != "ours" || find(v, "our-answer").Standing != "running" || find(v, "update").Standing != "paused" ||
		v.Line.Unread != 1 {
		t.Errorf("the move is ours: %+v", v.Line)
	}

	// A note is never sent; an answer goes out and turns the move.
	ragna.must(201, "POST", "/cases/"+name+"/notes", m{"text": "Only among us: the contractor did it."})
	w.clock.Move(20 * time.Minute)
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "The log is below."})
	w.until("the answer arrives", func() bool { v, _ = ragna.get(name); return *v.Line.Move == "theirs" })
	if d := find(v, "our-answer"); d.Standing != "met" || d.CountedSeconds != 1200 {
		t.Errorf("our answer: %+v", d)
	}
	for _, h := range w.cast.Feed("corvane") {
		if contains(h.Words, "contractor") {
			t.Error("a note was sent to the vendor")
		}
	}

	// A fix: verified by us, rejected, offered again, accepted.
	w.clock.Move(time.Hour)
	w.speak("corvane", "CV-20417", false, "fix out", "repair")
	v = ragna.untilState(name, "fix-offered")
	if find(v, "resolution").Standing != "met" || find(v, "workaround").Standing != "met" ||
		find(v, "verification").Standing != "running" || *v.NextStep != "read" && *v.NextStep != "verify" {
		t.Errorf("a fix offered: %+v", v.Deadlines)
	}
	w.clock.Move(30 * time.Minute)
	if r := ragna.do("POST", "/cases/"+name+"/steps", m{"step": "reject"}, "If-Match",
		tag(ragna, name)).problem(t); r.Status != 422 {
		t.Errorf("rejected without a reason: %+v", r)
	}
	ragna.step(name, m{"step": "reject", "reason": "The same again."})
	v = ragna.untilState(name, "open")
	if d := find(v, "resolution"); d.Standing != "running" || d.CountedSeconds != 40*60+60*60 {
		t.Errorf("resolution goes on as if it had never stopped: %+v", d)
	}
	w.clock.Move(time.Hour)
	w.speak("corvane", "CV-20417", false, "fix out", "repair")
	ragna.untilState(name, "fix-offered")
	ragna.step(name, m{"step": "accept", "reason": "Holds.", "cause": "A lost route."})
	v = ragna.untilState(name, "resolved")
	if v.Line.Move != nil || *v.Cause != "A lost route." {
		t.Errorf("resolved: %+v", v.Line)
	}
	if p := ragna.do("POST", "/cases/"+name+"/steps", m{"step": "park", "reason": "x", "until": "2027-01-01T00:00:00Z"},
		"If-Match", tag(ragna, name)).problem(t); p.Status != 409 ||
		!contains(*p.Detail, "resolved", "Allowed now: close, reopen") {
		t.Errorf("parking a resolved case: %+v", p)
	}
	ragna.step(name, m{"step": "close"})
	ragna.untilState(name, "closed")
	if j := w.cast.Jobs("corvane")[0]; !j.Shut {
		t.Error("the vendor was not told of the closing")
	}
	ragna.step(name, m{"step": "reopen", "reason": "It is back."})
	v = ragna.untilState(name, "open")
	if n := len(v.Deadlines); find(v, "first-response").Standing != "running" || n < 9 {
		t.Errorf("reopened: %d deadlines, %+v", n, find(v, "first-response"))
	}

	// The record holds it all, the auditor reads it with its notes, and may change nothing.
	var all apigen.Entries
	auditor.must(200, "GET", "/cases/CV%2D20417/entries", nil).into(t, &all)
	if len(all.Items) < 20 {
		t.Errorf("the record has %d entries", len(all.Items))
	}
	auditor.must(403, "POST", "/cases/"+name+"/notes", m{"text": "x"})
	auditor.must(403, "POST", "/cases/"+name+"/steps", m{"step": "take"}, "If-Match", tag(auditor, name))
	w.replayed()
}

func find(v apigen.Case, kind string) apigen.Deadline {
	var last apigen.Deadline
	for _, d := range v.Deadlines {
		if string(d.Deadline) == kind {
			last = d
		}
	}
	return last
}

func tag(c *caller, name string) string { _, etag := c.get(name); return etag }

// A vendor that closes first, one that lowers the level, parking, severity and owner.
func TestWhatVendorsDoWithoutAsking(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil := w.as(0), w.as(1)
	name := ragna.filed("ninefathom", "Link loses packets [mute]")
	v, _ := ragna.get(name)
	if v.LevelHeld.Label != "Circuit poor" {
		t.Fatalf("level %+v", v.LevelHeld)
	}
	w.clock.Move(time.Hour)
	w.grades("ninefathom", *v.Line.Reference, "Advice")
	w.until("the lowered level is seen", func() bool { v, _ = ragna.get(name); return v.LevelSetByVendor != nil })
	if *v.LevelSetByVendor != "Advice" || v.LevelHeld.Label != "Circuit poor" || find(v, "first-response").Rank != 2 {
		t.Errorf("what they set changed a clock: %+v", v.LevelHeld)
	}
	w.ends("ninefathom", *v.Line.Reference)
	w.until("their closing is seen", func() bool { v, _ = ragna.get(name); return v.VendorClosed != nil })
	if v.Line.State != "open" || *v.Line.Move != "ours" || *v.NextStep != "agree-or-dispute" {
		t.Errorf("they closed: %s, %s, %s", v.Line.State, *v.Line.Move, *v.NextStep)
	}
	ragna.step(name, m{"step": "dispute", "reason": "Still the same."})
	w.until("the dispute arrives", func() bool { v, _ = ragna.get(name); return v.VendorClosed == nil })
	if *v.Line.Move != "theirs" {
		t.Error("after a dispute the move is theirs")
	}

	ragna.step(name, m{"step": "severity", "to": 1, "reason": "Now the whole harbour"})
	// The highest level asks for a condition and a contact, and goes out only with both.
	top := ragna.levels("ninefathom")[0]
	asked := m{"step": "level", "to": top.Rank, "reason": "Now the whole harbour"}
	if a := ragna.do("POST", "/cases/"+name+"/steps", asked, "If-Match", tag(ragna, name)); a.status != 422 ||
		!contains(string(a.body), "confirmed", top.Criteria[0].Text, "contact", "round the clock") {
		t.Errorf("a level without its conditions: %d %s", a.status, a.body)
	}
	asked["confirmed"] = []int64{top.Criteria[0].Id}
	if a := ragna.do("POST", "/cases/"+name+"/steps", asked, "If-Match", tag(ragna, name)); a.status != 422 ||
		contains(string(a.body), top.Criteria[0].Text) {
		t.Errorf("a level without its contact: %d %s", a.status, a.body)
	}
	asked["contact"] = "Duty phone +44 1632 960 004"
	ragna.step(name, asked)
	for _, h := range w.cast.Feed("ninefathom") {
		if contains(h.Words, "whole harbour") && !contains(h.Words, top.Criteria[0].Text, "Duty phone") {
			t.Errorf("the vendor is told of the level: %s", h.Words)
		}
	}
	w.until("the level arrives", func() bool { v, _ = ragna.get(name); return v.LevelHeld.Rank == 1 })
	if *v.Line.Severity != 1 || find(v, "update").Rank != 1 {
		t.Errorf("after the change: %+v", find(v, "update"))
	}

	v = ragna.step(name, m{"step": "park", "reason": "Waits for the tide",
		"until": w.clock.Now().Add(2 * time.Hour).Format(time.RFC3339)})
	if !*v.Parked || v.ParkedAgreed != nil {
		t.Errorf("parked: %+v", v.Line)
	}
	if find(v, "update").Standing == "paused" {
		t.Error("their clock stopped without their agreeing")
	}
	w.clock.Move(3 * time.Hour)
	w.until("it comes back by itself", func() bool { v, _ = ragna.get(name); return v.Parked == nil })
	v = emil.step(name, m{"step": "take"})
	if *v.Line.Owner != "Emil Dahl" {
		t.Errorf("owner %s", *v.Line.Owner)
	}
	v = ragna.step(name, m{"step": "give", "person": "ragna@saltmarsh.example"})
	ragna.must(422, "POST", "/cases/"+name+"/steps", m{"step": "give", "person": "aksel@saltmarsh.example"}, "If-Match",
		tag(ragna, name))
	var mine, theirs apigen.Today
	ragna.must(200, "GET", "/today?whose=mine", nil).into(t, &mine)
	emil.must(200, "GET", "/today?whose=mine", nil).into(t, &theirs)
	if len(mine.Lines) != 1 || len(theirs.Lines) != 0 {
		t.Errorf("mine %d, Emil's %d", len(mine.Lines), len(theirs.Lines))
	}

	// A workaround marked later, by a person.
	w.speak("ninefathom", *v.Line.Reference, false, "in hand", "")
	ragna.hears(name, "vendor-message")
	list := ragna.entries(name)
	n := list[len(list)-1].Number
	ragna.step(name, m{"step": "offered", "offers": "fix", "entry": n})
	v = ragna.untilState(name, "fix-offered")
	if *v.Line.Move != "ours" || find(v, "resolution").Standing != "met" && find(v, "resolution").Standing != "met-late" {
		t.Errorf("a fix marked: %+v", find(v, "resolution"))
	}
	ragna.step(name, m{"step": "withdraw", "reason": "The pier is closed for good."})
	ragna.untilState(name, "withdrawn")
	w.replayed()
}

// Today and the list are in order, in pages, and the filters narrow.
func TestListsAndFilters(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	for i := range 7 {
		ragna.draft([]string{"corvane", "tallow"}[i%2], "Case of the list, number "+string(rune('A'+i)))
	}
	filed := ragna.filed("tallow", "Write latency doubles [patient]")
	seen := map[string]bool{}
	for _, sort := range []string{"newest", "oldest", "severity", "changed"} {
		clear(seen)
		path, pages := "/cases?limit=3&sort="+sort, 0
		for cursor := ""; ; pages++ {
			var p apigen.CasePage
			ragna.must(200, "GET", path+cursor, nil).into(t, &p)
			for _, l := range p.Items {
				if seen[l.Number] {
					t.Errorf("%s: %s twice", sort, l.Number)
				}
				seen[l.Number] = true
			}
			if p.Next == nil {
				break
			}
			cursor = "&cursor=" + *p.Next
		}
		if len(seen) != 8 || pages != 2 {
			t.Errorf("%s: %d cases on %d pages", sort, len(seen), pages+1)
		}
	}
	for query, want := range map[string]int{"?state=live": 1, "?state=draft": 7, "?vendor=corvane": 4,
		"?words=latency": 1, "?words=" + filed: 1,
		"?move=theirs": 1, "?severity=1": 0, "?severity=3": 8, "?whose=mine": 8, "?words=TW%2F8820650": 1} {
		var p apigen.CasePage
		ragna.must(200, "GET", "/cases"+query, nil).into(t, &p)
		if len(p.Items) != want {
			t.Errorf("%s: %d cases, want %d", query, len(p.Items), want)
		}
	}
	ragna.must(400, "GET", "/cases?cursor=nonsense", nil)
	ragna.must(400, "GET", "/cases?limit=0", nil)
	var today apigen.Today
	ragna.must(200, "GET", "/today", nil).into(t, &today)
	if today.Live != 1 || len(today.Lines) != 1 || today.Lines[0].Case.Number != filed {
		t.Errorf("today: %+v", today)
	}
	var all apigen.Vendors
	ragna.must(200, "GET", "/vendors", nil).into(t, &all)
	if len(all.Items) != 3 || !all.Items[0].Open || all.Items[2].Open {
		t.Errorf("vendors: Reykjavik is open on a Monday at nine, Apia closed: %+v", all.Items)
	}
}
