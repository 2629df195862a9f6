package casework

import (
	"strings"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
)

// Whom says on whom exactly a live case waits; docs/rules.md, section 3.
type Whom string

// Those on the vendor's side, and those on ours.
const (
	OnVendor    Whom = "vendor"
	OnPartner   Whom = "partner"
	OnCarrier   Whom = "carrier"
	OnDesk      Whom = "desk"
	OnRequester Whom = "requester"
	OnPerson    Whom = "person" // whose consent is needed
)

// Whoms are all of them, the usual one of each side first.
var Whoms = []Whom{OnVendor, OnPartner, OnCarrier, OnDesk, OnRequester, OnPerson}

// Side is whose move it is while a case waits on it; empty where it is none.
func (w Whom) Side() deadline.Side {
	switch w {
	case OnVendor, OnPartner, OnCarrier:
		return deadline.Theirs
	case OnDesk, OnRequester, OnPerson:
		return deadline.Ours
	}
	return ""
}

// Usually is on whom a case waits where nobody said it otherwise; empty where it waits on nobody.
func Usually(side deadline.Side) Whom {
	switch side {
	case deadline.Theirs:
		return OnVendor
	case deadline.Ours:
		return OnDesk
	}
	return ""
}

// On is on whom a case waits, by name where it is not plain.
type On struct {
	Whom Whom   `json:"whom"`
	Name string `json:"name,omitempty"`
}

// Words say on whom a case waits, as in "waiting on …".
func (o On) Words() string {
	side, who := words.Sides.Of(string(o.Whom.Side())), strings.ToLower(words.Whoms.Of(string(o.Whom)))
	usual := o.Whom == Usually(o.Whom.Side())
	switch {
	case usual && o.Name == "":
		return side
	case usual:
		return o.Name
	case o.Whom == OnPerson:
		return o.Name + ", whose consent is needed"
	case o.Name == "":
		return who
	}
	return who + " " + o.Name
}
