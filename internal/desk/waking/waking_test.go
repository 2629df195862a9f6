package waking_test

import (
	"fmt"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// many are cases that the vendor has, with dates on some.
func many(t *testing.T, d *desktest.Desk, n int) (ids []int64) {
	t.Helper()
	for i := range n {
		id := d.Draft(fmt.Sprint("Gates say no, ", i))
		if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
			t.Fatal(err)
		}
		d.Sweep()
		ids = append(ids, id)
	}
	return ids
}

func wake(t *testing.T, d *desktest.Desk, ids []int64) {
	t.Helper()
	if err := casesdb.Wake(t.Context(), d.Store.DB, ids, d.Clock.Now()); err != nil {
		t.Fatal(err)
	}
}

// Cases that are looked at together have what each would have by itself: the same clocks, the same next.
func TestTogetherAsAlone(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ids := many(t, d, 12)
	d.Clock.Move(5 * time.Hour)
	// Half of them cannot be read any more from their caches, as after changed hours.
	if _, err := d.Store.DB.ExecContext(t.Context(), `update deadline set due_at = due_at + interval '1 hour',
		soon_at = null where case_id % 2 = 0`); err != nil {
		t.Fatal(err)
	}
	wake(t, d, ids)
	before := d.Row(ids[0])
	var together int
	err := d.Store.Do(t.Context(), func(tx *db.Tx) error {
		list, err := d.Record.Together(t.Context(), tx, ids)
		together = len(list)
		return err
	})
	if err != nil || together != len(ids) {
		t.Fatalf("%d of %d were looked at together, %v", together, len(ids), err)
	}
	d.Agrees()
	// Nobody has changed it: among what changed last it stays where it is.
	if c := d.Row(ids[0]); !c.ChangedAt.Equal(before.ChangedAt) || !c.DerivedAt.Equal(d.Clock.Now()) {
		t.Errorf("changed at %v, now %v; its dates are as of %v", before.ChangedAt, c.ChangedAt, c.DerivedAt)
	}
	if n, err := d.Waking.Due(t.Context()); err != nil || n != 0 {
		t.Errorf("%d are to be looked at again at once, %v", n, err)
	}
}

// What is more than a matter of dates is left to each case by itself: the end of a parking, a row that differs.
func TestWhatIsMoreThanDatesIsDoneAlone(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ids := many(t, d, 4)
	until := d.Clock.Now().Add(time.Hour)
	if err := d.Step(ids[0], cases.StepRequest{Step: casework.Park, Until: &until,
		Reason: "Waits for the tide."}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Store.DB.ExecContext(t.Context(), "update support_case set vendor_status = 'odd' where id = $1",
		ids[1]); err != nil {
		t.Fatal(err)
	}
	d.Clock.Move(2 * time.Hour)
	wake(t, d, ids)
	before := d.Row(ids[1])
	if n, err := d.Waking.Due(t.Context()); err != nil || n != len(ids) {
		t.Fatalf("%d of %d, %v", n, len(ids), err)
	}
	if c := d.Row(ids[0]); c.Parked || c.ParkedUntil != nil || !c.ChangedAt.Equal(d.Clock.Now()) {
		t.Errorf("it is parked still, until %v; changed last at %v", c.ParkedUntil, c.ChangedAt)
	}
	if c := d.Row(ids[1]); c.VendorStatus != "" || !c.ChangedAt.Equal(before.ChangedAt) {
		t.Errorf("its row says %q, its record nothing; changed at %v, not %v", c.VendorStatus, c.ChangedAt, before.ChangedAt)
	}
	d.Agrees()
}

// A case that somebody is changing holds nobody else's up, and is looked at when that is done.
func TestACaseThatIsBeingChanged(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ids := many(t, d, 3)
	d.Clock.Move(5 * time.Hour)
	wake(t, d, ids)
	err := d.Store.Do(t.Context(), func(tx *db.Tx) error {
		if _, err := casesdb.Lock(t.Context(), tx, ids[1]); err != nil {
			return err
		}
		return d.Store.Do(t.Context(), func(other *db.Tx) error {
			list, err := d.Record.Together(t.Context(), other, ids)
			if len(list) != 2 {
				t.Errorf("%d of the two that are free were looked at", len(list))
			}
			return err
		})
	})
	if err != nil {
		t.Fatal(err)
	}
	if n, err := d.Waking.Due(t.Context()); err != nil || n != 1 {
		t.Errorf("%d, %v", n, err)
	}
	d.Agrees()
}
