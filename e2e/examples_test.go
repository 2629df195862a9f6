package e2e

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/jedib0t/go-pretty/v6/text"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli"
	"roundhouse.example/internal/cli/app"
	labels "roundhouse.example/internal/core/words"
)

// endless are commands that run until they are stopped. Of their examples, and of the one that sets up a database of
// its own, it is only looked at whether the flags are known: they have tests of their own.
var endless = []string{"roundhouse serve", "roundhouse demo", "roundhouse standin", "roundhouse rehearse"}

// examplesOf are the commands that can be run, each with its examples, a command each.
func examplesOf(c *cobra.Command, out map[string][]string) {
	if c.HasAvailableSubCommands() {
		for _, sub := range c.Commands() {
			examplesOf(sub, out)
		}
		return
	}
	var list []string
	for line := range strings.Lines(strings.ReplaceAll(c.Example, "\\\n", " ")) {
		if line = strings.Join(strings.Fields(line), " "); line != "" {
			list = append(list, line)
		}
	}
	out[c.CommandPath()] = list
}

// demoShell is a shell in a folder of its own that holds the files of docs/examples and what the commands that export
// write.
type demoShell struct {
	w    *world
	home string
}

func (w *world) demoShell() *demoShell {
	w.t.Helper()
	s := &demoShell{w, w.t.TempDir()}
	if err := os.CopyFS(s.home, os.DirFS("../docs/examples")); err != nil {
		w.t.Fatal(err)
	}
	bin := filepath.Join(s.home, "bin")
	if err := os.Mkdir(bin, 0o755); err != nil {
		w.t.Fatal(err)
	}
	if err := os.Symlink(binary, filepath.Join(bin, "roundhouse")); err != nil {
		w.t.Fatal(err)
	}
	// An editor that changes something in whatever it is given.
	editor := "#!/bin/sh\nif grep -q quiet_4 \"$1\"; then sed -i 's/^quiet_4:.*/quiet_4: 9bd/' \"$1\"; " +
		"elif grep -q ^happened \"$1\"; then sed -i 's/^since:.*/since: Noon/' \"$1\"; else " +
		"sed -i '/^note:/d' \"$1\"; echo 'note: Seen in the editor' >> \"$1\"; fi\n"
	if err := os.WriteFile(filepath.Join(bin, "edit"), []byte(editor), 0o755); err != nil {
		w.t.Fatal(err)
	}
	for file, command := range map[string]string{"tallow.yaml": "vendor export tallow", "assets.csv": "asset export",
		"accounts.csv": "account export", "contracts.csv": "contract export", "products.csv": "product export",
		"people.csv": "person export"} {
		if out, code := s.run("roundhouse "+command+" > "+file, 4); code != 0 {
			w.t.Fatalf("%s: %s", command, out)
		}
	}
	return s
}

// run is a line as one would type it, with the words of the demo's own service in place of those of the example.
func (s *demoShell) run(line string, person int) (string, int) {
	s.w.t.Helper()
	p := s.w.people[person]
	if strings.Contains(line, "roundhouse login") { // which says who it is itself
		p = s.w.people[0]
	}
	line = strings.NewReplacer("http://127.0.0.1:8080", s.w.url, "--data .roundhouse/demo", "--database '"+s.w.db+"'",
		"--database postgres://desk@db.company.example/roundhouse", "--database '"+s.w.db+"'").Replace(line)
	if _, file, ok := strings.Cut(line, " --to "); ok { // which has to be a new one
		_ = os.Remove(filepath.Join(s.home, strings.Fields(file)[0]))
	}
	cmd := exec.CommandContext(context.Background(), "sh", "-c", line)
	cmd.Dir = s.home
	cmd.Env = []string{"HOME=" + s.home, "PATH=" + filepath.Join(s.home, "bin") + ":" + os.Getenv("PATH"), "TZ=UTC", brief,
		"TMPDIR=" + s.home, "EDITOR=edit", "ROUNDHOUSE_URL=" + s.w.url, "ROUNDHOUSE_TOKEN=" + p.Token}
	cmd.Stdin = strings.NewReader(p.Password + "\n")
	out, err := cmd.CombinedOutput()
	if cmd.ProcessState == nil {
		s.w.t.Fatal(err)
	}
	return string(out), cmd.ProcessState.ExitCode()
}

// try runs a line as the first of our people who may.
func (s *demoShell) try(line string) (out string, code int) {
	s.w.t.Helper()
	for _, person := range []int{2, 4, 0} { // the lead, the administrator, a handler
		if out, code = s.run(line, person); code != 4 || !strings.Contains(out, "may not do that") {
			return out, code
		}
	}
	return out, code
}

// What a command's help shows as an example runs on the demo as it is, and what comes back has no raw value in it
// where people read.
func TestEveryExampleRuns(t *testing.T) {
	t.Parallel()
	all := map[string][]string{}
	examplesOf(cli.Root(&app.App{}), all)
	delete(all, "roundhouse completion")
	var lines []string
	for command, list := range all {
		if len(list) == 0 && !strings.HasPrefix(command, "roundhouse completion") && command != "roundhouse help" {
			t.Errorf("%s has no example", command)
		}
		for _, line := range list {
			if !slices.Contains(endless, command) && !strings.Contains(line, "--data .roundhouse ") {
				lines = append(lines, line)
				continue
			}
			args := strings.Fields(line[strings.Index(line, "roundhouse "):])[1:]
			if out, err := exec.Command(binary, append(args, "--help")...).CombinedOutput(); err != nil {
				t.Errorf("%s: %v\n%s", line, err, out)
			}
		}
	}
	slices.Sort(lines)
	for len(lines) > 0 {
		lines = demoWorld(t).demoShell().examples(lines)
		slices.Reverse(lines)
	}
}

// examples runs lines on the demo and gives back those for which another before them had taken what they need; the
// first of all finds it as it is.
func (s *demoShell) examples(lines []string) (again []string) {
	t := s.w.t
	for i, line := range lines {
		out, code := s.try(line)
		if raw := rawIn(out); code != 0 && i > 0 {
			again = append(again, line)
		} else if code != 0 {
			t.Errorf("%s ends with %d:\n%s", line, code, out)
		} else if raw != "" && forPeople(line) {
			t.Errorf("%s prints the raw value %s:\n%s", line, raw, out)
		}
	}
	return again
}

// Every table of the demo fits a window of 80 columns.
func TestTablesFitANarrowWindow(t *testing.T) {
	t.Parallel()
	s := demoWorld(t).demoShell()
	for _, command := range []string{"today", "case list --all", "asset list", "contract list", "account list",
		"product list", "vendor list", "calendar list", "person list", "secret list", "token list", "find snapshot"} {
		out, code := s.run("script -qec 'stty cols 80; NO_COLOR=1 roundhouse "+command+"' /dev/null < /dev/null", 2)
		lines := strings.Split(strings.ReplaceAll(out, "\r", ""), "\n")
		if code != 0 || len(lines) < 2 {
			t.Errorf("%s ends with %d:\n%s", command, code, out)
		}
		for _, line := range lines {
			if n := text.StringWidthWithoutEscSequences(line); n > 80 {
				t.Errorf("%s: %d columns: %s", command, n, line)
				break
			}
		}
	}
}

// forPeople says whether a line prints for people.
func forPeople(line string) bool {
	for _, s := range []string{"-o json", "export", "schema", "batch", "cards"} {
		if strings.Contains(line, s) {
			return false
		}
	}
	return true
}

// rawIn is a value of an enum that stands in a text as programs have it; those that commands take are let be.
func rawIn(text string) string {
	m := rawValues().FindStringSubmatch(text)
	if m == nil {
		return ""
	}
	return m[1]
}

// rawValues finds any such value as a word of its own.
var rawValues = sync.OnceValue(func() *regexp.Regexp {
	var all []string
	for _, set := range labels.Labels {
		for _, l := range set {
			if strings.ContainsAny(l.Value, "-_") && labels.Steps.At(l.Value) < 0 && labels.Decisions.At(l.Value) < 0 {
				all = append(all, regexp.QuoteMeta(l.Value))
			}
		}
	}
	return regexp.MustCompile(`(?:^|[^\w-])(` + strings.Join(all, "|") + `)(?:$|[^\w-])`)
})
