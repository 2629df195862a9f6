package people_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/people"
	peopledb "roundhouse.example/internal/store/people"
	"roundhouse.example/internal/testdb"
)

const password = "a long enough one"

func change(t *testing.T, d *desktest.Desk, name string, ch people.Edit) error {
	t.Helper()
	p := d.As(name)
	_, err := d.People.Change(t.Context(), d.As("Tuva"), p.ID, p.Version, ch)
	return err
}

// What is wrong with a new person is said by field; an address is one person's, in any spelling.
func TestWhoCanBeAdded(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	tuva := d.As("Tuva")
	good := people.NewPerson{Name: "Ines Vik", Email: "ines@saltmarsh.example", Role: "handler", Password: password}
	for field, spoil := range map[string]func(*people.NewPerson){
		"name":     func(n *people.NewPerson) { n.Name = " " },
		"email":    func(n *people.NewPerson) { n.Email = "ines" },
		"role":     func(n *people.NewPerson) { n.Role = "king" },
		"password": func(n *people.NewPerson) { n.Password = "   short   " },
	} {
		n := good
		spoil(&n)
		_, err := d.People.Add(t.Context(), &tuva, n)
		if !slices.Equal(desktest.Fields(err), []string{field}) {
			t.Errorf("%s: %v", field, err)
		}
	}
	hidden := good
	hidden.Name = "Ines\u2028Vik"
	if _, err := d.People.Add(t.Context(), &tuva, hidden); err == nil {
		t.Error("a name in two lines")
	}
	if _, err := d.People.Add(t.Context(), &tuva, good); err != nil {
		t.Fatal(err)
	}
	again := good
	again.Email = "INES@Saltmarsh.example"
	if _, err := d.People.Add(t.Context(), &tuva, again); err == nil ||
		!strings.Contains(err.Error(), "somebody already has") {
		t.Errorf("the same address: %v", err)
	}
	for _, name := range []string{"Ragna", "Solveig", "Aksel"} {
		who := d.As(name)
		if _, err := d.People.Add(t.Context(), &who, good); err == nil || errors.As(err, new(*desk.Invalid)) {
			t.Errorf("%s adds people: %v", name, err)
		}
	}
}

// The last administrator stays one, and stays; with a second one the first may go.
func TestTheLastAdministrator(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	for what, ch := range map[string]people.Edit{"another role": {Role: new("lead")}, "leaving": {Active: new(false)}} {
		if err := change(t, d, "Tuva", ch); err == nil || !strings.Contains(err.Error(), "last administrator") {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := change(t, d, "Solveig", people.Edit{Role: new("administrator")}); err != nil {
		t.Fatal(err)
	}
	if err := change(t, d, "Tuva", people.Edit{Role: new("handler")}); err != nil {
		t.Error(err)
	}
}

// A change is made to what was seen, and to nothing else.
func TestAStalePerson(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	emil, tuva := d.As("Emil"), d.As("Tuva")
	if err := change(t, d, "Emil", people.Edit{Phone: new("+44 1632 960 044"), Zone: new("Europe/Oslo")}); err != nil {
		t.Fatal(err)
	}
	_, err := d.People.Change(t.Context(), tuva, emil.ID, emil.Version, people.Edit{Phone: new("1")})
	if !errors.Is(err, desk.ErrStale) && !errors.As(err, new(*desk.Stale)) {
		t.Errorf("over a change: %v", err)
	}
	if p := d.As("Emil"); p.Phone != "+44 1632 960 044" || p.Zone != "Europe/Oslo" {
		t.Errorf("%+v", p.Person)
	}
	if err := change(t, d, "Emil", people.Edit{Zone: new("Moon/Sea")}); err == nil {
		t.Error("a zone that there is not")
	}
}

// A token is its owner's: it says who asks, is not listed with its secret, cannot be revoked by others, and ends with
// a new password or with leaving.
func TestTokens(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	ragna, emil := d.As("Ragna"), d.As("Emil")
	token, secret, err := d.People.AddToken(t.Context(), ragna, "ticket-bridge")
	if err != nil {
		t.Fatal(err)
	}
	if p, err := d.People.ByToken(t.Context(), secret); err != nil || p.ID != ragna.ID {
		t.Errorf("it is %s's: %v", p.Name, err)
	}
	if _, err := d.People.ByToken(t.Context(), secret+"x"); err == nil {
		t.Error("a token that there is not")
	}
	list, err := d.People.Tokens(t.Context(), ragna)
	if err != nil || !slices.ContainsFunc(list, func(x peopledb.Token) bool { return x.Name == "ticket-bridge" }) {
		t.Errorf("%+v %v", list, err)
	}
	if err := d.People.RevokeToken(t.Context(), emil, token.ID); err == nil {
		t.Error("somebody else revoked it")
	}
	if _, _, err := d.People.AddToken(t.Context(), ragna, " "); err == nil {
		t.Error("a token without a name")
	}
	if err := change(t, d, "Ragna", people.Edit{Password: new("another long enough one")}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.People.ByToken(t.Context(), secret); err == nil {
		t.Error("it outlived the password")
	}
	_, secret, err = d.People.AddToken(t.Context(), d.As("Ragna"), "the next")
	if err != nil {
		t.Fatal(err)
	}
	if err := change(t, d, "Ragna", people.Edit{Active: new(false)}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.People.ByToken(t.Context(), secret); err == nil {
		t.Error("it outlived its owner's access")
	}
}

// Somebody who tries passwords is held up, by address and by account, and only for a while; who has left cannot sign
// in with the right one.
func TestTryingPasswords(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	const right = "harbour-light-1"
	if p, err := d.People.TrySignIn(t.Context(), "192.0.2.1", "RAGNA@saltmarsh.example", right); err != nil ||
		p.Name != "Ragna Lie" {
		t.Fatalf("the right password: %v", err)
	}
	var last error
	for range 40 {
		if _, last = d.People.TrySignIn(t.Context(), "192.0.2.7", "ragna@saltmarsh.example", "wrong"); errors.Is(last,
			people.ErrTooManySignIns) {
			break
		}
	}
	if !errors.Is(last, people.ErrTooManySignIns) {
		t.Fatalf("forty wrong passwords: %v", last)
	}
	if _, err := d.People.TrySignIn(t.Context(), "192.0.2.7", "emil@saltmarsh.example", "harbour-light-2"); err != nil {
		t.Errorf("another account from the same address: %v", err)
	}
	if _, err := d.People.TrySignIn(t.Context(), "192.0.2.8", "ragna@saltmarsh.example", right); err != nil {
		t.Errorf("the same account from elsewhere: %v", err)
	}
	for i := range 40 {
		_, last = d.People.TrySignIn(t.Context(), "192.0.2.7", fmt.Sprintf("guess-%d@saltmarsh.example", i), "wrong")
	}
	if !errors.Is(last, people.ErrTooManySignIns) {
		t.Errorf("forty accounts tried from one address: %v", last)
	}
	d.Clock.Move(11 * time.Minute)
	if _, err := d.People.TrySignIn(t.Context(), "192.0.2.7", "ragna@saltmarsh.example", right); err != nil {
		t.Errorf("eleven minutes later: %v", err)
	}
	// Who gets it right in the end starts from nothing again.
	for range 2 {
		for range 7 {
			_, last = d.People.TrySignIn(t.Context(), "192.0.2.11", "ragna@saltmarsh.example", "wrong")
		}
		if _, err := d.People.TrySignIn(t.Context(), "192.0.2.11", "ragna@saltmarsh.example", right); err != nil {
			t.Errorf("after seven wrong ones (%v): %v", last, err)
		}
	}
	if err := change(t, d, "Ragna", people.Edit{Active: new(false)}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.People.TrySignIn(t.Context(), "192.0.2.9", "ragna@saltmarsh.example", right); !errors.Is(err,
		people.ErrBadSignIn) {
		t.Errorf("somebody who has left: %v", err)
	}
}

// A desk begins once, with an administrator; after that only those who are there add others.
func TestADeskBeginsOnce(t *testing.T) {
	t.Parallel()
	first := people.NewPerson{Name: "Ines Vik", Email: "ines@desk.example", Role: "handler", Password: password}
	d := desktest.Over(t, testdb.Store(t), desktest.NewClock(), nil, nil)
	if _, err := d.People.Begin(t.Context(), first, hours.Beginning{}); !slices.Equal(desktest.Fields(err),
		[]string{"role"}) {
		t.Errorf("a handler: %v", err)
	}
	first.Role = "administrator"
	if _, err := d.People.Begin(t.Context(), first, hours.Beginning{Zone: "Europe/Atlantis"}); !slices.Equal(
		desktest.Fields(err), []string{"zone"}) {
		t.Errorf("in a zone that is not there: %v", err)
	}
	if p, err := d.People.Begin(t.Context(), first, hours.Beginning{Zone: "Europe/Oslo"}); err != nil || p.ID == 0 {
		t.Fatalf("the first person: %+v, %v", p, err)
	}
	first.Email = "bo@desk.example"
	if _, err := d.People.Begin(t.Context(), first, hours.Beginning{}); !errors.Is(err, people.ErrBegun) {
		t.Errorf("a second one: %v", err)
	}
	if p, err := d.People.TrySignIn(t.Context(), "192.0.2.1", "ines@desk.example", password); err != nil ||
		p.Name != "Ines Vik" {
		t.Errorf("the first person signs in: %+v, %v", p, err)
	}
}

// What depends on a person at the vendors is listed, so that it can be handed over.
func TestWhatDependsOnAPerson(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	d.Change("corvane", `{"access": [{"person": "ragna@saltmarsh.example", "may": ["open", "escalate"], "login": true},
		{"person": "emil@saltmarsh.example", "contact": true}]}`)
	d.Change("tallow", `{"access": [{"person": "ragna@saltmarsh.example", "notices": true, "login_due": "2027-01-10"}]}`)
	list, err := d.People.Holds(t.Context(), d.As("Tuva"), d.As("Ragna").ID)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, h := range list {
		got = append(got, h.Vendor+" "+h.What)
	}
	slices.Sort(got)
	want := []string{"corvane has a login", "corvane may open, escalate", "tallow gets a login by 2027-01-10",
		"tallow gets its notices"}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}
