package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/server/apigen"
)

// Forty cases that vendors have already come in by a table, with a dry run before: each with its filing and the
// vendor's last reply when they happened, so that what was kept is not late.
func TestFortyCasesAreTakenOver(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	now := w.clock.Now()
	var rows strings.Builder
	rows.WriteString("vendor,title,reference,filed_at,last_reply,level,owner,origin,opened_by,story\n")
	for i := range 40 {
		vendor := []string{"corvane", "ninefathom", "tallow"}[i%3]
		level := map[string]string{"corvane": "Regular", "ninefathom": "Circuit poor", "tallow": "Grade III"}[vendor]
		reference := map[string]string{"corvane": "CV-%05d", "ninefathom": "NF/%06d", "tallow": "TW/88-%05d"}[vendor]
		last := now.Add(-time.Duration(i+1) * time.Hour).Format(time.RFC3339)
		if i%4 == 3 {
			last = "never"
		}
		fmt.Fprintf(&rows, "%s,Matter %d,%s,%s,%s,%s,emil@saltmarsh.example,vendor,Imke,"+
			"\"Since spring, with \"\"quotes\"\".\"\n", vendor, i, fmt.Sprintf(reference, 900+i),
			now.AddDate(0, 0, -10-i).Format(time.RFC3339), last, level)
	}
	file := filepath.Join(t.TempDir(), "cases.csv")
	table := func(text string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	table(rows.String())
	live := func() int {
		var p apigen.CasePage
		ragna.must(200, "GET", "/cases?state=live&limit=200", nil).into(t, &p)
		return len(p.Items)
	}
	sh.ok([]string{"case", "import", file, "--dry-run"}, "40", "added")
	if n := live(); n != 0 {
		t.Fatalf("a dry run added %d cases", n)
	}
	// One bad row, and nothing is added.
	table(rows.String() + "corvane,Bad,,tomorrow,never,Loudest,nobody@saltmarsh.example,moon,,\n")
	out := sh.fails(1, []string{"case", "import", file}, `"tomorrow" is not a time`)
	if n := live(); n != 0 {
		t.Fatalf("a refused table added %d cases\n%s", n, out)
	}
	table(rows.String() + "corvane,Bad,," + now.Add(time.Hour).Format(time.RFC3339) +
		",never,Loudest,nobody@saltmarsh.example,moon,,\n")
	sh.fails(1, []string{"case", "import", file}, "filed_at: this is in the future", "not \"Loudest\"",
		`nobody here has the address "nobody@saltmarsh.example"`, "not \"moon\"")
	table(rows.String())
	sh.ok([]string{"case", "import", file}, "40")
	if n := live(); n != 40 {
		t.Fatalf("%d cases are live", n)
	}
	sh.ok([]string{"case", "import", file}, "40")
	if n := live(); n != 40 {
		t.Fatalf("the same table again made them %d", n)
	}
	// The vendor of the first replied: its first response is no deadline any more. That of the fourth never did.
	v, _ := ragna.get("CV-00900")
	if v.Line.State != "open" || *v.Line.Move != "ours" || *v.Line.Owner != "Emil Dahl" || *v.Origin != "vendor" ||
		*v.OpenedBy != "Imke" || v.Line.Unread != 0 || *v.Line.LevelLabel != "Regular" {
		t.Errorf("taken over: %+v", v.Line)
	}
	if d := find(v, "first-response"); d.Standing == "late" || d.Standing == "running" {
		t.Errorf("the vendor has replied, and its first response is %s", d.Standing)
	}
	v, _ = ragna.get("CV-00903")
	if d := find(v, "first-response"); d.Standing != "late" {
		t.Errorf("it never replied, and its first response is %s", d.Standing)
	}
	sh.ok([]string{"case", "show", "CV-00900"}, "opened by", "Vendor, Imke", `Since spring, with "quotes".`, "Taken over")
	// What another desk gets is what came in.
	exported := sh.ok([]string{"case", "export"}, "CV-00900", "never", "emil@saltmarsh.example")
	if lines := strings.Count(exported, "\r\n"); lines != 41 {
		t.Errorf("%d lines were exported", lines)
	}
	if sum := w.checked(); len(sum.Findings) > 0 {
		t.Errorf("the record says otherwise: %+v", sum.Findings)
	}
}

// A case is taken over under the terms that were in force when it was filed.
func TestTakenOverUnderTheTermsOfThen(t *testing.T) {
	t.Parallel()
	w := still(t)
	w.byHand()
	ragna := w.as(0)
	filed := w.clock.Now().Add(-time.Hour)
	w.clock.Move(48 * time.Hour)
	var k struct {
		ID    int64
		Items []struct{ ID int64 }
	}
	w.as(2).must(200, "GET", "/contracts?vendor=lark", nil).into(t, &k)
	lead := w.as(2)
	path := fmt.Sprintf("/contracts/%d", k.Items[0].ID)
	lead.patched(200, path+"?confirm=true", m{"terms": []m{
		{"deadline": "resolution", "level": 2, "target": "9d", "calendar": "round-the-clock"}}})
	add := func(at time.Time, more m) apigen.Case {
		body := m{"vendor": "lark", "title": "Paper jams", "filed_at": at.Format(time.RFC3339), "level": "slow"}
		for key, v := range more {
			body[key] = v
		}
		var v apigen.Case
		ragna.must(201, "POST", "/existing-cases", body).into(t, &v)
		return v
	}
	v := add(filed, m{"reference": "FL-00001"})
	if d := find(v, "resolution"); d.Target != "3d" || v.Line.State != "open" {
		t.Errorf("before the first terms: %s, %s", v.Line.State, d.Target)
	}
	v = add(w.clock.Now(), m{"move": "ours"})
	if d := find(v, "resolution"); d.Target != "9d" || v.Line.State != "filed" || *v.Line.Move != "ours" {
		t.Errorf("under the terms of now: %s, %s, %s", v.Line.State, d.Target, *v.Line.Move)
	}
	// The same number again is the same case.
	p := ragna.must(422, "POST", "/existing-cases", m{"vendor": "lark", "title": "Paper jams", "reference": "FL-00001",
		"filed_at": filed.Format(time.RFC3339), "level": "Slow"}).problem(t)
	if !contains(*p.Detail, "has this vendor reference already") {
		t.Errorf("the same again: %s", *p.Detail)
	}
}

// One case is taken over on the page of cases; what was typed survives a refusal.
func TestACaseIsTakenOverOnThePage(t *testing.T) {
	t.Parallel()
	w := still(t)
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases"), see("add-existing"), press("add-existing"), see("existing-form"),
		choose("existing-vendor", "corvane"), choose("existing-level", "Regular"), write("existing-title", "Disk is full"),
		write("existing-reference", "12"), write("existing-story", "Since May."), press("existing-never"),
		dp.Evaluate[dp.Void](`{ const f = document.getElementById('existing-filed'); f.value = '2026-11-01T08:00'
			f.dispatchEvent(new Event('input', { bubbles: true })) }`))
	w.as(4).patched(200, "/vendors/corvane", m{"reference_pattern": `CV-\d{5}`})
	w.steps(tab, press("keep-existing"))
	w.says(tab, "existing-form", "does not look like a reference")
	w.holds(tab, "existing-story", "Since May.")
	w.steps(tab, dp.Evaluate[dp.Void](`{ const f = document.getElementById('existing-reference'); f.value = ''
			f.dispatchEvent(new Event('input', { bubbles: true })) }`), press("keep-existing"), see("entry-1"))
	w.says(tab, "entry-1", "Taken over")
}
