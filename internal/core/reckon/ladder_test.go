package reckon

import (
	"strings"
	"testing"
)

const climbing = `{"id":"q","op":"deadlines","calendars":{"always":{"always":true}},"terms":[` +
	`{"deadline":"first-response","level":2,"target":"1h","calendar":"always"}],"ladder":LADDER,` +
	`"history":[{"at":"2026-11-19T13:00:00Z","event":"filed","severity":2},EVENTS],"as_of":"2026-11-19T16:00:00Z"}`

func climb(ladder, events string) string {
	got, _ := new(Batch).Line([]byte(strings.NewReplacer(",EVENTS", events, "LADDER", ladder).Replace(climbing)))
	return string(got)
}

// A ladder is answered with the rung that is due, and what is wrong with one is said where it is.
func TestAdviceByALadder(t *testing.T) {
	t.Parallel()
	const four = `[{"late_by":"2h"},{"fixes_rejected":2,"reopened":1},{"open_longer":"3h","severity":2},{}]`
	for _, x := range []struct{ ladder, events, want string }{
		{four, "", `"advice":1}`},
		{four, `,{"at":"2026-11-19T15:00:00Z","event":"raised","rung":1,"due":"2026-11-19T15:30:00Z"}`, `"advice":2}`},
		{four, `,{"at":"2026-11-19T15:00:00Z","event":"raised","rung":1,"due":"2026-11-19T16:30:00Z"}`, `"advice":3}`},
		{four, `,{"at":"2026-11-19T15:00:00Z","event":"raised","rung":4}`, `"advice":null}`},
		{four, `,{"at":"2026-11-19T15:00:00Z","event":"closed"}`, `"advice":null}`},
		{`[{"late_by":"2h1m"}]`, "", `"advice":null}`},
		{`[]`, "", `"advice":null}`},
		{`[{"late_by":"0m"}]`, `,{"at":"2026-11-19T14:00:00Z","event":"vendor-message","automatic":true}`, `"advice":1}`},
		{`[{"late_by":"1d"}]`, `,{"at":"2026-11-19T15:00:00Z","event":"raised","rung":2}`,
			"history[1]: rung: 2 is beyond the ladder, which has 1"},
		{`[{"late_by":"1bd"}]`, "", "ladder[0]: late_by: business days are not counted here"},
		{`[{},{"open_longer":"none","severity":1}]`, "", "ladder[1]: open_longer: leave it out"},
		{`[{"open_longer":"8h"}]`, "", "ladder[0]: severity is missing"},
		{`[{"open_longer":"8h","severity":5}]`, "", "ladder[0]: severity: 5 is out of range"},
		{`[{"severity":1}]`, "", "ladder[0]: severity is used together with open_longer"},
		{`[{"reopened":0}]`, "", "ladder[0]: reopened: 0 is out of range"},
		{`[{"late":"2h"}]`, "", "late"},
		{`[2]`, "", "ladder[0]: not a JSON object"},
		{`{}`, "", "ladder"},
	} {
		if got := climb(x.ladder, x.events); !strings.Contains(got, x.want) || strings.Contains(got, `"error"`) ==
			strings.Contains(x.want, `"advice"`) {
			t.Errorf("%s %s\n -> %s, not %s", x.ladder, x.events, got, x.want)
		}
	}
	// Without a ladder there is no advice, and any rung may be raised.
	if got := answerOf(t, `,{"at":"2026-11-20T09:00:00Z","event":"raised","rung":9}`); strings.Contains(got, "advice") ||
		strings.Contains(got, "error") {
		t.Error(got)
	}
}

func answerOf(t *testing.T, events string) string {
	t.Helper()
	got, _ := new(Batch).Line([]byte(strings.NewReplacer(",EVENTS", events).Replace(quietly)))
	return string(got)
}
