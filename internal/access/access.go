// Package access decides, in one place, what each role may do.
package access

import "slices"

// Act is something that a person may be allowed to do.
type Act string

// The acts.
const (
	Read   Act = "read"   // cases with their notes, vendors, deadlines
	Work   Act = "work"   // open, file, write, take steps
	People Act = "people" // add and change our people
	Tokens Act = "tokens" // have tokens of one's own
	// Register is to add and change products, accounts and assets, Contracts
	// contracts with their promises, Vendors vendors, calendars and our own policy.
	Register  Act = "register"
	Contracts Act = "contracts"
	Vendors   Act = "vendors"
	// Secrets is to add and change secrets and their keys, Reveal to see one.
	Secrets Act = "secrets"
	Reveal  Act = "reveal"
)

var allowed = map[string][]Act{
	"handler":       {Read, Work, Tokens, Register, Reveal},
	"lead":          {Read, Work, Tokens, Register, Contracts, Reveal},
	"auditor":       {Read, Tokens},
	"administrator": {Read, Work, People, Tokens, Register, Contracts, Vendors, Secrets, Reveal},
}

// May says whether a role may do something; an unknown role may nothing.
func May(role string, act Act) bool { return slices.Contains(allowed[role], act) }

// Acts are all that a role may do.
func Acts(role string) []Act { return slices.Clone(allowed[role]) }
