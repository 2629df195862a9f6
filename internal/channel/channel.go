// Package channel says how messages travel to a vendor and back. It sees only
// what may leave: a Letter is made from a message, and nothing here can hold a note.
package channel

import (
	"crypto/rand"
	"errors"
	"io"
	"regexp"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
)

// Letter is what leaves the house.
type Letter struct {
	Action    route.Action
	Reference string // the vendor's number; empty when opening
	Subject   string
	Text      string
	Level     string // the vendor's label
	Caller    string // who of us asks
	// Marker is unique to the attempt and stands in text that the vendor keeps.
	Marker string
	// Number is our own number for the case.
	Number string
	// To and Copies are email addresses, and After the Message-IDs of what went before about the same case, oldest
	// first. Only email has them.
	To, Copies, After []string
	// Files go with it; a letter whose action is to attach has one, and its text says what that is.
	Files []File
	// Calendar is an invitation in iCalendar, and Method its method, such as REQUEST. Only email has one.
	Calendar, Method string
}

// File is one that leaves.
type File struct {
	Name, Type, Caption string
	Bytes               int64
	Open                func() (io.ReadSeekCloser, error)
}

// slowest is how many bytes a second a vendor takes of files at the least, and longest how long it may take in all.
const (
	slowest = 256 << 10
	longest = 30 * time.Minute
)

// Longer is how much longer than without its files a letter may take to get there.
func (l Letter) Longer() time.Duration {
	var bytes int64
	for _, f := range l.Files {
		bytes += f.Bytes
	}
	return min(time.Duration(bytes/slowest)*time.Second, longest)
}

// Receipt is the vendor's definite word that a letter was taken.
type Receipt struct {
	Reference string
	At        time.Time // the vendor's clock; zero when it said nothing
	MessageID string    // of an email, with its angle brackets
}

// Kind is what an incoming event is.
type Kind string

// The kinds of event.
const (
	Message   Kind = "message"   // words of the vendor's
	Status    Kind = "status"    // its status word changed
	Graded    Kind = "level"     // it set a level
	Ended     Kind = "closed"    // it closed its side
	Echo      Kind = "echo"      // our own doing, come back
	Elsewhere Kind = "elsewhere" // our side's doing, but not this desk's
)

// Incoming is one event of a vendor's feed.
type Incoming struct {
	Key       string         `json:"key"`
	Ticket    string         `json:"ticket"`
	Kind      Kind           `json:"kind"`
	At        time.Time      `json:"at"` // the vendor's clock
	Text      string         `json:"text,omitempty"`
	Author    string         `json:"author,omitempty"`
	Automatic bool           `json:"automatic,omitempty"`
	Offers    deadline.Offer `json:"offers,omitempty"`
	Word      string         `json:"word,omitempty"`
	// Move is what the vendor's word says of whose move it is: ours, theirs or nothing.
	Move   deadline.Side `json:"move,omitempty"`
	Level  string        `json:"level,omitempty"`
	Marker string        `json:"marker,omitempty"`
}

// Refused is a definite no: the vendor did not take the letter and will not.
type Refused struct{ Why string }

func (e *Refused) Error() string { return e.Why }

// NotSent is definite too: nothing left, so that trying again cannot repeat it.
type NotSent struct{ Why string }

func (e *NotSent) Error() string { return e.Why }

// ErrNoLookUp says that nobody can ask what became of a letter: a person decides.
var ErrNoLookUp = errors.New("it cannot be looked up this way")

// Any other error of a Send leaves it unsure whether the vendor has the letter.

var marker = regexp.MustCompile(`\bRH-[A-Z2-7]{26}\b`)

// NewMarker makes a marker that nobody has used.
func NewMarker() string { return "RH-" + rand.Text() }

// FindMarker is the marker in a text, or "".
func FindMarker(text string) string { return marker.FindString(text) }

var head = regexp.MustCompile(`^\s*\(our mark (RH-[A-Z2-7]{26})\)`)

// MarkAtHead is the marker that a text begins with as we write it, or "": only what we sent
// ourselves does, not what quotes it.
func MarkAtHead(text string) string {
	if m := head.FindStringSubmatch(text); m != nil {
		return m[1]
	}
	return ""
}

// Marked puts the marker at the head of a text, where a vendor that cuts long
// texts short leaves it alone.
func Marked(marker, text string) string { return "(our mark " + marker + ")\n" + text }
