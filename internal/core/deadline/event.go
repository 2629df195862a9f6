package deadline

// EventKind is a word of the history that a case's deadlines are replayed from.
type EventKind string

// The events of docs/rules.md, section 7.
const (
	Filed              EventKind = "filed"
	VendorMessage      EventKind = "vendor-message"
	Offered            EventKind = "offer"
	OurMessage         EventKind = "our-message"
	Moved              EventKind = "move"
	Park               EventKind = "park"
	Unpark             EventKind = "unpark"
	Severity           EventKind = "severity"
	Level              EventKind = "level"
	FixAccepted        EventKind = "fix-accepted"
	FixRejected        EventKind = "fix-rejected"
	WorkaroundRejected EventKind = "workaround-rejected"
	Resolved           EventKind = "resolved"
	Closed             EventKind = "closed"
	Withdrawn          EventKind = "withdrawn"
	Reopened           EventKind = "reopened"

	// What concerns a dated item alone; clocks do not see it. Package dated says what it does.
	ItemDated   EventKind = "dated"
	ItemKept    EventKind = "kept"
	ItemMoved   EventKind = "moved"
	ItemDropped EventKind = "dropped"
	Raised      EventKind = "raised"
)

// Event is one dated fact of a case's history.
type Event struct {
	At        int64
	Kind      EventKind
	Severity  int   // filed
	Level     int   // filed; 1 is the vendor's most severe
	To        int   // severity, level: the new rank
	Move      Side  // vendor-message, our-message, move; empty is the usual
	Automatic bool  // vendor-message
	Offers    Offer // vendor-message, offer
	Of        int64 // offer: the instant of the message it was in
	Agreed    bool  // park
	Until     int64 // park: when it ends by itself; 0 where nobody said
	// Terms are those that come into force with a filing or reopening; nil
	// keeps the ones before.
	Terms *Terms
	// Told says that a step told the vendor, which makes it a message of ours.
	Told bool
	// ClosesAfter is after how many seconds the vendor closes a case that waits on us, with a filing or reopening; 0
	// where it does not.
	ClosesAfter int64
	Item        *Item // dated, kept, moved, dropped, raised
	// Entry is the number of the case's entry that the event stands in, for explanations.
	Entry int
}

// ItemKind is what kind of thing is to happen by an instant: a promise, a callback, a part. Package dated names them.
type ItemKind string

// Item is the dated item that an event is about.
type Item struct {
	Name string   // the caller's, by which later events find it
	Kind ItemKind // dated
	Owed Side     // dated
	Due  int64    // dated, moved, and raised where an answer is awaited
	Rung int      // raised; from 1
	// Awaits says that the rung that was raised is to answer by Due.
	Awaits bool
}
