package cases_test

import (
	"strings"
	"testing"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/drafts"
)

// What a channel does not take at once goes in further messages behind the first, and the review shows all of them; the
// case is filed by the first.
func TestLimitsOfAChannel(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	d.Change("corvane", `{"limits": [{"channel": "api", "title": 20, "text": 600, "letters": "ascii"}]}`)
	id := d.Draft("Gates at the pier say no – all")
	long := strings.Repeat("Every gate at the pier answers no. ", 40)
	if err := d.Drafts.Edit(t.Context(), d.As("Ragna"), id, d.Row(id).Version,
		drafts.Edit{Texts: []byte(`{"happened": "` + long + `"}`)}); err != nil {
		t.Fatal(err)
	}
	fit, limited := d.View(id).Fitted[route.API]
	if !limited || fit.Title != "Gates at the pier..." || len(fit.Texts) < 3 || fit.Replaced == 0 {
		t.Fatalf("the review: %+v", fit)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	for range fit.Texts {
		d.Sweep()
	}
	if n := len(d.Vendor.Letters); n != len(fit.Texts) || d.Row(id).State != casework.Open {
		t.Fatalf("%d letters, %s", n, d.Row(id).State)
	}
	for i, l := range d.Vendor.Letters {
		if l.Subject != fit.Title || l.Text != fit.Texts[i] || (i == 0) != (l.Action == route.Open) {
			t.Errorf("letter %d: %s %q\n%s", i+1, l.Action, l.Subject, l.Text)
		}
	}
	d.Agrees()
	if _, err := d.Cases.Send(t.Context(), d.As("Ragna"), id, cases.Written{Text: "Any news — please?"}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	if l := d.Vendor.Last(); l.Text != "Any news - please?" {
		t.Errorf("a message: %q", l.Text)
	}
}
