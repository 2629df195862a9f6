package e2e

import (
	"context"
	"reflect"
	"sort"

	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/store"
)

// speak lets a vendor's engineer (or machine) say something on a job.
func (w *world) speak(house, job string, machine bool, stage, fix string) {
	name := "Imke Vandersloot"
	if machine {
		name, stage = "Service desk", "logged"
	}
	w.cast.Say(house, standin.Happening{Job: job, What: "remark", By: standin.By{Side: "house", Name: name, Machine: machine}, Words: "Words of theirs.", Stage: stage, Fix: fix})
}

func (w *world) grades(house, job, grade string) {
	w.cast.Say(house, standin.Happening{Job: job, What: "grade", By: standin.By{Side: "house", Name: "Asha Menonkar"}, Words: "By our own assessment.", Grade: grade})
}

func (w *world) ends(house, job string) {
	w.cast.Say(house, standin.Happening{Job: job, What: "end", By: standin.By{Side: "house", Name: "Asha Menonkar"}, Words: "Closing.", Stage: "shut"})
}

// hears waits until the case's last entry is the vendor's, of a kind.
func (c *caller) hears(name, what string) {
	c.w.t.Helper()
	c.w.until(name+" hears "+what, func() bool {
		list := c.entries(name)
		e := list[len(list)-1]
		if e.Effect == nil || e.Effect.Event != "vendor-message" {
			return false
		}
		return (what == "automatic") == (e.Automatic != nil)
	})
}

// replayed holds the cached deadlines of a case against a replay of its record.
func (w *world) replayed(name string) {
	w.t.Helper()
	ctx := context.Background()
	id, err := w.desk.Find(ctx, name)
	if err != nil {
		w.t.Fatal(err)
	}
	now := w.desk.Now()
	list, err := w.desk.Deadlines(ctx, id, now)
	if err != nil {
		w.t.Fatal(err)
	}
	var cached []store.Deadline
	if err := w.desk.Store.DB.Select(&cached, "select * from deadline where case_id = $1 order by opened", id); err != nil {
		w.t.Fatal(err)
	}
	sort.Slice(list, func(i, j int) bool { return list[i].Index < list[j].Index })
	type row struct {
		kind            string
		rank            int
		start, due, end int64
	}
	var a, b []row
	for _, d := range list {
		r := row{kind: d.Clock.Kind.String(), rank: d.Clock.Rank, start: d.Clock.Start, end: d.Clock.End}
		if d.DueKnown {
			r.due = d.Due
		}
		a = append(a, r)
	}
	for _, d := range cached {
		r := row{kind: d.Kind, rank: d.Rank, start: d.StartedAt.Unix()}
		if d.DueAt != nil {
			r.due = d.DueAt.Unix()
		}
		if d.EndedAt != nil {
			r.end = d.EndedAt.Unix()
		}
		b = append(b, r)
	}
	if !reflect.DeepEqual(a, b) {
		w.t.Errorf("%s: replayed\n%+v\ncached\n%+v", name, a, b)
	}
	var without int
	if err := w.desk.Store.DB.Get(&without, "select count(*) from support_case where state in ('filed', 'open', 'fix-offered') and next_at is null"); err != nil || without > 0 {
		w.t.Errorf("%d live cases without a next date, %v", without, err)
	}
}
