// Package route says by what ways things get to a vendor: by a link that takes them there by itself, or by
// one of us.
package route

// Kind is how something travels.
type Kind string

// The kinds of route.
const (
	API    Kind = "api"
	Email  Kind = "email"
	Portal Kind = "portal"
	Phone  Kind = "phone"
	Chat   Kind = "chat"
	// Spoken is how a call or chat got into the record that somebody wrote down; nothing is sent by it.
	Spoken Kind = "spoken"
)

// Kinds are those by which something can be sent.
var Kinds = []Kind{API, Email, Portal, Phone, Chat}

// ByPerson says whether a person can take something there; to a system without a person's side one can
// only be linked.
func (k Kind) ByPerson() bool { return k != API }

// Route is a way to one vendor. Its zero value is none.
type Route struct {
	Kind Kind
	// Link is the id of the link that takes things there by itself, and Name its name; 0 where a person does.
	Link int64
	Name string
	// To is the address that an email by the link goes to, where that is shown.
	To string
	// UrgentOnly says that the vendor takes only urgent matters that way, and this is none.
	UrgentOnly bool
}

// Automatic says whether things get there by themselves.
func (r Route) Automatic() bool { return r.Link != 0 }

// ByKind are the kinds of some routes, each once, in their order.
func ByKind(routes []Route) (out []Kind) {
	seen := map[Kind]bool{}
	for _, r := range routes {
		if !seen[r.Kind] {
			out = append(out, r.Kind)
		}
		seen[r.Kind] = true
	}
	return out
}

// Action is what is asked of a vendor's system.
type Action string

// The actions that a link can be taught.
const (
	Open    Action = "open"
	Comment Action = "comment"
	Level   Action = "level"
	Close   Action = "close"
	Reopen  Action = "reopen"
	// Attach is to add a file to a case.
	Attach Action = "attach"
)
