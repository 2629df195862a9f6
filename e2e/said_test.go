package e2e

import (
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/cli/out"
)

// What was done is said to have been done, even where it cannot be read back; it is there
// once, and the terminal does not do it again.
func TestDoneButNotShown(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.filed("corvane", "Slow [mute]")
	// At the end of the transaction something that only the reading back needs is gone.
	for _, sql := range []string{
		`create function fade() returns trigger language plpgsql as $$ begin
			if to_regclass('case_reference') is not null then alter table case_reference rename to case_reference_away; end
			if; return null; end $$`,
		`create constraint trigger fade after insert on case_entry deferrable initially deferred for each row execute
			function fade()`} {
		if _, err := w.desk.Store.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	back := func() {
		t.Helper()
		if _, err := w.desk.Store.DB.Exec("alter table case_reference_away rename to case_reference"); err != nil {
			t.Error(err)
		}
	}
	_, etag := ragna.get(name)
	p := ragna.must(503, "POST", "/cases/"+name+"/steps", m{"step": "severity", "to": 4, "reason": "by the API"},
		"If-Match", etag).problem(t)
	if !strings.HasSuffix(p.Type, "done-not-shown") || !contains(*p.Detail, "was done.", "do not repeat the request") {
		t.Errorf("%+v", p)
	}
	back()
	out, code := sh.run("", "case", "park", name, "--until", "2d", "--text", "by the terminal")
	if code == 0 || !contains(out, "It was done") || contains(out, "Nothing was changed") {
		t.Errorf("status %d: %s", code, out)
	}
	back()
	seen := map[string]int{}
	for _, e := range ragna.entries(name) {
		for _, by := range []string{"by the API", "by the terminal"} {
			if strings.HasSuffix(e.Text, by) {
				seen[by]++
			}
		}
	}
	if seen["by the API"] != 1 || seen["by the terminal"] != 1 {
		t.Errorf("%v", seen)
	}
}

// A case shows what somebody who takes it over has to know, and a draft its text.
func TestWhatACaseShows(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(0)
	due := w.clock.Now().Add(26 * time.Hour)
	said := sh.ok([]string{"case", "open", "Replace the reader at gate four", "--vendor", "corvane", "--kind", "work",
		"--environment", "production", "--effect", "none",
		"--happened", "It reads one card in three.\nCleaning it changed nothing.", "--contact",
		"Emil Dahl, +44 1632 960 001", "--needed-by", due.Format(time.RFC3339)}, "C-1001")
	opened := w.clock.Now()
	times := out.Times{Zone: time.UTC, Now: opened}
	shown := sh.ok(words("case show C-1001"), "kind", "Work to be done", "opened", times.Short(&opened), "needed by",
		times.Short(&due), "contact", "Emil Dahl, +44 1632 960 001", "It reads one card in three.",
		"Cleaning it changed nothing.", "environment", "Production")
	if contains(shown, "reach") || !contains(said, "Draft") {
		t.Errorf("%s\n%s", said, shown)
	}
}
