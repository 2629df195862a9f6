package casework

import (
	"testing"

	"roundhouse.example/internal/core/deadline"
)

func TestStatesAlongTheWay(t *testing.T) {
	at := func(n int64, k deadline.EventKind) deadline.Event {
		return deadline.Event{At: n, Kind: k, Severity: 2, Level: 2, Terms: &deadline.Terms{}}
	}
	fix := deadline.Event{At: 3, Kind: deadline.VendorMessage, Offers: deadline.OfferFix}
	for _, x := range []struct {
		name    string
		history []deadline.Event
		ref     bool
		want    State
	}{
		{"nothing yet", nil, false, Draft},
		{"filed", []deadline.Event{at(1, deadline.Filed)}, false, Filed},
		{"their number known", []deadline.Event{at(1, deadline.Filed)}, true, Open},
		{"their first word", []deadline.Event{at(1, deadline.Filed), at(2, deadline.VendorMessage)}, false, Open},
		{"fix offered", []deadline.Event{at(1, deadline.Filed), fix}, true, FixOffered},
		{"rejected", []deadline.Event{at(1, deadline.Filed), fix, at(4, deadline.FixRejected)}, true, Open},
		{"accepted", []deadline.Event{at(1, deadline.Filed), fix, at(4, deadline.FixAccepted)}, true, Resolved},
		{"closed after", []deadline.Event{at(1, deadline.Filed), at(4, deadline.Resolved), at(5, deadline.Closed)}, true,
			Closed},
		{"closed at once", []deadline.Event{at(1, deadline.Filed), at(5, deadline.Closed)}, true, Closed},
		{"reopened", []deadline.Event{at(1, deadline.Filed), at(5, deadline.Closed), at(6, deadline.Reopened)}, false, Open},
		{"withdrawn draft", []deadline.Event{at(1, deadline.Withdrawn)}, false, Withdrawn},
		{"withdrawn for good", []deadline.Event{at(1, deadline.Filed), at(2, deadline.Withdrawn), at(6, deadline.Reopened)},
			false, Withdrawn},
		{"later events do not count", []deadline.Event{at(1, deadline.Filed), at(200, deadline.Closed)}, false, Filed},
	} {
		if got := Replay(x.history, 100, x.ref).State; got != x.want {
			t.Errorf("%s: %s, want %s", x.name, got, x.want)
		}
	}
}
