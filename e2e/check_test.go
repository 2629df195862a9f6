package e2e

import (
	"testing"
	"time"

	"roundhouse.example/internal/store"
)

// Check finds what does not follow from the record, says it, and mends it when asked.
func TestCheckFindsAndRebuilds(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Snapshots take two hours [patient]")
	sh := &shell{t: t, home: t.TempDir()}
	sh.ok([]string{"check", "--database", w.db}, "1 cases replayed, 1 of them live, 2 deadlines", "all stored as replayed")
	for _, sql := range []string{"update deadline set due_at = due_at + interval '1 hour' where kind = 'resolution'", "delete from deadline where kind = 'first-response'",
		"update support_case set move = 'ours', next_at = next_at + interval '1 day'"} {
		if _, err := w.desk.Store.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	out, code := sh.run("", "check", "--database", w.db)
	if code != 1 || !contains(out, name+"  move: stored ours, replayed theirs", name+"  next_at", "(first-response)", "--rebuild") {
		t.Errorf("status %d:\n%s", code, out)
	}
	if out, code := sh.run("", "check", "--database", w.db, "-o", "json"); code != 1 || !contains(out, `"case": "`+name+`"`, `"what": "move"`) {
		t.Errorf("status %d:\n%s", code, out)
	}
	if out, _ := sh.run("", "check", "--database", w.db, "--rebuild"); !contains(out, "1 cases were written anew") {
		t.Error(out)
	}
	sh.ok([]string{"check", "--database", w.db}, "all stored as replayed")
	for _, x := range []struct{ flag, value, say string }{
		{"--data", t.TempDir(), "there is no database"}, {"--database", "postgres://x:y@127.0.0.1:1/z", "cannot be reached"}, {"--database", "nonsense://", "not understood"},
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
	w.clock.move(time.Hour)
	w.speak("ninefathom", *v.Line.Reference, false, "in hand", "")
	w.until("the answer is there", func() bool { v, _ = ragna.get(ended); return len(v.Deadlines) > 2 })
	running := ragna.filed("ninefathom", "Which colour code?")
	before, _ := ragna.get(running)
	w.clock.move(time.Hour)
	ctx := t.Context()
	var row store.Calendar
	if err := w.desk.Store.DB.Get(&row, "select c.* from calendar c where name = 'fathom-days'"); err != nil {
		t.Fatal(err)
	}
	// From tomorrow the carrier works on no day but Friday.
	next := store.CalendarVersion{CalendarID: row.ID, CountsFrom: monday.AddDate(0, 0, 1), KnownAt: w.desk.Now()}
	next.Definition.V.Zone, next.Definition.V.Week = "UTC", map[string][]string{"fri": {"08:00-09:00"}}
	if err := w.desk.Store.Do(ctx, func(tx *store.Tx) error { return store.AddCalendarVersion(ctx, tx, &next) }); err != nil {
		t.Fatal(err)
	}
	if _, err := w.desk.Store.DB.Exec("update calendar_version set definition = '{}'"); err == nil {
		t.Error("a version was changed")
	}
	sum, err := w.desk.Check(ctx)
	if err != nil || len(sum.Findings) == 0 {
		t.Fatalf("the new version has not reached the stored deadlines, and check finds %v, %v", sum, err)
	}
	for _, f := range sum.Findings {
		if !contains(f.What, "by the calendar of now") {
			t.Errorf("found %+v", f)
		}
	}
	if _, err := w.desk.Rebuild(ctx, sum.Findings); err != nil {
		t.Fatal(err)
	}
	w.replayed()
	after, _ := ragna.get(running)
	moved := false
	for i, d := range after.Deadlines {
		was := before.Deadlines[i]
		if d.TargetSeconds != was.TargetSeconds {
			t.Errorf("%s: a target in business days became seconds at its start, and is now %d instead of %d", d.Deadline, d.TargetSeconds, was.TargetSeconds)
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
