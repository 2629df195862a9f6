package whole

import (
	"context"
	"reflect"
	"slices"
	"testing"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/hours"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// ungranted are the doors that nobody goes through who is signed in: those of jobs, of who starts the
// service, and of signing in itself.
var ungranted = map[string][]string{
	"Outbox":   {"Deliver", "WakeDue", "LinkOfDelivery"},
	"Inbox":    {"Collect", "Due", "Forget"},
	"Cases":    {"Rebuild"},
	"Waking":   {"Due"},
	"Files":    {"Examine", "ExamineDue", "Sweep"},
	"Today":    {"Warm"},
	"Notify":   {"Sweep"},
	"Mailing":  {"Run"},
	"Agenda":   {"Follow", "Invitations"},
	"Webhooks": {"Run"},
	"Record":   {"Check"},
	"Secrets":  {"Use", "HasKeys"},
	"Register": {"VendorThere"},
	"People":   {"Begin", "SignIn", "TrySignIn", "ByToken", "PersonSignedIn", "EndAccess", "Forget"},
}

// Every door of the desk takes the person who asks, with the grant, but for those named above
// and what can only be called within another's transaction.
func TestEveryDoorTakesAGrant(t *testing.T) {
	whole := reflect.TypeFor[Desk]()
	kernel := reflect.TypeFor[*desk.Desk]()
	within := []reflect.Type{reflect.TypeFor[db.Querier](), reflect.TypeFor[*db.Tx](), reflect.TypeFor[*cases.Work](),
		reflect.TypeFor[*hours.Compiled](), reflect.TypeFor[*casesdb.Case]()}
	granted, named := 0, map[string]bool{}
	for i := range whole.NumField() {
		subject := whole.Field(i)
		if subject.Type == kernel {
			continue
		}
		for j := range subject.Type.NumMethod() {
			door := subject.Type.Method(j)
			if _, common := kernel.MethodByName(door.Name); common || door.Type.NumIn() < 2 ||
				door.Type.In(1) != reflect.TypeFor[context.Context]() {
				continue
			}
			grant, inner := false, false
			for k := 2; k < door.Type.NumIn(); k++ {
				in := door.Type.In(k)
				grant = grant || in == reflect.TypeFor[desk.Actor]() || in == reflect.TypeFor[*desk.Actor]()
				inner = inner || slices.Contains(within, in)
			}
			known := slices.Contains(ungranted[subject.Name], door.Name)
			named[subject.Name+"."+door.Name] = known
			switch {
			case grant:
				granted++
				if known {
					t.Errorf("%s.%s takes a grant after all", subject.Name, door.Name)
				}
			case !inner && !known:
				t.Errorf("%s.%s asks nobody who they are", subject.Name, door.Name)
			}
		}
	}
	for subject, doors := range ungranted {
		for _, door := range doors {
			if !named[subject+"."+door] {
				t.Errorf("there is no %s.%s", subject, door)
			}
		}
	}
	if granted < 50 {
		t.Errorf("only %d doors take a grant", granted)
	}
}
