// Package ical writes calendars as calendar programs take them: iCalendar (RFC 5545), and invitations by email (iTIP,
// RFC 5546).
package ical

import (
	"bytes"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	ics "github.com/arran4/golang-ical"

	"roundhouse.example/internal/core/agenda"
	"roundhouse.example/internal/core/words"
)

const producer = "-//Roundhouse//Desk//EN"

// Options say how a calendar is written. The zero value is a file of events.
type Options struct {
	// Name is that of a calendar which is followed, and Refresh how often a program should ask; empty and 0 for a file.
	Name    string
	Refresh time.Duration
	// Desk tells the events of one desk from those of another.
	Desk string
	// Console is the address of the console, without a slash at its end; empty where it is not known.
	Console string
	Now     time.Time
	// Method makes it an invitation, with who invites and who is invited, by email address.
	Method    ics.Method
	Organizer string
	Attendees []string
}

// The methods of invitations.
const (
	Request = ics.MethodRequest
	Cancel  = ics.MethodCancel
)

// Write writes events.
func Write(events []agenda.Event, o Options) []byte {
	c := ics.NewCalendarFor("Roundhouse")
	c.SetProductId(producer)
	c.SetMethod(ics.MethodPublish)
	if o.Method != "" {
		c.SetMethod(o.Method)
	}
	if o.Name != "" {
		c.SetXWRCalName(o.Name)
		c.SetName(o.Name)
	}
	if o.Refresh > 0 {
		text := fmt.Sprintf("PT%dM", int(o.Refresh/time.Minute))
		c.SetRefreshInterval(text)
		c.SetXPublishedTTL(text)
	}
	var b bytes.Buffer
	b.Grow(600 * (len(events) + 1))
	_ = c.SerializeTo(&b, ics.WithNewLineWindows) // a buffer takes everything
	b.Truncate(b.Len() - len(end))
	for _, part := range parts(events, o) {
		b.Write(part)
	}
	b.WriteString(end)
	return b.Bytes()
}

// end is how a calendar ends.
const end = "END:VCALENDAR\r\n"

// parts are the events as text, in their order. Many are written by as many hands as there are processors: a program
// that follows a great desk waits half as long.
func parts(events []agenda.Event, o Options) [][]byte {
	const each = 500 // fewer are not worth another hand
	form := &ics.SerializationConfiguration{MaxLength: 75, PropertyMaxLength: 75, NewLine: string(ics.WithNewLineWindows)}
	chunks := slices.Collect(slices.Chunk(events, each))
	out := make([][]byte, len(chunks))
	var all sync.WaitGroup
	hands := make(chan struct{}, runtime.GOMAXPROCS(0))
	for i, chunk := range chunks {
		hands <- struct{}{}
		all.Go(func() {
			defer func() { <-hands }()
			var b bytes.Buffer
			b.Grow(600 * len(chunk))
			for k := range chunk {
				_ = event(&chunk[k], o).SerializeTo(&b, form) // a buffer takes everything
			}
			out[i] = b.Bytes()
		})
	}
	all.Wait()
	return out
}

func event(e *agenda.Event, o Options) *ics.VEvent {
	v := ics.NewEvent(e.UID + "@" + o.Desk + ".roundhouse")
	v.Properties = append(make([]ics.IANAProperty, 0, 16), v.Properties...) // all that follows: growing costs as much
	v.SetDtStampTime(o.Now)
	if !e.Changed.IsZero() {
		v.SetModifiedAt(e.Changed)
	}
	v.SetSequence(int(e.Sequence))
	if e.AllDay {
		v.SetAllDayStartAt(e.Start)
		v.SetAllDayEndAt(e.End)
	} else {
		v.SetStartAt(e.Start)
		v.SetEndAt(e.End)
	}
	title := e.Title
	if e.Done {
		title = "Done: " + title
	}
	v.SetSummary(title)
	details := e.Details
	if e.Case != 0 && o.Console != "" {
		page := fmt.Sprintf("%s/cases/C-%d", o.Console, e.Case)
		v.SetURL(page)
		details = append(append([]string{}, details...), page)
	}
	if len(details) > 0 {
		v.SetDescription(strings.Join(details, "\n"))
	}
	if e.Where != "" {
		v.SetLocation(e.Where)
	}
	v.AddProperty(ics.ComponentPropertyCategories, words.Inline(words.Agenda.Of(string(e.Kind))))
	// What is due fills nobody's time; a shift and a visit do not block it either: they are watched, not attended.
	v.SetTimeTransparency(ics.TransparencyTransparent)
	v.SetStatus(ics.ObjectStatusConfirmed)
	if e.Cancelled || o.Method == Cancel {
		v.SetStatus(ics.ObjectStatusCancelled)
	}
	if o.Organizer != "" {
		v.SetTimeTransparency(ics.TransparencyOpaque)
		v.SetOrganizer("mailto:" + o.Organizer)
		for _, a := range o.Attendees {
			v.AddAttendee("mailto:"+a, ics.ParticipationRoleReqParticipant, ics.ParticipationStatusNeedsAction,
				ics.WithRSVP(true))
		}
	}
	if e.Alarm > 0 && !e.Cancelled && !e.Done && o.Method != Cancel {
		a := v.AddAlarm()
		a.SetAction(ics.ActionDisplay)
		a.SetDescription(title)
		a.SetTrigger(fmt.Sprintf("-PT%dM", max(1, int(e.Alarm/time.Minute))))
	}
	return v
}
