package e2e

import (
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/testdb"

	dp "github.com/chromedp/chromedp"
)

// A rehearsal is handled in the terminal and the console, on a clock of its own, and judged at the end.
func TestARehearsal(t *testing.T) {
	t.Parallel()
	place, err := testdb.TempDir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(place) })
	typed, keys, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	defer typed.Close()
	r := &running{t: t, out: &written{}}
	result := &written{}
	r.cmd = exec.Command(binary, "rehearse", "late", "--speed", "1", "-o", "json")
	r.cmd.Env = append(os.Environ(), "TMPDIR="+place)
	r.cmd.Stdin, r.cmd.Stdout, r.cmd.Stderr = typed, result, r.out
	r.start()
	press := func(line, said string) {
		t.Helper()
		if _, err := io.WriteString(keys, line+"\n"); err != nil {
			t.Fatal(err)
		}
		desktest.Until(t, "it says "+said, func() bool { return strings.Contains(r.out.String(), said) })
	}
	sh := &shell{t: t, home: t.TempDir(), env: []string{"ROUNDHOUSE_URL=" + r.URL,
		"ROUNDHOUSE_TOKEN=" + r.People[0].Token}}
	sh.ok(words("today"), "0 late", "C-1001", "10:05", "Times in Europe/Oslo")
	press("", "It is Wed 18 Nov, 08:06 (Europe/Oslo).")
	sh.ok(words("case show C-1001"), "This is an automatic message.")
	press("", "It is Wed 18 Nov, 09:35")
	press("", "It is Wed 18 Nov, 10:05")
	sh.ok(words("today"), "1 late", "Chase")
	sh.ok(words("case chase C-1001 --drafted"), "to Corvane Cloud")
	press("", "It is Wed 18 Nov, 12:05")
	sh.ok(words("today"), "Escalate")
	sh.ok(words("case escalate C-1001 --drafted"), "C-1001")
	sh.ok([]string{"case", "follow-up", "C-1001", "--text", "Call the harbour", "--by", "2h"}, "14:0")

	tab, err := chromium.Tab("light", 1280, 800)
	if err != nil {
		t.Fatal(err)
	}
	defer tab.Close()
	if err := tab.SignIn(r.URL, r.People[0].Email, r.People[0].Password); err != nil {
		t.Fatal(err)
	}
	if err := tab.Do(dp.Navigate(r.URL+"/"), browser.True(`document.querySelector('[data-testid=rehearsal]')?.
		textContent.includes('Rehearsal: The answer that does not come')`),
		browser.True(`document.querySelector('h1').textContent.includes('Wednesday 18 November')`)); err != nil {
		t.Fatal(err)
	}
	press("", "It is Wed 18 Nov, 12:2")
	press("end", "")
	var judged struct {
		Case     string `json:"case"`
		DoneWell int    `json:"done_well"`
		Missed   int    `json:"missed"`
		Findings []struct {
			Kind, Says string
			Well       bool
		}
	}
	desktest.Until(t, "it says how it went", func() bool {
		return json.Unmarshal([]byte(result.String()), &judged) == nil
	})
	var got []string
	for _, f := range judged.Findings {
		got = append(got, f.Kind)
	}
	if judged.Case != "C-1001" || judged.DoneWell != 2 || judged.Missed != 1 ||
		strings.Join(got, " ") != "vendor-late advised ending" {
		t.Errorf("it went %+v", judged)
	}
	desktest.Until(t, "nothing is left of it", func() bool {
		left, err := filepath.Glob(filepath.Join(place, "*"))
		return err == nil && len(left) == 0
	})
}

func TestAScenarioIsChecked(t *testing.T) {
	t.Parallel()
	sh := &shell{t: t, home: t.TempDir()}
	sh.ok(words("rehearse --list"), "first-case", "closes-early", "Disputing a closing")
	sh.ok(words("rehearse --schema"), `"$schema"`)
	file := filepath.Join(sh.home, "mine.yaml")
	text := sh.ok(words("rehearse silent --print"), "rehearsal: 1")
	write := func(text string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write(text)
	sh.ok([]string{"rehearse", file, "--check"}, "can be played: Nobody picks it up")
	write(strings.Replace(text, "rung: 2", "rung: two", 1))
	for _, x := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"rehearse", file}, 2, "30: script[1].rung"},
		{words("rehearse nowhere"), 3, "roundhouse rehearse --list shows the scenarios"},
		{words("rehearse late --speed 0"), 2, "--speed is a number from 1 to 3600"},
		{words("rehearse late --list --print"), 2, "give one"},
	} {
		if out, code := sh.run("", x.args...); code != x.code || !strings.Contains(out, x.says) {
			t.Errorf("%v: status %d, %s", x.args, code, out)
		}
	}
}
