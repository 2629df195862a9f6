package consents_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/consents"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// A consent is told with the filing, is withdrawn by whoever may, and says when its giver is not who may give it.
func TestConsents(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	d.Change("corvane", `{"access":[{"person":"emil@saltmarsh.example","may":["consent"]}]}`)
	id := d.Draft("Gates say no")
	ragna := d.As("Ragna")
	give := func(x consents.Consenting) (desk.Ref, error) { return d.Consents.Give(t.Context(), ragna, id, x) }
	until := d.Clock.Now().Add(time.Hour)
	ref, err := give(consents.Consenting{Kind: casework.RemoteSession, For: "gate 3", Until: &until})
	if err != nil || !strings.Contains(ref.Warning, "emil@saltmarsh.example") {
		t.Errorf("given by somebody who may not: %q, %v", ref.Warning, err)
	}
	if ref, err = give(consents.Consenting{Kind: casework.Diagnostics, By: "emil@saltmarsh.example"}); err != nil ||
		ref.Warning != "" {
		t.Errorf("given by somebody who may: %q, %v", ref.Warning, err)
	}
	for field, x := range map[string]consents.Consenting{"kind": {Kind: "everything"},
		"until": {Kind: casework.Recording, Until: new(d.Clock.Now())}, "by": {Kind: casework.Recording,
			By: "x@y.example"}} {
		if _, err := give(x); !slices.Equal(desktest.Fields(err), []string{field}) {
			t.Errorf("%s: %v", field, err)
		}
	}
	if text := d.View(id).Preview; !strings.Contains(text,
		"Consents\n- Remote session, for gate 3: given by Ragna Lie on") ||
		!strings.Contains(text, "- Collecting diagnostics: given by Emil") {
		t.Errorf("the text of the draft:\n%s", text)
	}
	if _, err := d.Consents.Withdraw(t.Context(), ragna, id, 2, "Not needed"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Consents.Withdraw(t.Context(), ragna, id, 2, ""); err == nil {
		t.Error("withdrawn twice")
	}
	if text := d.View(id).Preview; strings.Contains(text, "diagnostics") {
		t.Errorf("a consent that was withdrawn is told:\n%s", text)
	}
	if err := d.Step(id, cases.StepRequest{Step: casework.File}); err != nil {
		t.Fatal(err)
	}
	d.Sweep()
	if got := d.View(id).Untold; len(got) != 0 {
		t.Errorf("told with the filing, and yet %+v", got)
	}
	if _, err := d.Consents.Withdraw(t.Context(), ragna, id, 1, ""); err != nil {
		t.Fatal(err)
	}
	if got := d.View(id).Untold; len(got) != 1 || got[0].Label != "Consent: remote session" {
		t.Errorf("not told of the withdrawal: %+v", got)
	}
	holding := func(all bool) int {
		t.Helper()
		list, err := d.Consents.List(t.Context(), ragna, !all, 10)
		if err != nil {
			t.Fatal(err)
		}
		return len(list)
	}
	if holding(false) != 0 || holding(true) != 2 {
		t.Errorf("%d hold, of %d", holding(false), holding(true))
	}
	if _, err := give(consents.Consenting{Kind: casework.Recording, Until: &until}); err != nil || holding(false) != 1 {
		t.Errorf("a third: %d hold, %v", holding(false), err)
	}
	if d.Clock.Move(2 * time.Hour); holding(false) != 0 {
		t.Error("one that has ended holds")
	}
	d.Agrees()
}
