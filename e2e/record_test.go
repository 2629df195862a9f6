package e2e

import (
	"context"
	"io/fs"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/standin"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// facts are the columns of a case that people write, and ids: no entry holds them.
var facts = []string{"id", "number", "vendor_id", "contract_id", "asset_id", "account_id", "outage_id",
	"maker_id", "go_on_because", "unsorted",
	"kind", "facts", "texts",
	"answers", "severity_chosen", "severity_because",
	"opened_by", "opened_at", "changed_at", "derived_at", "version", "read_entry", "touched", "field_versions"}

// spoilt is SQL for another value of a column, by its type where nothing else is said.
var spoilt = map[string]string{
	"owner_id":  "(select max(id) from person where id <> coalesce(owner_id, 0))",
	"terms_id":  "(select max(id) from terms where id <> coalesce(terms_id, 0))",
	"policy_id": "(select min(id) from terms where id <> coalesce(policy_id, 0))",
	"state":     "case state when 'open' then 'filed' when 'resolved' then 'closed' else state end",
	"severity":  "coalesce(severity, 1) % 4 + 1", "level_rank": "coalesce(level_rank, 1) % 4 + 1",
	"origin": "'partner'", "move": "case move when 'ours' then 'theirs' else 'ours' end",
	"last_entry": "last_entry + 5", "unread": "unread + 3",
	"move_on":  "case move_on when 'desk' then 'requester' else 'carrier' end",
	"consents": `'[{"number": 1, "kind": "recording", "by": "Nobody", "given": "2026-01-01T00:00:00Z"}]'`,
	"untold":   `'{"texts.steps": 1}'`, "instead_of": "id", "refiled_as": "id",
	"advice": "9, advice_because = 'late'", "advice_because": "'reopened', advice = 9", "raised": "raised + 2",
	"chases": "chases + 2", "reopenings": "reopenings + 2",
	"reopen_refused": "reopen_refused + 2",
}

// full is a case that has something in nearly every column that is kept of its record.
func (w *world) full(t *testing.T) string {
	t.Helper()
	ragna := w.as(0)
	name := ragna.filed("corvane", "Slow [mute]")
	v, tag := ragna.get(name)
	ragna.must(200, "PATCH", "/cases/"+name, m{"ticket": "IT-77", "title": "Slower than ever"}, "If-Match", tag)
	imke := standin.By{Side: "house", Name: "Imke Brakestad"}
	for _, x := range []standin.Happening{
		{What: "grade", By: imke, Grade: "Advice", Words: "By our own assessment."},
		{What: "remark", By: imke, Words: "Which log?", Stage: "waiting on you", Fix: "detour"},
		{What: "end", By: imke, Words: "Closing."},
	} {
		w.clock.Move(time.Minute)
		x.Job = *v.Line.Reference
		w.cast.Say("corvane", x)
	}
	w.until("the vendor has closed it", func() bool {
		v, _ := ragna.get(name)
		return v.VendorClosed != nil && *v.VendorClosed
	})
	ragna.step(name, m{"step": "park", "reason": "Waits.",
		"until": w.clock.Now().Add(48 * time.Hour).Format(time.RFC3339)})
	return name
}

// away keeps vendors from mending what is about to be spoilt.
func (w *world) away() {
	w.t.Helper()
	if _, err := w.desk.Store.DB.Exec("update link set address = 'http://127.0.0.1:1/away'"); err != nil {
		w.t.Fatal(err)
	}
	w.until("nobody looks at the vendors any more", func() bool {
		n := 1
		_ = w.desk.Store.DB.Get(&n, "select count(*) from link where failing_since is null")
		return n == 0
	})
}

func (w *world) checked() record.Checked {
	w.t.Helper()
	sum, err := w.desk.Record.Check(context.Background())
	if err != nil {
		w.t.Fatal(err)
	}
	return sum
}

// Every column of a case that is no fact of its draft follows from its record: spoilt, it is found
// and written anew; references too.
func TestTheRecordIsComplete(t *testing.T) {
	t.Parallel()
	w := still(t)
	w.full(t)
	ragna := w.as(0)
	done := ragna.filed("ninefathom", "Done [mute]")
	ragna.step(done, m{"step": "resolve", "reason": "It was ours.", "cause": "Our own change"})
	ragna.untilState(done, "resolved")
	w.away()
	if f := w.checked().Findings; len(f) > 0 {
		t.Fatalf("before anything is spoilt: %+v", f)
	}
	row := func() (all []string) {
		t.Helper()
		if err := w.desk.Store.DB.Select(&all,
			"select cast(to_jsonb(c) - 'derived_at' - 'touched' - 'version' as text) from support_case c "+
				"order by id"); err != nil {
			t.Fatal(err)
		}
		return all
	}
	whole := row()
	columns := reflect.TypeFor[casesdb.Case]()
	spoil := map[string]string{"a reference": "update case_reference set value = value || '-9', folded = folded || '9'",
		"the references": "delete from case_reference",
		"another reference": `insert into case_reference (case_id, vendor_id, whose, value, folded)
			select id, vendor_id, 'upload', 'UP-1', 'up1' from support_case`}
	for i := range columns.NumField() {
		column := columns.Field(i).Tag.Get("db")
		if slices.Contains(facts, column) {
			continue
		}
		other := spoilt[column]
		if other == "" {
			typ := strings.TrimPrefix(reflect.Indirect(reflect.New(columns.Field(i).Type)).Type().String(), "*time.")
			other = map[string]string{"string": "'spoilt'", "bool": "not " + column,
				"Time": "coalesce(" + column + ", now()) + interval '1 hour'"}[typ]
		}
		if other == "" {
			t.Errorf("nobody says how %s is spoilt", column)
			continue
		}
		spoil[column] = "update support_case set " + column + " = " + other
	}
	for column, sql := range spoil {
		if _, err := w.desk.Store.DB.Exec(sql); err != nil {
			t.Errorf("%s: %v", column, err)
			continue
		}
		sum := w.checked()
		found := slices.ContainsFunc(sum.Findings, func(f record.Finding) bool {
			return f.What == column || strings.Contains(column, "reference") && strings.Contains(f.What, "number")
		})
		if !found {
			t.Errorf("%s is spoilt and not found: %+v", column, sum.Findings)
		}
		if err := w.desk.Cases.Rebuild(context.Background(), sum.Differing()); err != nil {
			t.Errorf("%s: %v", column, err)
		}
		if now := row(); !slices.Equal(now, whole) || len(w.checked().Findings) > 0 {
			t.Errorf("%s is not as before: %v\n%v\n%+v", column, now, whole, w.checked().Findings)
		}
	}
	var numbers []string
	if err := w.desk.Store.DB.Select(&numbers,
		"select whose || ' ' || value from case_reference order by 1"); err != nil || len(numbers) != 3 {
		t.Errorf("references: %v, %v", numbers, err)
	}
}

// Cases of before records were complete get one entry with what they had, and follow from it.
func TestCasesOfBeforeAreInTheRecord(t *testing.T) {
	t.Parallel()
	w := still(t)
	name := w.full(t)
	draft := w.as(1).draft("corvane", "A draft")
	w.away()
	before, _ := w.as(0).get(name)
	for _, sql := range []string{"alter table case_entry disable trigger user",
		"update case_entry set effect = effect - 'sets' where effect is not null",
		"update case_entry set effect = null where effect = '{}' or effect->>'event' = ''",
		"alter table case_entry enable trigger user"} {
		if _, err := w.desk.Store.DB.Exec(sql); err != nil {
			t.Fatal(sql, err)
		}
	}
	if f := w.checked().Findings; len(f) == 0 {
		t.Fatal("nothing is missing from the record")
	}
	dir, err := db.Migrations()
	if err != nil {
		t.Fatal(err)
	}
	migration, err := fs.ReadFile(dir, "0014_record.sql")
	if err != nil {
		t.Fatal(err)
	}
	// The columns have other names today, and so has what is written.
	today := strings.NewReplacer("c.holder", "c.vendor_contact", "vendor_word", "vendor_status").Replace(string(migration))
	if _, err := w.desk.Store.DB.Exec(today); err != nil {
		t.Fatal(err)
	}
	later, err := fs.ReadFile(dir, "0033_watched.sql")
	if err != nil {
		t.Fatal(err)
	}
	_, since, _ := strings.Cut(string(later), "update support_case c set vendor_contact_at")
	since, _, _ = strings.Cut(since, ";")
	if _, err := w.desk.Store.DB.Exec("update support_case c set vendor_contact_at" + since); err != nil {
		t.Fatal(err)
	}
	if f := w.checked().Findings; len(f) > 0 {
		t.Errorf("after the migration: %+v", f)
	}
	// Writing to it changes nothing of what it had.
	for _, one := range []string{name, draft} {
		w.as(0).must(201, "POST", "/cases/"+one+"/notes", m{"text": "Still here."})
	}
	after, _ := w.as(0).get(name)
	if *after.Line.Owner != *before.Line.Owner || *after.VendorStatus != *before.VendorStatus ||
		*after.VendorContact != *before.VendorContact || *after.LevelSetByVendor != *before.LevelSetByVendor ||
		!*after.VendorClosed ||
		after.Line.Title != before.Line.Title || *after.Line.Reference != *before.Line.Reference {
		t.Errorf("%+v became %+v", before, after)
	}
	if owned, _ := w.as(0).get(draft); owned.Line.Owner == nil {
		t.Error("the draft is nobody's")
	}
	if f := w.checked().Findings; len(f) > 0 {
		t.Errorf("after a note: %+v", f)
	}
}
