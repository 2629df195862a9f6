package casework

import "slices"

// Owner is who gave a case a number.
type Owner string

// The owners of numbers.
const (
	Vendors   Owner = "vendor"
	OurTicket Owner = "ours"
	Resellers Owner = "reseller"
	Another   Owner = "other-vendor"
	Upload    Owner = "upload"
)

// Owners are all owners of numbers.
var Owners = []Owner{Vendors, OurTicket, Resellers, Another, Upload}

// RefRole is what a number is to a case.
type RefRole string

// The roles of numbers.
const (
	Current    RefRole = "current"
	Former     RefRole = "former"
	MergedInto RefRole = "merged-into"
)

// RefRoles are all roles of numbers.
var RefRoles = []RefRole{Current, Former, MergedInto}

// Reference is a number that somebody gave a case, with whose it is where that is not plain, such as the name of a
// reseller.
type Reference struct {
	Owner Owner   `json:"owner" db:"owner"`
	Role  RefRole `json:"role" db:"role"`
	Of    string  `json:"of,omitempty" db:"party"`
	Value string  `json:"value" db:"value"`
}

// First says whether the number is one of the two that a case has at most one of: the vendor's current one, and our
// own ticket's.
func (r Reference) First() bool {
	return r.Role == Current && (r.Owner == Vendors || r.Owner == OurTicket)
}

// With is a list with a number in it: in place of the same one of the same owner, else at the end.
func With(list []Reference, r Reference) []Reference {
	out := Without(list, r.Owner, r.Value)
	return append(out, r)
}

// Without is a list without a number.
func Without(list []Reference, owner Owner, value string) []Reference {
	return slices.DeleteFunc(slices.Clone(list), func(x Reference) bool { return x.Owner == owner && x.Value == value })
}
