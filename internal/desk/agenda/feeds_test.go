package agenda_test

import (
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/agenda"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func subscribe(t *testing.T, d *desktest.Desk, who string, s agenda.Subscription) (agenda.Feed, string) {
	t.Helper()
	f, secret, err := d.Agenda.Subscribe(t.Context(), d.As(who), s)
	if err != nil {
		t.Fatal(err)
	}
	return f, secret
}

func follow(t *testing.T, d *desktest.Desk, secret, tag string) agenda.Followed {
	t.Helper()
	for {
		f, err := d.Agenda.Follow(t.Context(), secret, tag)
		if err != nil {
			t.Fatal(err)
		}
		if f.Tag != "" { // else a test beside this one writes just now: transactions are counted for the whole server
			return f
		}
		runtime.Gosched()
	}
}

// kinds are those of some events, each once.
func kinds(f agenda.Followed) string {
	var out []string
	for _, e := range f.Events {
		if k := string(e.Kind); !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

// A feed has its part of the desk; nothing is built while nothing has changed, and any change shows; an ended one leads
// nowhere, as one whose owner has left.
func TestFeeds(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	all, whole := subscribe(t, d, "Ragna", agenda.Subscription{Name: "Wall"})
	_, mine := subscribe(t, d, "Emil", agenda.Subscription{Name: "Phone", Mine: true})
	_, other := subscribe(t, d, "Emil", agenda.Subscription{Name: "Tallow", Vendor: "tallow"})
	f := follow(t, d, whole, "")
	if !strings.Contains(kinds(f), "deadline") || f.Tag == "" || f.Same || f.Name != "Wall" {
		t.Fatalf("%s %+v", kinds(f), f.Tag)
	}
	for _, secret := range []string{mine, other} {
		if got := kinds(follow(t, d, secret, "")); strings.Contains(got, "deadline") {
			t.Errorf("a case that is not of this part: %s", got)
		}
	}
	if again := follow(t, d, whole, f.Tag); !again.Same || again.Events != nil {
		t.Errorf("nothing has changed: %+v", again)
	}
	d.Agenda.Keep(f, []byte("written"))
	if again := follow(t, d, whole, "another"); string(again.Body) != "written" || again.Tag != f.Tag {
		t.Errorf("what was written is not given again: %q", again.Body)
	}
	if _, err := d.Dates.Set(t.Context(), d.As("Ragna"), id, dates.Setting{Kind: dated.FollowUp, Words: "Ask",
		For: d.As("Emil").Email, Due: dates.Due{At: new(d.Clock.Now().Add(time.Hour))}}); err != nil {
		t.Fatal(err)
	}
	after := follow(t, d, whole, f.Tag)
	if after.Same || after.Body != nil || !strings.Contains(kinds(after), "follow-up") {
		t.Errorf("a new date: %+v", kinds(after))
	}
	if got := kinds(follow(t, d, mine, "")); !strings.Contains(got, "follow-up") {
		t.Errorf("what is Emil's is not in his: %s", got)
	}
	d.Clock.Move(24 * time.Hour)
	if next := follow(t, d, whole, after.Tag); next.Same {
		t.Error("the next day is the same as the one before")
	}
	if err := d.Agenda.Unsubscribe(t.Context(), d.As("Emil"), all.ID); !errors.Is(err, desk.ErrNotFound) {
		t.Errorf("ended by another: %v", err)
	}
	if err := d.Agenda.Unsubscribe(t.Context(), d.As("Ragna"), all.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Store.DB.Exec("update person set active = false where name like 'Emil%'"); err != nil {
		t.Fatal(err)
	}
	for what, secret := range map[string]string{"ended": whole, "whose owner left": mine, "nobody's": "x", "none": ""} {
		if _, err := d.Agenda.Follow(t.Context(), secret, ""); !errors.Is(err, desk.ErrNotFound) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// While somebody writes who began before the last change, nobody can say that nothing changes: there is no tag.
func TestNoTagWhileSomebodyWrites(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	id := d.Filed("Gates say no")
	_, secret := subscribe(t, d, "Ragna", agenda.Subscription{Name: "Wall"})
	old, err := d.Store.DB.Beginx()
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = old.Rollback() }()
	if _, err := old.Exec("update support_case set title = 'Slower' where id = $1", id); err != nil {
		t.Fatal(err)
	}
	other := d.Draft("Another")
	if f, err := d.Agenda.Follow(t.Context(), secret, ""); other == 0 || err != nil || f.Tag != "" {
		t.Error("there is a tag while an older change is not there yet")
	}
	if err := old.Commit(); err != nil {
		t.Fatal(err)
	}
	f := follow(t, d, secret, "")
	if f.Tag == "" || !strings.Contains(f.Events[0].Title+fmt.Sprint(f.Events), "Slower") {
		t.Errorf("after it: %q", f.Tag)
	}
}

func TestWrongFeeds(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	for field, s := range map[string]agenda.Subscription{"name": {Name: " "},
		"person": {Name: "A", Person: "no@b.example"}, "vendor": {Name: "A", Vendor: "nobody"}} {
		_, _, err := d.Agenda.Subscribe(t.Context(), d.As("Ragna"), s)
		if !slices.Contains(desktest.Fields(err), field) {
			t.Errorf("%+v: %v", s, err)
		}
	}
	for range 20 {
		subscribe(t, d, "Ragna", agenda.Subscription{Name: "A"})
	}
	if _, _, err := d.Agenda.Subscribe(t.Context(), d.As("Ragna"), agenda.Subscription{Name: "A"}); err == nil {
		t.Error("there is no end to subscriptions")
	}
	span := agenda.Span{From: d.Clock.Now(), To: d.Clock.Now().AddDate(0, 3, 0)}
	if _, err := d.Agenda.Show(t.Context(), d.As("Ragna"), span); !slices.Contains(desktest.Fields(err), "to") {
		t.Errorf("three months: %v", err)
	}
}
