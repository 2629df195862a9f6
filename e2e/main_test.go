// Package e2e drives the whole: the real service over HTTP, the real binary, the
// real console in Chromium.
package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"roundhouse.example/internal/server/web"

	inboxdb "roundhouse.example/internal/store/inbox"

	"roundhouse.example/internal/desk/desktest"

	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/testdb"
	"roundhouse.example/internal/vault"
)

var (
	chromium  *browser.Browser
	binary    string
	contract  routers.Router
	workspace string
)

func TestMain(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

func run(m *testing.M) (int, error) {
	for _, kind := range []string{"application/x-ndjson", "text/csv", "text/calendar"} { // texts, as the contract says
		openapi3filter.RegisterBodyDecoder(kind, openapi3filter.FileBodyDecoder)
	}
	desktest.CheapPasswords()
	var err error
	if workspace, err = testdb.TempDir(); err != nil {
		return 1, err
	}
	defer os.RemoveAll(workspace)
	defer testdb.Stop()
	if _, contract, err = web.Contract(); err != nil {
		return 1, err
	}
	if binary, err = filepath.Abs("../bin/roundhouse-failpoints"); err != nil {
		return 1, err
	}
	if out, err := exec.Command("../scripts/failpoints.sh").CombinedOutput(); err != nil {
		return 1, fmt.Errorf("building the binary: %w: %s", err, out)
	}
	if chromium, err = browser.Start(); err != nil {
		return 1, err
	}
	defer chromium.Stop()
	return m.Run(), nil
}

// world is a desk with its vendors, in one process, on a database of its own.
type world struct {
	t       *testing.T
	url     string
	desk    *service.Desk
	cast    *standin.Standin
	clock   *desktest.Clock
	people  []firm.Person
	db      string
	keys    string // the vault's key file
	log     *written
	used    atomic.Int64 // numbers of vendors that a test has given
	timeout time.Duration
	answer  time.Duration // how long a request may take; 0 as in life
}

// monday is a working morning for all vendors but the one across the date line.
var monday = desktest.Monday

// live runs everything on the machine's clock, the engineers in a great hurry.
func live(t *testing.T) *world { return newWorld(t, nil, 3000) }

// still runs everything on a clock that only the test moves.
func still(t *testing.T) *world { return newWorld(t, desktest.NewClock(), 1) }

// settled are the people of a desk that was filled once a run, by the template that it is.
var settled struct {
	sync.Mutex
	people map[string][]firm.Person
}

// newWorld is a desk as it is on its first day; what is the same on each of them is written once a run.
func newWorld(t *testing.T, clock *desktest.Clock, haste float64) *world {
	t.Helper()
	url, people := newDesk(t, clock)
	return newWorldOn(t, url, people, clock, haste)
}

// newDesk is the database of one, and its people.
func newDesk(t *testing.T, clock *desktest.Clock) (url string, people []firm.Person) {
	t.Helper()
	like, from := fmt.Sprintf("_world_%d", os.Getpid()), time.Now()
	if clock != nil {
		like, from = like+"_still", monday
	}
	url = testdb.Copy(t, like, func(ctx context.Context, url string) error {
		d, err := service.Open(ctx, url, nil)
		if err != nil {
			return err
		}
		defer d.Store.Close()
		people, err := furnish(ctx, d, from, "http://127.0.0.1:9", time.Second)
		settled.Lock()
		defer settled.Unlock()
		if settled.people == nil {
			settled.people = map[string][]firm.Person{}
		}
		settled.people[like] = people
		return err
	})
	settled.Lock()
	defer settled.Unlock()
	return url, settled.people[like]
}

// furnish fills a desk with the demo's people and vendors, whose links lead to an address.
func furnish(ctx context.Context, d *service.Desk, from time.Time, at string, patience time.Duration) ([]firm.Person,
	error) {
	return firm.Register(ctx, d.Desk, d.Store, from.AddDate(0, -6, 0), func(v string) (inboxdb.Link, error) {
		raw, err := standin.Description(patience, patience+700*time.Millisecond)
		l := inboxdb.Link{Address: at + "/" + v}
		l.Description.V = raw
		return l, err
	})
}

// newWorldOn is one on a database that has its people already, or has nothing yet.
func newWorldOn(t *testing.T, db string, people []firm.Person, clock *desktest.Clock, haste float64) *world {
	t.Helper()
	// go test remembers which files a test looked at: once another program is built, these tests are run again.
	if _, err := os.Stat(binary); err != nil {
		t.Fatal(err)
	}
	w := &world{t: t, clock: clock, db: db, people: people, timeout: 500 * time.Millisecond,
		keys: filepath.Join(t.TempDir(), "vault.key"), log: &written{}}
	var now func() time.Time
	var dc desk.Clock
	if clock != nil {
		now, dc = clock.Now, clock
		// What a busy machine lets time out is tried again later, and this clock stands still.
		w.timeout = 4 * time.Second
	}
	var err error
	if w.cast, err = standin.New(standin.Options{Haste: haste, Now: now}); err != nil {
		t.Fatal(err)
	}
	vendors := httptest.NewServer(w.cast.Handler())
	t.Cleanup(vendors.Close)
	if w.desk, err = service.Open(t.Context(), w.db, dc); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(w.desk.Store.Close)
	ring, err := vault.Create(w.keys)
	if err != nil {
		t.Fatal(err)
	}
	if err := w.desk.Secrets.Use(t.Context(), ring); err != nil {
		t.Fatal(err)
	}
	if people == nil {
		w.people, err = furnish(t.Context(), w.desk, w.desk.Now(), vendors.URL, w.timeout)
	} else {
		w.answer = patience // nothing is asked of the machine's speed, only of a database that a test has for itself
		err = w.link(vendors.URL)
	}
	if err != nil {
		t.Fatal(err)
	}
	w.serve(clock)
	return w
}

// link makes the links of a copied desk lead to this world's vendors.
func (w *world) link(at string) error {
	raw, err := standin.Description(w.timeout, w.timeout+700*time.Millisecond)
	if err != nil {
		return err
	}
	_, err = w.desk.Store.DB.ExecContext(w.t.Context(),
		"update link set address = $1 || '/' || name, description = cast($2 as jsonb)", at, string(raw))
	return err
}

// caller makes requests as somebody, and holds every answer against the contract.
type caller struct {
	w     *world
	token string
}

func (w *world) as(i int) *caller { return &caller{w, w.people[i].Token} }

type answer struct {
	status int
	header http.Header
	body   []byte
}

func (a answer) into(t *testing.T, v any) {
	t.Helper()
	if err := json.Unmarshal(a.body, v); err != nil {
		t.Fatalf("%v: %s", err, a.body)
	}
}

func (a answer) problem(t *testing.T) apigen.Problem {
	t.Helper()
	var p apigen.Problem
	a.into(t, &p)
	return p
}

func (c *caller) raw(method, path, contentType string, body io.Reader, header ...string) answer {
	c.w.t.Helper()
	req, err := http.NewRequest(method, c.w.url+"/api/v1"+path, body)
	if err != nil {
		c.w.t.Fatal(err)
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		c.w.t.Fatal(err)
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil {
		c.w.t.Fatal(err)
	}
	c.w.held(req, res, b)
	return answer{res.StatusCode, res.Header, b}
}

// held checks an answer against api/openapi.yaml.
func (w *world) held(req *http.Request, res *http.Response, body []byte) {
	w.t.Helper()
	plain := req.Clone(context.Background())
	plain.URL.Scheme, plain.URL.Host, plain.Host = "", "", ""
	route, params, err := contract.FindRoute(plain)
	if err != nil {
		return // a path that is not in the contract
	}
	in := &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: plain, PathParams: params, Route: route},
		Status:                 res.StatusCode, Header: res.Header, Body: io.NopCloser(bytes.NewReader(body)),
	}
	if err := openapi3filter.ValidateResponse(context.Background(), in); err != nil {
		w.t.Errorf("%s %s answered %d, not as the contract says: %v\n%.300s", req.Method, req.URL.Path, res.StatusCode, err,
			body)
	}
}

func (c *caller) do(method, path string, body any, header ...string) answer {
	c.w.t.Helper()
	if body == nil {
		return c.raw(method, path, "", nil, header...)
	}
	b, err := json.Marshal(body)
	if err != nil {
		c.w.t.Fatal(err)
	}
	kind := "application/json"
	if method == http.MethodPatch {
		kind = "application/merge-patch+json"
	}
	return c.raw(method, path, kind, bytes.NewReader(b), header...)
}

type m = map[string]any

// must is do with the status that it has to have.
func (c *caller) must(status int, method, path string, body any, header ...string) answer {
	c.w.t.Helper()
	a := c.do(method, path, body, header...)
	if a.status != status {
		c.w.t.Fatalf("%s %s answered %d, want %d: %s", method, path, a.status, status, a.body)
	}
	return a
}

func (c *caller) get(name string) (apigen.Case, string) {
	c.w.t.Helper()
	a := c.must(200, "GET", "/cases/"+name, nil)
	var v apigen.Case
	a.into(c.w.t, &v)
	return v, a.header.Get("ETag")
}

func (c *caller) step(name string, body m) apigen.Case {
	c.w.t.Helper()
	_, etag := c.get(name)
	var v apigen.Case
	c.must(200, "POST", "/cases/"+name+"/steps", body, "If-Match", etag).into(c.w.t, &v)
	return v
}

func (c *caller) entries(name string) []apigen.Entry {
	c.w.t.Helper()
	var v apigen.Entries
	c.must(200, "GET", "/cases/"+name+"/entries", nil).into(c.w.t, &v)
	return v.Items
}

// levels are a vendor's, the highest first.
func (c *caller) levels(vendor string) []apigen.Level {
	c.w.t.Helper()
	var v apigen.Vendor
	c.must(200, "GET", "/vendors/"+vendor, nil).into(c.w.t, &v)
	return v.Levels
}

// until waits for what the service does by itself, looking every few milliseconds.
// patience is how long anything may take here.
const patience = desktest.Patience

func (w *world) until(what string, is func() bool) {
	w.t.Helper()
	desktest.Until(w.t, what, is)
}

func (c *caller) untilState(name, state string) apigen.Case {
	c.w.t.Helper()
	var v apigen.Case
	c.w.until(name+" is "+state, func() bool { v, _ = c.get(name); return string(v.Line.State) == state })
	return v
}

// draft opens a case that lacks nothing.
func (c *caller) draft(vendor, title string) string {
	c.w.t.Helper()
	var v apigen.Case
	c.must(201, "POST", "/cases", m{"vendor": vendor, "title": title,
		"facts": m{"environment": "production", "effect": "degraded", "reach": "few", "workaround": "costly"},
		"texts": m{"happened": "Since this morning it answers slowly.", "contact": "Ragna Lie"}}).into(c.w.t, &v)
	return v.Line.Number
}

func (c *caller) filed(vendor, title string) string {
	c.w.t.Helper()
	n := c.draft(vendor, title)
	c.step(n, m{"step": "file"})
	c.untilState(n, "open")
	return n
}

func contains(s string, parts ...string) bool {
	for _, p := range parts {
		if !strings.Contains(s, p) {
			return false
		}
	}
	return true
}
