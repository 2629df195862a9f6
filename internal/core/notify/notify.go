// Package notify decides who is told of what happens on a case, why, and when an email of it may go, by docs/rules.md,
// section 8.
//
//	whom := notify.Whom(notify.Event{Kind: notify.Late, Severity: 1, Owner: 7}, known)
//	settings.EmailAt(at, 1)
//
// Instants are whole seconds since 1970-01-01T00:00:00Z.
package notify

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/calendar"
)

// Kind is what a notification is about.
type Kind string

// The kinds.
const (
	Soon    Kind = "due-soon"   // a deadline or date comes due soon
	Due     Kind = "due"        // it is due now
	Late    Kind = "still-late" // it is late, and nobody has reacted
	Message Kind = "message"    // the vendor has written
	Unread  Kind = "unread"     // nobody has read what the vendor wrote
	Hands   Kind = "hands"      // another owner, or another contact at the vendor
	Mention Kind = "mention"    // a note names the person
)

// Kinds are all of them, in the order in which they are shown.
var Kinds = []Kind{Soon, Due, Late, Message, Unread, Hands, Mention}

// Again says whether a kind is told a second time, when nobody has reacted.
func (k Kind) Again() bool { return k == Late || k == Unread }

// Then is what is told when nobody has reacted; empty: nothing more.
func (k Kind) Then() Kind {
	switch k {
	case Due:
		return Late
	case Message:
		return Unread
	}
	return ""
}

// Because is why a person is told.
type Because string

// The reasons, the strongest first: a person is told once, for the strongest.
const (
	Named    Because = "mentioned"
	Owns     Because = "owner"
	Owes     Because = "yours" // the date is the person's own
	OnRota   Because = "rota"
	Watches  Because = "watching"
	NoOwner  Because = "no-owner"   // a lead, as nobody owns the case
	Reminded Because = "unanswered" // a lead, as nobody has reacted
)

// Event is what somebody may be told of. Persons are ids; 0 is nobody.
type Event struct {
	Kind     Kind
	Severity int   // 0: not graded yet
	Owner    int64 // of the case, after the event
	Whose    int64 // the person whose date it is
	Actor    int64 // who did it, and is not told
	// Mentioned are named in the note, for a Mention.
	Mentioned []int64
}

// Known is who might be told beside the owner.
type Known struct {
	Watching []int64 // the case, its vendor or its severity
	Rota     int64   // who is on the rota now
	Leads    []int64 // who answers for the desk
}

// Told is somebody to tell, and why.
type Told struct {
	Person  int64
	Because Because
}

// Whom is who is told of an event, each once: of a mention those named, else the owner, whose date it is, those who
// watch, for severity 1 who is on the rota, and the leads where there is no owner or nobody has reacted. Who did it
// is never told.
func Whom(e Event, k Known) (out []Told) {
	add := func(because Because, persons ...int64) {
		for _, p := range persons {
			if p != 0 && p != e.Actor && !slices.ContainsFunc(out, func(t Told) bool { return t.Person == p }) {
				out = append(out, Told{p, because})
			}
		}
	}
	if e.Kind == Mention {
		add(Named, e.Mentioned...)
		return out
	}
	add(Owns, e.Owner)
	add(Owes, e.Whose)
	if e.Severity == 1 {
		add(OnRota, k.Rota)
	}
	add(Watches, k.Watching...)
	if e.Owner == 0 {
		add(NoOwner, k.Leads...)
	}
	if e.Kind.Again() {
		add(Reminded, k.Leads...)
	}
	return out
}

// Way is how a person is told of a kind.
type Way string

// The ways. Each has those before it too.
const (
	Off     Way = "off"
	Console Way = "console"
	Email   Way = "email" // and in the console
)

// Ways are all of them.
var Ways = []Way{Off, Console, Email}

// Gather is how long an email waits for more to tell, in seconds: nobody gets one for each line.
const Gather = 60

// Settings are what a person wants to be told, and how. The zero value tells everything by email at once.
type Settings struct {
	Ways map[Kind]Way // what is missing is Email
	// QuietFrom and QuietTo are wall times such as "22:00" in Zone, between which no email goes; both empty: at any time.
	QuietFrom, QuietTo string
	// QuietAlways keeps emails of severity 1 back too.
	QuietAlways bool
	// Digest is the wall time in Zone at which a digest is emailed each day; empty: never.
	Digest string
	Zone   string // IANA; empty: UTC
}

// Way is how the person is told of a kind.
func (s Settings) Way(k Kind) Way {
	if w, ok := s.Ways[k]; ok {
		return w
	}
	return Email
}

// ErrBoth is returned where only one end of the quiet hours is given.
var ErrBoth = errors.New("give both the beginning and the end of the quiet hours, or neither")

// Quiet are the quiet hours as a calendar: it is open while they last. It is nil where there are none.
func (s Settings) Quiet() (*calendar.Calendar, error) {
	switch {
	case s.QuietFrom == "" && s.QuietTo == "":
		return nil, nil
	case s.QuietFrom == "" || s.QuietTo == "":
		return nil, ErrBoth
	case s.QuietFrom == s.QuietTo:
		return nil, errors.New("quiet hours that end when they begin leave no time for any email")
	}
	for _, at := range []string{s.QuietFrom, s.QuietTo} {
		if _, _, err := clock(at); err != nil {
			return nil, err
		}
	}
	week := map[string][]string{}
	for _, day := range []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"} {
		week[day] = []string{s.QuietFrom + "-" + s.QuietTo}
	}
	return calendar.New(calendar.Definition{Zone: s.Zone, Week: week})
}

// EmailAt is when an email of what is told at an instant may go: after a minute in which more is gathered, or when the
// quiet hours have ended. Severity 1 does not wait for that, unless the person wants it to.
func (s Settings) EmailAt(at int64, severity int) int64 {
	at += Gather
	quiet, err := s.Quiet()
	if err != nil || quiet == nil || severity == 1 && !s.QuietAlways {
		return at
	}
	if now, until, ok := quiet.Open(at); now && ok {
		return until
	}
	return at
}

// NextDigest is when the next digest after an instant goes, in UTC; the zero time where none does. At a wall time that
// the zone's clocks leave out it goes an hour later.
func (s Settings) NextDigest(after time.Time) (time.Time, error) {
	if s.Digest == "" {
		return time.Time{}, nil
	}
	hour, minute, err := clock(s.Digest)
	if err != nil {
		return time.Time{}, err
	}
	loc, err := time.LoadLocation(s.Zone)
	if err != nil {
		return time.Time{}, err
	}
	for day := 0; ; day++ {
		local := after.In(loc)
		at := time.Date(local.Year(), local.Month(), local.Day()+day, hour, minute, 0, 0, loc)
		if at.After(after) {
			return at.UTC(), nil
		}
	}
}

// Check says what is wrong with settings, by field; nil: nothing.
func (s Settings) Check() (field string, err error) {
	for _, k := range slices.Sorted(maps.Keys(s.Ways)) {
		if !slices.Contains(Kinds, k) {
			return "ways", fmt.Errorf("%.40q is not a kind of notification: use %s", k, list(Kinds))
		}
		if !slices.Contains(Ways, s.Ways[k]) {
			return "ways." + string(k), fmt.Errorf("%.40q is not a way to be notified: use %s", s.Ways[k], list(Ways))
		}
	}
	if _, err := s.Quiet(); err != nil {
		return "quiet_from", err
	}
	if _, err := s.NextDigest(time.Unix(0, 0)); err != nil {
		return "digest_at", err
	}
	return "", nil
}

// list writes words for an error: a, b or c.
func list[T ~string](of []T) string {
	words := make([]string, len(of))
	for i, w := range of {
		words[i] = string(w)
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}

func clock(s string) (hour, minute int, err error) {
	t, err := time.Parse("15:04", s)
	if err != nil || len(s) != 5 {
		return 0, 0, fmt.Errorf("%.20q is not a time of day: write it like 07:30", s)
	}
	return t.Hour(), t.Minute(), nil
}

// Person is somebody whom a note can mention.
type Person struct {
	ID          int64
	Name, Email string
}

// Mentions are those whom a text mentions: an @ and a full name, the part of the email address before its @, or a first
// name that only one of them has, in any case. An @ within a word, as in an email address, mentions nobody.
func Mentions(text string, people []Person) (out []int64) {
	lower := strings.ToLower(text)
	first := map[string]int{}
	for _, p := range people {
		first[firstName(p.Name)]++
	}
	for at := range lower {
		if lower[at] != '@' || at > 0 && within(lower[:at]) {
			continue
		}
		rest, longest, who := lower[at+1:], 0, int64(0)
		for _, p := range people {
			local, _, _ := strings.Cut(strings.ToLower(p.Email), "@")
			names := []string{strings.ToLower(p.Name), local}
			if f := firstName(p.Name); first[f] == 1 {
				names = append(names, f)
			}
			for _, n := range names {
				if len(n) > longest && strings.HasPrefix(rest, n) && !begins(rest[len(n):]) {
					longest, who = len(n), p.ID
				}
			}
		}
		if who != 0 && !slices.Contains(out, who) {
			out = append(out, who)
		}
	}
	return out
}

func firstName(name string) string {
	f, _, _ := strings.Cut(strings.ToLower(name), " ")
	return f
}
