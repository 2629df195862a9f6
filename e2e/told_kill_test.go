package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/links"
	"roundhouse.example/internal/desk/webhooks"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	peopledb "roundhouse.example/internal/store/people"
	"roundhouse.example/internal/vault"
)

// heard is what another program was told by webhook: the case of each event by its id, and what came.
type heard struct {
	mu    sync.Mutex
	cases map[string]string
	came  int
}

func (h *heard) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	var e webhooks.Event
	_ = json.Unmarshal(body, &e)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.cases[r.Header.Get("webhook-id")] = e.Data.Case
	h.came++
	w.WriteHeader(http.StatusNoContent)
}

// of is how many events there are of a case.
func (h *heard) of(name string) (n int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, c := range h.cases {
		if c == name {
			n++
		}
	}
	return n
}

var messageID = regexp.MustCompile(`(?i)(?m)^message-id: *(\S+)`)

// letters are the names of the emails in a folder that name a case, each Message-ID once, and how many came.
func letters(t *testing.T, dir, name string) (ids map[string]bool, came int) {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "*.eml"))
	if err != nil {
		t.Fatal(err)
	}
	ids = map[string]bool{}
	for _, f := range files {
		raw, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		if text := string(raw); strings.Contains(text, name) {
			ids[messageID.FindStringSubmatch(text)[1]] = true
			came++
		}
	}
	return ids, came
}

// Whoever is told by email and whatever program by webhook is told of each thing once, wherever the service is killed:
// what has to be sent again is the same email and the same event.
func TestToldOnceThoughKilled(t *testing.T) {
	t.Parallel()
	db, staff := newDesk(t, nil)
	mailDir := t.TempDir()
	mail, err := standin.NewMail(mailDir)
	if err != nil {
		t.Fatal(err)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go mail.Serve(l) //nolint:errcheck // it ends with the test
	defer mail.Close()
	other := &heard{cases: map[string]string{}}
	program := httptest.NewServer(other)
	defer program.Close()
	d, err := service.Open(t.Context(), db, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer d.Store.Close()
	keys := filepath.Join(t.TempDir(), "vault.key")
	ring, err := vault.Create(keys)
	if err == nil {
		err = d.Secrets.Use(t.Context(), ring)
	}
	if err != nil {
		t.Fatal(err)
	}
	admin, err := peopledb.ByEmail(t.Context(), d.Store.DB, staff[4].Email)
	if err != nil {
		t.Fatal(err)
	}
	tuva := desk.Actor{Person: admin}
	host := strings.TrimPrefix(program.URL, "http://")
	_, version, err := d.Hours.Policy(t.Context(), tuva)
	for _, do := range []func() error{
		func() error { return err },
		func() error {
			_, err := d.Links.Add(t.Context(), tuva, links.Facts{Name: "desk-email", Kind: route.Email,
				Address: "smtp://" + l.Addr().String(), Settings: []byte(`{"from":"desk@saltmarsh.example","clear":true}`)})
			return err
		},
		func() error {
			return d.Hours.ChangePolicy(t.Context(), tuva, version, []byte(`{"email_link": "desk-email"}`))
		},
		func() error {
			return d.Secrets.Add(t.Context(), tuva, register.Secret{Name: "signs", Label: "Signs", Kind: "api-key",
				Hosts: []string{host}}, "whsec_a2V5IGZvciB0ZXN0cyBvZiB0aGlydHktdHdvIGIu")
		},
		func() error {
			_, err := d.Webhooks.Add(t.Context(), tuva, webhooks.Facts{Name: "board", Address: program.URL + "/in",
				Kinds: []notify.Kind{notify.Mention}, Secret: "signs"})
			return err
		},
	} {
		if err := do(); err != nil {
			t.Fatal(err)
		}
	}
	s := &served{t: t, files: t.TempDir(), db: db, listen: freeAddress(t), token: staff[1].Token, keys: keys}
	// due brings what waits for its minute, or for another try, to now.
	due := func() {
		for _, sql := range []string{
			"update notification set email_at = now() where email_at is not null",
			"update notification_email set next_at = now() where next_at is not null",
			"update webhook_delivery set next_at = now() where next_at is not null",
		} {
			if _, err := d.Store.DB.ExecContext(t.Context(), sql); err != nil {
				t.Fatal(err)
			}
		}
	}
	again := map[string]bool{}
	for _, point := range []string{"step.committed", "mailing.claimed", "mailing.sent", "webhook.claimed",
		"webhook.sent"} {
		s.start("")
		var c clientgen.Case
		if code, _ := s.ask("POST", "/cases", "open-"+point, "", m{"vendor": "corvane", "title": "Killed at " + point},
			&c); code != 201 {
			t.Fatalf("%s: opening answered %d", point, code)
		}
		s.kill()
		s.start(point)
		if code, _ := s.ask("POST", "/cases/"+c.Line.Number+"/notes", "note-"+point, "",
			m{"text": "@Ragna, have you seen this?"}, nil); code != 201 {
			t.Fatalf("%s: the note answered %d", point, code)
		}
		due()
		died := point == "step.committed" // while it was asked
		for end := time.Now().Add(patience); ; <-time.After(100 * time.Millisecond) {
			select {
			case <-s.ended:
				died = true
				due()
				s.start("")
			default:
			}
			var waits int
			if err := d.Store.DB.GetContext(t.Context(), &waits, `select (select count(*) from notification where email_at
				is not null) + (select count(*) from notification_email where next_at is not null) + (select count(*)
				from webhook_delivery where next_at is not null)`); err != nil {
				t.Fatal(err)
			}
			ids, came := letters(t, mailDir, c.Line.Number) // after the count: nothing is sent any more where it is zero
			if died && waits == 0 && len(ids) == 1 && other.of(c.Line.Number) == 1 {
				again[point] = came == 2 || other.came > len(other.cases)
				break
			}
			if time.Now().After(end) {
				t.Fatalf("%s: died %v, %d wait, emails %v, %d events", point, died, waits, ids, other.of(c.Line.Number))
			}
		}
		s.kill()
		var told int
		if err := d.Store.DB.GetContext(t.Context(), &told, `select count(*) from notification n join notification_event e
			on e.id = n.event_id join support_case c on c.id = e.case_id where 'C-' || c.number = $1`,
			c.Line.Number); err != nil || told != 1 {
			t.Errorf("%s: %d notifications, %v", point, told, err)
		}
	}
	if fmt.Sprint(again["mailing.sent"], again["webhook.sent"]) != "true true" {
		t.Errorf("what was sent before the kill was not sent again, so that nothing is shown here: %v", again)
	}
}
