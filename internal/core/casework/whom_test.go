package casework

import (
	"testing"

	"roundhouse.example/internal/core/deadline"
)

// On whom a case waits says on which side, and how that is said.
func TestOnWhomACaseWaits(t *testing.T) {
	for _, x := range []struct {
		on   On
		side deadline.Side
		want string
	}{
		{On{OnVendor, ""}, deadline.Theirs, "vendor"}, {On{OnVendor, "Teo Brannigan"}, deadline.Theirs, "Teo Brannigan"},
		{On{OnPartner, "Quayside"}, deadline.Theirs, "partner Quayside"},
		{On{OnCarrier, "Nordlight"}, deadline.Theirs, "carrier Nordlight"}, {On{OnDesk, ""}, deadline.Ours, "us"},
		{On{OnRequester, ""}, deadline.Ours, "requester"},
		{On{OnRequester, "Odd Bakke"}, deadline.Ours, "requester Odd Bakke"},
		{On{OnPerson, "Odd Bakke"}, deadline.Ours, "Odd Bakke, whose consent is needed"},
	} {
		if x.on.Whom.Side() != x.side || x.on.Words() != x.want {
			t.Errorf("%+v: %s, %q", x.on, x.on.Whom.Side(), x.on.Words())
		}
	}
	for _, w := range Whoms {
		if w.Side() == "" {
			t.Errorf("%s is on no side", w)
		}
	}
	if Usually("") != "" || Usually(deadline.Ours).Side() != deadline.Ours || Whom("x").Side() != "" {
		t.Error("nobody is somebody")
	}
}
