package casework

import (
	"slices"
	"time"
)

// ConsentKind is what a vendor may do with somebody's consent.
type ConsentKind string

// The kinds of consent.
const (
	Recording     ConsentKind = "recording"      // of a call
	Diagnostics   ConsentKind = "diagnostics"    // to collect them
	DataCopy      ConsentKind = "data-copy"      // to use a copy of our data
	RemoteSession ConsentKind = "remote-session" // to work on our systems from afar
	ActForUs      ConsentKind = "act-for-us"     // with somebody else
)

// ConsentKinds are all of them.
var ConsentKinds = []ConsentKind{Recording, Diagnostics, DataCopy, RemoteSession, ActForUs}

// Consent is one that was given on a case, whole: a withdrawal says again what was given.
type Consent struct {
	Number int         `json:"number"` // within the case, from 1
	Kind   ConsentKind `json:"kind"`
	For    string      `json:"for,omitempty"` // for what, in words
	By     string      `json:"by"`            // who gave it
	Given  time.Time   `json:"given"`
	Until  *time.Time  `json:"until,omitempty"` // nil: until it is withdrawn
	// Withdrawn is when it was withdrawn, by WithdrawnBy; nil while it was not.
	Withdrawn   *time.Time `json:"withdrawn,omitempty"`
	WithdrawnBy string     `json:"withdrawn_by,omitempty"`
	Why         string     `json:"why,omitempty"`
}

// Ended says whether a consent holds no more.
func (c Consent) Ended(now time.Time) bool {
	return c.Withdrawn != nil || c.Until != nil && !c.Until.After(now)
}

// WithConsent puts a consent into a list in place of the one of its number, or behind the others.
func WithConsent(list []Consent, c Consent) []Consent {
	list = slices.Clone(list)
	if i := slices.IndexFunc(list, func(x Consent) bool { return x.Number == c.Number }); i >= 0 {
		list[i] = c
		return list
	}
	return append(list, c)
}
