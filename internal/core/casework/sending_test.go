package casework

import "testing"

func TestWhatCanBeTakenBack(t *testing.T) {
	for s, want := range map[Sending][2]bool{SendingWaiting: {true, false}, SendingUnderWay: {false, false},
		SendingUnsure: {false, false}, SendingToSend: {true, false},
		SendingArrived: {false, true}, SendingRefused: {true, false}, SendingNotSent: {false, true}} {
		if s.NotLeft() != want[0] || s.Ended() != want[1] {
			t.Errorf("%s: not left %v, ended %v", s, s.NotLeft(), s.Ended())
		}
	}
	if Name(1042) != "C-1042" {
		t.Error(Name(1042))
	}
}
