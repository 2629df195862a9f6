// Package rest speaks to vendors whose systems have an HTTP API. How each one
// wants to be asked is data: a Description, so that a vendor is taught by a file.
package rest

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-openapi/jsonpointer"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/route"
)

// Description says how to ask one vendor's API. Paths and bodies hold
// placeholders: {{reference}} {{subject}} {{text}} {{level}} {{caller}} {{since}}
// {{cursor}} {{page}}, and for files {{name}}. Places in answers are JSON pointers (RFC 6901).
type Description struct {
	Actions map[route.Action]Request `json:"actions"`
	Feed    Feed                     `json:"feed"`
	// Filings and Said are where a letter is looked up by its marker: among the
	// tickets opened since, and among what was said on one ticket.
	Filings Search `json:"filings"`
	Said    Search `json:"said"`
	// Attached is where a file is looked up by its marker, among those of a ticket. It stands with the action attach,
	// which a vendor that takes no files does not have.
	Attached *Search `json:"attached,omitempty"`
	// TimeoutMS is how long we wait for an answer; SettleMS how long after the
	// end of an attempt the vendor may still take it in, longer than its own time-out.
	TimeoutMS int `json:"timeout_ms"`
	SettleMS  int `json:"settle_ms"`
}

// Request is one call.
type Request struct {
	Method    string         `json:"method"`
	Path      string         `json:"path"`
	Body      map[string]any `json:"body"`
	Reference string         `json:"reference,omitempty"` // where the answer names the ticket
	At        string         `json:"at,omitempty"`        // where it says when
	Proof     string         `json:"proof,omitempty"`     // a place that an answer must have to count
	// File is the name of the form field that has the file. Such a request is a form, and its body are further fields.
	File string `json:"file,omitempty"`
}

// Feed is the vendor's list of events since a cursor.
type Feed struct {
	Path      string                    `json:"path"`
	Items     string                    `json:"items"`
	Cursor    string                    `json:"cursor"`  // within an item: what to ask past of
	Overlap   int                       `json:"overlap"` // how far before a numeric cursor to ask again
	Key       string                    `json:"key"`
	Ticket    string                    `json:"ticket"`
	Kind      string                    `json:"kind"`
	Kinds     map[string]channel.Kind   `json:"kinds"`
	At        string                    `json:"at"`
	Text      string                    `json:"text"`
	Author    string                    `json:"author"`
	Automatic string                    `json:"automatic"`
	Ours      string                    `json:"ours"`      // a place whose value says that it was our side
	OursWord  string                    `json:"ours_word"` // that value
	Offer     string                    `json:"offer"`
	Offers    map[string]deadline.Offer `json:"offers"`
	Word      string                    `json:"word"`
	Moves     map[string]deadline.Side  `json:"moves"` // by the vendor's word
	Level     string                    `json:"level"`
}

// Search is a paged list in which a marker can be found.
type Search struct {
	Path      string `json:"path"`
	Items     string `json:"items"`
	Pages     string `json:"pages"`
	Reference string `json:"reference"`
	Text      string `json:"text"`
	At        string `json:"at"`
}

// Parse reads a description strictly and says what is wrong with it.
func Parse(b []byte) (Description, error) {
	var d Description
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&d); err != nil {
		return d, fmt.Errorf("the link's description: %w", err)
	}
	for _, a := range [...]route.Action{route.Open, route.Comment, route.Level, route.Close, route.Reopen} {
		r, ok := d.Actions[a]
		if !ok {
			return d, fmt.Errorf("the link's description: actions.%s is missing", a)
		}
		if r.Method != http.MethodPost && r.Method != http.MethodPut && r.Method != http.MethodPatch ||
			!strings.HasPrefix(r.Path, "/") {
			return d, fmt.Errorf("the link's description: actions.%s needs a method POST, PUT or PATCH and a path from /", a)
		}
	}
	if a, takes := d.Actions[route.Attach]; takes && (a.File == "" || d.Attached == nil ||
		a.Method != http.MethodPost && a.Method != http.MethodPut || !strings.HasPrefix(a.Path, "/")) {
		return d, fmt.Errorf("the link's description: actions.attach needs a method POST or PUT, a path from /, a field " +
			"for the file (file), and attached, where it is looked up")
	}
	if d.Actions[route.Open].Reference == "" {
		return d, fmt.Errorf("the link's description: actions.open.reference must say where the answer names the ticket")
	}
	for word, o := range d.Feed.Offers {
		if o != deadline.OfferWorkaround && o != deadline.OfferFix {
			return d, fmt.Errorf("the link's description: feed.offers.%s is %q; use workaround or fix", word, o)
		}
	}
	for word, move := range d.Feed.Moves {
		if move != "" && move != deadline.Ours && move != deadline.Theirs {
			return d, fmt.Errorf("the link's description: feed.moves.%s is %q; use ours or theirs", word, move)
		}
	}
	if d.TimeoutMS <= 0 || d.SettleMS <= d.TimeoutMS {
		return d, fmt.Errorf("the link's description: settle_ms must be longer than timeout_ms, and both above 0")
	}
	return d, nil
}

// Timeout is how long one call may take.
func (d Description) Timeout() time.Duration { return time.Duration(d.TimeoutMS) * time.Millisecond }

// Settle is how long after an attempt its absence proves nothing.
func (d Description) Settle() time.Duration { return time.Duration(d.SettleMS) * time.Millisecond }

// at follows a JSON pointer; nil where it leads nowhere.
func at(v any, pointer string) any {
	p, err := jsonpointer.New(pointer)
	if err != nil {
		return nil
	}
	found, _, err := p.Get(v)
	if err != nil {
		return nil
	}
	return found
}

// text is the value at a pointer as text; numbers as they were written.
func text(v any, pointer string) string {
	if pointer == "" {
		return ""
	}
	switch x := at(v, pointer).(type) {
	case string:
		return x
	case json.Number:
		return x.String()
	case bool:
		return fmt.Sprint(x)
	}
	return ""
}

// fill puts values into every text of a body.
func fill(v any, with *strings.Replacer) any {
	switch x := v.(type) {
	case string:
		return with.Replace(x)
	case map[string]any:
		out := make(map[string]any, len(x))
		for k, e := range x {
			out[k] = fill(e, with)
		}
		return out
	case []any:
		out := make([]any, len(x))
		for i, e := range x {
			out[i] = fill(e, with)
		}
		return out
	}
	return v
}
