package deadline

import "math"

// Segment is a stretch of a clock's life in which it counted or was paused.
// Running segments end at the instant they are asked about.
type Segment struct {
	From, To int64
	Counted  bool
	Why      Reason
}

// Reason is why a clock counts, or pauses.
type Reason uint8

var reasons = [...]string{"the fix or workaround was rejected", "parked", "parked, agreed with the vendor",
	"a fix is being verified", "waiting on us", "waiting on the vendor",
	"waiting on us, and the vendor's clock keeps running"}

// String says it in words.
func (r Reason) String() string { return reasons[r] }

// Outcome is how a clock ended.
type Outcome int

// Clock is one running deadline.
type Clock struct {
	Kind    Kind
	Rank    int
	Term    Term
	Seconds int64 // the target in covered seconds
	Start   int64
	End     int64 // once Outcome is not Live
	Outcome Outcome
	// Segments cover the life from Start on, those that were taken back left out.
	Segments []Segment
	// Follows is the index of the clock that this one replaced, or -1: a chain
	// counts once in any figure, late if any of it was late.
	Follows              int
	StartEntry, EndEntry int

	final measured // of an ended clock, once somebody asked
}

type measured struct {
	counted, due int64
	known, there bool
}

const open = math.MaxInt64 // the end of a segment that still goes on

// The reasons.
const (
	Rejected Reason = iota
	CaseParked
	ParkedByAgreement
	UnderVerification
	MoveOurs
	MoveTheirs
	MoveOursRunsOn
)

// The outcomes; whether a clock that was met is late follows from its due.
const (
	Live Outcome = iota
	Met
	Missed
	Void
	Replaced
)
