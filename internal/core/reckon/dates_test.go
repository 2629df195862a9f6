package reckon

import (
	"encoding/json"
	"strings"
	"testing"
)

const quietly = `{"id":"q","op":"deadlines","calendars":{"office":{"zone":"Europe/Oslo","week":{` +
	`"mon":["08:00-16:00"],"tue":["08:00-16:00"],"wed":["08:00-16:00"],"thu":["08:00-16:00"],"fri":["08:00-16:00"]}}},` +
	`"quiet":{"calendar":"office","1":"2h","2":"1bd","3":"3bd","4":"10bd"},"terms":[],` +
	`"history":[{"at":"2026-11-19T13:00:00+01:00","event":"filed","severity":2},EVENTS],"as_of":"2026-11-23T12:00:00Z"}`

func answered(t *testing.T, events string) (next string, items []string) {
	t.Helper()
	got, ok := new(Batch).Line([]byte(strings.NewReplacer(",EVENTS", events).Replace(quietly)))
	var a struct {
		Dated []ItemRow
		Next  *string
	}
	if !ok || json.Unmarshal(got, &a) != nil {
		t.Fatalf("%s\n -> %s", events, got)
	}
	if next = "null"; a.Next != nil {
		next = *a.Next
	}
	for _, x := range a.Dated {
		end := "live"
		if x.Ended != nil {
			end = *x.Ended
		}
		items = append(items, strings.Join([]string{x.Item, x.Kind, x.Owed, x.Standing, x.Set, x.Due, end}, " "))
	}
	return next, items
}

func TestDatesAndWhatIsNext(t *testing.T) {
	t.Parallel()
	const promise = `,{"at":"2026-11-20T09:00:00Z","event":"dated","item":"p","kind":"promise","owed":"theirs",` +
		`"due":"2026-11-24T09:00:00Z"}`
	for _, x := range []struct {
		events, next string
		items        string
	}{
		// One business day after the last word: from Thursday to Friday's last close; after Friday's word to Monday's.
		{"", "2026-11-20T15:00:00Z", ""},
		{`,{"at":"2026-11-20T09:00:00Z","event":"our-message"}`, "2026-11-23T15:00:00Z", ""},
		{`,{"at":"2026-11-20T09:00:00Z","event":"vendor-message","automatic":true}`, "2026-11-20T15:00:00Z", ""},
		{`,{"at":"2026-11-20T09:00:00Z","event":"severity","to":1}`, "2026-11-19T14:00:00Z", ""},
		// Parking does not stop it, but dates the case where it has an end.
		{`,{"at":"2026-11-20T09:00:00Z","event":"park"}`, "2026-11-20T15:00:00Z", ""},
		{`,{"at":"2026-11-20T09:00:00Z","event":"park","until":"2026-12-01T08:00:00Z"}`, "2026-12-01T08:00:00Z", ""},
		{`,{"at":"2026-11-20T09:00:00Z","event":"park","until":"2026-12-01T08:00:00Z"},` +
			`{"at":"2026-11-20T10:00:00Z","event":"park"}`, "2026-11-20T15:00:00Z", ""},
		// What is dated comes before the quiet limit, until it ends.
		{promise, "2026-11-24T09:00:00Z",
			"p promise theirs due-soon 2026-11-20T09:00:00Z 2026-11-24T09:00:00Z live"},
		{promise + `,{"at":"2026-11-20T10:00:00Z","event":"kept","item":"p"}`, "2026-11-20T15:00:00Z",
			"p promise theirs met 2026-11-20T09:00:00Z 2026-11-24T09:00:00Z 2026-11-20T10:00:00Z"},
		{promise + `,{"at":"2026-11-20T10:00:00Z","event":"moved","item":"p","due":"2026-11-21T09:00:00Z"}`,
			"2026-11-21T09:00:00Z",
			"p promise theirs replaced 2026-11-20T09:00:00Z 2026-11-24T09:00:00Z 2026-11-20T10:00:00Z; " +
				"p promise theirs late 2026-11-20T10:00:00Z 2026-11-21T09:00:00Z live"},
		{promise + `,{"at":"2026-11-20T10:00:00Z","event":"dropped","item":"p"}`, "2026-11-20T15:00:00Z",
			"p promise theirs void 2026-11-20T09:00:00Z 2026-11-24T09:00:00Z 2026-11-20T10:00:00Z"},
		{`,{"at":"2026-11-20T09:00:00Z","event":"raised","rung":2,"due":"2026-11-22T09:00:00Z"}`, "2026-11-22T09:00:00Z",
			"rung-2 escalation theirs late 2026-11-20T09:00:00Z 2026-11-22T09:00:00Z live"},
		{`,{"at":"2026-11-20T09:00:00Z","event":"raised","rung":2}`, "2026-11-20T15:00:00Z", ""},
		// After the end only what goes on asks for attention; what has not happened yet does not.
		{promise + `,{"at":"2026-11-20T10:00:00Z","event":"closed"}`, "null",
			"p promise theirs void 2026-11-20T09:00:00Z 2026-11-24T09:00:00Z 2026-11-20T10:00:00Z"},
		{strings.Replace(promise, "promise", "part-return", 1) + `,{"at":"2026-11-20T10:00:00Z","event":"closed"}`,
			"2026-11-24T09:00:00Z", "p part-return theirs due-soon 2026-11-20T09:00:00Z 2026-11-24T09:00:00Z live"},
		{strings.Replace(promise, "11-20", "11-29", 1), "2026-11-20T15:00:00Z", ""},
	} {
		next, items := answered(t, x.events)
		if next != x.next || strings.Join(items, "; ") != x.items {
			t.Errorf("%s\n next %s, want %s\n %q, want %q", x.events, next, x.next, items, x.items)
		}
	}
}

// The answer has the dates only where the question has some.
func TestDatesAreThereWhereTheyAreAskedFor(t *testing.T) {
	t.Parallel()
	const quiet = `"quiet":{"calendar":"office","1":"2h","2":"1bd","3":"3bd","4":"10bd"},`
	withoutQuiet := strings.Replace(quietly, quiet, "", 1)
	for _, x := range []struct{ in, want string }{
		{strings.Replace(withoutQuiet, ",EVENTS", "", 1), `{"id":"q","deadlines":[]}`},
		{strings.Replace(withoutQuiet, "EVENTS", `{"at":"2026-11-20T09:00:00Z","event":"kept","item":"x"}`, 1),
			`{"id":"q","deadlines":[],"dated":[],"next":null}`},
		{strings.Replace(withoutQuiet, "EVENTS", `{"at":"2026-12-20T09:00:00Z","event":"dropped","item":"x"}`, 1),
			`{"id":"q","deadlines":[],"dated":[],"next":null}`},
		{strings.Replace(quietly, ",EVENTS", "", 1),
			`{"id":"q","deadlines":[],"dated":[],"next":"2026-11-20T15:00:00Z"}`},
	} {
		if got, ok := new(Batch).Line([]byte(x.in)); !ok || string(got) != x.want {
			t.Errorf("%s\n -> %s\nwant %s", x.in, got, x.want)
		}
	}
}

func TestFaultsOfDatesSayWhere(t *testing.T) {
	t.Parallel()
	event := func(rest string) string {
		return strings.Replace(quietly, "EVENTS", `{"at":"2026-11-20T09:00:00Z",`+rest+`}`, 1)
	}
	for _, x := range []struct{ in, say string }{
		{event(`"event":"dated","kind":"ask","owed":"ours","due":"2026-11-20T09:00:00Z"`), "history[1]: item is missing"},
		{event(`"event":"dated","item":"","kind":"ask","owed":"ours","due":"2026-11-20T09:00:00Z"`), "item is missing"},
		{event(`"event":"dated","item":"a","kind":"closing","owed":"ours","due":"2026-11-20T09:00:00Z"`), "closing"},
		{event(`"event":"dated","item":"a","owed":"ours","due":"2026-11-20T09:00:00Z"`), "kind"},
		{event(`"event":"dated","item":"a","kind":"ask","due":"2026-11-20T09:00:00Z"`), "owed is missing"},
		{event(`"event":"dated","item":"a","kind":"ask","owed":"us","due":"2026-11-20T09:00:00Z"`), "owed"},
		{event(`"event":"dated","item":"a","kind":"ask","owed":"ours"`), "due is missing"},
		{event(`"event":"dated","item":"a","kind":"ask","owed":"ours","due":"2026-11-20T09:00:00"`), "due"},
		{event(`"event":"moved","item":"a"`), "due is missing"}, {event(`"event":"kept"`), "item is missing"},
		{event(`"event":"kept","item":"a","due":"2026-11-20T09:00:00Z"`), "due"},
		{event(`"event":"raised"`), "rung is missing"}, {event(`"event":"raised","rung":0`), "from 1"},
		{event(`"event":"park","until":"soon"`), "until"},
		{strings.Replace(quietly, `"3":"3bd",`, "", 1), "quiet: 3 is missing"},
		{strings.Replace(quietly, `"3bd"`, `"none"`, 1), "quiet: 3"},
		{strings.Replace(quietly, `"3bd"`, `"soon"`, 1), "quiet: 3"},
		{strings.Replace(quietly, `"quiet":{"calendar":"office"`, `"quiet":{"calendar":"ofice"`, 1), "ofice"},
		{strings.Replace(quietly, `"4":"10bd"`, `"4":"10bd","5":"1d"`, 1), `5`},
	} {
		got, ok := new(Batch).Line([]byte(strings.Replace(x.in, ",EVENTS", "", 1)))
		if ok || !strings.Contains(string(got), x.say) {
			t.Errorf("%s\n -> %s, want an error with %q", x.in, got, x.say)
		}
	}
}
