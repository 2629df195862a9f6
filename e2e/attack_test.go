package e2e

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/server/apigen"
)

// plain asks without holding the answer against the contract.
func (c *caller) plain(method, rawPath string, body io.Reader, header ...string) (int, http.Header, string) {
	c.w.t.Helper()
	req, err := http.NewRequest(method, c.w.url, body)
	if err != nil {
		c.w.t.Fatal(err)
	}
	path, query, _ := strings.Cut(rawPath, "?")
	req.URL.Opaque, req.URL.RawQuery = "//"+req.URL.Host+path, query
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err := http.DefaultTransport.RoundTrip(req)
	if err != nil {
		return 0, nil, err.Error()
	}
	defer res.Body.Close()
	b, _ := io.ReadAll(res.Body)
	return res.StatusCode, res.Header, string(b)
}

// Nothing that is written into an address, a query or a header is the service's own fault.
func TestNothingThatIsAskedIsTheServicesFault(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Slow")
	long := strings.Repeat("-", 50)
	for _, path := range []string{
		"/cases/%00", "/cases/C-1%00", "/cases/%ff", "/vendors/%00", "/vendors/%ff%fe", "/cases?words=%00",
		"/cases?words=%ff", "/cases?words=" + long, "/find?words=" + long, "/find?words=%00a", "/find?words=%ff",
		"/cases?vendor=%00", "/cases?owner=%ff", "/cases?cursor=eyJzIjoibmV3ZXN0In0", "/cases?cursor=bm8",
		"/cases?cursor=eyJzIjoibmV3ZXN0IiwibiI6OTk5OTk5OTk5OTk5OTk5OTk5OTk5OX0", "/cases?cursor=%00",
		"/cases?opened_after=0000-01-01T00:00:00Z", "/cases?opened_after=9999-12-31T23:59:59Z",
		"/cases?changed_after=0001-01-01T00:00:00Z", "/assets?cursor=bm8", "/assets?words=%00", "/assets?words=" + long,
		"/contracts?words=" + long, "/today?cursor=bm8", "/today?vendor=%00",
		"/cases/" + name + "/entries?after=9999999999", "/cases/" + name + "/entries?after=-1", "/cases/" + name +
			"/entries?after=99999999999999999999", "/cases/" + name + "/entries?before=9999999999",
		"/people/9999999999999999999/holds", "/assets/0", "/assets/9223372036854775807", "/calendars/%00",
		"/calendars?on=0000-00-00", "/secrets/%00", "/tables/%00", "/assets?ends_before=0000-01-01",
		"/contracts?ends_before=9999-12-31", "/contracts?ends_before=0000-12-31",
	} {
		if status, _, body := ragna.plain("GET", "/api/v1"+path, nil); status >= 500 || status == 0 {
			t.Errorf("GET %s: %d %s", path, status, body)
		}
	}
	for _, key := range []string{"\xff\xfe", "a\x80", strings.Repeat("k", 5000)} {
		if status, _, body := ragna.plain("POST", "/api/v1/cases", strings.NewReader(`{"vendor":"corvane","title":"x"}`),
			"Content-Type", "application/json", "Idempotency-Key", key); status >= 500 || status == 201 || status == 0 {
			t.Errorf("the key %q: %d %s", key, status, body)
		}
	}
	for _, facts := range []string{`{"needed_by":"0000-01-01T00:00:00Z"}`, `{"needed_by":"9999-12-31T23:59:59Z"}`} {
		if status, _, body := ragna.plain("POST", "/api/v1/cases",
			strings.NewReader(`{"vendor":"corvane","title":"x","facts":`+facts+`}`), "Content-Type",
			"application/json"); status != 422 {
			t.Errorf("%s: %d %s", facts, status, body)
		}
	}
	// All the fields that are wrong are named, not only the first; of a great many, some.
	a := ragna.do("POST", "/cases", m{"vendor": "corvane", "title": 7, "colour": "red", "facts": m{"effect": "broken"}})
	if !contains(string(a.body), `"title"`, `"colour"`, `"facts.effect"`) {
		t.Errorf("three wrong fields: %s", a.body)
	}
	// A method that somebody invented makes no new line in the metrics.
	for i := range 30 {
		ragna.plain(fmt.Sprintf("BREW%d", i), "/api/v1/cases", nil)
	}
	_, _, metrics := w.as(4).plain("GET", "/metrics", nil)
	if strings.Contains(metrics, "BREW") {
		t.Error("an invented method stands in the metrics")
	}
	// A redirect believes nobody about where it leads, and is as well guarded as a page.
	for _, path := range []string{"/api/v1/cases/", "//elsewhere.example/", "/api/v1//cases"} {
		status, header, _ := ragna.plain("GET", path, nil, "X-Forwarded-Prefix", "//elsewhere.example", "X-Forwarded-Host",
			"elsewhere.example")
		if strings.Contains(header.Get("Location"), "elsewhere") || header.Get("X-Content-Type-Options") != "nosniff" {
			t.Errorf("%s: %d %v", path, status, header)
		}
	}
}

// A stranger costs little, learns nothing, and is shown the door before a body is read.
func TestStrangersAreAskedFirst(t *testing.T) {
	t.Parallel()
	w := still(t)
	stranger := &caller{w, ""}
	var b strings.Builder
	b.WriteString(`{"facts":{"colour":"x"`)
	for i := range 40000 {
		fmt.Fprintf(&b, `,"f%d":1`, i)
	}
	b.WriteString("}}")
	faults := b.String()
	if status, _, body := stranger.plain("POST", "/api/v1/grade", strings.NewReader(faults), "Content-Type",
		"application/json"); status != 401 || contains(body, "colour") || len(body) > 1000 {
		t.Errorf("a stranger's faults: %d, %d bytes: %.300s", status, len(body), body)
	}
	status, _, body := w.as(0).plain("POST", "/api/v1/grade", strings.NewReader(faults), "Content-Type",
		"application/json")
	if status != 422 || len(body) > 20000 || strings.Count(body, `"field"`) > 20 {
		t.Errorf("faults without number: %d, %d bytes, %d named", status, len(body), strings.Count(body, `"field"`))
	}
	if status, _, body := stranger.plain("POST", "/api/v1/sign-in", strings.NewReader(`{"email":7,"secret_door":1}`),
		"Content-Type", "application/json"); status != 400 && status != 422 || contains(body, "secret_door") {
		t.Errorf("a stranger learns the fields of signing in: %d %s", status, body)
	}
	// A body that never comes keeps nobody's connection, and no disk.
	for _, x := range []struct {
		who    *caller
		status string
	}{{stranger, " 401 "}, {w.as(3), " 403 "}} {
		at, _ := url.Parse(w.url)
		c, err := net.Dial("tcp", at.Host)
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		auth := ""
		if x.who.token != "" {
			auth = "Authorization: Bearer " + x.who.token + "\r\n"
		}
		fmt.Fprintf(c, "POST /api/v1/tables/assets HTTP/1.1\r\nHost: %s\r\n%sContent-Type: text/csv\r\nContent-Length: "+
			"900000000\r\n\r\nvendor,", at.Host, auth)
		_ = c.SetDeadline(time.Now().Add(patience))
		answer := make([]byte, 4096)
		n, err := c.Read(answer)
		if err != nil || !contains(string(answer[:n]), x.status) {
			t.Errorf("a body that stalls: %v %.200s", err, answer[:n])
		}
		if _, err := io.Copy(io.Discard, c); err != nil {
			t.Errorf("the connection stays open: %v", err)
		}
	}
}

// Where it ends stays ended: whatever requests are in flight, no session comes back, and
// what it had open ends.
func TestWhatIsEndedStaysEnded(t *testing.T) {
	t.Parallel()
	w := still(t)
	stream := func(cookie *http.Cookie, token string) (ended chan struct{}) {
		req, _ := http.NewRequestWithContext(t.Context(), "GET", w.url+"/api/v1/events", nil)
		if cookie != nil {
			req.AddCookie(cookie)
		} else {
			req.Header.Set("Authorization", "Bearer "+token)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil || res.StatusCode != 200 {
			t.Fatalf("the stream: %v %v", res, err)
		}
		ended = make(chan struct{})
		go func() { defer close(ended); defer res.Body.Close(); _, _ = io.Copy(io.Discard, res.Body) }()
		return ended
	}
	ends := func(what string, ended chan struct{}) {
		t.Helper()
		select {
		case <-ended:
		case <-time.After(patience):
			t.Errorf("%s: the stream goes on", what)
		}
	}
	me := func(cookie *http.Cookie) int {
		req, _ := http.NewRequest("GET", w.url+"/api/v1/me", nil)
		req.AddCookie(cookie)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		_, _ = io.Copy(io.Discard, res.Body)
		res.Body.Close()
		return res.StatusCode
	}
	signIn := func(email, password string) *http.Cookie {
		t.Helper()
		res, err := http.Post(w.url+"/api/v1/sign-in", "application/json",
			strings.NewReader(`{"email":"`+email+`","password":"`+password+`"}`))
		if err != nil || res.StatusCode != 200 {
			t.Fatalf("%s: %v %v", email, res, err)
		}
		res.Body.Close()
		return res.Cookies()[0]
	}
	for range 4 {
		cookie := signIn("ragna@saltmarsh.example", "harbour-light-1")
		open := stream(cookie, "")
		var all sync.WaitGroup
		for range 6 {
			all.Go(func() {
				for range 5 {
					me(cookie)
				}
			})
		}
		all.Go(func() {
			req, _ := http.NewRequest("POST", w.url+"/api/v1/sign-out", nil)
			req.AddCookie(cookie)
			req.Header.Set("Origin", w.url)
			if res, err := http.DefaultClient.Do(req); err != nil || res.StatusCode != 204 {
				t.Errorf("signing out: %v %v", res, err)
			}
		})
		all.Wait()
		if status := me(cookie); status != 401 {
			t.Fatalf("after signing out: %d", status)
		}
		ends("signing out", open)
	}
	// A new password ends sessions and tokens; so does leaving.
	tuva := w.as(4)
	var people apigen.People
	tuva.must(200, "GET", "/people", nil).into(t, &people)
	person := func(email string) apigen.Person {
		tuva.must(200, "GET", "/people", nil).into(t, &people)
		for _, p := range people.Items {
			if p.Email == email {
				return p
			}
		}
		t.Fatal(email)
		return apigen.Person{}
	}
	cookie := signIn("emil@saltmarsh.example", "harbour-light-2")
	one, two := stream(cookie, ""), stream(nil, w.as(1).token)
	p := person("emil@saltmarsh.example")
	tuva.must(200, "PATCH", "/people/"+itoa(p.Id), m{"password": "another long one"}, "If-Match",
		fmt.Sprintf(`"v%d"`, p.Version))
	if me(cookie) != 401 || w.as(1).do("GET", "/me", nil).status != 401 {
		t.Error("a new password leaves what the old one opened")
	}
	ends("a new password", one)
	ends("a new password, a token's", two)
	signIn("emil@saltmarsh.example", "another long one")
	open := stream(nil, w.as(2).token)
	p = person("solveig@saltmarsh.example")
	tuva.must(200, "PATCH", "/people/"+itoa(p.Id), m{"active": false}, "If-Match", fmt.Sprintf(`"v%d"`, p.Version))
	ends("leaving", open)
	p = person("aksel@saltmarsh.example")
	for what, password := range map[string]string{"ten spaces": "          ", "a short one": "short"} {
		if a := tuva.do("PATCH", "/people/"+itoa(p.Id), m{"password": password}, "If-Match",
			fmt.Sprintf(`"v%d"`, p.Version)); a.status != 422 {
			t.Errorf("a password of %s: %d", what, a.status)
		}
	}
	for _, name := range []string{"Aksel\r\nRud", "Aksel\x1b[2J", "Aksel\nRud"} {
		if a := tuva.do("PATCH", "/people/"+itoa(p.Id), m{"name": name}, "If-Match",
			fmt.Sprintf(`"v%d"`, p.Version)); a.status != 422 {
			t.Errorf("the name %q: %d", name, a.status)
		}
	}
}

// Two administrators who take each other's role at once: one stays.
func TestAnAdministratorStays(t *testing.T) {
	t.Parallel()
	w := still(t)
	tuva := w.as(4)
	var me apigen.Me
	tuva.must(200, "GET", "/me", nil).into(t, &me)
	var other apigen.Person
	tuva.must(201, "POST", "/people",
		m{"name": "Ines Vik", "email": "ines@saltmarsh.example", "role": "administrator",
			"password": "a long enough one"}).into(t, &other)
	a, b := me.Person, other
	for range 6 {
		var all sync.WaitGroup
		for _, p := range []apigen.Person{a, b} {
			all.Go(func() {
				_, err := w.desk.Store.DB.Exec("select 1")
				if err != nil {
					t.Error(err)
				}
				tuva.do("PATCH", "/people/"+itoa(p.Id), m{"role": "handler"}, "If-Match", fmt.Sprintf(`"v%d"`, p.Version))
			})
		}
		all.Wait()
		var left int
		if err := w.desk.Store.DB.Get(&left,
			"select count(*) from person where role = 'administrator' and active"); err != nil {
			t.Fatal(err)
		}
		if left == 0 {
			t.Fatal("no administrator is left")
		}
		if _, err := w.desk.Store.DB.Exec(`update person set role = 'administrator', version = version + 1
			where id in ($1, $2)`, a.Id, b.Id); err != nil {
			t.Fatal(err)
		}
		var people apigen.People
		tuva.must(200, "GET", "/people", nil).into(t, &people)
		for _, p := range people.Items {
			if p.Id == a.Id {
				a = p
			}
			if p.Id == b.Id {
				b = p
			}
		}
	}
}

// A right password is let in whatever others try on the person; who tries is slowed down,
// and success with one person forgives nothing that was tried on others.
func TestGuessingSlowsTheGuesser(t *testing.T) {
	t.Parallel()
	w := still(t)
	try := func(from, email, password string) error {
		_, err := w.desk.People.TrySignIn(t.Context(), from, email, password)
		return err
	}
	for i := range 40 {
		_ = try(fmt.Sprintf("198.51.100.%d", i%20), "ragna@saltmarsh.example", "guess")
	}
	if err := try("203.0.113.7", "ragna@saltmarsh.example", "harbour-light-1"); err != nil {
		t.Errorf("her own password from her own place: %v", err)
	}
	slowed := false
	for i := range 60 {
		_ = try("203.0.113.9", fmt.Sprintf("somebody%d@saltmarsh.example", i), "guess")
		if err := try("203.0.113.9", "emil@saltmarsh.example", "harbour-light-2"); err != nil {
			slowed = true
			break
		}
	}
	if !slowed {
		t.Error("signing in as oneself forgives sixty guesses at others")
	}
	if err := try("203.0.113.10", "emil@saltmarsh.example", "harbour-light-2"); err != nil {
		t.Errorf("from elsewhere: %v", err)
	}
}
