package e2e

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"roundhouse.example/internal/child"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/testdb"
)

// running is the real binary's demo.
type running struct {
	t      *testing.T
	cmd    *exec.Cmd
	out    *written
	data   string
	URL    string        `json:"url"`
	People []firm.Person `json:"people"`
}

func startDemo(t *testing.T, data string, env []string, args ...string) *running {
	t.Helper()
	r := &running{t: t, out: &written{}, data: data}
	r.cmd = exec.Command(binary, append([]string{"demo", "--data", data}, args...)...)
	r.cmd.Env = append(os.Environ(), env...)
	r.cmd.Stdout, r.cmd.Stderr = r.out, r.out
	r.start()
	return r
}

// start starts it, and waits until it is ready.
func (r *running) start() {
	t := r.t
	t.Helper()
	ready := filepath.Join(t.TempDir(), "ready.json")
	r.cmd.Args = append(r.cmd.Args, "--ready-file", ready)
	ended, err := child.Start(r.cmd, syscall.SIGKILL)
	if err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(patience); ; {
		if raw, err := os.ReadFile(ready); err == nil {
			if st, err := os.Stat(ready); err != nil || st.Mode().Perm() != 0o600 {
				t.Errorf("the ready file is %v", st.Mode())
			}
			if err := json.Unmarshal(raw, r); err != nil {
				t.Fatal(err)
			}
			t.Cleanup(func() { _ = r.cmd.Process.Kill() })
			return
		}
		select {
		case <-ended:
			t.Fatalf("the demo ended: %v\n%s", r.cmd.ProcessState, r.out)
		case <-time.After(10 * time.Millisecond):
		}
		if time.Now().After(end) {
			t.Fatalf("the demo is not ready:\n%s", r.out)
		}
	}
}

func (r *running) stop(sig syscall.Signal) {
	r.t.Helper()
	_ = r.cmd.Process.Signal(sig)
	for range 2000 {
		if err := syscall.Kill(r.cmd.Process.Pid, 0); errors.Is(err, syscall.ESRCH) {
			return
		}
		<-time.After(10 * time.Millisecond)
	}
	r.t.Fatalf("the demo did not end after %s:\n%s", sig, r.out)
}

// brief spares a program that ends at once the collection of its garbage, a third of what its start takes.
const brief = "GOGC=off"

// shell runs commands of the binary with a home of their own.
type shell struct {
	t    *testing.T
	home string
	env  []string
}

func (s *shell) run(stdin string, args ...string) (string, int) {
	s.t.Helper()
	ctx, stop := context.WithTimeout(context.Background(), patience)
	defer stop()
	cmd := exec.CommandContext(ctx, binary, args...)
	cmd.Env = append([]string{"HOME=" + s.home, "PATH=" + os.Getenv("PATH"), "TZ=UTC", brief}, s.env...)
	cmd.Stdin = strings.NewReader(stdin)
	out, err := cmd.CombinedOutput()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		s.t.Fatal(err)
	}
	return string(out), cmd.ProcessState.ExitCode()
}

// ok runs a command that has to succeed and say certain things.
func (s *shell) ok(args []string, say ...string) string {
	s.t.Helper()
	out, code := s.run("", args...)
	if code != 0 || !contains(out, say...) {
		s.t.Fatalf("roundhouse %s: status %d, want %q in:\n%s", strings.Join(args, " "), code, say, out)
	}
	return out
}

// holdsNone looks through all files of a directory, but one, for what must stand in none:
// tables, logs and all that the database keeps beside them.
func holdsNone(t *testing.T, dir string, secrets []string, but string) {
	t.Helper()
	files := 0
	err := filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || !e.Type().IsRegular() || path == but {
			return err
		}
		raw, err := os.ReadFile(path)
		files++
		for _, s := range secrets {
			for what, form := range map[string]string{"in clear": s, "in base64": base64.StdEncoding.EncodeToString([]byte(s)),
				"in hex": hex.EncodeToString([]byte(s))} {
				if bytes.Contains(raw, []byte(form)) {
					t.Errorf("%s holds a secret %s", path, what)
				}
			}
		}
		return err
	})
	if err != nil || files < 100 {
		t.Errorf("looked through %d files: %v", files, err)
	}
}

func words(s string) []string { return strings.Fields(s) }

// The whole story in the terminal, with the real binary and its own PostgreSQL.
func TestTheTerminal(t *testing.T) {
	t.Parallel()
	data, err := testdb.TempDir()
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(data)
	r := startDemo(t, data, nil, "--speed", "3000")
	s := &shell{t: t, home: t.TempDir()}
	if out, code := s.run("", "today"); code != 1 || !contains(out, "roundhouse login") {
		t.Errorf("before signing in: %d %s", code, out)
	}
	if out, code := s.run("wrong\n", "login", r.URL, "--email", r.People[0].Email); code != 1 || !contains(out, "wrong") {
		t.Errorf("a wrong password: %d %s", code, out)
	}
	if out, code := s.run(r.People[0].Password+"\n", "login", r.URL, "--email", r.People[0].Email); code != 0 ||
		!contains(out, "Ragna Lie (handler)") {
		t.Fatalf("login: %d %s", code, out)
	}
	if st, err := os.Stat(filepath.Join(s.home, ".config", "roundhouse", "login.json")); err != nil ||
		st.Mode().Perm() != 0o600 {
		t.Errorf("what login keeps: %v %v", st, err)
	}
	s.ok(words("today"), "late", "C-10", "Chase")
	s.ok(words("vendor list"), "Corvane Cloud", "Tallow & Wick")
	s.ok(words("vendor show tallow"), "Grade II", "Pacific/Apia", "TW-C-7718")
	s.ok(words("case list --all --limit 3 --sort oldest"), "C-1001", "C-1003", "Closed")
	opened := s.ok([]string{"case", "open", "--vendor", "corvane", "Console is slow [steady]", "--environment",
		"production", "--effect", "degraded",
		"--reach", "many", "--workaround", "costly", "--happened", "Since nine every page takes a minute.", "--answer",
		"tenant=saltmarsh-prod", "--confirm", "--file", "-o", "json"}, `"number"`)
	var c clientgen.Case
	if err := json.Unmarshal([]byte(opened), &c); err != nil {
		// --confirm says what it confirmed, as JSON documents before the last.
		parts := strings.Split(opened, "\n}\n")
		if err := json.Unmarshal([]byte(parts[len(parts)-2]+"\n}"), &c); err != nil {
			t.Fatal(err, opened)
		}
	}
	name := c.Line.Number
	shows := func(say ...string) {
		t.Helper()
		for end := time.Now().Add(patience); ; <-time.After(50 * time.Millisecond) {
			out, _ := s.run("", "case", "show", name)
			if contains(out, say...) {
				return
			}
			if time.Now().After(end) {
				t.Fatalf("case show never said %q:\n%s", say, out)
			}
		}
	}
	shows("Vendor reference: CV-", "waiting on you", "waiting on us")
	s.ok([]string{"case", "note", name, "--text", "Ask the contractor first"}, "is saved")
	s.ok([]string{"case", "reply", name, "--unseen", "--text", "The log is below"}, "is being sent to Corvane Cloud")
	shows("Fix offered", "Verification", "offers a fix", "internal, never sent")
	if out, code := s.run("", "case", "close", name); code != 4 || !contains(out, "reason") {
		t.Errorf("closing without a reason: %d %s", code, out)
	}
	s.ok([]string{"case", "reject", name, "--text", "The same again"})
	shows("Fix rejected; the vendor has been told.")
	shows("Fix offered")
	s.ok([]string{"case", "accept", name, "--text", "Holds", "--cause", "A lost route"})
	shows("Resolved, ")
	s.ok(words("case close " + name))
	shows("Closed on both sides.")
	s.ok([]string{"case", "deadlines", name, "--explain"}, "Resolution", "met", "The vendor owes this within",
		"We owe this within", "Rules version 1")
	// A case of the past has spans long enough to be told, whatever the machine's pace.
	s.ok(words("case deadlines C-1001 --explain"), "counted", "paused", "waiting on us", "waiting on the vendor", "due  ")
	s.ok([]string{"case", "reopen", name, "--text", "Back again"})
	shows("Reopened; the vendor has been told.")
	// The vendor has another fix; a word of it that came later would end the parking.
	for end := time.Now().Add(patience); !contains(s.ok(words("case list --state fix-offered --all")), name); {
		if time.Now().After(end) {
			t.Fatal("the vendor offers no other fix")
		}
	}
	s.ok([]string{"case", "park", name, "--until", "2d", "--text", "Change window"}, "Fix offered")
	s.ok(words("case resume "+name), "Fix offered")
	s.ok([]string{"case", "severity", name, "1", "--text", "Now everybody"}, "1 Stopped")
	s.ok([]string{"case", "withdraw", name, "--text", "Enough"})
	shows("Withdrawn, ")
	for _, x := range []struct {
		args string
		code int
		say  string
	}{
		{"case show C-9999", 3, "Not found: Nothing here has that number"}, {"case list --colour", 2, "unknown flag"},
		{"case file " + name, 4, "withdrawn"},
		{"nonsense", 2, "unknown command"}, {"today -o xml", 2, "table, json or csv"},
		{"today --url http://127.0.0.1:1", 5, "cannot be reached"},
		{"demo --data " + data, 1, "running on"}, {"case park " + name, 2, "--until"}, {"person list", 0, "Tuva Holm"},
		{"version", 0, "roundhouse"},
	} {
		if out, code := s.run("", words(x.args)...); code != x.code || !contains(out, x.say) {
			t.Errorf("%s: status %d, want %d with %q:\n%s", x.args, code, x.code, x.say, out)
		}
	}
	token := s.ok(words("token add bridge"), "rht_")
	other := &shell{t: t, home: t.TempDir(),
		env: []string{"ROUNDHOUSE_URL=" + r.URL, "ROUNDHOUSE_TOKEN=" + words(token)[0]}}
	other.ok(words("case show "+name+" -o json"), `"entries"`)

	// What must not be known: sent where it may go, shown where it is asked for, and
	// after all of it nowhere in what lies on the disk.
	s.ok([]string{"secret", "reveal", "corvane-passphrase", "--case", name, "--why", "on the phone"},
		"copper-anchor-nineteen")
	opened = s.ok([]string{"case", "open", "--vendor", "corvane", "Passphrase wanted [mute]", "--environment",
		"production", "--effect", "degraded", "--reach", "many", "--workaround", "costly",
		"--happened", "You asked for it: {secret corvane-passphrase}.", "--answer", "tenant=saltmarsh-prod", "--confirm",
		"--file"}, "Passphrase wanted") // it may have arrived by now
	told := caseName.FindString(opened)
	for end := time.Now().Add(patience); !contains(s.ok(words("case show "+told)),
		"Vendor reference: CV-"); <-time.After(50 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("it never arrived")
		}
	}
	s.ok(words("secret show corvane-passphrase"), "sent", "revealed", told, "127.0.0.1")
	if jobs, err := os.ReadFile(filepath.Join(data, "standin.json")); err != nil ||
		!contains(string(jobs), "You asked for it: copper-anchor-nineteen.") {
		t.Errorf("the vendor was not told: %v", err)
	}
	tuva := &shell{t: t, home: t.TempDir(),
		env: []string{"ROUNDHOUSE_URL=" + r.URL, "ROUNDHOUSE_TOKEN=" + r.People[4].Token}}
	tuva.ok(words("key rotate"), "4 secrets encrypted again")

	// A killed one is recovered, and the data survive.
	r.stop(syscall.SIGKILL)
	again := startDemo(t, data, nil, "--speed", "3000")
	if again.People[0].Token != r.People[0].Token {
		t.Error("the people changed")
	}
	other.env[0] = "ROUNDHOUSE_URL=" + again.URL
	other.ok(words("case show "+name), "Withdrawn")
	again.stop(syscall.SIGINT)
	holdsNone(t, data, []string{"copper-anchor-nineteen", "tide-table-4402-lantern", "804-1722"},
		filepath.Join(data, "standin.json"))
	if key, err := os.ReadFile(filepath.Join(data, "vault.key")); err != nil {
		t.Error(err)
	} else {
		for _, line := range strings.Split(string(key), "\n") {
			if parts := words(line); len(parts) == 3 && parts[0] == "roundhouse-vault-key" {
				holdsNone(t, data, []string{parts[2]}, filepath.Join(data, "vault.key"))
			}
		}
	}
	if !contains(again.out.String(), "Stopped.") {
		t.Errorf("Ctrl-C:\n%s", again.out)
	}
	if pid, err := os.ReadFile(filepath.Join(data, "postgres", "data", "postmaster.pid")); err == nil {
		t.Errorf("PostgreSQL is still there: %s", pid)
	}
}
