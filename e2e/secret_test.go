package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/vault"
)

func (c *caller) secret(name string) (apigen.Secret, string) {
	c.w.t.Helper()
	a := c.must(200, "GET", "/secrets/"+name, nil)
	var s apigen.Secret
	a.into(c.w.t, &s)
	return s, a.header.Get("ETag")
}

func (c *caller) revealed(name string) string {
	c.w.t.Helper()
	var v apigen.Revealed
	c.must(200, "POST", "/secrets/"+name+"/reveal", m{}).into(c.w.t, &v)
	return v.Value
}

// A secret is kept, told to its own vendor at its own host, shown to those who may
// see it, and stands nowhere else: not in the record, lists, logs, nor a dump.
func TestSecrets(t *testing.T) {
	t.Parallel()
	w := live(t)
	admin, handler, auditor := w.as(4), w.as(0), w.as(3)
	const value, other = "copper-anchor-nineteen", "brine \"and\" tar €"
	admin.must(201, "POST", "/secrets",
		m{"facts": m{"name": "corvane-passphrase", "vendor": "corvane", "label": "Support passphrase", "kind": "passphrase",
			"hosts": []string{"127.0.0.1"}}, "value": value})
	admin.must(201, "POST", "/secrets",
		m{"facts": m{"name": "tallow-word", "vendor": "tallow", "label": "Word", "kind": "other",
			"readers": []string{"emil@saltmarsh.example"}}, "value": other})
	admin.must(201, "POST", "/secrets",
		m{"facts": m{"name": "on-paper", "vendor": "corvane", "label": "Old phrase", "kind": "passphrase",
			"holder": "Tuva Holm", "place": "safe"}})
	admin.must(201, "POST", "/secrets",
		m{"facts": m{"name": "elsewhere", "vendor": "corvane", "label": "Key", "kind": "api-key",
			"hosts": []string{"api.corvane.example"}}, "value": "kept-for-elsewhere"})

	// Who may see it, and that it is on record.
	if got := handler.revealed("corvane-passphrase"); got != value {
		t.Errorf("%q", got)
	}
	if got := w.as(1).revealed("tallow-word"); got != other {
		t.Errorf("%q", got)
	}
	for _, x := range []struct {
		who    *caller
		status int
		method string
		path   string
		body   any
		say    string
	}{
		{handler, 403, "POST", "/secrets/tallow-word/reveal", m{}, "Only emil@saltmarsh.example"},
		{auditor, 403, "POST", "/secrets/corvane-passphrase/reveal", m{}, "auditor"},
		{handler, 409, "POST", "/secrets/on-paper/reveal", m{}, "Tuva Holm holds it, the paper copy is here: safe"},
		{handler, 404, "POST", "/secrets/none/reveal", m{}, ""},
		{handler, 422, "POST", "/secrets/corvane-passphrase/reveal", m{"case": "C-9"}, "no such case"},
		{handler, 403, "POST", "/secrets",
			m{"facts": m{"name": "x", "label": "x", "kind": "pin"}, "value": "never-to-be-told"}, ""},
		{handler, 403, "POST", "/vault/rotation", m{}, ""},
		{admin, 422, "POST", "/secrets",
			m{"facts": m{"name": "tallow-word", "vendor": "tallow", "label": "x", "kind": "pin"}, "value": "never-to-be-told"},
			"already a secret"},
		{admin, 422, "POST", "/secrets",
			m{"facts": m{"name": "x", "vendor": "moon", "label": "x", "kind": "sesame", "hosts": []string{"http://x"}},
				"value": "never-to-be-told"}, "hosts[0]"},
		{admin, 422, "POST", "/secrets",
			m{"facts": m{"name": "x", "label": "x", "kind": "pin"}, "value": "never-to-be-told" + strings.Repeat("x", 9000)},
			"at most 8192"},
		{admin, 422, "POST", "/secrets",
			m{"facts": m{"name": "x", "label": "x", "kind": "pin"}, "value": "never-to-be-told\x00"}, "NUL"},
		{admin, 400, "POST", "/secrets",
			m{"facts": m{"name": "x", "label": "x", "kind": "pin"}, "value": []string{"never-to-be-told"}}, ""},
	} {
		a := x.who.do(x.method, x.path, x.body)
		if a.status != x.status && !(x.status == 400 && a.status == 422) || !strings.Contains(string(a.body), x.say) ||
			strings.Contains(string(a.body), "never-to-be-told") {
			t.Errorf("%s %s: %d %s, want %d with %q", x.method, x.path, a.status, a.body, x.status, x.say)
		}
	}
	s, etag := auditor.secret("corvane-passphrase")
	if s.Uses == nil || len(*s.Uses) != 2 || (*s.Uses)[0].Act != "revealed" || *(*s.Uses)[0].Person != "Ragna Lie" ||
		len(*(*s.Uses)[0].Digest) != 64 || s.WhyNot == nil {
		t.Errorf("%+v", s)
	}

	// Where it may go is bound to the value.
	patch := func(status int, body m) answer {
		return admin.do("PATCH", "/secrets/corvane-passphrase", body, "If-Match", etag)
	}
	for _, body := range []m{{"hosts": []string{"evil.example"}}, {"vendor": "tallow"}, {"hosts": nil},
		{"name": "other-name"}} {
		if a := patch(422, body); a.status != 422 {
			t.Errorf("%v: %d %s", body, a.status, a.body)
		}
	}
	if a := patch(200, m{"note": "Asked for every time."}); a.status != 200 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := patch(412, m{"note": "Again."}); a.status != 412 {
		t.Errorf("of an older state: %d %s", a.status, a.body)
	}

	// It is put in at the edge: the vendor has it, the record has its placeholder.
	name := handler.draft("corvane", "They ask for the passphrase [mute]")
	_, tag := handler.get(name)
	handler.must(200, "PATCH", "/cases/"+name, m{"texts": m{"happened": "Here it is: {secret corvane-passphrase}."}},
		"If-Match", tag)
	handler.must(200, "PATCH", "/cases/"+name,
		m{"title": "They ask for " + value + " [mute]", "texts": m{"tried": "We said " + value}}, "If-Match", func() string {
			_, e := handler.get(name)
			return e
		}())
	if v, _ := handler.get(name); v.Line.Title != "They ask for {secret corvane-passphrase} [mute]" {
		t.Errorf("the title is %q", v.Line.Title)
	}
	handler.step(name, m{"step": "file"})
	handler.untilState(name, "open")
	job := w.cast.Jobs("corvane")[0]
	if !strings.Contains(job.Story, "Here it is: "+value+".") || strings.Contains(job.Story, "{secret") {
		t.Errorf("the vendor reads %q", job.Story)
	}
	// Written out by one who did not know better, or said by the vendor, it is hidden again.
	handler.must(201, "POST", "/cases/"+name+"/messages", m{"text": "Once more: " + value})
	handler.must(201, "POST", "/cases/"+name+"/notes", m{"text": "I told them " + value})
	w.cast.Say("corvane", standin.Happening{Job: job.No, What: "remark",
		By: standin.By{Side: "house", Name: "Teo Brannigan"}, Words: "So it is " + value + ", thank you."})
	w.until("their answer", func() bool {
		n := 0
		for _, e := range handler.entries(name) {
			if strings.Contains(e.Text, "{secret corvane-passphrase}") {
				n++
			}
		}
		return n == 4
	})
	w.until("the message", func() bool {
		return strings.Contains(fmt.Sprint(w.cast.Feed("corvane")), "Once more: "+value)
	})
	for text, say := range map[string]string{"{secret none}": "there is no secret none",
		"{secret tallow-word}": "is not for this vendor", "{secret on-paper}": "its value is not stored here",
		"{secret elsewhere}": "may not be sent to 127.0.0.1"} {
		if p := handler.must(422, "POST", "/cases/"+name+"/messages",
			m{"text": text}).problem(t); !strings.Contains((*p.Errors)[0].Detail, say) {
			t.Errorf("%s: %+v", text, *p.Errors)
		}
	}
	s, _ = admin.secret("corvane-passphrase")
	sends := 0
	for _, u := range *s.Uses {
		if u.Act == "sent" {
			sends++
			if u.Case == nil || *u.Case != name || u.Host == nil || !strings.HasPrefix(*u.Host, "127.0.0.1:") {
				t.Errorf("%+v", u)
			}
		}
	}
	if sends < 2 {
		t.Errorf("%d sendings on record", sends)
	}

	// Nowhere else: all that the API tells, a dump of the database, all logs.
	every := []string{value, other, "kept-for-elsewhere", "never-to-be-told"}
	var told strings.Builder
	for _, path := range []string{"/secrets", "/secrets/corvane-passphrase", "/secrets/tallow-word", "/vault", "/cases/" +
		name, "/cases/" + name + "/entries", "/vendors/corvane", "/vendors/corvane/pack", "/cases", "/today"} {
		told.Write(admin.must(200, "GET", path, nil).body)
	}
	at, _, _ := strings.Cut(w.db, "&pool_max_conns") // which is for us
	dump := exec.Command("pg_dump", at)
	raw, err := dump.Output()
	if err != nil || len(raw) < 10_000 {
		t.Fatalf("pg_dump: %v, %d bytes", err, len(raw))
	}
	for what, text := range map[string]string{"the API": told.String(), "the dump": string(raw),
		"the log": w.log.String()} {
		for _, v := range every {
			if strings.Contains(text, v) {
				t.Errorf("%s holds %q", what, v)
			}
		}
	}
	if !strings.Contains(w.log.String(), "/reveal") {
		t.Error("the log does not tell of requests, so that it holds no secret says nothing")
	}

	// It goes, and what was done with it stays.
	_, etag = admin.secret("elsewhere")
	admin.must(204, "DELETE", "/secrets/elsewhere", nil, "If-Match", etag)
	admin.must(404, "GET", "/secrets/elsewhere", nil)
}

// The key is changed while people reveal, change and send; nothing fails, and in the
// end only the newest key opens anything.
func TestTheKeyIsChangedUnderLoad(t *testing.T) {
	t.Parallel()
	w := live(t)
	admin := w.as(4)
	const secrets = 12
	for i := range secrets {
		admin.must(201, "POST", "/secrets",
			m{"facts": m{"name": fmt.Sprintf("s-%d", i), "vendor": "corvane", "label": "Secret", "kind": "pin",
				"hosts": []string{"127.0.0.1"}}, "value": fmt.Sprintf("value-%d-0", i)})
	}
	name := w.as(0).filed("corvane", "Many secrets [mute]")
	var done atomic.Bool
	var shown, changed atomic.Int64
	var all sync.WaitGroup
	for i := range 3 {
		all.Go(func() { // each changes its own secrets and sees what it wrote
			n := 0
			for !done.Load() {
				n++
				at := fmt.Sprintf("s-%d", i+3*(n%4))
				_, etag := admin.secret(at)
				want := fmt.Sprintf("value-%s-%d", at, n)
				if a := admin.do("PATCH", "/secrets/"+at, m{"value": want}, "If-Match", etag); a.status != 200 {
					t.Errorf("changing %s: %d %s", at, a.status, a.body)
				}
				changed.Add(1)
				if got := w.as(0).revealed(at); got != want {
					t.Errorf("%s is %q, not %q", at, got, want)
				}
				shown.Add(1)
			}
		})
	}
	all.Go(func() {
		for i := 0; i < 4 || !done.Load() && i < 40; i++ {
			w.as(0).must(201, "POST", "/cases/"+name+"/messages",
				m{"text": fmt.Sprintf("Number %d: {secret s-%d}", i, i%secrets)})
		}
	})
	var last apigen.Rotation
	for range 6 {
		admin.must(200, "POST", "/vault/rotation", m{}).into(t, &last)
		if last.From == last.To {
			t.Errorf("%+v", last)
		}
		before := changed.Load()
		w.until("some work", func() bool { return changed.Load() > before+2 })
	}
	done.Store(true)
	all.Wait()
	w.until("all sent", func() bool {
		n := 0
		for _, e := range w.as(0).entries(name) {
			if e.Delivery != nil && string(e.Delivery.State) != "arrived" {
				n++
			}
		}
		return n == 0
	})
	if feed := fmt.Sprint(w.cast.Feed("corvane")); strings.Contains(feed, "{secret") ||
		!strings.Contains(feed, "Number 3: value-") {
		t.Error("a placeholder reached the vendor, or nothing did")
	}
	admin.must(200, "POST", "/vault/rotation", m{"forget": true}).into(t, &last)
	if !last.Forgotten || last.Secrets != secrets {
		t.Errorf("%+v", last)
	}
	var v apigen.Vault
	admin.must(200, "GET", "/vault", nil).into(t, &v)
	if !v.Unlocked || *v.Key != last.To || len(*v.Keys) != 1 || v.Secrets != secrets {
		t.Errorf("%+v", v)
	}
	w.as(0).revealed("s-5")
	t.Logf("%d shown and %d changed while the key was changed 6 times", shown.Load(), changed.Load())
}

// A key that is not the desk's is refused at the start in words; without any key the
// desk works and its secrets stay closed.
func TestTheWrongKey(t *testing.T) {
	t.Parallel()
	w := still(t)
	w.as(4).must(201, "POST", "/secrets", m{"facts": m{"name": "a", "label": "A", "kind": "pin"}, "value": "value-of-a"})
	d, err := service.Open(t.Context(), w.db, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer d.Store.Close()
	ring, err := vault.Create(filepath.Join(t.TempDir(), "other.key"))
	if err != nil {
		t.Fatal(err)
	}
	if err := d.Secrets.Use(t.Context(), ring); err == nil ||
		!contains(err.Error(), "other.key is not the key of this desk", "Nothing was changed") {
		t.Errorf("%v", err)
	}
	s := &shell{t: t, home: t.TempDir()}
	serve := func(args ...string) (string, int) {
		return s.run("", append([]string{"serve", "--database", w.db, "--listen", "127.0.0.1:0"}, args...)...)
	}
	file := filepath.Join(s.home, "wrong.key")
	s.ok([]string{"key", "new", file}, "has the key", "--key-file "+file)
	if out, code := serve("--key-file", file); code != 1 || !contains(out, "is not the key of this desk") {
		t.Errorf("%d %s", code, out)
	}
	if err := os.Chmod(file, 0o644); err != nil {
		t.Fatal(err)
	}
	if out, code := serve("--key-file", file); code != 1 ||
		!contains(out, "can be read by people other than its owner (0644): chmod 600") {
		t.Errorf("%d %s", code, out)
	}
	if out, code := serve("--key-file", file+"-none"); code != 1 ||
		!contains(out, "there is no such key file", "roundhouse key new") {
		t.Errorf("%d %s", code, out)
	}
	if out, code := s.run("", "key", "new", file); code != 1 || !contains(out, "it was not changed") {
		t.Errorf("%d %s", code, out)
	}
	p, err := peopledb.ByEmail(t.Context(), d.Store.DB, w.people[4].Email)
	if err != nil {
		t.Fatal(err)
	}
	who := desk.Actor{Person: p}
	if list, err := d.Secrets.List(t.Context(), who, ""); err != nil || len(list) != 1 {
		t.Error(err)
	}
	if _, err := d.Secrets.Reveal(t.Context(), who, "a", "", nil); err == nil ||
		!contains(err.Error(), "the service has no key to the vault") {
		t.Errorf("without a key: %v", err)
	}
}

// What a person takes there names the secret, and says how to see it.
func TestASecretByHand(t *testing.T) {
	t.Parallel()
	w := still(t)
	hand := w.byHand()
	w.as(4).must(201, "POST", "/secrets",
		m{"facts": m{"name": "lark-pin", "vendor": "lark", "label": "PIN", "kind": "pin"}, "value": "90-41-77"})
	name := hand.draft("lark", "The PIN is wanted")
	_, etag := hand.get(name)
	hand.must(200, "PATCH", "/cases/"+name, m{"texts": m{"happened": "The PIN is {secret lark-pin}."}}, "If-Match", etag)
	hand.step(name, m{"step": "file"})
	sh := w.shell(0)
	out := sh.ok(words("case show "+name), "The PIN is {secret lark-pin}.", "roundhouse secret reveal lark-pin --case "+
		name)
	if contains(out, "90-41-77") {
		t.Errorf("it is shown unasked:\n%s", out)
	}
	sh.ok(words("secret reveal lark-pin --case "+name), "90-41-77")
	sh.ok(words("case sent " + name))
	if s, _ := hand.secret("lark-pin"); s.Uses == nil || (*s.Uses)[0].Act != "revealed" || *(*s.Uses)[0].Case != name {
		t.Errorf("%+v", s)
	}
}
