package ical_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"

	"roundhouse.example/internal/core/agenda"
	"roundhouse.example/internal/ical"
)

var noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

// What is written is read back the same, in lines of the length and with the ends that RFC 5545 wants, whatever is in a
// title.
func TestWrite(t *testing.T) {
	t.Parallel()
	title := "Åse; says, \"no\" \\ and\nagain · " + strings.Repeat("ø", 120)
	events := []agenda.Event{{UID: "case-1-item-2", Sequence: 9, Kind: "visit", Start: noon, End: noon.Add(time.Hour),
		Title: title, Details: []string{"Vendor: A", "Who: B"}, Where: "Dock 2", Case: 1042, Alarm: 15 * time.Minute,
		Changed: noon}, {UID: "case-1-item-3", Kind: "promise", Start: noon, End: noon, Title: "B", Cancelled: true,
		Alarm: time.Hour}, {UID: "contract-ends-4", Kind: agenda.Ends, Start: noon.Truncate(24 * time.Hour),
		End: noon.Truncate(24*time.Hour).AddDate(0, 0, 1), AllDay: true, Title: "C"}}
	body := ical.Write(events, ical.Options{Name: "My phone", Desk: "d1", Refresh: 15 * time.Minute,
		Console: "https://desk.example", Now: noon})
	for _, line := range bytes.Split(body, []byte("\r\n")) {
		if len(line) > 75 || bytes.Contains(line, []byte("\n")) {
			t.Errorf("a line of %d bytes: %q", len(line), line)
		}
	}
	c, err := ics.ParseCalendar(bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	list := c.Events()
	if len(list) != 3 {
		t.Fatalf("%d events", len(list))
	}
	get := func(n int, p ics.ComponentProperty) string {
		if x := list[n].GetProperty(p); x != nil {
			return x.Value
		}
		return ""
	}
	start, err := list[0].GetStartAt()
	if err != nil || !start.Equal(noon) || get(0, ics.ComponentPropertySummary) != title ||
		get(0, ics.ComponentPropertyUniqueId) != "case-1-item-2@d1.roundhouse" ||
		get(0, ics.ComponentPropertySequence) != "9" ||
		get(0, ics.ComponentPropertyUrl) != "https://desk.example/cases/C-1042" {
		t.Errorf("%s %v: %q", start, err, get(0, ics.ComponentPropertySummary))
	}
	for part, n := range map[string]int{"BEGIN:VALARM": 1, "TRIGGER:-PT15M": 1, "STATUS:CANCELLED": 1,
		"DTSTART;VALUE=DATE:20261130": 1, "DTEND;VALUE=DATE:20261201": 1, "METHOD:PUBLISH": 1, "X-WR-CALNAME:My phone": 1,
		"REFRESH-INTERVAL;VALUE=DURATION:PT15M": 1} {
		if got := bytes.Count(body, []byte(part)); got != n {
			t.Errorf("%s is there %d times, not %d:\n%s", part, got, n, body)
		}
	}
}

// An invitation says who invites whom; a cancelled one reminds nobody.
func TestInvitation(t *testing.T) {
	t.Parallel()
	e := agenda.Event{UID: "case-1-item-2", Kind: "callback", Start: noon, End: noon.Add(time.Hour), Title: "They call",
		Alarm: time.Hour, Case: 1042}
	for method, want := range map[ics.Method][]string{ical.Request: {"METHOD:REQUEST", "STATUS:CONFIRMED", "BEGIN:VALARM"},
		ical.Cancel: {"METHOD:CANCEL", "STATUS:CANCELLED"}} {
		body := string(ical.Write([]agenda.Event{e}, ical.Options{Now: noon, Desk: "d1", Method: method,
			Organizer: "desk@saltmarsh.example", Attendees: []string{"emil@saltmarsh.example"}}))
		body = strings.ReplaceAll(body, "\r\n ", "")
		want = append(want, "ORGANIZER:mailto:desk@saltmarsh.example", "mailto:emil@saltmarsh.example", "RSVP=true",
			"PARTSTAT=NEEDS-ACTION")
		for _, w := range want {
			if !strings.Contains(body, w) {
				t.Errorf("%s lacks %s:\n%s", method, w, body)
			}
		}
		if method == ical.Cancel && strings.Contains(body, "VALARM") {
			t.Error("a cancelled one reminds of itself")
		}
	}
}

// Many events are written in their order, each once, between one beginning and one end.
func TestWriteMany(t *testing.T) {
	t.Parallel()
	for _, n := range []int{0, 1, 499, 500, 501, 2300} {
		events := make([]agenda.Event, n)
		for i := range events {
			events[i] = agenda.Event{UID: fmt.Sprintf("case-%d", i), Kind: "promise", Start: noon, End: noon, Title: "A"}
		}
		body := ical.Write(events, ical.Options{Desk: "d1", Now: noon})
		c, err := ics.ParseCalendar(bytes.NewReader(body))
		if err != nil || len(c.Events()) != n || bytes.Count(body, []byte("VCALENDAR\r\n")) != 2 ||
			!bytes.HasSuffix(body, []byte("END:VCALENDAR\r\n")) {
			t.Fatalf("%d events: %v, %d read", n, err, len(c.Events()))
		}
		for i, e := range c.Events() {
			if want := events[i].UID + "@d1.roundhouse"; e.Id() != want {
				t.Fatalf("%d events: event %d is %s, want %s", n, i, e.Id(), want)
			}
		}
	}
}
