package app

import (
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strings"
	"testing"
	"time"
)

func TestWhen(t *testing.T) {
	t.Parallel()
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 10, 24, 8, 0, 0, 0, time.UTC) // the day before the clocks go back
	for s, want := range map[string]string{
		"2026-12-01T08:00:00Z":      "2026-12-01T08:00:00Z",
		"2026-12-01T08:00:00-05:00": "2026-12-01T13:00:00Z",
		"2026-12-01 08:00":          "2026-12-01T07:00:00Z",
		"2026-07-01T08:00":          "2026-07-01T06:00:00Z",
		"2026-12-01":                "2026-11-30T23:00:00Z",
		"90m":                       "2026-10-24T09:30:00Z",
		"20m ago":                   "2026-10-24T07:40:00Z",
		"1d":                        "2026-10-25T09:00:00Z", // the same time of day there, 25 hours on
		"2d ago":                    "2026-10-22T08:00:00Z",
	} {
		got, err := when(s, now, oslo)
		if err != nil || got.UTC().Format(time.RFC3339) != want {
			t.Errorf("%q is %v, want %s; %v", s, got, want, err)
		}
	}
	for _, s := range []string{"tomorrow", "2026-13-01", "2026-12-01 8", "d", "ago", "10"} {
		if got, err := when(s, now, oslo); err == nil || !strings.Contains(err.Error(), "Europe/Oslo") {
			t.Errorf("%q is %v, %v", s, got, err)
		}
	}
}

// The zone is the one that is named, else the person's own, else this machine's; a name that is none is said.
func TestWhoseZone(t *testing.T) {
	asked := 0
	own := "Asia/Singapore"
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		asked++
		_ = json.NewEncoder(w).Encode(map[string]any{"person": map[string]any{"name": "Ragna Lie", "zone": own}})
	}))
	defer s.Close()
	t.Setenv("ROUNDHOUSE_TOKEN", "rht_word")
	zone := func(named string) string {
		t.Helper()
		a := &App{URL: s.URL, ZoneName: named}
		z, err := a.Zone(t.Context())
		if err != nil {
			if again, err := a.Zone(t.Context()); err == nil {
				t.Errorf("asked again, the zone is %s", again)
			}
			return err.Error()
		}
		again, err := a.Zone(t.Context())
		if err != nil || again != z {
			t.Errorf("asked again: %v %v", again, err)
		}
		return z.String()
	}
	if got := zone("America/Lima"); got != "America/Lima" || asked != 0 {
		t.Errorf("named: %s, asked %d times", got, asked)
	}
	if got := zone(""); got != "Asia/Singapore" || asked != 1 {
		t.Errorf("the person's: %s, asked %d times", got, asked)
	}
	if own = "Nowhere/Land"; zone("") != time.Local.String() {
		t.Errorf("a zone that is not known here: %s", zone(""))
	}
	if got := zone("Europe/Moon"); !strings.Contains(got, `"Europe/Moon" is not a known time zone`) {
		t.Error(got)
	}
}

// What was written and refused is kept where only its writer can read it, and the error says how to send it.
func TestWhatWasWrittenIsKept(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("TMPDIR", dir)
	why := errors.New("the case has changed")
	err := KeepText("happened", "Three lines\nof it,\nall kept.", why)
	if !errors.Is(err, why) {
		t.Errorf("%v", err)
	}
	file := regexp.MustCompile(`kept in (\S+):`).FindStringSubmatch(err.Error())
	if file == nil || !strings.Contains(err.Error(), "--happened - < "+file[1]) {
		t.Fatal(err)
	}
	kept, readErr := os.ReadFile(file[1])
	if info, statErr := os.Stat(file[1]); readErr != nil || statErr != nil ||
		string(kept) != "Three lines\nof it,\nall kept." ||
		info.Mode().Perm() != 0o600 {
		t.Errorf("%q %v %v", kept, readErr, info)
	}
	t.Setenv("TMPDIR", filepath.Join(dir, "not there"))
	if err := KeepText("text", "All of it.", why); !errors.Is(err, why) || !strings.HasSuffix(err.Error(), "All of it.") {
		t.Errorf("with nowhere to keep it: %v", err)
	}
}

// A text comes from the flag, from standard input, or from the editor; an editor that fails or says nothing sends
// nothing.
func TestWhereATextComesFrom(t *testing.T) {
	a := &App{Stdin: strings.NewReader("  from outside \n\n"), Stdout: io.Discard, Stderr: io.Discard}
	if got, err := a.ReadText("given", ""); err != nil || got != "given" {
		t.Errorf("%q %v", got, err)
	}
	if got, err := a.ReadText("-", ""); err != nil || got != "from outside" {
		t.Errorf("%q %v", got, err)
	}
	for editor, want := range map[string]string{"": "set EDITOR", "false": "", "true": "nothing was written"} {
		t.Setenv("EDITOR", editor)
		if got, err := a.ReadText("", "C-1  Title"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("EDITOR=%q gives %q, %v", editor, got, err)
		}
	}
}

// Numbers stay numbers, however long, however deep.
func TestNumbered(t *testing.T) {
	t.Parallel()
	d := json.NewDecoder(strings.NewReader(`{"a": 9007199254740993, "b": [1, 2.5, "3"], ` +
		`"c": {"d": -4, "e": null, "f": true}}`))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		t.Fatal(err)
	}
	want := map[string]any{"a": int64(9007199254740993), "b": []any{int64(1), 2.5, "3"},
		"c": map[string]any{"d": int64(-4), "e": nil, "f": true}}
	if got := numbered(v); !reflect.DeepEqual(got, want) {
		t.Errorf("%#v", got)
	}
	if !sameJSON(map[string]any{"a": 1, "b": 2}, map[string]any{"b": 2.0, "a": 1}) || sameJSON("1", 1) {
		t.Error("what is the same in JSON is told apart, or a text taken for a number")
	}
}
