package phrasing

import (
	"fmt"
	"strings"
	"time"
)

// Standing is what a briefing says of a case: all of it may be read by management and users.
type Standing struct {
	Case, Title, Vendor, Reference string
	Severity                       string // ours, with its word
	State, Waiting                 string // in words; empty Waiting where the case has ended
	Impact                         []string
	Since                          string // when it began, as somebody wrote it
	Filed, WaitingSince, Now       int64
	Workaround                     bool // one was offered
	Summary                        string
	Outcome                        string
	Escalated                      []Raised
	Next                           string // what is to come
	NextDue                        int64  // 0 where no time is known
	Owner                          []string
	Zone                           *time.Location
}

// Briefing drafts a short status of a case for management and users, in English.
func Briefing(s Standing) string {
	d := draft{f: Facts{Zone: s.Zone}}
	line := func(format string, args ...any) { d.lines = append(d.lines, fmt.Sprintf(format, args...)) }
	line("%s %s", s.Case, s.Title)
	line("As of %s", d.time(s.Now))
	d.para()
	with := s.Vendor
	if s.Reference != "" {
		with += " (" + s.Reference + ")"
	}
	line("Vendor: %s", with)
	line("Severity: %s", s.Severity)
	if len(s.Impact) > 0 {
		line("Impact: %s", strings.Join(s.Impact, ", "))
	}
	if s.Since != "" {
		line("Since: %s", s.Since)
	}
	if s.Filed != 0 {
		line("With the vendor since: %s", d.time(s.Filed))
	}
	state := s.State
	if s.Waiting != "" {
		state += ", waiting on " + s.Waiting
		if s.WaitingSince != 0 {
			state += " since " + d.time(s.WaitingSince)
		}
	}
	line("State: %s", state)
	if s.Workaround {
		line("A workaround is available.")
	}
	for _, r := range s.Escalated {
		line("Escalated to: %s, on %s", r.Who, d.time(r.At))
	}
	for _, x := range []string{s.Summary, s.Outcome} {
		if x = strings.TrimSpace(x); x != "" {
			d.para()
			line("%s", x)
		}
	}
	if s.Next != "" {
		d.para()
		next := "Next: " + s.Next
		if s.NextDue != 0 {
			next += ", due " + d.time(s.NextDue)
		}
		line("%s", next)
	}
	d.f.Signed = s.Owner
	return d.signed()
}
