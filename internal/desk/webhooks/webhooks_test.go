package webhooks_test

import (
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/webhooks"
	"roundhouse.example/internal/testdb"
	"roundhouse.example/internal/vault"
)

func TestMain(m *testing.M) { testdb.Main(m) }

var key = []byte("a key for tests of thirty-two b.")

// receiver is another program, which answers as the test says and verifies what it gets.
type receiver struct {
	mu     sync.Mutex
	answer int
	got    []webhooks.Event
	ids    []string
	faults []string
}

func (r *receiver) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	body, _ := io.ReadAll(req.Body)
	verify, _ := standardwebhooks.NewWebhookRaw(key)
	r.mu.Lock()
	defer r.mu.Unlock()
	var e webhooks.Event
	if err := verify.VerifyIgnoringTimestamp(body, req.Header); err != nil {
		r.faults = append(r.faults, err.Error())
	}
	if err := json.Unmarshal(body, &e); err != nil || req.Header.Get("Content-Type") != "application/cloudevents+json" {
		r.faults = append(r.faults, string(body))
	}
	r.got, r.ids = append(r.got, e), append(r.ids, req.Header.Get("webhook-id"))
	w.WriteHeader(r.answer)
}

func (r *receiver) says(status int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.answer = status
}

func begin(t *testing.T, kinds ...notify.Kind) (*desktest.Desk, *receiver, int64) {
	d := desktest.New(t)
	ring, err := vault.Create(filepath.Join(t.TempDir(), "keys"))
	if err == nil {
		err = d.Secrets.Use(t.Context(), ring)
	}
	if err != nil {
		t.Fatal(err)
	}
	r := &receiver{answer: 204}
	s := httptest.NewServer(r)
	t.Cleanup(s.Close)
	at, _ := url.Parse(s.URL)
	tuva := d.As("Tuva")
	for name, value := range map[string]string{"signs": "whsec_" + base64.StdEncoding.EncodeToString(key),
		"password": "x1y2z3"} {
		if err := d.Secrets.Add(t.Context(), tuva, register.Secret{Name: name, Label: name, Kind: "api-key",
			Hosts: []string{at.Host}}, value); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := d.Webhooks.Add(t.Context(), tuva, webhooks.Facts{Name: "tickets", Address: s.URL + "/in", Secret: "signs",
		Kinds: kinds}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Notify.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	return d, r, d.Filed("Gates say no")
}

func run(t *testing.T, d *desktest.Desk, after time.Duration) {
	t.Helper()
	d.Clock.Move(after)
	if err := d.Webhooks.Run(t.Context()); err != nil {
		t.Fatal(err)
	}
}

func state(t *testing.T, d *desktest.Desk) webhooks.View {
	t.Helper()
	all, err := d.Webhooks.List(t.Context(), d.As("Tuva"))
	if err != nil || len(all) != 1 {
		t.Fatal(all, err)
	}
	return all[0]
}

// Another program is told what it asked for, signed, once; a note is not quoted.
func TestAnotherProgramIsTold(t *testing.T) {
	t.Parallel()
	d, r, id := begin(t, notify.Message, notify.Mention)
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	if _, err := d.Cases.AddNote(t.Context(), d.As("Ragna"), id, "@Emil, the PIN is on the yellow card."); err != nil {
		t.Fatal(err)
	}
	run(t, d, time.Second)
	run(t, d, time.Hour)
	if len(r.faults) > 0 || len(r.got) != 2 {
		t.Fatalf("%q %+v", r.faults, r.got)
	}
	// They go at the same time, in any order.
	if r.got[0].Data.Entry > r.got[1].Data.Entry {
		slices.Reverse(r.got)
		slices.Reverse(r.ids)
	}
	e := r.got[0]
	if e.Type != "example.roundhouse.case.message" || e.Subject != "C-1001" || e.SpecVersion != "1.0" ||
		e.Data.What != "Which bank?" || e.Data.Vendor != "corvane" || e.Data.State != "open" || e.ID != r.ids[0] {
		t.Errorf("%+v, id %s", e, r.ids[0])
	}
	if r.got[1].Type != "example.roundhouse.case.mention" || r.got[1].Data.What != "" {
		t.Errorf("a note left: %+v", r.got[1])
	}
	if v := state(t, d); v.Waiting != 0 || v.SentAt == nil || v.Problem != "" {
		t.Errorf("%+v", v)
	}
}

// What is not answered is tried again under the same id, and given up after three days.
func TestAProgramThatDoesNotAnswer(t *testing.T) {
	t.Parallel()
	d, r, _ := begin(t, notify.Message)
	r.says(500)
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	run(t, d, time.Second)
	run(t, d, time.Second)
	if len(r.got) != 1 {
		t.Errorf("tried %d times within a second", len(r.got))
	}
	if v := state(t, d); v.Waiting != 1 || v.Problem != "it answered 500 Internal Server Error" {
		t.Errorf("%+v", v)
	}
	r.says(302)
	run(t, d, 10*time.Second)
	r.says(200)
	run(t, d, time.Minute)
	if len(r.ids) != 3 || r.ids[0] != r.ids[1] || r.ids[1] != r.ids[2] || state(t, d).Waiting != 0 {
		t.Errorf("%v %+v", r.ids, state(t, d))
	}
	r.says(500)
	d.Hear("corvane", desktest.Said("b", "Hello?", d.Clock.Now()))
	for range 30 {
		run(t, d, 28*time.Hour)
	}
	if v := state(t, d); v.Waiting != 0 || v.NotSent != 1 || len(r.got) != 3+11 {
		t.Errorf("%+v after %d tries", v, len(r.got)-3)
	}
}

// What is wrong with a webhook is said by its field; switched off, it is told nothing.
func TestWhatIsWrongWithAWebhook(t *testing.T) {
	t.Parallel()
	d, r, _ := begin(t)
	tuva := d.As("Tuva")
	at := state(t, d).Address
	for field, f := range map[string]webhooks.Facts{
		"name":    {Name: "Our Tickets", Address: at, Secret: "signs"},
		"address": {Name: "x", Address: "http://tickets.saltmarsh.example/in", Secret: "signs"},
		"secret":  {Name: "x", Address: at, Secret: "password"},
		"kinds":   {Name: "x", Address: at, Secret: "signs", Kinds: []notify.Kind{"rain"}},
	} {
		if _, err := d.Webhooks.Add(t.Context(), tuva, f); !slices.Equal(desktest.Fields(err), []string{field}) {
			t.Errorf("%s: %v", field, err)
		}
	}
	_, err := d.Webhooks.Add(t.Context(), tuva, webhooks.Facts{Name: "x", Address: "https://elsewhere.example/",
		Secret: "signs"})
	if err == nil || !strings.Contains(err.Error(), "may not be sent to elsewhere.example") {
		t.Errorf("a secret for another host: %v", err)
	}
	if _, err := d.Webhooks.Add(t.Context(), tuva, webhooks.Facts{Name: "tickets", Address: at, Secret: "signs"}); !slices.
		Equal(desktest.Fields(err), []string{"name"}) {
		t.Errorf("the same name: %v", err)
	}
	if _, err := d.Webhooks.List(t.Context(), d.As("Ragna")); err == nil {
		t.Error("a handler sees the webhooks")
	}
	off := false
	if _, err := d.Webhooks.Change(t.Context(), tuva, "tickets", 1, webhooks.Edit{Active: &off}); err != nil {
		t.Fatal(err)
	}
	d.Hear("corvane", desktest.Said("a", "Which bank?", d.Clock.Now()))
	run(t, d, time.Hour)
	if len(r.got) != 0 {
		t.Errorf("told while it is off: %+v", r.got)
	}
	if err := d.Webhooks.Remove(t.Context(), tuva, "tickets"); err != nil {
		t.Fatal(err)
	}
	if err := d.Webhooks.Remove(t.Context(), tuva, "tickets"); err == nil {
		t.Error("removed twice")
	}
}
