package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	inboxdb "roundhouse.example/internal/store/inbox"

	"roundhouse.example/internal/child"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/testdb"
)

// served is the real binary's service, which a test kills and starts again.
type served struct {
	t      *testing.T
	db     string
	listen string
	token  string
	files  string // the folder for them
	keys   string // the vault's key file, if it has one
	cmd    *exec.Cmd
	ended  <-chan struct{}
}

// freeAddress is one that nobody listens on, for a service that keeps its address when it is started again.
func freeAddress(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().String()
}

func (s *served) start(failpoint string) {
	s.t.Helper()
	s.cmd = exec.Command(binary, "serve", "--database", s.db, "--listen", s.listen, "--poll", "300ms",
		"--files", s.files)
	if s.keys != "" {
		s.cmd.Args = append(s.cmd.Args, "--key-file", s.keys)
	}
	s.cmd.Env = append(os.Environ(), "ROUNDHOUSE_FAILPOINT="+failpoint)
	var err error
	if s.ended, err = child.Start(s.cmd, syscall.SIGKILL); err != nil {
		s.t.Fatal(err)
	}
}

func (s *served) kill() {
	_ = s.cmd.Process.Kill()
	<-s.ended
}

// alive starts the service again when it has died.
func (s *served) alive() {
	select {
	case <-s.ended:
		s.start("")
	default:
	}
}

// ask makes a request until it is answered with something better than 503,
// starting the service again when it has been killed; the key keeps a repeated
// post from being done twice.
func (s *served) ask(method, path, key, match string, body any, into any) (int, string) {
	s.t.Helper()
	b, _ := json.Marshal(body)
	for end := time.Now().Add(patience); time.Now().Before(end); <-time.After(40 * time.Millisecond) {
		s.alive()
		req, err := http.NewRequest(method, "http://"+s.listen+"/api/v1"+path, strings.NewReader(string(b)))
		if err != nil {
			s.t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+s.token)
		if body != nil {
			req.Header.Set("Content-Type", "application/json")
		}
		if key != "" {
			req.Header.Set("Idempotency-Key", key)
		}
		if match != "" {
			req.Header.Set("If-Match", match)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			continue
		}
		var raw json.RawMessage
		err = json.NewDecoder(res.Body).Decode(&raw)
		res.Body.Close()
		if err != nil || res.StatusCode == 503 {
			continue
		}
		if into != nil && res.StatusCode < 300 {
			_ = json.Unmarshal(raw, into)
		}
		return res.StatusCode, res.Header.Get("ETag")
	}
	s.t.Fatalf("%s %s was never answered", method, path)
	return 0, ""
}

// Killed at every failpoint once, and at random, while the vendor misbehaves in
// every way: every case is at the vendor once, every message too, and nothing is lost.
func TestKilledAnywhere(t *testing.T) {
	t.Parallel()
	dir, err := testdb.TempDir()
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	// durable: a kill must not be excused by a fast database
	pg, err := localpg.Start(t.Context(), localpg.Options{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	killed := false
	defer func() {
		if !killed {
			pg.Stop()
		}
	}()
	cast, err := standin.New(standin.Options{Haste: 60})
	if err != nil {
		t.Fatal(err)
	}
	vendors := httptest.NewServer(cast.Handler())
	defer vendors.Close()
	d, err := service.Open(t.Context(), pg.URL, nil)
	if err != nil {
		t.Fatal(err)
	}
	people, err := firm.Register(t.Context(), d.Desk, d.Store, time.Now().AddDate(0, -1, 0),
		func(v string) (inboxdb.Link, error) {
			raw, err := standin.Description(300*time.Millisecond, 1500*time.Millisecond)
			l := inboxdb.Link{Address: vendors.URL + "/" + v}
			l.Description.V = raw
			return l, err
		})
	d.Store.Close()
	if err != nil {
		t.Fatal(err)
	}
	s := &served{t: t, files: t.TempDir(), db: pg.URL, listen: freeAddress(t), token: people[0].Token}
	points := []string{"step.before-commit", "step.committed", "deliver.claimed", "deliver.before-call",
		"deliver.after-call", "deliver.before-commit", "deliver.recorded",
		"deliver.looked-up", "collect.fetched", "collect.before-commit", "collect.kept", "collect.placed"}
	ways := []string{"cut", "late", "well", "garbage", "short", "well", "down", "lag"}
	var names []string
	n := 0
	// tell opens and files a case and sends one message, whatever happens meanwhile.
	tell := func(failpoint string, kill bool) {
		n++
		if failpoint == "deliver.looked-up" {
			cast.Misbehave("corvane", "cut")
		} else {
			cast.Misbehave("corvane", ways[n%len(ways)], ways[(n*3+1)%len(ways)])
		}
		s.start(failpoint)
		if kill {
			r := rand.New(rand.NewPCG(uint64(n), 7))
			go func(cmd *exec.Cmd) {
				<-time.After(time.Duration(r.IntN(900)) * time.Millisecond)
				_ = cmd.Process.Kill()
			}(s.cmd)
		}
		var c clientgen.Case
		code, etag := s.ask("POST", "/cases", fmt.Sprintf("open-%d", n), "",
			m{"vendor": "corvane", "title": fmt.Sprintf("Case %d [patient]", n),
				"facts": m{"environment": "other", "effect": "degraded"}, "texts": m{"happened": fmt.Sprintf("story-%d.", n)}}, &c)
		if code != 201 {
			t.Fatalf("%s: opening answered %d", failpoint, code)
		}
		names = append(names, c.Line.Number)
		if code, _ = s.ask("POST", "/cases/"+c.Line.Number+"/steps", fmt.Sprintf("file-%d", n), etag, m{"step": "file"},
			nil); code != 200 {
			t.Fatalf("%s: filing answered %d", failpoint, code)
		}
		for end := time.Now().Add(patience); ; <-time.After(120 * time.Millisecond) {
			if s.ask("GET", "/cases/"+c.Line.Number, "", "", nil, &c); c.Line.State == "open" {
				break
			}
			if time.Now().After(end) {
				t.Fatalf("%s: %s is still %s: %+v", failpoint, c.Line.Number, c.Line.State, c.OnTheWay)
			}
		}
		if code, _ = s.ask("POST", "/cases/"+c.Line.Number+"/messages", fmt.Sprintf("say-%d", n), "",
			m{"text": fmt.Sprintf("word-%d.", n)}, nil); code != 201 {
			t.Fatalf("%s: the message answered %d", failpoint, code)
		}
		s.kill()
	}
	for _, p := range points {
		tell(p, false)
	}
	for range 6 {
		tell("", true)
	}
	// The database is killed too, apart from the service.
	tell("", false)
	killed = true
	if err := pg.Kill(); err != nil {
		t.Fatal(err)
	}
	again, err := localpg.Start(t.Context(), localpg.Options{Dir: dir, Port: pg.Port()})
	if err != nil {
		t.Fatal(err)
	}
	pg, killed = again, false
	s.start("")
	defer s.kill()
	for _, name := range names {
		var c clientgen.Case
		for end := time.Now().Add(patience); ; <-time.After(120 * time.Millisecond) {
			if s.ask("GET", "/cases/"+name, "", "", nil, &c); len(c.OnTheWay) == 0 || c.OnTheWay[0].NeedsPerson != nil {
				break
			}
			if time.Now().After(end) {
				t.Fatalf("%s never came to rest: %+v", name, c.OnTheWay)
			}
		}
		if len(c.OnTheWay) > 0 {
			t.Logf("%s asks a person: %s", name, *c.OnTheWay[0].Problem)
		}
	}
	stories, said := map[string]int{}, map[string]int{}
	for _, h := range cast.Feed("corvane") {
		for i := 1; i <= n; i++ {
			if contains(h.Words, fmt.Sprintf("story-%d.", i)) {
				stories[fmt.Sprint(i)]++
			}
			if contains(h.Words, fmt.Sprintf("word-%d.", i)) {
				said[fmt.Sprint(i)]++
			}
		}
	}
	for i := 1; i <= n; i++ {
		if k := fmt.Sprint(i); stories[k] != 1 || said[k] != 1 {
			t.Errorf("case %d is there %d times, its message %d times", i, stories[k], said[k])
		}
	}
}
