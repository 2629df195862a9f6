package secrets_test

import (
	"errors"
	"path/filepath"
	"strings"
	"testing"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/testdb"
	"roundhouse.example/internal/vault"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// unlocked is a desk with a key of its own, and the file that it lies in.
func unlocked(t *testing.T) (*desktest.Desk, string) {
	t.Helper()
	d := desktest.New(t)
	file := filepath.Join(t.TempDir(), "vault.key")
	ring, err := vault.Create(file)
	if err == nil {
		err = d.Secrets.Use(t.Context(), ring)
	}
	if err != nil {
		t.Fatal(err)
	}
	return d, file
}

func passphrase(name string) register.Secret {
	return register.Secret{Name: name, Vendor: "corvane", Label: "Passphrase", Kind: "passphrase",
		Hosts: []string{"api.corvane.example"}}
}

// A value is never stored as it is, and whoever saw it is on record before it is shown.
func TestRevealing(t *testing.T) {
	t.Parallel()
	d, _ := unlocked(t)
	tuva, ragna, auditor := d.As("Tuva"), d.As("Ragna"), d.As("Aksel")
	f := passphrase("harbour")
	f.Readers = []string{ragna.Email, tuva.Email}
	if err := d.Secrets.Add(t.Context(), tuva, f, "copper-anchor"); err != nil {
		t.Fatal(err)
	}
	var stored string
	if err := d.Store.DB.Get(&stored, "select string_agg(encode(value, 'escape'), ' ') from secret_value"); err != nil ||
		stored == "" || strings.Contains(stored, "copper-anchor") {
		t.Errorf("stored %q, %v", stored, err)
	}
	if v, err := d.Secrets.Reveal(t.Context(), ragna, "harbour", "on the phone", nil); err != nil || v != "copper-anchor" {
		t.Errorf("%q %v", v, err)
	}
	for _, a := range []desk.Actor{auditor, d.As("Emil")} {
		v, err := d.Secrets.Reveal(t.Context(), a, "harbour", "curious", nil)
		if no := (*desk.Forbidden)(nil); !errors.As(err, &no) || v != "" {
			t.Errorf("%s: %q %v", a.Name, v, err)
		}
	}
	view, uses, err := d.Secrets.One(t.Context(), d.As("Emil"), "harbour")
	if err != nil || !strings.Contains(view.WhyNot, ragna.Email) {
		t.Errorf("why not: %q, %v", view.WhyNot, err)
	}
	var acts []string
	for _, u := range uses {
		acts = append(acts, u.Act+" "+u.Why)
	}
	if len(acts) != 2 || acts[0] != "revealed on the phone" || !strings.HasPrefix(acts[1], "added ") ||
		!strings.Contains(acts[1], "readers: "+ragna.Email) {
		t.Errorf("on record: %q", acts)
	}
	// Where that cannot be put on record, it is not shown.
	if _, err := d.Store.DB.Exec("alter table secret_use rename to secret_use_away"); err != nil {
		t.Fatal(err)
	}
	if v, err := d.Secrets.Reveal(t.Context(), ragna, "harbour", "again", nil); err == nil || v != "" {
		t.Errorf("shown without a record: %q %v", v, err)
	}
}

// Where a value may be sent is bound to the value: nobody who does not have it sends it elsewhere.
func TestHostsAreBoundToTheValue(t *testing.T) {
	t.Parallel()
	d, _ := unlocked(t)
	tuva := d.As("Tuva")
	if err := d.Secrets.Add(t.Context(), tuva, passphrase("harbour"), "copper-anchor"); err != nil {
		t.Fatal(err)
	}
	change := func(patch string, value *string) error {
		v, _, err := d.Secrets.One(t.Context(), tuva, "harbour")
		if err != nil {
			t.Fatal(err)
		}
		return d.Secrets.Change(t.Context(), tuva, "harbour", v.Version, secrets.Edit{Facts: []byte(patch), Value: value})
	}
	for patch, wrong := range map[string]string{`{"hosts": ["evil.example"]}`: "value", `{"vendor": "tallow"}`: "value",
		`{"name": "other"}`: "name", `{"readers": ["nobody@saltmarsh.example"]}`: "readers[0]",
		`{"vendor": "moon"}`: "value"} {
		if err := change(patch, nil); desktest.Detail(err, wrong) == "" {
			t.Errorf("%s: %v", patch, err)
		}
	}
	if err := change(`{"hosts": ["new.corvane.example"], "label": "The new one"}`, new("anchor-two")); err != nil {
		t.Fatal(err)
	}
	if v, err := d.Secrets.Reveal(t.Context(), tuva, "harbour", "", nil); err != nil || v != "anchor-two" {
		t.Errorf("%q %v", v, err)
	}
	id := d.VendorID("corvane")
	for _, x := range []struct {
		vendor     int64
		host, text string
		why        string
	}{
		{id, "new.corvane.example", "It is {secret harbour}", ""},
		{id, "api.corvane.example", "It is {secret harbour}", "may not be sent to api.corvane.example"},
		{d.VendorID("tallow"), "", "It is {secret harbour}", "is not for this vendor"},
		{id, "", "It is {secret harbor}", "there is no secret harbor"},
	} {
		err := d.Secrets.CheckText(t.Context(), d.Store.DB, x.vendor, x.host, x.text)
		if said := desktest.Detail(err, "text"); x.why == "" && err != nil || !strings.Contains(said, x.why) {
			t.Errorf("%q to %q: %v", x.text, x.host, err)
		}
	}
	// Taken out, it is what only a person has; it can no longer be sent by itself.
	if err := change(`{"holder": "Tuva Holm", "hosts": []}`, new("")); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Secrets.Reveal(t.Context(), tuva, "harbour", "", nil); err == nil ||
		!strings.Contains(err.Error(), "Tuva Holm") {
		t.Errorf("%v", err)
	}
	if err := d.Secrets.CheckText(t.Context(), d.Store.DB, id, "new.corvane.example",
		"{secret harbour}"); desktest.Detail(err,
		"text") == "" {
		t.Errorf("a value that is not here would be sent: %v", err)
	}
}

// A change of what has changed since is refused, and two people who change it at once are not both told yes.
func TestTwoChangeASecretAtOnce(t *testing.T) {
	t.Parallel()
	d, _ := unlocked(t)
	tuva := d.As("Tuva")
	if err := d.Secrets.Add(t.Context(), tuva, passphrase("harbour"), "one"); err != nil {
		t.Fatal(err)
	}
	v, _, err := d.Secrets.One(t.Context(), tuva, "harbour")
	if err != nil {
		t.Fatal(err)
	}
	won := desktest.AtOnce(t, 6, func(i int) error {
		return d.Secrets.Change(t.Context(), tuva, "harbour", v.Version,
			secrets.Edit{Facts: []byte(`{"note": "changed"}`), Value: new(strings.Repeat("x", i+1))})
	})
	if got, err := d.Secrets.Reveal(t.Context(), tuva, "harbour", "", nil); err != nil || len(got) != won+1 {
		t.Errorf("%d was told yes, and it is %q, %v", won, got, err)
	}
	if err := d.Secrets.Remove(t.Context(), tuva, "harbour", v.Version); err == nil {
		t.Error("a version that is over was removed")
	}
	if err := d.Secrets.Add(t.Context(), tuva, passphrase("harbour"), "two"); desktest.Detail(err, "name") == "" {
		t.Errorf("the name twice: %v", err)
	}
}

// A change of the key that is broken off is taken up at the next start; a wrong key is refused in words.
func TestTheKeyChanges(t *testing.T) {
	t.Parallel()
	d, file := unlocked(t)
	tuva := d.As("Tuva")
	for _, name := range []string{"one", "two", "three"} {
		if err := d.Secrets.Add(t.Context(), tuva, passphrase(name), "value of "+name); err != nil {
			t.Fatal(err)
		}
	}
	// It breaks off at the second of three.
	_, err := d.Store.DB.Exec(`create function broken() returns trigger language plpgsql as
		$$ begin if (select count(*) from secret_value where key_id = new.key_id) > 0 then raise 'broken off'; end if;
		return new; end $$; create trigger broken before update on secret_value for each row execute function broken()`)
	if err != nil {
		t.Fatal(err)
	}
	if r, err := d.Secrets.Rotate(t.Context(), tuva, true); err == nil {
		t.Fatalf("%+v", r)
	}
	for _, name := range []string{"one", "two", "three"} {
		if v, err := d.Secrets.Reveal(t.Context(), tuva, name, "", nil); err != nil || v != "value of "+name {
			t.Errorf("after a broken change %s is %q, %v", name, v, err)
		}
	}
	if _, err := d.Store.DB.Exec("drop trigger broken on secret_value"); err != nil {
		t.Fatal(err)
	}
	ring, err := vault.Load(file)
	if err == nil {
		err = d.Secrets.Use(t.Context(), ring)
	}
	if err != nil {
		t.Fatal(err)
	}
	state, err := d.Secrets.State(t.Context(), tuva)
	if err != nil || state.Secrets != 3 || !state.Open {
		t.Errorf("%+v %v", state, err)
	}
	var others int
	if err := d.Store.DB.Get(&others, "select count(*) from secret_value where key_id <> $1", state.Key); err != nil ||
		others != 0 {
		t.Errorf("%d are still encrypted with an older key, %v", others, err)
	}
	r, err := d.Secrets.Rotate(t.Context(), tuva, true)
	if err != nil || r.From != state.Key || r.To == r.From || r.Rewrapped != 3 || !r.Forgotten {
		t.Errorf("%+v %v", r, err)
	}
	if state, _ = d.Secrets.State(t.Context(), tuva); len(state.Keys) != 1 || state.Keys[0] != r.To {
		t.Errorf("kept keys: %v", state.Keys)
	}
	wrong, err := vault.Create(filepath.Join(t.TempDir(), "other.key"))
	if err != nil {
		t.Fatal(err)
	}
	if err := d.Secrets.Use(t.Context(), wrong); err == nil ||
		!strings.Contains(err.Error(), "is not the key of this desk") {
		t.Errorf("a wrong key: %v", err)
	}
	if v, err := d.Secrets.Reveal(t.Context(), tuva, "two", "", nil); err != nil || v != "value of two" {
		t.Errorf("after a wrong key was refused: %q %v", v, err)
	}
	if _, err := d.Secrets.Rotate(t.Context(), d.As("Ragna"), false); err == nil {
		t.Error("a handler changed the key")
	}
}

// What a vendor repeats to us of what it was told is hidden, and only what it was told.
func TestHiding(t *testing.T) {
	t.Parallel()
	d, _ := unlocked(t)
	tuva := d.As("Tuva")
	other := passphrase("elsewhere")
	other.Vendor, other.Hosts = "tallow", []string{"works.tallow.example"}
	for _, err := range []error{d.Secrets.Add(t.Context(), tuva, passphrase("harbour"), "copper-anchor-nineteen"),
		d.Secrets.Add(t.Context(), tuva, other, "rope-and-tar-four")} {
		if err != nil {
			t.Fatal(err)
		}
	}
	hide, err := d.Secrets.Hiding(t.Context(), d.Store.DB, d.VendorID("corvane"))
	if err != nil {
		t.Fatal(err)
	}
	if got := hide("You wrote copper-anchor-nineteen, not rope-and-tar-four."); got !=
		"You wrote {secret harbour}, not rope-and-tar-four." {
		t.Errorf("%q", got)
	}
}
