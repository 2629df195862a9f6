package files

import (
	"errors"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"
)

func TestName(t *testing.T) {
	for given, want := range map[string]string{
		"collector.log": "collector.log", "/var/log/collector.log": "collector.log", `C:\Users\asa\bill.pdf`: "bill.pdf",
		"../../etc/passwd": "passwd", "logs/": "logs", " a  b.txt ": "a  b.txt", "två fel.log": "två fel.log",
		"two\nlines\t.log": "twolines.log", "\x1b[2Jclear.log": "[2Jclear.log", "invoice\u202egnp.exe": "invoicegnp.exe",
		"a\u00a0b": "a b", "\xffbroken": "broken", ".profile": ".profile",
		"": "", ".": "", "..": "", "/": "", "  ": "", "a/..": "", "\u200b": "",
	} {
		got, err := Name(given)
		if got != want || (want == "") != errors.Is(err, ErrNoName) {
			t.Errorf("%q: %q, %v; want %q", given, got, err, want)
		}
	}
	long, _ := Name(strings.Repeat("æ", 150) + ".tar.gz")
	if len(long) > longest || !strings.HasSuffix(long, "æ.gz") {
		t.Errorf("a long name: %q, %d bytes", long, len(long))
	}
}

func FuzzName(f *testing.F) {
	f.Add("a/b\\c\x00.log")
	f.Fuzz(func(t *testing.T, given string) {
		name, err := Name(given)
		if err != nil {
			return
		}
		again, err := Name(name)
		if err != nil || again != name || len(name) > longest || !utf8.ValidString(name) ||
			strings.ContainsAny(name, "/\\") || strings.IndexFunc(name, unicode.IsControl) >= 0 || name == "." || name == ".." {
			t.Errorf("%q becomes %q, then %q (%v)", given, name, again, err)
		}
	})
}

func TestSize(t *testing.T) {
	for bytes, fits := range map[int64]bool{-1: false, 0: false, 1: true, Most: true, Most + 1: false} {
		if err := Size(bytes); (err == nil) != fits {
			t.Errorf("%d bytes: %v", bytes, err)
		}
	}
	for bytes, want := range map[int64]string{0: "0 bytes", 1: "1 byte", 1023: "1023 bytes", 1024: "1 kB", 1536: "1.5 kB",
		1<<20 - 1: "1 MB", 5 << 20: "5 MB", Most: "2 GB", 3 << 40: "3072 GB"} {
		if got := Bytes(bytes); got != want {
			t.Errorf("%d: %q, want %q", bytes, got, want)
		}
	}
}

func TestWhatAWayTakes(t *testing.T) {
	for _, x := range []struct {
		limit Limit
		name  string
		bytes int64
		says  string
	}{
		{Limit{}, "a.bin", Most, ""},
		{Limit{None: true}, "a.bin", 1, "cannot be sent that way"},
		{Limit{MB: 2}, "a.bin", 2 << 20, ""}, {Limit{MB: 2}, "a.bin", 2<<20 + 1, "at most 2 MB"},
		{Limit{Endings: []string{"log", ".ZIP"}}, "A.Zip", 1, ""}, {Limit{Endings: []string{"log"}}, "a.LOG", 1, ""},
		{Limit{Endings: []string{"log", ".ZIP", "png"}}, "a.tar.gz", 1, "only .log, .zip and .png"},
		{Limit{Endings: []string{"log"}}, "log", 1, "only .log that way"},
		{Limit{Endings: []string{"log", "support bundle"}}, "a.bin", 1, ""},
		{Limit{MB: 4, Together: true}, "a", 3<<20 + 1, "which is 3 MB of files"},
	} {
		if got := x.limit.Unlike(x.name, x.bytes); (x.says == "") != (got == "") || !strings.Contains(got, x.says) {
			t.Errorf("%+v, %s of %d bytes: %q, want %q", x.limit, x.name, x.bytes, got, x.says)
		}
	}
	if (Limit{MB: 4}).TooMuch(1<<40) != "" || (Limit{MB: 4, Together: true}).TooMuch(4<<20) == "" {
		t.Error("only what goes in one piece is limited together")
	}
}
