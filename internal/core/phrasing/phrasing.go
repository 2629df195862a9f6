// Package phrasing drafts what we say to a vendor that is late: chasing a case, and escalating it. The sentences are
// ours, in English, unless the vendor's pack gives its own. A person reads each draft before it is said or sent.
//
//	text := phrasing.Chase(facts, phrasing.Phrases{})
//
// Instants are whole seconds since 1970-01-01T00:00:00Z, and are written in a zone of the caller's.
package phrasing

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/escalation"
	"roundhouse.example/internal/core/words"
)

// Key names a sentence.
type Key string

// The sentences, each with the places that are filled in. words.Phrases has ours.
const (
	about      Key = "reference"     // {reference} {title}
	ours       Key = "our-case"      // {case} {title}: before there is a reference
	level      Key = "level"         // {level}
	contract   Key = "contract"      // {contract}
	affected   Key = "affected"      // {asset}
	late       Key = "late"          // {deadline} {due} {target} {counted}
	lateNoDue  Key = "late-paused"   // {deadline} {target} {counted}: where nothing is being counted
	oneDay     Key = "business-day"  // the target of one business day
	days       Key = "business-days" // {count}: the target of several
	promised   Key = "promised"      // {what} {due} {set}
	asked      Key = "asked"         // {what} {due} {set}
	happens    Key = "happens"       // {what} {due} {set}
	last       Key = "last-word"     // {at}
	silent     Key = "no-word"       // {since}
	raised     Key = "raised"        // {who} {at}
	answer     Key = "no-answer"     // {who} {at} {due}
	please     Key = "please"        // {by}
	pleaseSoon Key = "please-soon"   //
	who        Key = "who"           // {by}
	whoSoon    Key = "who-soon"      //
	escalate   Key = "escalate"      //
	rejected   Key = "rejected"      // {count}
	reopened   Key = "reopened"      // {count}
	open       Key = "open-since"    // {since}
)

// Keys are the sentences that a vendor's pack may give in its own words, in order.
func Keys() []Key {
	out := make([]Key, len(words.Phrases))
	for i, x := range words.Phrases {
		out[i] = Key(x.Value)
	}
	return out
}

// Places are what is filled in in a sentence; ok is false for a key that there is not.
func Places(k Key) (places []string, ok bool) {
	return placesOf(words.Phrases.Of(string(k))), slices.Contains(Keys(), k)
}

func placesOf(text string) (places []string) {
	for {
		_, after, found := strings.Cut(text, "{")
		if !found {
			return places
		}
		place, after, _ := strings.Cut(after, "}")
		places, text = append(places, place), after
	}
}

// Own is a sentence in a vendor's own words.
type Own struct {
	Key  Key    `json:"key"`
	Text string `json:"text"`
}

// Phrases are sentences in a vendor's own words. What is missing is ours.
type Phrases map[Key]string

// Of gives sentences by their keys.
func Of(list []Own) Phrases {
	out := make(Phrases, len(list))
	for _, x := range list {
		out[x.Key] = x.Text
	}
	return out
}

// Wrong says what is wrong with the last sentence of a list, besides its length; empty where nothing is.
func Wrong(list []Own) string {
	x := list[len(list)-1]
	places, known := Places(x.Key)
	switch {
	case !known:
		return fmt.Sprintf("%.40q is not the key of a sentence: use one of %s", x.Key, listed(Keys()))
	case strings.TrimSpace(x.Text) == "":
		return "write the sentence"
	case slices.ContainsFunc(list[:len(list)-1], func(o Own) bool { return o.Key == x.Key }):
		return fmt.Sprintf("the sentence %s is listed twice", x.Key)
	}
	for _, p := range placesOf(x.Text) {
		if !slices.Contains(places, p) {
			return fmt.Sprintf("{%.40s} cannot be filled in here; %s", p, canBe(places))
		}
	}
	return ""
}

func listed(keys []Key) string {
	out := make([]string, len(keys))
	for i, k := range keys {
		out[i] = string(k)
	}
	return strings.Join(out, ", ")
}

func canBe(places []string) string {
	if len(places) == 0 {
		return "this sentence has nothing to fill in"
	}
	return "only these can: {" + strings.Join(places, "}, {") + "}"
}

// Facts are what a draft is made from. What is empty is left out.
type Facts struct {
	Case, Reference, Title string
	Level                  string // as the vendor calls it
	Contract, Affected     string
	Zone                   *time.Location
	// Clocks are the vendor's deadlines that are late, and Items what it owed by a date that has passed.
	Clocks []Clock
	Items  []Item
	// LastWord is when the vendor was last heard, 0 for never; Filed is when it was told.
	LastWord, Filed int64
	Raised          []Raised
	// By is when the answer is asked for; 0 where no time is.
	By int64
	// Signed is who says it, with how to reach them, a line each.
	Signed []string
}

// Clock is a deadline of the vendor's that is late.
type Clock struct {
	Kind     deadline.Kind
	Target   int64 // covered seconds
	Days     int   // of a target in business days; 0 for one in hours
	Counted  int64 // covered seconds
	Due      int64
	DueKnown bool // false where nothing is being counted
}

// Item is something that the vendor owed by a date.
type Item struct {
	Kind     deadline.ItemKind
	What     string
	Set, Due int64
}

// Raised is an earlier escalation of the case.
type Raised struct {
	Who string
	At  int64
	Due int64 // of the answer that is still awaited; 0 where none is
}

// Because is why a case is escalated.
type Because struct {
	Reason             escalation.Reason // empty for a person's own
	Rejected, Reopened int
	Since              int64 // filed or last reopened
}

// Chase drafts a message that asks a vendor for what it owes.
func Chase(f Facts, p Phrases) string {
	d := draft{f, p, nil}
	d.head()
	d.para()
	d.owed()
	d.para()
	d.request(please, pleaseSoon)
	return d.signed()
}

// Escalate drafts what is said to a rung of the ladder.
func Escalate(f Facts, b Because, p Phrases) string {
	d := draft{f, p, nil}
	d.head()
	d.para()
	d.say(escalate)
	switch b.Reason {
	case escalation.FixesRejected:
		d.say(rejected, "count", fmt.Sprint(b.Rejected))
	case escalation.Reopened:
		d.say(reopened, "count", fmt.Sprint(b.Reopened))
	case escalation.OpenLong:
		d.say(open, "since", d.time(b.Since))
	}
	d.owed()
	for _, r := range f.Raised {
		if r.Due != 0 {
			d.say(answer, "who", r.Who, "at", d.time(r.At), "due", d.time(r.Due))
		} else {
			d.say(raised, "who", r.Who, "at", d.time(r.At))
		}
	}
	d.para()
	d.request(who, whoSoon)
	return d.signed()
}

// draft is a text that is being written, line by line.
type draft struct {
	f     Facts
	p     Phrases
	lines []string
}

// head names the case: identifiers first, one fact a line.
func (d *draft) head() {
	if d.f.Reference != "" {
		d.say(about, "reference", d.f.Reference, "title", d.f.Title)
	} else {
		d.say(ours, "case", d.f.Case, "title", d.f.Title)
	}
	for _, x := range []struct {
		key         Key
		place, text string
	}{{level, "level", d.f.Level}, {contract, "contract", d.f.Contract}, {affected, "asset", d.f.Affected}} {
		if x.text != "" {
			d.say(x.key, x.place, x.text)
		}
	}
}

// owed says what is late, and since when nothing was heard.
func (d *draft) owed() {
	for _, k := range d.f.Clocks {
		parts := []string{"deadline", d.text(Key(k.Kind.String())), "target", d.target(k), "counted",
			words.Span(k.Counted)}
		if k.DueKnown {
			d.say(late, append(parts, "due", d.time(k.Due))...)
		} else {
			d.say(lateNoDue, parts...)
		}
	}
	for _, i := range d.f.Items {
		key := happens
		switch i.Kind {
		case dated.Promise:
			key = promised
		case dated.Ask:
			key = asked
		}
		what := strings.TrimRight(strings.TrimSpace(i.What), ".!?")
		d.say(key, "what", what, "due", d.time(i.Due), "set", d.time(i.Set))
	}
	switch {
	case d.f.LastWord != 0:
		d.say(last, "at", d.time(d.f.LastWord))
	case d.f.Filed != 0:
		d.say(silent, "since", d.time(d.f.Filed))
	}
}

// target is a target as the contract has it; in hours where the vendor has phrases of its own, but none for its days.
func (d *draft) target(k Clock) string {
	key := days
	if k.Days == 1 {
		key = oneDay
	}
	if _, own := d.p[key]; k.Days == 0 || len(d.p) > 0 && !own {
		return words.Span(k.Target)
	}
	return strings.Replace(d.text(key), "{count}", strconv.Itoa(k.Days), 1)
}

func (d *draft) request(by, soon Key) {
	if d.f.By != 0 {
		d.say(by, "by", d.time(d.f.By))
	} else {
		d.say(soon)
	}
}

func (d *draft) para() { d.lines = append(d.lines, "") }

func (d *draft) signed() string {
	if len(d.f.Signed) > 0 {
		d.para()
		d.lines = append(d.lines, d.f.Signed...)
	}
	return strings.Join(d.lines, "\n")
}

func (d *draft) text(k Key) string {
	if own := d.p[k]; own != "" {
		return own
	}
	return words.Phrases.Of(string(k))
}

// say adds a sentence, with its places filled in at one go, so that nothing that is filled in is taken for a place.
func (d *draft) say(k Key, places ...string) {
	pairs := slices.Clone(places)
	for i := 0; i < len(pairs); i += 2 {
		pairs[i] = "{" + pairs[i] + "}"
	}
	d.lines = append(d.lines, strings.NewReplacer(pairs...).Replace(d.text(k)))
}

// time is an instant in the zone of the draft. Where the vendor has phrases of its own, it is in figures alone.
func (d *draft) time(at int64) string {
	layout := "Mon 2 January 2006, 15:04 (UTC-07:00)"
	if len(d.p) > 0 {
		layout = "2006-01-02 15:04 (UTC-07:00)"
	}
	zone := d.f.Zone
	if zone == nil {
		zone = time.UTC
	}
	return strings.Replace(time.Unix(at, 0).In(zone).Format(layout), "(UTC+00:00)", "(UTC)", 1)
}
