package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"roundhouse.example/internal/child"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/testdb"
)

// Promises are checked by hand with no service; a bad line stops no batch.
func TestReckon(t *testing.T) {
	t.Parallel()
	s := &shell{t: t, home: t.TempDir()}
	file := filepath.Join(s.home, "office.yaml")
	week := "zone: Europe/Oslo\nweek:\n"
	for _, d := range words("mon tue wed thu fri") {
		week += "  " + d + ": [\"08:00-16:00\"]\n"
	}
	if err := os.WriteFile(file, []byte(week+"closed: [\"2026-12-25\"]\nextra:\n  \"2026-12-24\": [\"08:00-12:00\"]\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	s.ok(words("reckon due --calendar "+file+" --from 2026-12-23T16:00:00+01:00 --target 1bd"), "2026-12-28T15:00:00Z",
		"Closed on 2026-12-25", "08:00-12:00")
	s.ok(words("reckon due --calendar "+file+" --from 2026-12-23T14:30:00+01:00 --target 4h -o json"),
		`"due": "2026-12-24T09:30:00Z"`)
	s.ok(words("reckon span --calendar "+file+" --from 2026-03-27T12:00:00Z --to 2026-03-30T12:00:00Z"),
		"Clocks change on Sun 2026-03-29", "by +60 min")
	s.ok(words("reckon due --calendar ../docs/examples/office.yaml --from 2026-12-23T14:30:00+01:00 --target 4h"),
		"2026-12-24T09:30:00Z")
	s.ok(words("reckon severity --environment other --effect stopped"), "Severity 3, Hampered")
	long := strings.Repeat("x", 50<<20)
	span := `{"id":%d,"op":"span","calendar":{"always":true},"from":"2026-01-02T10:00:00Z","to":"2026-01-02T11:00:00Z"}`
	out, code := s.run(strings.ReplaceAll(span, "%d", "1")+"\n\nbad\n"+long+"\n"+strings.ReplaceAll(span, "%d", "2"),
		"reckon", "batch", "-")
	lines := strings.Split(out, "\n")
	if code != 1 || lines[0] != `{"id":1,"seconds":3600}` || !contains(lines[1], `"id":null`, "not a JSON object") ||
		!contains(lines[2], "line 4 is longer") || lines[3] != `{"id":2,"seconds":3600}` {
		t.Errorf("status %d:\n%.600s", code, out)
	}
	huge := filepath.Join(s.home, "huge.json")
	if err := os.WriteFile(huge, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Truncate(huge, 100<<20); err != nil {
		t.Fatal(err)
	}
	for args, say := range map[string]string{"reckon due --calendar " + file +
		" --from 2026-12-23T16:00:00 --target 1h": "a time with its zone",
		"reckon due --calendar /nowhere.yaml --from 2026-12-23T16:00:00Z --target 1h": "no such file",
		"reckon severity --environment moon --effect none":                            "moon", "reckon due --calendar " +
			file +
			" --from 2026-12-23T16:00:00Z --target 1000000000000d": "out of range",
		"reckon due --calendar " + huge + " --from 2026-12-23T16:00:00Z --target 1h": "longer than 16 MiB",
		"reckon deadlines " + huge: "longer than 16 MiB"} {
		if out, code := s.run("", words(args)...); code == 0 || !contains(out, say) {
			t.Errorf("%s: status %d: %s", args, code, out)
		}
	}
}

// The first person begins a desk, the service runs over it, and a case is filed there
// with a vendor that was entered from nothing.
func TestADeskFromNothing(t *testing.T) {
	t.Parallel()
	db := testdb.URL(t)
	s := &shell{t: t, home: t.TempDir()}
	for args, say := range map[string]string{"--role administrator --zone Moon/Sea": "not a known time zone",
		"--role handler": "an administrator"} {
		if out, code := s.run("a long enough one\n",
			append(words("person add ines@desk.example --name Ines --database "+db), words(args)...)...); code != 1 ||
			!contains(out, say) {
			t.Errorf("beginning with %s: %d %s", args, code, out)
		}
	}
	out, code := s.run("a long enough one\n", "person", "add", "ines@desk.example", "--name", "Ines Vik", "--role",
		"administrator", "--database", db, "--desk", "Saltmarsh Ferries", "--zone", "Pacific/Chatham")
	if code != 0 || !contains(out, "Ines Vik (administrator)") {
		t.Fatalf("the first person: %d %s", code, out)
	}
	if out, code = s.run("a long enough one\n", "person", "add", "b@desk.example", "--name", "B", "--database",
		db); code != 1 || !contains(out, "already") {
		t.Errorf("the second person past the service: %d %s", code, out)
	}
	address := freeAddress(t)
	cmd := exec.Command(binary, "serve", "--log", "json")
	rules := filepath.Join(s.home, "rules.yaml")
	if err := os.WriteFile(rules, []byte("words: [tunnussana]\npersonal_numbers: {national: '[0-9]{6}-[0-9]{5}'}\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	cmd.Env = append(os.Environ(), "ROUNDHOUSE_DATABASE="+db, "ROUNDHOUSE_LISTEN="+address, "ROUNDHOUSE_RULES="+rules)
	var log bytes.Buffer
	cmd.Stderr = &log
	ended, err := child.Start(cmd, syscall.SIGKILL)
	if err != nil {
		t.Fatal(err)
	}
	signedIn := false
	for range 200 {
		if out, code = s.run("a long enough one\n", "login", "http://"+address, "--email",
			"ines@desk.example"); code == 0 {
			signedIn = true
			break
		}
		<-time.After(50 * time.Millisecond)
	}
	if !signedIn {
		t.Fatalf("%s\n%s", out, &log)
	}
	s.ok(words("case list"), "No matching cases")
	if kinds := scanned(t, "http://"+address, words(s.ok(words("token add rules"), "rht_"))[0],
		"Tunnussana: majakka88\n120488-31234"); kinds != "password personal-number " {
		t.Errorf("by rules of our own, found %s", kinds)
	}
	s.ok(words("policy show"), "Saltmarsh Ferries", "Our answer", "round-the-clock", "our-desk")
	s.ok(words("calendar list"), "our-desk", "Pacific/Chatham", "round the clock")
	file := filepath.Join(s.home, "ferrous.yaml")
	if err := os.WriteFile(file, []byte(strings.ReplaceAll(ferrous, "ragna@saltmarsh.example", "ines@desk.example")),
		0o600); err != nil {
		t.Fatal(err)
	}
	s.ok(words("vendor add --from "+file), "Ferrous Payments, ferrous")
	s.ok(words("vendor show ferrous"), "only by phone", "with the merchant")
	s.ok([]string{"product", "add", "--vendor", "ferrous", "--name", "Gate terminal", "--version", "4.1=2027-06-30",
		"--version", "4.2"}, "4.1, supported until 2027-06-30", "4.2")
	s.ok(words("account add --vendor ferrous --number 4411-0098"), "4411-0098")
	s.ok(append(words("contract add --vendor ferrous --number FP-1 --starts 2026-01-01 --ends 2099-12-31 "+
		"--everything --term"), "first-response 2 4h our-desk"), "FP-1", "4 hours")
	s.ok([]string{"asset", "add", "--vendor", "ferrous", "--product", "Gate terminal", "--version", "4.1", "--serial",
		"GT-09-117", "--name", "Terminal north"}, "Covered by FP-1 until 2099-12-31")
	s.ok([]string{"case", "open", "Cards refused", "--asset", "gt09117", "--environment", "production", "--effect",
		"degraded", "--reach", "few", "--workaround", "costly", "--happened", "Each third card", "--file", "--by", "portal"},
		"To be sent by you to Ferrous Payments, on the portal", "https://help.ferrous.example/new",
		"  Terminal number: GT-09-117", "roundhouse case sent C-1001")
	s.ok(words("today"), "To be sent by you, on the portal", "1 not delivered yet")
	if out, code = s.run("", "case", "sent", "C-1001", "--reference", "9"); code != 4 ||
		!contains(out, "does not look like a reference of Ferrous Payments") {
		t.Errorf("a number that is none: %d %s", code, out)
	}
	s.ok(words("case sent C-1001"), "Filed, severity 3")
	if out, code = s.run("", "case", "sent", "C-1001"); code != 4 ||
		!contains(out, "you have nothing more to send in C-1001",
			"roundhouse case reference C-1001 VENDOR-REFERENCE") {
		t.Errorf("sent twice: %d %s", code, out)
	}
	s.ok(words("case reference C-1001 FE-20417"), "Open, severity 3")
	s.ok([]string{"case", "call", "C-1001", "--by", "portal", "--with", "Ishaan Rao", "--status", "with the merchant",
		"--text", "Which firmware?"}, "is saved.")
	s.ok([]string{"case", "reply", "C-1001", "--text", "4.1", "--by", "phone"},
		"is to be sent by you to Ferrous Payments, by phone")
	s.ok(words("case show fe20417"), "with the merchant", "waiting on us", "by phone", "on the portal")
	_ = cmd.Process.Signal(syscall.SIGTERM)
	if <-ended; !cmd.ProcessState.Success() {
		t.Errorf("stopping: %v", cmd.ProcessState)
	}
	if !contains(log.String(), `"request":`, `"msg":"stopped"`) || contains(log.String(), "a long enough one") ||
		contains(log.String(), "rht_") {
		t.Errorf("the log:\n%s", &log)
	}
}

// scanned are the kinds of what a service finds in a text.
func scanned(t *testing.T, at, token, text string) (kinds string) {
	t.Helper()
	c, err := client.New(at, token)
	if err != nil {
		t.Fatal(err)
	}
	var found clientgen.Scanned
	if _, err := c.Do(t.Context(), "POST", "/scan", clientgen.ScanRequest{Text: text}, nil, &found); err != nil {
		t.Fatal(err)
	}
	for _, f := range found.Findings {
		kinds += string(f.Kind) + " "
	}
	return kinds
}
