package e2e

import (
	"context"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/server/web"
)

// The table of rights, as the contract has it, is what the service does: every operation, by
// every role and by nobody.
func TestTheTableOfRights(t *testing.T) {
	t.Parallel()
	w := still(t)
	w.as(0).filed("corvane", "Slow [mute]")
	spec, _, err := web.Contract()
	if err != nil {
		t.Fatal(err)
	}
	asked := 0
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			act, _ := op.Extensions["x-act"].(string)
			if act == "" {
				continue
			}
			if status := w.tries(method, path, op, ""); status != http.StatusUnauthorized {
				t.Errorf("nobody, %s %s: %d", method, path, status)
			}
			for _, p := range w.people {
				if op.OperationID == "SignOut" || op.OperationID == "RotateVault" && access.May(p.Role, access.Act(act)) {
					continue // they would do it
				}
				may := act == "signed-in" || access.May(p.Role, access.Act(act))
				status := w.tries(method, path, op, p.Token)
				asked++
				if status == http.StatusUnauthorized || may == (status == http.StatusForbidden) {
					t.Errorf("%s %s asks for %s; %s, who is %s, is answered %d", method, path, act, p.Name, p.Role, status)
				}
			}
		}
	}
	if asked < 300 {
		t.Errorf("only %d were asked", asked)
	}
}

// tries asks for an operation with as little as will do, of things that are not there.
func (w *world) tries(method, path string, op *openapi3.Operation, token string) int {
	w.t.Helper()
	path = strings.NewReplacer("{case}", "C-1001", "{kind}", "assets", "{id}", "999999", "{person}", "999999", "{token}",
		"999999", "{delivery}", "999999", "{vendor}", "nobody", "{secret}", "nothing").Replace(path)
	if op.OperationID == "Find" {
		path += "?words=nothing"
	}
	var body io.Reader
	contentType := ""
	if op.RequestBody != nil {
		for contentType = range op.RequestBody.Value.Content {
		}
		body = strings.NewReader("{}")
	}
	ctx, stop := context.WithTimeout(w.t.Context(), patience)
	defer stop()
	req, err := http.NewRequestWithContext(ctx, method, w.url+"/api/v1"+path, body)
	if err != nil {
		w.t.Fatal(err)
	}
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		w.t.Fatal(err)
	}
	res.Body.Close() // a stream goes on until we leave
	return res.StatusCode
}

// Whoever sees only some vendors' cases, and no notes, sees nothing of the others anywhere.
func TestAGrantIsAskedAtEveryDoor(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	ours, others := ragna.filed("corvane", "Slow [mute]"), ragna.filed("tallow", "Loud [mute]")
	ragna.must(201, "POST", "/cases/"+ours+"/notes", m{"text": "among ourselves"})
	ctx := t.Context()
	emil, err := w.desk.People.ByToken(ctx, w.people[1].Token)
	if err != nil {
		t.Fatal(err)
	}
	g := access.Of(emil.Role)
	if err := w.desk.Store.DB.Select(&g.Vendors, "select id from vendor where key = 'corvane'"); err != nil {
		t.Fatal(err)
	}
	g.Notes = false
	partner, all := desk.Actor{Person: emil, Limits: &g}, desk.Actor{Person: emil}
	if _, err := w.desk.Pages.Find(ctx, partner, others); err != desk.ErrNotFound {
		t.Errorf("another vendor's case is found: %v", err)
	}
	id, err := w.desk.Pages.Find(ctx, all, others)
	if err != nil {
		t.Fatal(err)
	}
	for what, err := range map[string]error{
		"its page":      second(w.desk.Pages.Case(ctx, partner, id)),
		"its deadlines": second(w.desk.Record.Deadlines(ctx, partner, id, record.Moment{At: w.clock.Now()})),
		"a note":        second(w.desk.Cases.AddNote(ctx, partner, id, "Seen?")),
		"reading it":    w.desk.Seen.Mark(ctx, partner, id, 1),
	} {
		if err != desk.ErrNotFound {
			t.Errorf("%s: %v", what, err)
		}
	}
	if _, _, err := w.desk.Pages.Entries(ctx, partner, id, 0, 50); err != desk.ErrNotFound {
		t.Errorf("its record: %v", err)
	}
	lines, _, err := w.desk.Today.Cases(ctx, partner, today.CaseFilter{Sort: "newest", Limit: 50})
	if err != nil || len(lines) != 1 || lines[0].VendorKey != "corvane" {
		t.Errorf("the list has %d, %v", len(lines), err)
	}
	next, err := w.desk.Today.Next(ctx, partner, today.Filter{Limit: 50})
	if err != nil || next.Live != 1 {
		t.Errorf("Today counts %d live, %v", next.Live, err)
	}
	for words, want := range map[string]int{"Loud": 0, "Slow": 1} {
		if hits, err := w.desk.Register.Find(ctx, partner, words, "case", 10); err != nil || len(hits) != want {
			t.Errorf("%s: %d found, %v", words, len(hits), err)
		}
	}
	mine, err := w.desk.Pages.Find(ctx, partner, ours)
	if err != nil {
		t.Fatal(err)
	}
	entries, _, err := w.desk.Pages.Entries(ctx, partner, mine, 0, 50)
	if err != nil || len(entries) == 0 {
		t.Fatal(err)
	}
	for _, e := range entries {
		if e.Kind == "note" {
			t.Errorf("a note is seen: %s", e.Body)
		}
	}
	whole, _, _ := w.desk.Pages.Entries(ctx, all, mine, 0, 50)
	if !slices.ContainsFunc(whole, func(e pages.EntryView) bool { return e.Kind == "note" }) {
		t.Error("the note is seen by nobody")
	}
}

func second[T any](_ T, err error) error { return err }
