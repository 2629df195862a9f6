package desk

import (
	"fmt"
)

// Touches is returned where a change concerns open cases and nobody has
// confirmed it yet.
type Touches struct{ Words string }

func (e *Touches) Error() string { return e.Words }

// InUse is returned where something else refers to what was to be removed.
type InUse struct{ Why string }

func (e *InUse) Error() string { return e.Why }

// Stale is returned where somebody else has changed it meanwhile.
type Stale struct{ What string }

func (e *Stale) Error() string {
	return fmt.Sprintf("the %s has changed since you read it: read it again, then repeat", e.What)
}

// IfStale is the error of a change that hit no row of the version that was read.
func IfStale(changed bool, what string) error {
	if changed {
		return nil
	}
	return &Stale{what}
}
