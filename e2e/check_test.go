package e2e

import (
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"

	"roundhouse.example/internal/server/apigen"
)

// Check finds what does not follow from the record, says it, and mends it when asked.
func TestCheckFindsAndRebuilds(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Snapshots take two hours [mute]")
	// Nothing that comes in late may mend what is about to be spoilt.
	if _, err := w.desk.Store.DB.Exec("update link set address = 'http://127.0.0.1:1/away'"); err != nil {
		t.Fatal(err)
	}
	w.until("nobody looks at the vendors any more", func() bool {
		n := 1
		_ = w.desk.Store.DB.Get(&n, "select count(*) from link where failing_since is null")
		return n == 0
	})
	sh := &shell{t: t, home: t.TempDir()}
	sh.ok([]string{"check", "--database", w.db}, "1 case checked, 1 of them live, 2 deadlines", "everything matches")
	for _, sql := range []string{"update deadline set due_at = due_at + interval '1 hour' where kind = 'resolution'",
		"delete from deadline where kind = 'first-response'",
		"update support_case set move = 'ours', next_at = next_at + interval '1 day'"} {
		if _, err := w.desk.Store.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	out, code := sh.run("", "check", "--database", w.db)
	if code != 1 || !contains(out, name+"  move: stored ours, recalculated theirs", name+"  next_at", "(first-response)",
		"--rebuild") {
		t.Errorf("status %d:\n%s", code, out)
	}
	if out, code := sh.run("", "check", "--database", w.db, "-o", "json"); code != 1 ||
		!contains(out, `"case": "`+name+`"`, `"what": "move"`) {
		t.Errorf("status %d:\n%s", code, out)
	}
	if out, _ := sh.run("", "check", "--database", w.db, "--rebuild"); !contains(out, "1 case rebuilt") {
		t.Error(out)
	}
	sh.ok([]string{"check", "--database", w.db}, "everything matches")
	for _, x := range []struct{ flag, value, say string }{
		{"--data", t.TempDir(), "there is no database"}, {"--database", "postgres://x:y@127.0.0.1:1/z", "cannot be reached"},
		{"--database", "nonsense://", "not understood"},
	} {
		if out, code := sh.run("", "check", x.flag, x.value); code == 0 || !contains(out, x.say) {
			t.Errorf("check %s %s: status %d: %s", x.flag, x.value, code, out)
		}
	}
}

// A version of a calendar counts from its date on: running clocks follow it once
// they are looked at again, ended ones and the past do not; and check tells
// whether it has reached everything stored.
func TestACalendarGainsAVersion(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	ended := ragna.filed("ninefathom", "Answered before [patient]")
	v, _ := ragna.get(ended)
	w.clock.Move(time.Hour)
	w.speak("ninefathom", *v.Line.Reference, false, "in hand", "")
	w.until("the answer is there", func() bool { v, _ = ragna.get(ended); return len(v.Deadlines) > 2 })
	running := ragna.filed("ninefathom", "Which colour code?")
	before, _ := ragna.get(running)
	w.clock.Move(time.Hour)
	ctx := t.Context()
	var row hoursdb.Calendar
	if err := w.desk.Store.DB.Get(&row, "select c.* from calendar c where name = 'fathom-days'"); err != nil {
		t.Fatal(err)
	}
	// From tomorrow the carrier works on no day but Friday: known after all that the sweep has done at this instant.
	next := hoursdb.CalendarVersion{CalendarID: row.ID, CountsFrom: monday.AddDate(0, 0, 1),
		KnownAt: w.desk.Now().Add(time.Second)}
	next.Definition.V.Zone, next.Definition.V.Week = "UTC", map[string][]string{"fri": {"08:00-09:00"}}
	if err := w.desk.Store.Do(ctx, func(tx *db.Tx) error {
		return hoursdb.AddCalendarVersion(ctx, tx, &next)
	}); err != nil {
		t.Fatal(err)
	}
	w.clock.Move(time.Second)
	if _, err := w.desk.Store.DB.Exec("update calendar_version set definition = '{}'"); err == nil {
		t.Error("a version was changed")
	}
	sum, err := w.desk.Record.Check(ctx)
	if err != nil || len(sum.Findings) == 0 {
		t.Fatalf("the new version has not reached the stored deadlines, and check finds %v, %v", sum, err)
	}
	for _, f := range sum.Findings {
		if !contains(f.What, "by the calendar of now") {
			t.Errorf("found %+v", f)
		}
	}
	if err := w.desk.Cases.Rebuild(ctx, sum.Differing()); err != nil {
		t.Fatal(err)
	}
	w.replayed()
	after, _ := ragna.get(running)
	moved := false
	for i, d := range after.Deadlines {
		was := before.Deadlines[i]
		if d.TargetSeconds != was.TargetSeconds {
			t.Errorf("%s: a target in business days became seconds at its start, and is now %d instead of %d", d.Deadline,
				d.TargetSeconds, was.TargetSeconds)
		}
		moved = moved || d.Due != nil && was.Due != nil && d.Due.After(*was.Due)
	}
	if !moved {
		t.Error("no running clock follows the new version")
	}
	again, _ := ragna.get(ended)
	for i, d := range v.Deadlines {
		if d.Ended != nil && d.Due == nil {
			t.Errorf("%s ended without a due", d.Deadline)
		} else if d.Ended != nil && !again.Deadlines[i].Due.Equal(*d.Due) {
			t.Errorf("%s had ended, and its due moved from %s to %s", d.Deadline, d.Due, again.Deadlines[i].Due)
		}
	}
}

// Hours are changed from a date on: a preview says what that means, running
// clocks follow at once, and our own policy is versioned like terms.
func TestHoursAndPolicyAreChanged(t *testing.T) {
	t.Parallel()
	w := still(t)
	admin := w.shell(4)
	ragna := w.as(0)
	name := ragna.filed("ninefathom", "Which colour code? [patient]")
	before, _ := ragna.get(name)
	w.clock.Move(time.Hour)
	file := filepath.Join(admin.home, "friday.yaml")
	keep := func(text string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	keep("zone: UTC\nweek:\n  fri: [\"08:00-09:00\"]\n")
	admin.ok(words("calendar list"), "fathom-days", "round-the-clock")
	admin.ok(words("calendar show our-desk --target 2bd"), "from now: due", "running clock")
	if out, code := admin.run("", "calendar", "change", "fathom-days", "--from", file, "--on", "2026-11-23"); code != 4 ||
		!contains(out, "has already begun; the earliest date for a new version is 2026-11-24") {
		t.Errorf("backwards: status %d: %s", code, out)
	}
	admin.ok(words("calendar change fathom-days --from "+file), "From 2026-11-24, fathom-days is",
		"Being recalculated: 1 live case")
	w.until("no case waits to be recalculated", func() bool {
		var list apigen.Calendars
		w.as(4).must(200, "GET", "/calendars", nil).into(t, &list)
		return !slices.ContainsFunc(list.Items, func(c apigen.Calendar) bool { return c.Recalculating != nil })
	})
	after, _ := ragna.get(name)
	if !find(after, "resolution").Due.After(*find(before, "resolution").Due) {
		t.Error("the running clock does not follow")
	}
	w.replayed()
	keep("zone: UTC\nweek:\n  fri: [\"8-9\"]\n")
	if out, code := admin.run("", "calendar", "add", "odd", "--from", file); code == 0 || !contains(out, "week.fri[0]") {
		t.Errorf("a malformed window: status %d: %s", code, out)
	}
	keep("always: true\n")
	admin.ok(words("calendar add odd --from "+file), "round the clock")
	if out, code := admin.run("", "calendar", "add", "odd", "--from", file); code != 4 ||
		!contains(out, "there is already a calendar with this name") {
		t.Errorf("twice: status %d: %s", code, out)
	}
	admin.ok(words("calendar remove odd"), "Removed.")
	if out, code := admin.run("", "calendar", "remove", "our-desk"); code != 4 ||
		!contains(out, "The calendar was not removed: targets use it") {
		t.Errorf("in use: status %d: %s", code, out)
	}
	ragna.must(403, "POST", "/calendars", m{"name": "mine", "definition": m{"always": true}})
	var p apigen.Preview
	ragna.must(200, "POST", "/preview",
		m{"definition": m{"zone": "Europe/Oslo", "week": m{"mon": []string{"08:00-16:00"}}}, "target": "1d",
			"from": "2026-11-23T07:00:00Z"}).into(t, &p)
	if p.Due == nil || p.Due.Format(time.RFC3339) != "2026-12-07T15:00:00Z" || p.Warning == nil || len(p.Windows) != 3 ||
		p.Open != true {
		t.Errorf("%+v", p)
	}
	ragna.must(422, "POST", "/preview", m{"definition": m{"zone": "Europe/Oslo"}, "target": "soon"})

	admin.ok(words("policy show"), "version 1", "Our answer", "2 hours, 1 business day, 3 business days, 10 business days")
	if out, code := admin.run("", "policy", "change", "--quiet-1", "none", "--term", "update 1 1h our-desk", "--term",
		"our-answer 9 1h lunar"); code != 4 ||
		!contains(out, "quiet_1: give the longest time that a case may be quiet", "owed by the vendor", "terms[1].level",
			"lunar") {
		t.Errorf("all mistakes at once: status %d: %s", code, out)
	}
	admin.ok([]string{"policy", "change", "--quiet-1", "1h", "--term", "our-answer 2 30m round-the-clock", "--term",
		"verification 2 1bd our-desk"}, "version 2", "30 minutes", "1 hour, 1 business day")
	if p := w.as(0).must(403, "PATCH", "/policy", m{"quiet_1": "1h"}, "If-Match", `"v2"`).problem(t); !contains(*p.Detail,
		"handler") {
		t.Errorf("%+v", p)
	}
	w.as(4).must(412, "PATCH", "/policy", m{"quiet_1": "1h"}, "If-Match", `"v1"`)
	w.replayed()
	// A case keeps the policy it began under, also where the quiet spell of the next is another.
	for _, moved := range []string{"theirs", "ours"} {
		ragna.step(name, m{"step": "move", "move": moved, "reason": "It is so."})
		w.replayed()
	}
	later := ragna.filed("corvane", "Filed after the change [patient]")
	w.replayed()
	admin.ok([]string{"policy", "change", "--quiet-1", "2h", "--quiet-2", "3bd", "--quiet-3", "4bd"}, "version 3")
	for _, one := range []string{name, later} {
		w.replayed()
		ragna.must(201, "POST", "/cases/"+one+"/notes", m{"text": "Nothing new."})
	}
	w.replayed()
}
