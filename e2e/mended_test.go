package e2e

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/server/apigen"
)

// A secret that somebody writes out is hidden wherever an entry is written: also in the
// reasons of steps.
func TestSecretsInReasons(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	const value = "copper-anchor-nineteen"
	w.as(4).must(201, "POST", "/secrets",
		m{"facts": m{"name": "corvane-passphrase", "vendor": "corvane", "label": "Support passphrase", "kind": "passphrase",
			"hosts": []string{"127.0.0.1"}}, "value": value})
	why := "Because of " + value + "!"
	// What a draft says is the same, whichever part of it.
	texts := m{"affected": value, "contact": value, "contact_always": value}
	for _, key := range intake.PartKeys() {
		texts[key] = "It is " + value
	}
	draft := ragna.draft("corvane", "Slow")
	ragna.patched(200, "/cases/"+draft, m{"texts": texts})
	name := ragna.filed("corvane", "Slow [mute]")
	until := w.clock.Now().Add(2 * time.Hour).Format(time.RFC3339)
	ragna.step(name, m{"step": "park", "reason": why, "until": until})
	ragna.step(name, m{"step": "resume", "reason": why})
	ragna.step(name, m{"step": "severity", "to": 4, "reason": why})
	ragna.step(name, m{"step": "move", "move": "ours", "reason": why})
	ragna.step(name, m{"step": "give", "person": "emil@saltmarsh.example", "reason": why})
	ragna.step(name, m{"step": "park", "agreed": true, "reason": why, "until": until})
	w.until("it has gone", func() bool { v, _ := ragna.get(name); return len(v.OnTheWay) == 0 })
	ragna.step(name, m{"step": "resolve", "reason": why, "cause": why})
	ragna.untilState(name, "resolved")
	ragna.step(name, m{"step": "reopen", "reason": why})
	ragna.untilState(name, "open")
	ragna.step(name, m{"step": "withdraw", "reason": why})
	ragna.untilState(name, "withdrawn")
	hidden := 0
	for _, e := range ragna.entries(name) {
		if strings.Contains(e.Text, value) {
			t.Errorf("entry %d holds it: %s", e.Number, e.Text)
		}
		hidden += strings.Count(e.Text, "{secret corvane-passphrase}")
	}
	if hidden < 8 {
		t.Errorf("hidden in %d entries", hidden)
	}
	for _, q := range []string{"select count(*) from entry_body where body like $1",
		"select count(*) from support_case where row_to_json(support_case)::text like $1",
		"select count(*) from case_entry where row_to_json(case_entry)::text like $1"} {
		var n int
		if err := w.desk.Store.DB.Get(&n, q, "%"+value+"%"); err != nil || n != 0 {
			t.Errorf("%s: %d, %v", q, n, err)
		}
	}
}

// A change of hours that could not finish its work is finished by the sweep.
func TestAChangeOfHoursIsFinished(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("ninefathom", "Which colour code?")
	before, _ := ragna.get(name)
	w.clock.Move(time.Hour)
	var id int64
	if err := w.desk.Store.DB.Get(&id, "select id from calendar where name = 'fathom-days'"); err != nil {
		t.Fatal(err)
	}
	// The deadlines cannot be written while the request lasts.
	if _, err := w.desk.Store.DB.Exec(`create function no_room() returns trigger language plpgsql as
		'begin raise exception ''no room''; end';
		create trigger no_room before insert or update or delete on deadline execute function no_room()`); err != nil {
		t.Fatal(err)
	}
	def := calendar.Definition{Zone: "UTC", Week: map[string][]string{"fri": {"08:00-09:00"}}}
	a := w.as(4).do("POST", "/calendars/"+itoa(id)+"/versions",
		m{"definition": def, "from": monday.AddDate(0, 0, 1).Format(time.DateOnly)})
	if a.status >= 300 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if after, _ := ragna.get(name); find(after, "first-response").Due.After(*find(before, "first-response").Due) {
		t.Error("they were written all the same")
	}
	if _, err := w.desk.Store.DB.Exec("drop trigger no_room on deadline"); err != nil {
		t.Fatal(err)
	}
	w.until("the dates have moved", func() bool {
		after, _ := ragna.get(name)
		for i, d := range after.Deadlines {
			if was := before.Deadlines[i].Due; d.Due != nil && was != nil && d.Due.After(*was) {
				sum, err := w.desk.Record.Check(t.Context())
				return err == nil && len(sum.Findings) == 0
			}
		}
		return false
	})
}

// A case's page is of one instant: what is on its way, and the state that its arrival
// brings, are never seen apart.
func TestACaseIsReadAtOneInstant(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	if _, err := w.desk.Store.DB.Exec("update link set address = 'http://127.0.0.1:1/away'"); err != nil {
		t.Fatal(err)
	}
	name := ragna.draft("corvane", "Snapshots take two hours [mute]")
	ragna.step(name, m{"step": "file"})
	before, _ := ragna.get(name)
	if before.Line.State != "draft" || len(before.OnTheWay) != 1 {
		t.Fatalf("it is to wait: %+v", before.Line)
	}
	w.until("it was tried, and rests", func() bool { // whoever tries holds the case
		v, _ := ragna.get(name)
		return v.OnTheWay[0].Problem != nil && v.OnTheWay[0].State == "waiting"
	})
	// While the page waits for what is on its way, that arrives.
	tx, err := w.desk.Store.DB.Beginx()
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	if _, err := tx.Exec("lock table delivery in access exclusive mode"); err != nil {
		t.Fatal(err)
	}
	pid := 0
	if err := tx.Get(&pid, "select pg_backend_pid()"); err != nil {
		t.Fatal(err)
	}
	read := make(chan apigen.Case, 1)
	go func() { v, _ := ragna.get(name); read <- v }()
	w.until("the page waits", func() bool {
		var n int
		err := w.desk.Store.DB.Get(&n,
			`select count(*) from pg_stat_activity where $1 = any(pg_blocking_pids(pid))
				and query like '%from delivery where case_id%'`, pid)
		return err == nil && n > 0
	})
	for _, sql := range []string{"update delivery set state = 'arrived'",
		"update support_case set state = 'open', next_at = now() where state = 'draft'"} {
		if _, err := tx.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	if err := tx.Commit(); err != nil {
		t.Fatal(err)
	}
	if v := <-read; (v.Line.State == "draft") != (len(v.OnTheWay) == 1) {
		t.Errorf("%s, and %d are on their way", v.Line.State, len(v.OnTheWay))
	}
}

// What is in use cannot be taken out, and what only its own parts use can.
func TestWhatIsTakenOutOfTheRegister(t *testing.T) {
	t.Parallel()
	w := still(t)
	admin, lead := w.as(4), w.as(2)
	path := lead.added("/contracts",
		m{"vendor": "corvane", "number": "CC-9", "starts": "2026-01-01", "ends": "2027-12-31", "everything": true,
			"terms": []m{{"deadline": "first-response", "level": 2, "target": "4h", "calendar": "round-the-clock"}}})
	a := lead.must(200, "GET", path, nil)
	if a := lead.do("DELETE", path, nil, "If-Match", a.header.Get("ETag")); a.status != 204 {
		t.Errorf("a contract that was just added: %d %s", a.status, a.body)
	}
	lead.must(404, "GET", path, nil)
	var line apigen.Calendar
	admin.must(201, "POST", "/calendars",
		m{"name": "line-hours", "definition": m{"zone": "UTC", "week": m{"mon": []string{"08:00-16:00"}}}}).into(t, &line)
	hours := "/calendars/" + itoa(line.Id)
	admin.added("/vendors", m{"key": "wren", "name": "Wren Cabling", "zone": "UTC", "hours": "round-the-clock",
		"levels": []m{{"label": "All", "severities": []int{1, 2, 3, 4}}},
		"ways":   []m{{"channel": "phone", "address": "+44 1632 960 181", "calendar": "line-hours"}}})
	if a := admin.do("DELETE", hours, nil); a.status < 400 || a.status >= 500 ||
		!contains(string(a.body), "Wren Cabling") {
		t.Errorf("the hours of a phone line, %s: %d %s", hours, a.status, a.body)
	}
	admin.must(200, "GET", "/vendors/wren/pack", nil)
	for _, bad := range []m{{"people": []m{{"name": "Ana\rBCC: x", "role": "r"}}}, {"name": "Wren\x1b[2J"}} {
		if a := admin.do("PATCH", "/vendors/wren", bad, "If-Match",
			admin.must(200, "GET", "/vendors/wren", nil).header.Get("ETag")); a.status != 422 {
			t.Errorf("%v: %d %s", bad, a.status, a.body)
		}
	}
}

// Two rows of one table about one thing are both named.
func TestTwoRowsAboutOneThing(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	ragna.added("/assets", m{"vendor": "tallow", "name": "Array Za", "serial": "Z-1", "environment": "production"})
	rows, sum, p := ragna.table("assets",
		strings.NewReader("vendor,name,serial,site\ntallow,Array Za,Z-1,North\ntallow,Array Zb,Z-2,\ntallow,Array "+
			"Za,Z-1,South\n"))
	if said := fmt.Sprint(rows, p); sum != nil && sum.Done || !contains(said, "line 2") ||
		contains(said, "has changed since") {
		t.Errorf("%s %+v", said, sum)
	}
	// A cell that a spreadsheet would calculate comes back as it was, also where semicolons divide.
	ragna.added("/assets", m{"vendor": "tallow", "name": "Array Zc", "note": "a;=1+1", "environment": "production"})
	before := ragna.exported("assets")
	if _, sum, p := ragna.table("assets", strings.NewReader(before)); p != nil || sum.Changed != 0 || sum.Added != 0 {
		t.Errorf("read again: %+v %+v", sum, p)
	}
	if strings.Contains(before, ";=") && !strings.Contains(before, ";'=") {
		t.Errorf("a comma file that is opened with semicolons calculates:\n%s", before)
	}
}

// What is said of contracts, levels and checks is so.
func TestWhatIsSaidIsSo(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, lead := w.as(0), w.as(2)
	// A contract that is in force but does not cover the thing is not called missing.
	ragna.added("/products", m{"vendor": "corvane", "name": "Relay"})
	var contracts apigen.ContractPage
	lead.must(200, "GET", "/contracts?vendor=corvane", nil).into(t, &contracts)
	for _, c := range contracts.Items {
		lead.patched(200, fmt.Sprintf("/contracts/%d?confirm=true", c.Id),
			m{"everything": false, "products": []string{"Relay"}})
	}
	name := ragna.draft("corvane", "Slow [mute]")
	v, _ := ragna.get(name)
	for _, n := range v.Needs {
		if contains(n.Text, "No contract with this vendor is in force") {
			t.Errorf("one is in force: %s", n.Text)
		}
	}
	// A level of theirs that we then asked for ourselves is not said to be against our will.
	other := ragna.filed("ninefathom", "Link loses packets [mute]")
	v, _ = ragna.get(other)
	w.clock.Move(time.Hour)
	w.grades("ninefathom", *v.Line.Reference, "Advice")
	w.until("the lowered level is seen", func() bool { v, _ = ragna.get(other); return v.LevelSetByVendor != nil })
	ragna.step(other, m{"step": "level", "to": 3, "reason": "They are right"})
	w.until("our level arrives", func() bool { v, _ = ragna.get(other); return v.LevelHeld.Rank == 3 })
	if v.LevelSetByVendor != nil {
		t.Errorf("still said to be set by them: %s", *v.LevelSetByVendor)
	}
	// Check says what it does not check.
	sum, err := w.desk.Record.Check(t.Context())
	if err != nil || len(sum.NotChecked) == 0 {
		t.Errorf("%+v %v", sum, err)
	}
	// Promises are those of all contracts, by the desk's date.
	lead.added("/contracts",
		m{"vendor": "tallow", "number": "TW-2", "starts": "2026-01-01", "ends": "2027-12-31", "everything": true,
			"terms": []m{{"deadline": "first-response", "level": 1, "target": "17m", "calendar": "round-the-clock"}}})
	if page := string(ragna.must(200, "GET", "/vendors/tallow", nil).body); !contains(page, `"17m"`, "TW-C-7718", "TW-2") {
		t.Errorf("%s", page)
	}
	// Unknown filters are refused by name; unknown answers too.
	if p := ragna.do("GET", "/cases?vendor=nope", nil).problem(t); p.Status != 422 || !contains(*p.Detail, "nope") {
		t.Errorf("%+v", p)
	}
	if p := ragna.do("POST", "/cases",
		m{"vendor": "corvane", "title": "x", "answers": m{"colour": "red"}}).problem(t); p.Status != 422 ||
		!contains(*p.Detail, "colour") {
		t.Errorf("%+v", p)
	}
	// People are found: a vendor's, and our own.
	w.as(4).patched(200, "/vendors/corvane", m{"people": []m{{"name": "Imke Vandersloot", "role": "engineer"}}})
	for words, kind := range map[string]string{"Imke": "contact", "Emil": "person", "0093": ""} {
		var hits apigen.Hits
		ragna.must(200, "GET", "/find?words="+url.QueryEscape(words), nil).into(t, &hits)
		if kind != "" && (len(hits.Items) == 0 || string(hits.Items[0].Kind) != kind) {
			t.Errorf("%s finds %+v", words, hits.Items)
		}
	}
	// Who reads a secret is on its record, also where an administrator lets herself in.
	w.as(4).must(201, "POST", "/secrets",
		m{"facts": m{"name": "word", "vendor": "corvane", "label": "Word", "kind": "other",
			"readers": []string{"emil@saltmarsh.example"}}, "value": "a long word"})
	s, tag := w.as(4).secret("word")
	w.as(4).must(200, "PATCH", "/secrets/word",
		m{"readers": []string{"emil@saltmarsh.example", "tuva@saltmarsh.example"}}, "If-Match", tag)
	if page := string(w.as(4).must(200, "GET", "/secrets/word", nil).body); !contains(page, "tuva@saltmarsh.example",
		"readers") || strings.Count(page, "Tuva Holm") < 1 {
		t.Errorf("%+v, then: %s", s.Facts, page)
	}
}

// Vendors are listed by a number of statements that does not grow with them.
func TestManyVendorsAreListedInFewStatements(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	w.manyVendors(1, 150)
	done := func() (n int) {
		<-time.After(1300 * time.Millisecond) // a backend tells what it did once a second
		if err := w.desk.Store.DB.Get(&n,
			"select xact_commit from pg_stat_database where datname = current_database()"); err != nil {
			t.Fatal(err)
		}
		return n
	}
	before := done()
	quiet := done() - before
	before = done()
	for range 4 {
		ragna.must(200, "GET", "/vendors", nil)
	}
	if n := done() - before; n > quiet+1500 {
		t.Errorf("four lists of 150 vendors took %d statements, a quiet time %d", n, quiet)
	}
}
