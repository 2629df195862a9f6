// Package drafts opens cases and changes what they say: all of it before they are filed, title and numbers after.
package drafts

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/filing"
)

// Drafts is the subject. Use New.
type Drafts struct {
	*desk.Desk
	cases  *cases.Cases
	filing *filing.Filing
}

// New makes the subject over a desk.
func New(d *desk.Desk, c *cases.Cases, f *filing.Filing) *Drafts {
	return &Drafts{Desk: d, cases: c, filing: f}
}
