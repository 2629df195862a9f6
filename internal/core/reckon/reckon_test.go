package reckon

import (
	"encoding/json"
	"strings"
	"testing"
)

const worked = `{"id":"d","op":"deadlines","calendars":{
"office":{"zone":"Europe/Oslo","week":{"mon":["08:00-16:00"],"tue":["08:00-16:00"],"wed":["08:00-16:00"],
"thu":["08:00-16:00"],"fri":["08:00-16:00"]}},"always":{"always":true}},
"terms":[{"deadline":"first-response","level":2,"target":"4h","calendar":"office"},
{"deadline":"update","level":2,"target":"1bd","calendar":"office"},
{"deadline":"resolution","level":2,"target":"3bd","calendar":"office"},
{"deadline":"first-response","level":1,"target":"1h","calendar":"always"},
{"deadline":"update","level":1,"target":"2h","calendar":"always"},
{"deadline":"our-answer","severity":2,"target":"8h","calendar":"office"},
{"deadline":"our-answer","severity":1,"target":"1h","calendar":"always"}],
"history":[{"at":"2026-11-19T13:00:00+01:00","event":"filed","severity":2,"level":2},
{"at":"2026-11-19T13:00:20.9+01:00","event":"vendor-message","automatic":true},
{"at":"2026-11-20T09:30:00+01:00","event":"vendor-message"},
{"at":"2026-11-20T11:00:00+01:00","event":"our-message"},{"at":"2026-11-24T10:00:00+01:00","event":"severity","to":1},
{"at":"2026-11-24T10:00:00+01:00","event":"level","to":1},
{"at":"2026-11-24T11:00:00+01:00","event":"vendor-message","move":"theirs"}],"as_of":"2026-11-24T12:45:00+01:00"}`

func TestWorkedExamples(t *testing.T) {
	mon := `{"zone":"Europe/Oslo","week":{"mon":["08:00-16:00"]}}`
	for _, x := range []struct{ in, out string }{
		{`{"id":"a","op":"due","calendar":` + mon + `,"from":"2026-01-02T10:00:00Z","target":"4h"}`,
			`{"id":"a","due":"2026-01-05T11:00:00Z"}`},
		{`{"id":"b","op":"span","calendar":{"always":true},"from":"2026-01-02T10:00:00Z","to":"2026-01-02T11:00:00Z"}`,
			`{"id":"b","seconds":3600}`},
		{`{"id":7,"op":"due","calendar":` + mon + `,"from":"2026-01-02T10:00:00Z","target":"1d"}`,
			`{"id":7,"due":"2026-01-19T15:00:00Z","warnings":["1d counts 24 covered hours in a calendar ` +
				`that is not round the clock: did you mean 1bd?"]}`},
		{`{"id":"c","op":"severity","facts":{"environment":"production","effect":"stopped","reach":"few",` +
			`"workaround":"none","exposure":false,"needed_within_hours":null}}`,
			`{"id":"c","severity":2,"reasons":["production is stopped for a few users","there is no workaround"]}`},
	} {
		got, ok := new(Batch).Line([]byte(x.in))
		if !ok || string(got) != x.out {
			t.Errorf("%s\n -> %s\nwant %s", x.in, got, x.out)
		}
	}
	got, ok := new(Batch).Line([]byte(worked))
	if !ok {
		t.Fatalf("%s", got)
	}
	var a struct {
		Deadlines []Row `json:"deadlines"`
	}
	if err := json.Unmarshal(got, &a); err != nil {
		t.Fatal(err)
	}
	want := []string{"first-response met-late 2026-11-20T08:00:00Z 16200/14400",
		"resolution replaced 2026-11-25T08:30:00Z 70200/97200", "update missed 2026-11-24T08:30:00Z 54000/52200",
		"our-answer met 2026-11-23T08:30:00Z 5400/28800", "update met 2026-11-24T11:00:00Z 3600/7200",
		"update due-soon 2026-11-24T12:00:00Z 6300/7200"}
	for i, d := range a.Deadlines {
		b, _ := json.Marshal([]int64{d.CountedSeconds, d.TargetSeconds})
		line := d.Deadline + " " + d.Standing + " " + *d.Due + " " +
			strings.NewReplacer("[", "", "]", "", ",", "/").Replace(string(b))
		if line != want[i] {
			t.Errorf("deadline %d: %s, want %s", i, line, want[i])
		}
	}
}

func TestErrorsSayWhere(t *testing.T) {
	change := func(from, to string) string { return strings.Replace(worked, from, to, 1) }
	for _, x := range []struct{ in, say string }{
		{`nonsense`, "not a JSON object"}, {`[1]`, "not a JSON object"}, {`null`, "not a JSON object"},
		{`{"id":"x"}`, "op is missing"}, {`{"op":"guess"}`, "guess"},
		{`{"op":"due","calendar":{"always":true},"from":"2026-01-02T10:00:00Z","target":"4h","zoom":1}`, "zoom"},
		{`{"op":"due","calendar":{"always":true},"From":"2026-01-02T10:00:00Z","target":"4h"}`, "From"},
		{`{"op":"due","calendar":{"Zone":"UTC"},"from":"2026-01-02T10:00:00Z","target":"4h"}`, "Zone"},
		{`{"op":"due","calendar":{"always":true},"from":"2026-01-02T10:00:00","target":"4h"}`, "from"},
		{`{"op":"due","calendar":{"always":true},"target":"4h"}`, "from is missing"},
		{`{"op":"due","calendar":{"always":true},"from":"2026-01-02T10:00:00Z","target":"none"}`, "nothing is due"},
		{`{"op":"due","calendar":{"always":true},"from":"2026-01-02T10:00:00Z","target":"1000000000000d"}`, "out of range"},
		{`{"op":"due","calendar":{},"from":"2026-01-02T10:00:00Z","target":"1h"}`, "ten years"},
		{`{"op":"severity","facts":{"environment":"production","effect":"ruined"}}`, "ruined"},
		{`{"op":"severity"}`, "facts is missing"},
		{change(`"event":"our-message"`, `"event":"shout"`), "history[3]"},
		{change(`"level":2,"target":"4h"`, `"severity":2,"target":"4h"`), "terms[0]"},
		{change(`"deadline":"update","level":2`, `"deadline":"first-response","level":2`), "two terms"},
		{change(`2026-11-20T11:00:00+01:00`, `2026-11-20T09:00:00+01:00`), "history[3]"},
		{change(`"calendar":"office"`, `"calendar":"ofice"`), "ofice"},
		{change(`"as_of"`, `"as_off"`), "as_off"},
		{change(`"severity":2,"level":2}`, `"severity":5,"level":2}`), "history[0]"},
		{change(`"event":"our-message"`, `"event":"our-message","automatic":true`), "automatic"},
	} {
		got, ok := new(Batch).Line([]byte(x.in))
		if ok || !strings.Contains(string(got), x.say) || !json.Valid(got) {
			t.Errorf("%.90s\n -> %s, want an error with %q", x.in, got, x.say)
		}
	}
}

func FuzzLine(f *testing.F) {
	f.Add(worked)
	f.Add(`{"id":"a","op":"due","calendar":{"zone":"Europe/Oslo","week":{"mon":["22:00-06:00"]}},` +
		`"from":"2026-01-02T10:00:00Z","target":"3bd"}`)
	f.Add(`{"op":"severity","facts":{"environment":"other","effect":"none"}}`)
	f.Add(`{"op":"span","calendar":{"zone":"Pacific/Apia","closed":["2011-12-30"],` +
		`"extra":{"0000-01-01":["00:00-24:00"]}},"from":"0000-01-01T00:00:00Z","to":"9999-12-31T23:59:59Z"}`)
	f.Add(`{"op":"due","calendar":{"week":{"sun":["23:59-00:00"]}},"from":"9999-12-01T00:00:00Z","target":"4000000bd"}`)
	f.Fuzz(func(t *testing.T, s string) {
		if a, _ := new(Batch).Line([]byte(s)); !json.Valid(a) {
			t.Fatalf("%q answered %q", s, a)
		}
	})
}
