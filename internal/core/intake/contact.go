package intake

import (
	"net/mail"
	"strings"
	"time"

	"roundhouse.example/internal/core/words"
)

// Call is when we ask to be called. Wrong says what of it cannot be, and Asked whether a call is asked for at all.
func (t Texts) Call() (from, until time.Time, asked bool, wrong string) {
	if t.CallFrom == "" && t.CallUntil == "" {
		return from, until, false, ""
	}
	if t.CallFrom == "" || t.CallUntil == "" {
		return from, until, true, "give both its start and its end"
	}
	from, err := time.Parse(time.RFC3339, t.CallFrom)
	if err != nil {
		return from, until, true, "its start is not a time with a zone, like 2026-11-02T14:00:00+01:00"
	}
	if until, err = time.Parse(time.RFC3339, t.CallUntil); err != nil {
		return from, until, true, "its end is not a time with a zone, like 2026-11-02T15:00:00+01:00"
	}
	if !until.After(from) {
		return from, until, true, "it ends before it starts"
	}
	return from, until, true, ""
}

// Copies are the addresses to which an email to the vendor goes as well; wrong is the first that is none.
func (t Texts) Copies() (list []string, wrong string) {
	for s := range strings.FieldsFuncSeq(t.CopyTo, func(c rune) bool { return c == ',' || c == ';' || c == '\n' }) {
		if s = strings.TrimSpace(s); s == "" {
			continue
		}
		a, err := mail.ParseAddress(s)
		if err != nil {
			return list, s
		}
		list = append(list, a.Address)
	}
	return list, ""
}

// wrongContact is what keeps a case from being filed.
func (t Texts) wrongContact() (out []Need) {
	if _, _, _, why := t.Call(); why != "" {
		out = append(out, Need{Required: true, Field: "texts.call_from", Text: "The time for a callback: " + why})
	}
	if _, bad := t.Copies(); bad != "" {
		out = append(out, Need{Required: true, Field: "texts.copy_to",
			Text: "People to copy: " + bad + " is not an email address"})
	}
	return out
}

// contact is how the vendor reaches us, a line each.
func (s Story) contact() string {
	lines := []string{s.Contact}
	line := func(label, text string) {
		if text = strings.TrimSpace(text); text != "" {
			lines = append(lines, label+": "+text)
		}
	}
	if s.ContactBy != "" {
		line("Please reach us by", words.Inline(words.ContactWays.Of(s.ContactBy)))
	}
	line("Please call us", s.callback())
	line("Contact on site", strings.Join(strings.FieldsFunc(s.OnSite, func(c rune) bool { return c == '\n' }), ", "))
	line("Round the clock", s.ContactAlways)
	if list, _ := s.Copies(); len(list) > 0 {
		line("Please copy in", strings.Join(list, ", "))
	}
	return strings.TrimSpace(strings.Join(lines, "\n"))
}

// callback is when we ask to be called: in the vendor's time, then in ours where that differs.
func (s Story) callback() string {
	from, until, asked, wrong := s.Call()
	if !asked || wrong != "" {
		return ""
	}
	theirs, ours := window(from, until, s.VendorZone), window(from, until, s.Zone)
	if s.VendorZone == nil || s.Zone == nil || theirs == ours {
		return ours + " " + zoneName(s.Zone)
	}
	return theirs + " your time (" + ours + " " + zoneName(s.Zone) + ")"
}

func zoneName(z *time.Location) string {
	return orUTC(z).String()
}

// window is a span of time as a person reads it, its date once where it is one day.
func window(from, until time.Time, zone *time.Location) string {
	from, until = from.In(orUTC(zone)), until.In(orUTC(zone))
	const day, clock = "2 January 2006", "15:04"
	if from.Format(day) == until.Format(day) {
		return from.Format(day) + ", " + from.Format(clock) + " to " + until.Format(clock)
	}
	return from.Format(day+", "+clock) + " to " + until.Format(day+", "+clock)
}
