package words

import "fmt"

// Rung is when a rung of a vendor's ladder is due; any one of its conditions is enough. LateBy and OpenLonger are
// targets such as 4h, "" where they do not matter, as 0 is for the counts; Severity goes with OpenLonger.
type Rung struct {
	LateBy                  string
	FixesRejected, Reopened int
	OpenLonger              string
	Severity                int
}

// NoCondition is when a rung without conditions is due.
const NoCondition = "only when somebody decides to"

// When says each of its conditions; none for a rung without conditions.
func (r Rung) When() (out []string) {
	if r.LateBy != "" {
		out = append(out, r.Late())
	}
	if r.FixesRejected > 0 {
		out = append(out, r.Fixes())
	}
	if r.Reopened > 0 {
		out = append(out, r.Again())
	}
	if r.OpenLonger != "" {
		out = append(out, r.Open())
	}
	return out
}

// Late says that the vendor is late by so much that the rung is due.
func (r Rung) Late() string { return "the vendor is late by " + Target(r.LateBy) + " or more" }

// Fixes says that enough fixes were rejected.
func (r Rung) Fixes() string {
	if r.FixesRejected == 1 {
		return "1 fix was rejected"
	}
	return fmt.Sprintf("%d fixes were rejected", r.FixesRejected)
}

// Again says that the case was reopened often enough.
func (r Rung) Again() string { return "it was reopened " + Times(r.Reopened) }

// Open says that the case has been open for long enough, at its severity.
func (r Rung) Open() string {
	since := "it has been open for " + Target(r.OpenLonger) + " or longer"
	switch r.Severity {
	case 1:
		return since + " at severity 1"
	case 2, 3:
		return fmt.Sprintf("%s at severity %d or worse", since, r.Severity)
	}
	return since
}
