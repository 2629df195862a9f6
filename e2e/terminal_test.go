package e2e

import (
	"encoding/csv"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/standin"
)

// shell is the terminal of one of our people.
func (w *world) shell(i int) *shell {
	home := w.t.TempDir() // where what is kept after a refusal goes too
	return &shell{t: w.t, home: home, env: []string{"ROUNDHOUSE_URL=" + w.url,
		"ROUNDHOUSE_TOKEN=" + w.people[i].Token, "TMPDIR=" + home}}
}

// fails runs a command that has to end with a status and say certain things.
func (s *shell) fails(code int, args []string, say ...string) string {
	s.t.Helper()
	out, got := s.run("", args...)
	if got != code || !contains(out, say...) {
		s.t.Errorf("roundhouse %s: status %d, want %d and %q in:\n%s", strings.Join(args, " "), got, code, say, out)
	}
	return out
}

// What was typed is kept when it is refused, and what can be refused beforehand is, before
// an editor opens.
func TestTypedTextOutlivesARefusal(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	edited, heard, editor := filepath.Join(sh.home, "edited"), filepath.Join(sh.home, "heard"),
		filepath.Join(sh.home, "editor")
	if err := os.WriteFile(editor,
		[]byte("#!/bin/sh\ntouch "+edited+"\nwhile [ ! -e "+heard+
			" ]; do sleep 0.02; done\necho Words of an hour > \"$1\"\n"), 0o700); err != nil {
		t.Fatal(err)
	}
	sh.env = append(sh.env, "EDITOR="+editor)
	draft := ragna.draft("corvane", "A draft")
	for _, args := range []string{"case reply " + draft, "case call " + draft + " --at 1990-01-01"} {
		if out, code := sh.run("", words(args)...); code == 0 || exists(edited) {
			t.Errorf("%s: status %d, the editor was opened: %v\n%s", args, code, exists(edited), out)
		}
	}
	name := ragna.filed("corvane", "Slow [mute]")
	v, _ := ragna.get(name)
	done := make(chan struct{})
	go func() { // while it is written, the vendor writes too
		defer close(done)
		w.until("the editor is open", func() bool { return exists(edited) })
		w.clock.Move(time.Minute)
		w.speak("corvane", *v.Line.Reference, false, "waiting on you", "")
		ragna.hears(name, "vendor-message")
		_ = os.WriteFile(heard, nil, 0o600)
	}()
	out, code := sh.run("", "case", "reply", name)
	<-done
	if code != 4 || !contains(out, "has written since") {
		t.Fatalf("status %d: %s", code, out)
	}
	_, file, ok := strings.Cut(out, sh.home)
	file = sh.home + strings.FieldsFunc(file, func(r rune) bool {
		return r == ' ' || r == '\n' || r == ',' || r == ';'
	})[0]
	kept, err := os.ReadFile(strings.TrimRight(file, ".:"))
	if !ok || err != nil || strings.TrimSpace(string(kept)) != "Words of an hour" {
		t.Errorf("kept %q, %v; said:\n%s", kept, err, out)
	}
}

func exists(file string) bool { _, err := os.Stat(file); return err == nil }

// inTerminal is a command line in a terminal of its own, 140 columns wide.
func (s *shell) inTerminal(line string) *exec.Cmd {
	cmd := exec.Command("script", "-qec", "stty cols 140 rows 30; "+binary+" "+line, "/dev/null")
	cmd.Env = append(os.Environ(), s.env...)
	return cmd
}

// A draft that was refused is gone on with in the terminal: no second one is made.
func TestADraftIsChangedInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	sh := w.shell(0)
	out := sh.fails(4, []string{"case", "open", "Gates say no", "--vendor", "corvane", "--environment", "production",
		"--effect", "stopped", "--reach", "many", "--workaround", "costly", "--file"}, "C-1001",
		"roundhouse case edit C-1001", "roundhouse case file C-1001")
	if strings.Contains(out, "C-1002") {
		t.Error(out)
	}
	sh.ok([]string{"case", "edit", "C-1001", "--happened", "Every gate says no.", "--contact-always",
		"Emil Dahl, +44 1632 960 001", "--contact", "Ragna Lie", "--needed-by", ""}, "C-1001")
	sh.ok(words("case show C-1001"), "Every gate says no.", "Emil Dahl, +44 1632 960 001", "Production", "Fault")
	sh.fails(2, words("case edit C-1001"), "say what to change")
	sh.fails(2, words("case confirm C-1001 7"), `"7" is not a condition of level "Alarm"; it has 2 conditions`)
	sh.ok(words("case confirm C-1001 2"), "Confirmed: We have ruled out our own last change")
	sh.ok(words("case confirm C-1001"), "Confirmed: The service is down", "Already confirmed by Ragna Lie: We have ruled")
	sh.fails(4, words("case file C-1001 --by fax"), "use one of api, email, portal, phone, chat")
	sh.fails(4, words("case reply C-1001 --text x"), "C-1001 is a draft, so no message can be sent to Corvane Cloud")
	sh.fails(4, words("case reopen C-1001 --text x"), "A draft cannot be reopened.")
	sh.ok(words("case file C-1001"))
	sh.fails(2, words("case open --ask --edit"), "roundhouse: give only one of --ask and --edit")
	sh.fails(2, words("case list --mine --watched"), "roundhouse: give only one of --mine and --watched")
	if out, err := sh.inTerminal("case open --vendor corvane --edit").Output(); err == nil ||
		!contains(string(out), "give the case a title") {
		t.Errorf("the form of a draft without a title: %v\n%s", err, out)
	}
	sh.fails(2, words("webhook add our-chat"), "roundhouse: --address and --secret are required")
	// What is refused is said in words, and with what to do.
	sh.fails(2, words("case show"), "write it as: roundhouse case show CASE")
	sh.fails(4, words("case resolve C-1001"), `"Resolve" needs a reason.`, "Give it with --text.")
	sh.fails(2, words("contract list --ending-on tomorrow"), "write a date that exists, like 2026-12-25")
	sh.fails(2, words("case level C-1001 Alert --text x"), `"Alert" is not a level of Corvane Cloud`,
		"its levels are Alarm, ")
	if out := sh.ok(words("case list --state draft,filed,open -o json")); strings.Count(out, `"number"`) != 1 {
		t.Errorf("%s", out)
	}
}

// Exports have all there is, as a program reads it; a limit that is none and a severity that
// is none are mistakes of use; what a name finds nothing for says so.
func TestListsInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	for i := range 60 {
		ragna.draft("corvane", fmt.Sprintf("Number %d; =1+1", i))
	}
	rows, err := csv.NewReader(strings.NewReader(sh.ok(words("case list --state draft -o csv")))).ReadAll()
	if err != nil || len(rows) != 61 {
		t.Errorf("%d rows of 61, %v", len(rows), err)
	}
	opened := -1
	for i, name := range rows[0] {
		if name == "opened" {
			opened = i
		}
	}
	if opened < 0 {
		t.Fatalf("no opened in %v", rows[0])
	}
	if _, err := time.Parse(time.RFC3339, rows[1][opened]); err != nil {
		t.Errorf("a time for programs: %v", err)
	}
	if out := sh.ok(words("case list --state draft -o json")); strings.Count(out, `"number"`) != 60 {
		t.Errorf("%d in JSON", strings.Count(out, `"number"`))
	}
	sh.ok(words("case list --state draft"), "There are more")
	name := ragna.filed("corvane", "Slow [mute]")
	sh.ok(words("case deadlines "+name+" -o csv"), "deadline,side", "first-response")
	for _, args := range []string{"case list --severity 9", "case list --limit 0", "case list --limit -1",
		"case list --state asleep"} {
		sh.fails(2, words(args))
	}
	sh.fails(4, words("case list --vendor nope"), "nope")
	for _, args := range []string{"person change nobody@nowhere.example --role lead",
		"person holds nobody@nowhere.example"} {
		w.shell(4).fails(3, words(args), "nobody@nowhere.example")
	}
}

// What others write never drives a terminal.
func TestWhatOthersWriteIsPrintedPlain(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.filed("corvane", "Console signs people out after every second request [mute]")
	v, _ := ragna.get(name)
	w.clock.Move(time.Minute)
	w.cast.Say("corvane", standin.Happening{Job: *v.Line.Reference, What: "remark",
		By:    standin.By{Side: "house", Name: "Imke\x1b[31m Vandersloot"},
		Words: "Look \x1b]0;pwned\x07here\x1b[2J\u009b31m and \u202ethere", Stage: "in hand"})
	ragna.hears(name, "vendor-message")
	ragna.must(201, "POST", "/cases/"+name+"/notes", m{"text": "a colleague's \x1b[5m note"})
	for _, args := range []string{"case show " + name, "today", "case list", "case show " + name + " -o json",
		"case list -o csv"} {
		if args == "case show "+name {
			if v, _ := ragna.get(name); v.Line.Unread != 1 {
				t.Errorf("unread %d", v.Line.Unread)
			}
		}
		out := sh.ok(words(args))
		for _, r := range out {
			if r < ' ' && r != '\n' && r != '\t' && (r != '\r' || !strings.HasSuffix(args, "csv")) || r >= 0x7f && r < 0xa0 ||
				r == '\u202e' {
				t.Errorf("%s prints %q in:\n%q", args, r, out)
				break
			}
		}
	}
	// Showing a case is reading it.
	if v, _ := ragna.get(name); v.Line.Unread != 0 {
		t.Errorf("after case show: %d unread", v.Line.Unread)
	}
}

// A number that was mistyped is corrected, and what is taken for a mistake is asked about.
func TestWhatNobodyKnowsIsSaid(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.byHand()
	sh := w.shell(0)
	name, v := ragna.opened("Prints blank tickets")
	was := *v.Line.Reference
	sh.ok(words("case reference "+name+" FL-33333"), "FL-33333")
	if v, _ = ragna.get(name); *v.Line.Reference != "FL-33333" || len(v.References) != 1 {
		t.Errorf("corrected from %s: %+v", was, v.References)
	}
	ragna.must(404, "GET", "/cases/"+was, nil)
	sh.ok([]string{"case", "call", name, "--by", "portal", "--with", "Asmita Rawal", "--status", "simmering", "--at",
		"2026-11-23T09:00:00Z", "--text", "Hm"}, "simmering", "Warning")
	if out, code := sh.run("", "case", "open", "Another", "--vendor", "lark", "--answer", "colour=red"); code != 4 ||
		!contains(out, "colour") {
		t.Errorf("an answer to no question: %d %s", code, out)
	}
	var said apigen.Vendor
	w.as(4).patched(200, "/vendors/lark",
		m{"forms": []m{{"kind": "any", "key": "paper", "label": "Paper", "type": "choice",
			"choices": []string{"white", "grey"}}}}).into(t, &said)
	sh.ok(words("vendor show lark"), "paper", "white, grey")
}

// A step in the terminal does not fail because the case changed in the moment between the command's own reading
// and the step; it fails where the step is no longer allowed.
func TestAStepInTheTerminalOutrunsAChange(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil := w.as(0), w.as(1)
	name := ragna.filed("corvane", "Slow since this morning [mute]")
	to, err := url.Parse(w.url)
	if err != nil {
		t.Fatal(err)
	}
	var meanwhile atomic.Pointer[func()]
	proxy := httputil.NewSingleHostReverseProxy(to)
	between := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost {
			if do := meanwhile.Swap(nil); do != nil {
				(*do)()
			}
		}
		proxy.ServeHTTP(rw, r)
	}))
	t.Cleanup(between.Close)
	sh := w.shell(0)
	sh.env[0] = "ROUNDHOUSE_URL=" + between.URL
	meanwhile.Store(new(func() { emil.step(name, m{"step": "take"}) }))
	sh.ok([]string{"case", "severity", name, "1", "--text", "Now everybody"}, "1 Stopped")
	if v, _ := ragna.get(name); *v.Line.Owner != w.people[1].Name {
		t.Errorf("what was done meanwhile is undone: %s", *v.Line.Owner)
	}
	meanwhile.Store(new(func() { emil.step(name, m{"step": "withdraw", "reason": "Enough"}) }))
	sh.fails(4, []string{"case", "resolve", name, "--text", "Our own change"}, "ithdraw")
}
