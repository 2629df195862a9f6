package e2e

import (
	"context"

	"roundhouse.example/internal/standin"
)

// speak lets a vendor's engineer (or machine) say something on a job.
func (w *world) speak(house, job string, machine bool, stage, fix string) {
	name := "Imke Vandersloot"
	if machine {
		name, stage = "Service desk", "logged"
	}
	w.cast.Say(house, standin.Happening{Job: job, What: "remark",
		By: standin.By{Side: "house", Name: name, Machine: machine}, Words: "Words of theirs.", Stage: stage, Fix: fix})
}

func (w *world) grades(house, job, grade string) {
	w.cast.Say(house, standin.Happening{Job: job, What: "grade", By: standin.By{Side: "house", Name: "Asha Menonkar"},
		Words: "By our own assessment.", Grade: grade})
}

func (w *world) ends(house, job string) {
	w.cast.Say(house, standin.Happening{Job: job, What: "end", By: standin.By{Side: "house", Name: "Asha Menonkar"},
		Words: "Closing.", Stage: "shut"})
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

// replayed holds what is cached of every case against a replay of its record.
func (w *world) replayed() {
	w.t.Helper()
	sum, err := w.desk.Record.Check(context.Background())
	if err != nil {
		w.t.Fatal(err)
	}
	if sum.Cases == 0 {
		w.t.Error("there was nothing to check")
	}
	for _, f := range sum.Findings {
		w.t.Errorf("%s %s: stored %s, replayed %s", f.Case, f.What, f.Stored, f.Replayed)
	}
}
