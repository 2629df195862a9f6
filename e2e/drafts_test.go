package e2e

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"roundhouse.example/internal/browser"
)

// Two people write in one draft at once: each sees what the other wrote, nothing is written over, and about a field
// that both changed one of them decides.
func TestTwoPeopleWriteOneDraft(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil := w.as(0), w.as(1)
	name := ragna.draft("corvane", "Slow")
	at := w.url + "/open/" + name
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(at), see("complete"), dp.Evaluate[dp.Void](`{ const plain = window.fetch
		window.fetch = async (r, o) => {
			while (window.deaf && r.method === 'GET') await new Promise(ok => setTimeout(ok, 20))
			return plain(r, o) } }`))
	w.holds(tab, "title", "Slow")
	// What she is writing stays while what he changed appears.
	w.steps(tab, browser.Type(browser.ID("tried"), "Since "))
	emil.must(200, "PATCH", "/cases/"+name, m{"texts": m{"expected": "Minutes"}}, "If-Match", tag(emil, name))
	w.holds(tab, "expected", "Minutes")
	w.steps(tab, browser.Type(browser.ID("tried"), "noon"))
	w.holds(tab, "tried", "Since noon")
	w.until("both are there", func() bool {
		v, _ := ragna.get(name)
		return v.Texts.Tried == "Since noon" && v.Texts.Expected == "Minutes"
	})
	// Both change the title, before her page hears of his: hers stays on the page, his on the desk, until she chooses.
	both := func(hers, his string) {
		t.Helper()
		w.steps(tab, dp.Evaluate[dp.Void](`window.deaf = true`))
		emil.must(200, "PATCH", "/cases/"+name, m{"title": his}, "If-Match", tag(emil, name))
		w.steps(tab, dp.Focus(browser.ID("title")), dp.KeyEvent(kb.End), browser.Type(browser.ID("title"), hers),
			dp.Evaluate[dp.Void](`window.deaf = false`))
		w.says(tab, "clashes", "Their version: "+his)
	}
	both("er", "Slow at night")
	w.holds(tab, "title", "Slower")
	w.steps(tab, browser.Type(browser.ID("steps"), "1. Look"), press("review"))
	w.says(tab, "open-problem", "First choose between your version and theirs")
	if v, _ := ragna.get(name); v.Line.Title != "Slow at night" || v.Texts.Steps != "1. Look" {
		t.Errorf("before she chose: %q, %q", v.Line.Title, v.Texts.Steps)
	}
	w.steps(tab, press("theirs-title"))
	w.holds(tab, "title", "Slow at night")
	both(", and at noon", "Slow in the morning")
	w.steps(tab, press("mine-title"))
	w.until("hers is saved", func() bool {
		v, _ := emil.get(name)
		return v.Line.Title == "Slow at night, and at noon"
	})
}

// What was typed and not saved comes back after a crash, also where somebody else has changed the draft since.
func TestTypedComesBackAfterACrash(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil := w.as(0), w.as(1)
	name := ragna.draft("corvane", "Slow")
	tab := w.page("light", 1280, 800, 0)
	deaf := dp.Evaluate[dp.Void](`{ const plain = window.fetch; window.fetch = (r, o) =>
		(r.method ?? 'GET') === 'PATCH' ? Promise.reject(new TypeError('cut')) : plain(r, o) }`)
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), see("complete"), deaf,
		browser.Type(browser.ID("expected"), "Since noon"), browser.Type(browser.ID("steps"), "1. Look"))
	w.says(tab, "open-problem", "The service cannot be reached")
	emil.must(200, "PATCH", "/cases/"+name, m{"texts": m{"steps": "1. Listen", "tried": "A restart"}},
		"If-Match", tag(emil, name))
	w.says(tab, "clashes", "Their version: 1. Listen")
	w.steps(tab, dp.Navigate("about:blank"), dp.Navigate(w.url+"/open/"+name))
	w.holds(tab, "expected", "Since noon")
	w.holds(tab, "tried", "A restart")
	w.holds(tab, "steps", "1. Look")
	w.says(tab, "clashes", "Their version: 1. Listen")
	w.says(tab, "clashes", "Your version: 1. Look")
	w.until("what only she wrote is saved", func() bool {
		v, _ := ragna.get(name)
		return v.Texts.Expected == "Since noon" && v.Texts.Steps == "1. Listen"
	})
}

// What is typed while a busy browser takes in what somebody else wrote is saved too.
func TestTypedWhileThePageFills(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil := w.as(0), w.as(1)
	name := ragna.draft("corvane", "Slow")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), see("complete"), dp.Evaluate[dp.Void](`{ const plain = setTimeout
		setTimeout = (f, ms, ...x) => plain(f, ms || 5000, ...x) }`))
	emil.must(200, "PATCH", "/cases/"+name, m{"texts": m{"tried": "A restart"}}, "If-Match", tag(emil, name))
	w.holds(tab, "tried", "A restart")
	w.steps(tab, browser.Type(browser.ID("expected"), "An answer"))
	w.until("it is saved", func() bool { v, _ := ragna.get(name); return v.Texts.Expected == "An answer" })
}

// A case is opened by a file, in the editor with the vendor's form, and by questions; what is refused is kept.
func TestOpeningByFileEditorAndQuestions(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	w.as(4).patched(200, "/vendors/corvane", m{"forms": []m{{"kind": "any", "key": "tenant", "label": "Tenant",
		"type": "text", "required": true, "hint": "the console cannot find us without it"},
		{"kind": "any", "key": "screen", "label": "Screen", "type": "choice", "choices": []string{"Left", "Right"}}}})
	file := filepath.Join(sh.home, "case.yaml")
	keep := func(text string) {
		t.Helper()
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	keep("title: \"Console: signs out\"\nvendor: corvane\nenvironment: production\neffect: degraded\nreach: few\n" +
		"workaround: easy\nhappened: |\n  Code: 57\n\n  Twice\non: Console\nexposure: no\nanswers:\n  screen: Left\n")
	sh.ok([]string{"case", "open", "--from", file, "--reach", "one"}, "C-1001  Console: signs out", "severity 4")
	v, _ := ragna.get("C-1001")
	if v.Texts.Happened != "Code: 57\n\nTwice" || v.Texts.Affected != "Console" || *v.Facts.Reach != "one" {
		t.Errorf("from a file: %+v", v.Texts)
	}
	keep("title: Slow\nvendor: corvane\neffekt: degraded\n")
	sh.fails(2, []string{"case", "open", "--from", file}, file+":3: \"effekt\" is not a field of a case; the fields are")
	out, code := sh.run("title: Slow\nvendor: nobody\nhappened: Much text\n", "case", "open", "--from", "-")
	if code != 4 || !contains(out, "there is no vendor \"nobody\"", "What you wrote is kept in ") {
		t.Errorf("status %d: %s", code, out)
	}

	// The editor begins with what is asked and known; a refusal keeps what was written, and it is gone on with.
	editor := filepath.Join(sh.home, "editor")
	edit := func(script string) {
		t.Helper()
		if err := os.WriteFile(editor, []byte("#!/bin/sh\ncp \"$1\" "+sh.home+"/seen\n"+script+"\n"), 0o700); err != nil {
			t.Fatal(err)
		}
	}
	sh.env = append(sh.env, "EDITOR="+editor, "TMPDIR="+sh.home)
	edit(`sed -i 's/^effect:.*/effect: broken/; s/^happened: |/happened: |\n  It says: no/' "$1"
		sed -i 's/^  screen:.*/  screen: Right/' "$1"`)
	out = sh.fails(4, []string{"case", "open", "--vendor", "corvane", "Gates say no", "--edit"},
		"facts.effect", "C-1002 is saved as a draft", "To go on: roundhouse case edit C-1002 --from ")
	seen, err := os.ReadFile(sh.home + "/seen")
	if err != nil || !contains(string(seen), "title: Gates say no",
		"# Tenant, required: the console cannot find us without it",
		"  # Screen (Left, Right)", "# What happened: without it nobody can begin", "kind: fault") {
		t.Errorf("%v:\n%s", err, seen)
	}
	_, kept, _ := strings.Cut(out, "--from ")
	kept = strings.Fields(kept)[0]
	raw, err := os.ReadFile(kept)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(kept, bytes.Replace(raw, []byte("broken"), []byte("stopped"), 1), 0o600); err != nil {
		t.Fatal(err)
	}
	sh.ok([]string{"case", "edit", "C-1002", "--from", kept})
	v, _ = ragna.get("C-1002")
	if v.Texts.Happened != "It says: no" || *v.Facts.Effect != "stopped" || (*v.Asked)[1].Answer != "Right" {
		t.Errorf("in the editor: %+v %+v", v.Texts, v.Facts)
	}
	edit("true")
	sh.fails(2, words("case edit C-1002 --edit"), "say what to change")
	edit(`sed -i 's/^happened: .*/happened:/; /^  It says/d; /^title/d' "$1"`)
	sh.ok(words("case edit C-1002 --edit"), "C-1002  Gates say no")
	if v, _ = ragna.get("C-1002"); v.Texts.Happened != "" {
		t.Errorf("cleared, but %q", v.Texts.Happened)
	}

	// By questions: a wrong answer is asked for again, and what the form requires is asked for too.
	answers := "All gates say no\nnobody\nCorvane\nprod\nstopped\nmany\nx\nnone\nEvery gate says no\n" +
		"Ragna Lie, +44 1632 960 010\nsaltmarsh-prod\nyes\nyes\nyes\n"
	out, code = sh.run(answers, "case", "open", "--ask")
	if code != 0 || !contains(out, "No vendor and no asset", "Severity 1 Stopped, because production is stopped",
		"Do you confirm for level \"Alarm\"", "If it were filed now", "C-1003  All gates say no") {
		t.Errorf("status %d:\n%s", code, out)
	}
	ragna.untilState("C-1003", "open")
	// Where the answers end, what was answered is in the draft.
	out, code = sh.run("Slow\ncorvane\nprod\n", "case", "open", "--ask")
	if code != 0 || !contains(out, "C-1004 stays a draft") {
		t.Errorf("status %d:\n%s", code, out)
	}
	if v, _ = ragna.get("C-1004"); *v.Facts.Environment != "production" {
		t.Errorf("answered, but %+v", v.Facts)
	}
	sh.fails(2, words("case open"), "give the case a title")
}
