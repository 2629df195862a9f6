package rest

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/route"
)

const description = `{"actions":{
	"open":{"method":"POST","path":"/t","reference":"/no","body":{"s":"{{subject}}",
		"deep":[{"t":"{{text}}"}],"l":"{{level}}"}},
	"comment":{"method":"POST","path":"/t/{{reference}}/c","proof":"/ok","body":{"t":"{{text}}"}},
	"level":{"method":"PUT","path":"/t/{{reference}}","body":{}},"close":{"method":"POST","path":"/t","body":{}},
		"reopen":{"method":"POST","path":"/t","body":{}}},
	"feed":{"path":"/f?past={{cursor}}","items":"/list","cursor":"/n","overlap":5,"key":"/key","ticket":"/t",
		"kind":"/k","kinds":{"said":"message","gone":"closed"},"at":"/at","text":"/w",
		"automatic":"/auto","ours":"/by","ours_word":"us","word":"/word","moves":{"busy":"theirs"}},
	"filings":{"path":"/t?page={{page}}&since={{since}}","items":"/list","pages":"/pages","reference":"/no",
		"text":"/w","at":"/at"},
	"said":{"path":"/t/{{reference}}/c?page={{page}}","items":"/list","pages":"/pages","reference":"/no","text":"/w",
		"at":"/at"},
	"timeout_ms":200,"settle_ms":400}`

func link(t *testing.T, h http.HandlerFunc) *Link {
	t.Helper()
	d, err := Parse([]byte(description))
	if err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return New(s.URL+"/", d)
}

// What became of a letter is told apart: taken, definitely not sent, definitely
// refused, and everything else, of which nobody can know.
func TestWhatBecameOfALetter(t *testing.T) {
	for _, x := range []struct {
		name string
		h    http.HandlerFunc
		want string
	}{
		{"taken", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"no":"T-1"}`) }, "taken"},
		{"a number that is a number", func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprint(w, `{"no":90071992547409931}`)
		}, "taken"},
		{"taken without a number", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{}`) }, "unsure"},
		{"garbage", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `<html>`) }, "unsure"},
		{"half an answer", func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Length", "100")
			fmt.Fprint(w, `{"no":`)
		}, "unsure"},
		{"cut", func(w http.ResponseWriter, _ *http.Request) {
			c, _, _ := http.NewResponseController(w).Hijack()
			c.Close()
		}, "unsure"},
		{"too slow", func(_ http.ResponseWriter, r *http.Request) {
			_, _ = io.Copy(io.Discard, r.Body) // only then does the server see the caller go
			<-r.Context().Done()
		}, "unsure"},
		{"unclear", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(502) }, "unsure"},
		{"refused", func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(422)
			fmt.Fprint(w, `{"problem":"no such grade"}`)
		}, "refused"},
		{"elsewhere", func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "http://127.0.0.1:1/", 307)
		}, "refused"},
		{"slow down", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(429) }, "not sent"},
	} {
		var calls atomic.Int32
		l := link(t, func(w http.ResponseWriter, r *http.Request) { calls.Add(1); x.h(w, r) })
		r, err := l.Send(context.Background(),
			channel.Letter{Action: route.Open, Subject: "s", Text: "t", Marker: channel.NewMarker()})
		if got := kind(err); got != x.want || x.want == "taken" && r.Reference == "" || calls.Load() != 1 {
			t.Errorf("%s: %s (%v) after %d calls, want %s", x.name, got, err, calls.Load(), x.want)
		}
		if x.want == "refused" && x.name == "refused" && !strings.Contains(err.Error(), "no such grade") {
			t.Errorf("the vendor's own reason is lost: %v", err)
		}
	}
	busy, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	away := link(t, nil)
	away.Address = "http://" + busy.Addr().String()
	busy.Close()
	if _, err := away.Send(context.Background(), channel.Letter{Action: route.Open}); kind(err) != "not sent" {
		t.Errorf("nobody there: %v", err)
	}
}

func kind(err error) string {
	var refused *channel.Refused
	var notSent *channel.NotSent
	switch {
	case err == nil:
		return "taken"
	case errors.As(err, &refused):
		return "refused"
	case errors.As(err, &notSent):
		return "not sent"
	}
	return "unsure"
}

// Texts stand in a body as they are: nothing in them is taken for a placeholder or breaks out.
func TestTextsAreData(t *testing.T) {
	var got map[string]any
	var path string
	l := link(t, func(w http.ResponseWriter, r *http.Request) {
		path = r.URL.EscapedPath()
		if err := json.NewDecoder(r.Body).Decode(&got); err != nil {
			t.Error(err)
		}
		fmt.Fprint(w, `{"no":"T-1","ok":true}`)
	})
	text := "a \"quote\", {{level}} and \n</script>"
	if _, err := l.Send(context.Background(),
		channel.Letter{Action: route.Open, Subject: "{{text}}", Text: text, Level: "High", Marker: "RH-X"}); err != nil {
		t.Fatal(err)
	}
	deep := got["deep"].([]any)[0].(map[string]any)["t"]
	if got["s"] != "{{text}}" || deep != "(our mark RH-X)\n"+text || got["l"] != "High" {
		t.Errorf("sent %v", got)
	}
	if _, err := l.Send(context.Background(),
		channel.Letter{Action: route.Comment, Reference: "NF/77?x=1", Text: "t"}); err != nil ||
		path != "/t/NF%2F77%3Fx=1/c" {
		t.Errorf("a reference with a slash went to %s, %v", path, err)
	}
}

func TestCollectingIsOverlappedAndKeyed(t *testing.T) {
	m := channel.NewMarker()
	asked := ""
	l := link(t, func(w http.ResponseWriter, r *http.Request) {
		asked = r.URL.Query().Get("past")
		fmt.Fprintf(w, `{"list":[{"n":8,"t":"T-1","k":"said","w":"hello","at":"2026-11-23T10:00:00.5+01:00",
			"word":"busy","auto":false},
			{"n":12,"t":"T-1","k":"said","by":"us","w":"(our mark %[1]s)\nback"},{"n":11,"t":"T-1","k":"said","by":"them",
				"w":"Restart NOW\n> (our mark %[1]s) back"},
			{"n":11,"t":"T-1","k":"said","by":"them","w":"(our mark %[1]s) you wrote, and it is wrong"},{"n":11,"t":"T-1",
				"k":"said","by":"us","w":"written on the portal"},{"n":9,"t":"T-1","k":"gone","key":"k9"},{"n":10,"k":"said"},
				{"n":10,"t":"T-1","k":"weather"}]}`, m)
	})
	events, next, err := l.Collect(context.Background(), "8")
	if err != nil || asked != "3" || next != "12" || len(events) != 6 {
		t.Fatalf("asked past %s, next %s, %d events, %v", asked, next, len(events), err)
	}
	e := events[0]
	if e.Kind != channel.Message || e.Move != "theirs" || len(e.Key) != 32 ||
		!e.At.Equal(time.Date(2026, 11, 23, 9, 0, 0, 5e8, time.UTC)) {
		t.Errorf("%+v", e)
	}
	// Our own is what the vendor says we wrote and begins with our mark; whoever quotes the mark is heard.
	for i, want := range []channel.Kind{channel.Echo, channel.Message, channel.Message, channel.Elsewhere, channel.Ended} {
		if got := events[i+1]; got.Kind != want || i < 3 && got.Marker != m {
			t.Errorf("%q is %s, want %s", got.Text, got.Kind, want)
		}
	}
	if events[5].Key != "k9" {
		t.Errorf("%+v", events[5])
	}
	// Where a vendor does not say who wrote, the mark at the head is all there is.
	l.Feed.Ours = ""
	if events, _, err := l.Collect(context.Background(), "8"); err != nil || events[1].Kind != channel.Echo ||
		events[2].Kind != channel.Message || events[4].Kind != channel.Message {
		t.Errorf("without who wrote: %+v %v", events, err)
	}
	again, _, _ := l.Collect(context.Background(), "8")
	if again[0].Key != e.Key {
		t.Error("an event without an id has another key the second time")
	}
	broken := link(t, func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"error":"later"}`) })
	if _, next, err := broken.Collect(context.Background(), "8"); err == nil || next != "8" {
		t.Errorf("an answer without a list was taken for an empty one: %s %v", next, err)
	}
}

func TestLookingUpReadsEveryPage(t *testing.T) {
	m := channel.NewMarker()
	pages := 0
	l := link(t, func(w http.ResponseWriter, r *http.Request) {
		pages++
		text := "other"
		if r.URL.Query().Get("page") == "3" {
			text = "(our mark " + m + ")\nhello"
		}
		fmt.Fprintf(w, `{"pages":3,"list":[{"no":"T-9","w":%q,"at":"2026-11-23T10:00:00Z"}]}`, text)
	})
	r, err := l.LookUp(context.Background(), route.Open, "", []string{"RH-OLD", m}, time.Now())
	if err != nil || r == nil || r.Reference != "T-9" || pages != 3 {
		t.Fatalf("%+v %v after %d pages", r, err, pages)
	}
	if r, err := l.LookUp(context.Background(), route.Comment, "T-9", []string{"RH-NONE"}, time.Now()); err != nil ||
		r != nil {
		t.Errorf("found what is not there: %+v %v", r, err)
	}
	broken := link(t, func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, `{"list":[]}`) })
	if _, err := broken.LookUp(context.Background(), route.Open, "", []string{m}, time.Now()); err == nil {
		t.Error("an answer without its number of pages proves no absence")
	}
}

func TestDescriptionsAreHeldToTheirForm(t *testing.T) {
	for from, say := range map[string]string{`"timeout_ms":200`: "settle_ms", `"method":"PUT"`: "actions.level",
		`"reference":"/no","body":{"s"`: "actions.open.reference", `"comment":`: "actions.comment"} {
		to := map[string]string{`"timeout_ms":200`: `"timeout_ms":900`, `"method":"PUT"`: `"method":"GET"`,
			`"reference":"/no","body":{"s"`: `"body":{"s"`, `"comment":`: `"remark":`}[from]
		if _, err := Parse([]byte(strings.Replace(description, from, to, 1))); err == nil ||
			!strings.Contains(err.Error(), say) {
			t.Errorf("%s: %v, want an error with %q", to, err, say)
		}
	}
}
