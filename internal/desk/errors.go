package desk

import (
	"fmt"
	"strings"
	"time"
)

// Touches is returned where a change concerns open cases and nobody has
// confirmed it yet.
type Touches struct{ Words string }

func (e *Touches) Error() string { return e.Words }

// MustNotLeave is returned where a text has something in it that must not leave, and nobody has said why it has to.
type MustNotLeave struct {
	What   string  // what it has in it, as it stands in a sentence
	Places []Field // where
}

func (e *MustNotLeave) Error() string {
	return "It has " + e.What + " in it. Take that out, or say why it has to be sent."
}

// Intended is returned where somebody has to say first that what is to leave is intended to.
type Intended struct{ Of []string }

func (e *Intended) Error() string {
	s := strings.Join(e.Of, "; ")
	return strings.ToUpper(s[:1]) + s[1:] + ". Send this only if it is intended."
}

// InUse is returned where something else refers to what was to be removed.
type InUse struct{ Why string }

func (e *InUse) Error() string { return e.Why }

// Stale is returned where somebody else has changed it meanwhile. Fields are those that both changed, where it is
// changed field by field.
type Stale struct {
	What   string
	Fields []Field
}

func (e *Stale) Error() string {
	if len(e.Fields) > 0 {
		names := make([]string, len(e.Fields))
		for i, f := range e.Fields {
			names[i] = f.Name
		}
		return fmt.Sprintf("somebody else has changed this %s too (%s): read it again, then repeat", e.What,
			strings.Join(names, ", "))
	}
	return fmt.Sprintf("the %s has changed since you read it: read it again, then repeat", e.What)
}

// IfStale is the error of a change that hit no row of the version that was read.
func IfStale(changed bool, what string) error {
	if changed {
		return nil
	}
	return &Stale{What: what}
}

// PastLimit is returned where a vendor no longer reopens a case, by what it has told us.
type PastLimit struct {
	Vendor string
	Days   int
	Until  time.Time
	Case   string
}

func (p *PastLimit) Error() string {
	return fmt.Sprintf("%s reopens a case within %s of its end, which was until %s: open a new case that refers to %s, "+
		"or confirm that you ask anyway", p.Vendor, Count(p.Days, "day", "days"),
		p.Until.UTC().Format("2 January 2006, 15:04 UTC"), p.Case)
}
