package standin

import (
	"testing"
	"time"
)

// An engineer who is told that the correction works has nothing to look at again; one who
// is told that it does not, has.
func TestAnEngineerReadsWhatIsSaidOfTheCorrection(t *testing.T) {
	for said, answered := range map[string]bool{
		"The fix works for us. Thank you.":             false,
		"For us this is resolved.\n\nWe restarted it.": false,
		"The fix does not work for us.\n\nSame again.": true,
		"Which build has it?":                          true,
	} {
		now := time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)
		s, err := New(Options{Now: func() time.Time { return now }})
		if err != nil {
			t.Fatal(err)
		}
		h := Houses[0]
		j := &Job{No: "1", Manner: "patient", Step: 2, Stage: "fix out", Since: now}
		s.houses[h.Key].Jobs = append(s.houses[h.Key].Jobs, j)
		now = now.Add(time.Minute)
		s.happen(h.Key, Happening{Job: "1", What: "remark", By: By{Side: "caller", Name: "R"}, Words: said})
		before := len(s.houses[h.Key].Happenings)
		now = now.Add(time.Hour)
		s.Tick()
		if got := len(s.houses[h.Key].Happenings) > before; got != answered {
			t.Errorf("%q: answered %v, want %v", said, got, answered)
		}
	}
}
