package outbox_test

import (
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	casesdb "roundhouse.example/internal/store/cases"
)

// An answer that comes after somebody else has found the case at the vendor changes nothing any more; and none makes
// a filing older than it is.
func TestAnAnswerThatComesTooLate(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Draft("Gates say no")
	made := d.Clock.Now()
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	var found casesdb.Case
	d.Vendor.OnSend = func(l channel.Letter) (channel.Receipt, error) {
		r := d.Vendor.Take(l)
		d.Vendor.OnSend = nil
		for range 3 {
			d.Clock.Move(2 * time.Minute)
			d.Sweep() // another service, when the lease has ended
		}
		found = d.Row(id)
		r.At = made.Add(-time.Hour)
		return r, nil
	}
	d.Sweep()
	if c := d.Row(id); found.State != casework.Open || c.Version != found.Version || c.LastEntry != found.LastEntry ||
		len(d.Vendor.Letters) != 1 {
		t.Errorf("%s, %d letters; entry %d, then %d", found.State, len(d.Vendor.Letters), found.LastEntry, c.LastEntry)
	}
	early := d.Draft("Doors say no")
	if err := d.Step(early, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	made = d.Clock.Now()
	d.Vendor.OnSend = func(l channel.Letter) (channel.Receipt, error) {
		r := d.Vendor.Take(l)
		r.At = made.Add(-time.Hour)
		return r, nil
	}
	d.Sweep()
	if c := d.Row(early); c.FiledAt == nil || c.FiledAt.Before(made) {
		t.Errorf("made at %s, filed at %v", made, c.FiledAt)
	}
	d.Agrees()
}
