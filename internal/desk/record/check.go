package record

import (
	"cmp"
	"context"
	"fmt"
	"reflect"
	"slices"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Finding is one way in which what is stored of a case is not what its record says.
type Finding struct {
	CaseID   int64  `json:"-"`
	Case     string `json:"case"`
	What     string `json:"what"`
	Stored   string `json:"stored"`
	Replayed string `json:"replayed"`
}

// Checked is what a check went through.
type Checked struct {
	Cases     int       `json:"cases"`
	Live      int       `json:"live"`
	Deadlines int       `json:"deadlines"`
	Dated     int       `json:"dated"`
	Findings  []Finding `json:"findings"`
	// NotChecked are what the record cannot give back yet: it stands on the case alone.
	NotChecked []string `json:"not_checked"`
}

// notChecked is what no entry holds: until it is filed, a draft is what its row says.
var notChecked = []string{"what a draft says"}

// bare is a case with nothing but its ids and the facts that people wrote: all the rest must
// follow from its record.
func bare(c casesdb.Case) casesdb.Case {
	return casesdb.Case{ID: c.ID, Number: c.Number, VendorID: c.VendorID, ContractID: c.ContractID, AssetID: c.AssetID,
		AccountID: c.AccountID, OutageID: c.OutageID, MakerID: c.MakerID, GoOnBecause: c.GoOnBecause,
		Unsorted: c.Unsorted, Title: c.Title, Kind: c.Kind,
		Facts: c.Facts, Texts: c.Texts, Answers: c.Answers, SeverityChosen: c.SeverityChosen,
		SeverityBecause: c.SeverityBecause, Severity: c.Severity,
		OpenedBy: c.OpenedBy, OpenedAt: c.OpenedAt, ChangedAt: c.ChangedAt, DerivedAt: c.DerivedAt,
		Version: c.Version, ReadEntry: c.ReadEntry,
		Touched: c.Touched, FieldVersions: c.FieldVersions}
}

// Check derives every case from its record alone and compares what is kept of it: all of its row
// but ids and the facts of a draft, deadlines, references. It changes nothing, and sees each case at one instant.
func (d *Record) Check(ctx context.Context) (Checked, error) {
	sum := Checked{Findings: []Finding{}, NotChecked: notChecked}
	for after, more := int64(0), true; more; {
		err := d.db.Snapshot(ctx, func(q db.Querier) error {
			list, err := casesdb.From(ctx, q, after, 200)
			if err != nil {
				return err
			}
			more = len(list) > 0
			for i := range list {
				after = list[i].ID
				if err := d.checkCase(ctx, q, &list[i], &sum); err != nil {
					return fmt.Errorf("%s: %w", casework.Name(list[i].Number), err)
				}
			}
			return nil
		})
		if err != nil {
			return sum, err
		}
	}
	return sum, nil
}

func (d *Record) checkCase(ctx context.Context, q db.Querier, c *casesdb.Case, sum *Checked) error {
	cached, err := casesdb.Deadlines(ctx, q, c.ID)
	if err != nil {
		return err
	}
	again := bare(*c)
	// As of the instant at which the caches were written they must be what a replay gives.
	derived, err := d.Derive(ctx, q, &again, c.DerivedAt)
	if err != nil {
		return err
	}
	rows := derived.Deadlines
	sum.Cases++
	sum.Deadlines += len(rows)
	found := func(what, stored, replayed string) {
		sum.Findings = append(sum.Findings, Finding{c.ID, casework.Name(c.Number), what, stored, replayed})
	}
	differences(c, &again, func(field, a, b string) { found(field, a, b) })
	if err := checkNumbers(ctx, q, c.ID, derived.Numbers, found); err != nil {
		return err
	}
	compare(cached, rows, label, func(r casesdb.Deadline) time.Time { return r.StartedAt }, found)
	items, err := casesdb.Dated(ctx, q, c.ID)
	if err != nil {
		return err
	}
	sum.Dated += len(derived.Dated)
	compare(items, derived.Dated, itemLabel, func(r casesdb.DatedItem) time.Time { return r.SetAt }, found)
	if !again.State.Live() {
		return nil
	}
	sum.Live++
	if c.NextAt == nil {
		found("next_at", "nothing", "a live case asks for attention at some date")
	}
	// A version of a calendar that came later must have reached the live clocks.
	now := again
	later, err := d.Derive(ctx, q, &now, d.Now())
	if err != nil {
		return err
	}
	latest := later.Deadlines
	for i := range min(len(rows), len(latest)) {
		if latest[i].Outcome != outcomes[deadline.Live] {
			continue
		}
		if a, b := written(reflect.ValueOf(rows[i].DueAt)), written(reflect.ValueOf(latest[i].DueAt)); a != b {
			found(label(rows[i])+", due_at by the calendar of now", a, b)
		}
	}
	return nil
}

// Differing are the cases that the findings are about, each once.
func (c Checked) Differing() (cases []int64) {
	for _, f := range c.Findings {
		cases = append(cases, f.CaseID)
	}
	slices.Sort(cases)
	return slices.Compact(cases)
}

func orNothing(s string) string { return cmp.Or(s, "nothing") }

func label(r casesdb.Deadline) string { return fmt.Sprintf("deadline %d (%s)", r.Opened+1, r.Kind) }

func itemLabel(r casesdb.DatedItem) string {
	return fmt.Sprintf("dated item %d (%s)", r.Opened+1, r.Kind)
}

// compare compares the rows of a cache with those that a replay gives.
func compare[T any](stored, replayed []T, label func(T) string, started func(T) time.Time,
	found func(what, stored, replayed string)) {
	since := func(r T) string { return "started " + written(reflect.ValueOf(started(r))) }
	for i := range max(len(replayed), len(stored)) {
		switch {
		case i >= len(stored):
			found(label(replayed[i]), "nothing", since(replayed[i]))
		case i >= len(replayed):
			found(label(stored[i]), since(stored[i]), "nothing")
		default:
			differences(&stored[i], &replayed[i], func(field, a, b string) { found(label(replayed[i])+", "+field, a, b) })
		}
	}
}

// differences compares two rows of a table, column by column.
func differences[T any](a, b *T, each func(column, a, b string)) {
	x, y := reflect.ValueOf(a).Elem(), reflect.ValueOf(b).Elem()
	for i := range x.NumField() {
		if s, t := written(x.Field(i)), written(y.Field(i)); s != t {
			each(x.Type().Field(i).Tag.Get("db"), s, t)
		}
	}
}

func written(v reflect.Value) string {
	if v.Kind() == reflect.Pointer {
		if v.IsNil() {
			return "nothing"
		}
		v = v.Elem()
	}
	if t, ok := v.Interface().(time.Time); ok {
		return t.UTC().Format(time.RFC3339)
	}
	if j, ok := v.Interface().(interface{ Text() (string, error) }); ok { // a column of JSON
		if text, err := j.Text(); err == nil {
			return text
		}
	}
	return fmt.Sprint(v.Interface())
}

// checkNumbers compares the numbers of a case with those that its record gives it.
func checkNumbers(ctx context.Context, q db.Querier, id int64, n Numbers,
	found func(what, stored, replayed string)) error {
	refs, err := casesdb.References(ctx, q, []int64{id})
	if err != nil {
		return err
	}
	stored := map[string]string{}
	for _, r := range refs {
		stored[r.Whose] = r.Value
	}
	if n.Vendor != stored["vendor"] {
		found("the vendor's number", orNothing(stored["vendor"]), orNothing(n.Vendor))
	}
	if n.Ticket != nil && *n.Ticket != stored["ours"] {
		found("our ticket", orNothing(stored["ours"]), orNothing(*n.Ticket))
	}
	others, err := casesdb.OtherReferences(ctx, q, id)
	if err != nil {
		return err
	}
	if !slices.Equal(others, n.Others) {
		found("other numbers", fmt.Sprint(others), fmt.Sprint(n.Others))
	}
	return nil
}
