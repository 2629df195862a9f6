package access

import "slices"

// Grant is what one person may do and see. It is asked at every door of the desk.
type Grant struct {
	// Role is what the person is at the desk; Acts are what that allows.
	Role string
	Acts []Act
	// Vendors are the only ones whose cases the person sees, by id; nil: all of them.
	Vendors []int64
	// Notes says whether what is said among ourselves is seen.
	Notes bool
}

// Of is what a role grants; an unknown role grants nothing.
func Of(role string) Grant {
	acts := Acts(role)
	return Grant{Role: role, Acts: acts, Notes: slices.Contains(acts, Read)}
}

// Forbidden is returned where the person may not do it.
type Forbidden struct{ Why string }

func (e *Forbidden) Error() string { return e.Why }

// May is nil where the person may do something, else a *Forbidden.
func (g Grant) May(act Act) error {
	if slices.Contains(g.Acts, act) {
		return nil
	}
	return &Forbidden{"Your role, " + g.Role + ", does not include this."}
}

// SeesVendor says whether cases with a vendor are seen.
func (g Grant) SeesVendor(id int64) bool { return g.Vendors == nil || slices.Contains(g.Vendors, id) }

// SeesEntry says whether a line of a record is seen, by its kind.
func (g Grant) SeesEntry(kind string) bool { return !slices.Contains(g.Hidden(), kind) }

// Hidden are the kinds of entry that are not seen, for a condition in SQL.
func (g Grant) Hidden() []string {
	if g.Notes {
		return []string{}
	}
	return []string{"note", "briefing"}
}
