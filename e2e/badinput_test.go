package e2e

import (
	"bytes"
	"io"
	"net/http"
	"net/http/cookiejar"
	"strings"
	"sync"
	"testing"

	"roundhouse.example/internal/server/apigen"
)

// Bad input gets a clear problem document that names the place, and changes nothing.
func TestBadInput(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Something is slow")
	before, etag := ragna.get(name)
	js := "application/json"
	step := "/cases/" + name + "/steps"
	for _, x := range []struct {
		what, method, path, kind, body string
		header                         []string
		status                         int
		problem, field                 string
	}{
		{"a wrong type", "POST", "/cases", js, `{"vendor":"corvane","title":7}`, nil, 422, "invalid", "title"},
		{"an unknown field", "POST", "/cases", js, `{"vendor":"corvane","title":"x","colour":"red"}`, nil, 422, "invalid",
			"colour"},
		{"an unknown nested word", "POST", "/cases", js, `{"vendor":"corvane","title":"x","facts":{"effect":"broken"}}`, nil,
			422, "invalid", "facts.effect"},
		{"a missing field", "POST", "/cases", js, `{"vendor":"corvane"}`, nil, 422, "invalid", "title"},
		{"an empty title", "POST", "/cases", js, `{"vendor":"corvane","title":"  "}`, nil, 422, "invalid", "title"},
		{"an unknown vendor", "POST", "/cases", js, `{"vendor":"nobody","title":"x"}`, nil, 422, "invalid", "vendor"},
		{"a date without a zone", "POST", "/cases", js,
			`{"vendor":"corvane","title":"x","facts":{"needed_by":"2026-12-01T10:00:00"}}`, nil, 422, "invalid",
			"facts.needed_by"},
		{"a body of 10 MB", "POST", "/cases", js, `{"vendor":"corvane","title":"` + strings.Repeat("x", 10<<20) + `"}`, nil,
			413, "too-large", ""},
		{"a title that is too long", "POST", "/cases", js, `{"vendor":"corvane","title":"` + strings.Repeat("x", 10000) +
			`"}`, nil, 422, "invalid", "title"},
		{"invalid UTF-8", "POST", "/cases", js, "{\"vendor\":\"corvane\",\"title\":\"\xff\xfe\"}", nil, 400, "not-utf-8", ""},
		{"a NUL", "POST", "/cases/" + name + "/notes", js, `{"text":"a\u0000b"}`, nil, 422, "invalid", "text"},
		{"no JSON", "POST", "/cases", js, `{"vendor":`, nil, 400, "not-json", ""},
		{"the wrong content type", "POST", "/cases", "text/plain", `{}`, nil, 415, "wrong-content-type", ""},
		{"no content type", "POST", "/cases", "", `{}`, nil, 415, "wrong-content-type", ""},
		{"an unknown case", "GET", "/cases/C-9999", "", "", nil, 404, "not-found", ""},
		{"an unknown vendor's page", "GET", "/vendors/nobody", "", "", nil, 404, "not-found", ""},
		{"an unknown path", "GET", "/nothing", "", "", nil, 404, "not-found", ""},
		{"a method that is not there", "DELETE", "/cases/" + name, "", "", nil, 405, "method-not-allowed", ""},
		{"no If-Match", "POST", step, js, `{"step":"take"}`, nil, 428, "match-required", ""},
		{"a stale If-Match", "POST", step, js, `{"step":"take"}`, []string{"If-Match", `"v999"`}, 412, "stale", ""},
		{"a malformed If-Match", "POST", step, js, `{"step":"take"}`, []string{"If-Match", "nonsense"}, 412, "stale", ""},
		{"no If-Match on a change", "PATCH", "/cases/" + name, "application/merge-patch+json", `{"title":"y"}`, nil, 428,
			"match-required", ""},
		{"an unknown step", "POST", step, js, `{"step":"explode"}`, []string{"If-Match", etag}, 422, "invalid", "step"},
		{"a step that is not allowed", "POST", step, js, `{"step":"close"}`, []string{"If-Match", etag}, 409, "step-refused",
			""},
		{"a message of a draft", "POST", "/cases/" + name + "/messages", js, `{"text":"hello"}`, nil, 409, "step-refused",
			""},
		{"an empty note", "POST", "/cases/" + name + "/notes", js, `{"text":"   "}`, nil, 422, "invalid", "text"},
		{"a call in the future", "POST", "/cases/" + name + "/calls", js,
			`{"text":"x","with":"y","at":"2036-01-01T00:00:00Z"}`, nil, 422, "invalid", "at"},
		{"reading further than there is", "POST", "/cases/" + name + "/read", js, `{"entry":99}`, nil, 422, "invalid",
			"entry"},
		{"a delivery that is not", "POST", "/cases/" + name + "/deliveries/77/decision", js, `{"decision":"dont-send"}`, nil,
			404, "not-found", ""},
		{"a cursor of another order", "GET", "/cases?sort=severity&cursor=eyJzIjoibmV3ZXN0In0", "", "", nil, 400, "invalid",
			"cursor"},
		{"an unknown state", "GET", "/cases?state=asleep", "", "", nil, 400, "invalid", "state"},
		{"another page's form", "POST", "/cases", js, `{"vendor":"corvane","title":"x"}`,
			[]string{"Origin", "https://elsewhere.example"}, 403, "other-origin", ""},
		{"a revoked or unknown token", "GET", "/me", "", "", []string{"Authorization", "Bearer rht_NOTHING"}, 401,
			"not-signed-in", ""},
		{"people by a handler", "POST", "/people", js,
			`{"name":"x","email":"x@y.example","role":"handler","password":"0123456789"}`, nil, 403, "forbidden", ""},
	} {
		a := ragna.raw(x.method, x.path, x.kind, strings.NewReader(x.body), x.header...)
		p := a.problem(t)
		if a.status != x.status || !strings.HasSuffix(p.Type, "/"+x.problem) ||
			a.header.Get("Content-Type") != "application/problem+json" || p.RequestId == nil {
			t.Errorf("%s: %d %s", x.what, a.status, a.body)
			continue
		}
		named := x.field == ""
		if p.Errors != nil {
			for _, e := range *p.Errors {
				named = named || e.Field == x.field
			}
		}
		if !named {
			t.Errorf("%s: the field %s is not named: %s", x.what, x.field, a.body)
		}
	}
	after, _ := ragna.get(name)
	if after.Line.LastEntry != before.Line.LastEntry || after.Line.ChangedAt != before.Line.ChangedAt {
		t.Error("bad input changed something")
	}
	nobody := &caller{w, ""}
	for _, path := range []string{"/me", "/cases", "/today", "/events", "/vendors", "/people", "/tokens", "/cases/" +
		name + "/entries"} {
		if a := nobody.do("GET", path, nil); a.status != 401 {
			t.Errorf("%s answers %d without a token", path, a.status)
		}
	}
}

// A key lets a post be repeated: the same answer, done once; another body is refused.
func TestIdempotencyKeys(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, emil := w.as(0), w.as(1)
	body := m{"vendor": "corvane", "title": "Once only"}
	var first, second apigen.Case
	ragna.must(201, "POST", "/cases", body, "Idempotency-Key", "k1").into(t, &first)
	ragna.must(201, "POST", "/cases", body, "Idempotency-Key", "k1").into(t, &second)
	if first.Line.Number != second.Line.Number {
		t.Error("done twice")
	}
	if p := ragna.do("POST", "/cases", m{"vendor": "corvane", "title": "Another"}, "Idempotency-Key",
		"k1").problem(t); p.Status != 422 || !strings.HasSuffix(p.Type, "key-reused") {
		t.Errorf("another body: %+v", p)
	}
	var his apigen.Case
	emil.must(201, "POST", "/cases", body, "Idempotency-Key", "k1").into(t, &his)
	if his.Line.Number == first.Line.Number {
		t.Error("a key is of one person")
	}
	_, etag := ragna.get(first.Line.Number)
	for range 2 { // the second finds the answer kept, although the case has changed since
		ragna.must(200, "POST", "/cases/"+first.Line.Number+"/steps", m{"step": "withdraw"}, "If-Match", etag,
			"Idempotency-Key", "k2")
	}
	// A refused post keeps nothing: the key may be used for a better one.
	ragna.must(422, "POST", "/cases", m{"vendor": "nobody", "title": "x"}, "Idempotency-Key", "k3")
	ragna.must(201, "POST", "/cases", m{"vendor": "tallow", "title": "x"}, "Idempotency-Key", "k3")
	// A secret is told once and never kept.
	var made apigen.MadeToken
	ragna.must(201, "POST", "/tokens", m{"name": "bridge"}, "Idempotency-Key", "k4").into(t, &made)
	ragna.must(409, "POST", "/tokens", m{"name": "bridge"}, "Idempotency-Key", "k4")
	var kept []string
	if err := w.desk.Store.DB.Select(&kept,
		"select answer::text from idempotency_key where answer is not null"); err != nil ||
		contains(strings.Join(kept, " "), made.Secret) {
		t.Errorf("a secret was kept: %v", err)
	}
	// Many at the same time do it once.
	var wg sync.WaitGroup
	var mu sync.Mutex
	numbers, busy := map[string]bool{}, 0
	for range 12 {
		wg.Go(func() {
			a := ragna.do("POST", "/cases", m{"vendor": "corvane", "title": "At once"}, "Idempotency-Key", "k5")
			mu.Lock()
			defer mu.Unlock()
			switch a.status {
			case 201:
				var v apigen.Case
				a.into(t, &v)
				numbers[v.Line.Number] = true
			case 409:
				busy++
			default:
				t.Errorf("%d %s", a.status, a.body)
			}
		})
	}
	wg.Wait()
	if len(numbers) != 1 {
		t.Errorf("twelve at once made %d cases, %d were told to wait", len(numbers), busy)
	}
}

func TestSignInTokensAndPeople(t *testing.T) {
	t.Parallel()
	w := still(t)
	jar, _ := cookiejar.New(nil)
	browser := &http.Client{Jar: jar}
	post := func(path, body string) *http.Response {
		t.Helper()
		res, err := browser.Post(w.url+"/api/v1"+path, "application/json", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res
	}
	if r := post("/sign-in", `{"email":"ragna@saltmarsh.example","password":"wrong"}`); r.StatusCode != 401 {
		t.Errorf("a wrong password: %d", r.StatusCode)
	}
	r := post("/sign-in", `{"email":"Ragna@saltmarsh.example","password":"harbour-light-1"}`)
	if c := r.Header.Get("Set-Cookie"); r.StatusCode != 200 || !contains(c, "HttpOnly", "SameSite=Lax") {
		t.Fatalf("signing in: %d %s", r.StatusCode, c)
	}
	cookies := jar.Cookies(r.Request.URL)
	var stored int
	if err := w.desk.Store.DB.Get(&stored, "select count(*) from sessions where token = $1",
		cookies[0].Value); err != nil || stored != 0 {
		t.Error("the session's secret stands in the database")
	}
	if r, _ := browser.Get(w.url + "/api/v1/me"); r.StatusCode != 200 {
		t.Error("the session is not known")
	}
	post("/sign-out", "")
	again := &http.Client{}
	req, _ := http.NewRequest("GET", w.url+"/api/v1/me", nil)
	req.AddCookie(cookies[0])
	if r, _ := again.Do(req); r.StatusCode != 401 {
		t.Error("a session that was ended still answers")
	}
	limited := 0
	for range 10 {
		if post("/sign-in", `{"email":"emil@saltmarsh.example","password":"guess"}`).StatusCode == 429 {
			limited++
		}
	}
	if limited == 0 {
		t.Error("ten guesses were not slowed down")
	}

	ragna, tuva := w.as(0), w.as(4)
	var made apigen.MadeToken
	ragna.must(201, "POST", "/tokens", m{"name": "bridge"}).into(t, &made)
	bridge := &caller{w, made.Secret}
	bridge.must(200, "GET", "/me", nil)
	var hashes [][]byte
	if err := w.desk.Store.DB.Select(&hashes, "select hash from token"); err != nil {
		t.Fatal(err)
	}
	for _, h := range hashes {
		if bytes.Contains(h, []byte(made.Secret)) {
			t.Error("a token stands in the database in clear")
		}
	}
	ragna.must(204, "DELETE", "/tokens/"+itoa(made.Token.Id), nil)
	bridge.must(401, "GET", "/me", nil)
	tuva.must(404, "DELETE", "/tokens/"+itoa(made.Token.Id), nil)

	var p apigen.Person
	tuva.must(201, "POST", "/people",
		m{"name": "Ines Vik", "email": "ines@saltmarsh.example", "role": "lead", "password": "a long enough one"}).into(t, &p)
	tuva.must(422, "POST", "/people",
		m{"name": "Ines Vik", "email": "INES@saltmarsh.example", "role": "lead", "password": "a long enough one"})
	tuva.must(428, "PATCH", "/people/"+itoa(p.Id), m{"active": false})
	tuva.must(200, "PATCH", "/people/"+itoa(p.Id), m{"active": false}, "If-Match", `"v`+itoa(p.Version)+`"`)
	tuva.must(412, "PATCH", "/people/"+itoa(p.Id), m{"active": true}, "If-Match", `"v`+itoa(p.Version)+`"`)
	if r := post("/sign-in", `{"email":"ines@saltmarsh.example","password":"a long enough one"}`); r.StatusCode != 401 {
		t.Errorf("somebody who has left signed in: %d", r.StatusCode)
	}
	var me apigen.Me
	tuva.must(200, "GET", "/me", nil).into(t, &me)
	if p := tuva.do("PATCH", "/people/"+itoa(me.Person.Id), m{"role": "handler"}, "If-Match", `"v`+
		itoa(me.Person.Version)+`"`).problem(t); p.Status != 422 {
		t.Errorf("the last administrator: %+v", p)
	}
	for path, status := range map[string]int{"/healthz": 200, "/readyz": 200, "/metrics": 401} {
		if r, err := http.Get(w.url + path); err != nil || r.StatusCode != status {
			t.Errorf("%s: %v %v", path, r.StatusCode, err)
		}
	}
	req, _ = http.NewRequest("GET", w.url+"/metrics", nil)
	req.Header.Set("Authorization", "Bearer "+tuva.token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if b, _ := io.ReadAll(res.Body); !contains(string(b), "roundhouse_request_seconds_bucket", `route="/api/v1/people"`) {
		t.Errorf("the metrics:\n%.300s", b)
	}
}
