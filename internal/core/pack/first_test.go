package pack

import (
	"reflect"
	"strings"
	"testing"
)

// A pack of the first format says what one of today's says in other words, and what is wrong with it is told at its
// own lines.
func TestAPackOfTheFirstFormatComesIn(t *testing.T) {
	const file = `vendor_pack: 2
vendor:
  key: ferrous
  name: Ferrous Payments
  zone: Asia/Kolkata
  hours: days
  levels:
    - {label: Dark, severities: [1, 2], channels: [email]}
    - {label: Dim, severities: [3, 4]}
  ways:
    - {channel: email, address: desk@ferrous.example}
    - {channel: phone, address: +44 1632 960 055}
  people:
    - {name: Ishaan Rao, email: ishaan@ferrous.example}
  takes: [fault, order, work]
  forms:
    - {kind: order, key: cost_centre, label: Cost centre, type: text}
    - {kind: work, key: window, label: When, type: text}
  usual_terms:
    - {deadline: first-response, level: 1, target: 1h, calendar: days, kind: work, channel: email}
calendars:
  days: {zone: Asia/Kolkata, week: {mon: ["09:00-18:00"]}}
`
	now, findings := Read([]byte(file))
	if len(findings) > 0 {
		t.Fatal(findings)
	}
	first := strings.NewReplacer("vendor_pack: 2", "vendor_pack: 1", "channels: [email]", "channels: [mail]",
		"channel: email", "channel: mail", ", email: ", ", mail: ", "order, work", "purchase, task",
		"kind: order", "kind: purchase", "kind: work", "kind: task").Replace(file)
	was, findings := Read([]byte(first))
	if len(findings) > 0 || !reflect.DeepEqual(was, now) {
		t.Errorf("of the first format: %v\n%+v, want\n%+v", findings, was, now)
	}
	if out, err := was.Write(); err != nil || !strings.Contains(string(out), "vendor_pack: 2") {
		t.Errorf("it goes out as %s, %v", out, err)
	}
	_, findings = Read([]byte(strings.Replace(first, "mail: ishaan@", "mail: ishaan at ", 1)))
	if len(findings) != 1 || findings[0].Line != 14 || findings[0].Field != "vendor.people[0].email" {
		t.Errorf("a bad address: %v", findings)
	}
	for _, old := range []string{"channel: mail", "takes: [purchase]", "{name: A, mail: a@b.example}"} {
		if _, findings := Read([]byte(strings.NewReplacer("channel: email", old, "takes: [fault, order, work]", old,
			"{name: Ishaan Rao, email: ishaan@ferrous.example}", old).Replace(file))); len(findings) == 0 {
			t.Errorf("%s is taken in the second format", old)
		}
	}
}
