package desk

import (
	"roundhouse.example/internal/core/severity"
	"roundhouse.example/internal/store"
)

// grade is the level that the facts of a case support, at the desk's time.
func (d *Desk) grade(f store.Facts) (severity.Grade, error) {
	facts := severity.Facts{Environment: f.Environment, Effect: f.Effect, Reach: f.Reach, Workaround: f.Workaround, Exposure: f.Exposure}
	if f.NeededBy != nil {
		h := f.NeededBy.Sub(d.Now()).Hours()
		facts.NeededWithinHours = &h
	}
	return severity.Of(facts)
}
