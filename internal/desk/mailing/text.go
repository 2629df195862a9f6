package mailing

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/digest"
	desknotify "roundhouse.example/internal/desk/notify"
	"roundhouse.example/internal/desk/today"
	notifydb "roundhouse.example/internal/store/notify"
)

func settings(s notifydb.Settings, zone string) notify.Settings {
	return notify.Settings{Digest: s.DigestAt, Zone: zone}
}

// told is the email of what somebody is told: one line names it, many are by case, those with the most severe first.
func (d *Mailing) told(rows []notifydb.Row, zone *time.Location) (subject, body string) {
	var b strings.Builder
	if len(rows) > 1 {
		fmt.Fprintf(&b, "%s, times in %s.\n\n", desk.Count(len(rows), "notification", "notifications"), zone)
	}
	byCase := slices.Clone(rows)
	slices.SortStableFunc(byCase, func(a, b notifydb.Row) int {
		if s := rank(a.Severity) - rank(b.Severity); s != 0 {
			return s
		}
		return int(a.Number - b.Number)
	})
	last := int64(0)
	for _, r := range byCase {
		if r.Number != last {
			if last != 0 {
				b.WriteString("\n")
			}
			last = r.Number
			fmt.Fprintf(&b, "%s %s\n", casework.Name(r.Number), r.Title)
			fmt.Fprintf(&b, "%s%s\n", r.Vendor, severity(r.Severity))
			if page := d.page("/cases/" + casework.Name(r.Number)); page != "" {
				b.WriteString(page + "\n")
			}
		}
		fmt.Fprintf(&b, "- %s, %s%s (%s)\n", head(r), at(r.HappenedAt, zone), late(r),
			words.Inline(words.Reasons.Of(string(r.Because))))
		if said := oneLine(r.What); fromVendor(r) && said != "" {
			b.WriteString("  " + said + "\n")
		}
	}
	b.WriteString("\nYou choose what you are told, and how: ")
	if page := d.page("/notifications"); page != "" {
		b.WriteString(page + "\n")
	} else {
		b.WriteString("roundhouse notifications settings\n")
	}
	return subjectOf(rows), b.String()
}

// subjectOf begins with the case where there is one, so that a list of emails can be read down its left side.
func subjectOf(rows []notifydb.Row) string {
	first := rows[0]
	what := counts(rows)
	if len(rows) == 1 {
		what = head(first)
	}
	if slices.ContainsFunc(rows, func(r notifydb.Row) bool { return r.Number != first.Number }) {
		return fmt.Sprintf("%d notifications: %s", len(rows), what)
	}
	return casework.Name(first.Number) + " " + what + " · " + first.Title
}

func rank(severity int) int {
	if severity == 0 {
		return 9
	}
	return severity
}

func severity(s int) string {
	if s == 0 {
		return ""
	}
	return fmt.Sprintf(", severity %d %s", s, words.Severities.Of(fmt.Sprint(s)))
}

// fromVendor says whether it is about what the vendor wrote.
func fromVendor(r notifydb.Row) bool { return r.Kind == notify.Message || r.Kind == notify.Unread }

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

// head is what a notification is about, in a few words. A note stays inside: of a mention only the case is told.
func head(r notifydb.Row) string {
	kind := words.Notifications.Of(string(r.Kind))
	switch {
	case r.Kind == notify.Mention, fromVendor(r):
		return kind
	case r.Owed == deadline.Theirs:
		return kind + ": " + oneLine(r.What) + " from " + r.Vendor
	}
	return kind + ": " + oneLine(r.What)
}

func late(r notifydb.Row) string {
	if by := desknotify.ToldLate(r.Event); by > 0 {
		return ", told " + words.Span(int64(by.Seconds())) + " later"
	}
	return ""
}

// many is a number of one kind in words.
func many(n int, k notify.Kind) string {
	switch k {
	case notify.Message:
		return desk.Count(n, "message", "messages")
	case notify.Hands:
		return desk.Count(n, "new owner or vendor contact", "new owners or vendor contacts")
	case notify.Mention:
		return desk.Count(n, "mention", "mentions")
	}
	return fmt.Sprintf("%d %s", n, words.Inline(words.Notifications.Of(string(k))))
}

// counts says how many there are of each kind, in the order of the kinds.
func counts(rows []notifydb.Row) string {
	var parts []string
	for _, k := range notify.Kinds {
		n := 0
		for _, r := range rows {
			if r.Kind == k {
				n++
			}
		}
		if n > 0 {
			parts = append(parts, many(n, k))
		}
	}
	return strings.Join(parts, ", ")
}

// digestText is a digest as an email.
func (d *Mailing) digestText(g digest.Digest, zone *time.Location) (subject, body string) {
	subject = fmt.Sprintf("Digest: %d late, %d due by %s", len(g.Late), len(g.Due),
		g.Until.In(zone).Format("Mon 15:04"))
	var b strings.Builder
	fmt.Fprintf(&b, "Since %s. Times in %s.\n", at(g.Since, zone), zone)
	section := func(title, none string, n int) {
		fmt.Fprintf(&b, "\n%s\n", strings.ToUpper(title))
		if n == 0 {
			b.WriteString(none + "\n")
		}
	}
	due := func(list []today.Coming) {
		for _, m := range list {
			fmt.Fprintf(&b, "- %s: %s %s: %s (%s)\n", at(m.At, zone), casework.Name(m.Case), m.Title, m.What, owed(m))
		}
	}
	section("Late", "Nothing is late.", len(g.Late))
	due(g.Late)
	section("Due by "+at(g.Until, zone), "Nothing.", len(g.Due))
	due(g.Due)
	section("What happened", "Nothing.", len(g.Happened))
	for _, x := range g.Happened {
		fmt.Fprintf(&b, "- %s %s (%s): %s\n", casework.Name(x.Number), x.Title, x.Vendor, strings.Join(digest.News(x), ", "))
	}
	if g.MoreHappened {
		b.WriteString("- and more: roundhouse digest shows it\n")
	}
	section("Who has what", "There are no live cases.", len(g.Held))
	for _, h := range g.Held {
		name := h.Name
		if name == "" {
			name = "Nobody"
		}
		fmt.Fprintf(&b, "- %s: %d live, %d waiting on us, %d of severity 1 or 2, %d late\n", name, h.Live, h.OnUs, h.Severe,
			h.Late)
	}
	if page := d.page("/handover"); page != "" {
		b.WriteString("\n" + page + "\n")
	}
	return subject, b.String()
}

// owed says from whom a thing is due.
func owed(m today.Coming) string {
	if m.Owed == deadline.Theirs {
		return "from " + m.Vendor
	}
	return "from us, with " + m.Vendor
}
