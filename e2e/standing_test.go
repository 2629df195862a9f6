package e2e

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/testdb"
)

// postgres are the processes of a private PostgreSQL, its first one first.
func postgres(t *testing.T, dir string) (pids []int) {
	t.Helper()
	raw, err := os.ReadFile(filepath.Join(dir, "data", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	first, _, _ := strings.Cut(string(raw), "\n")
	pid, err := strconv.Atoi(first)
	if err != nil {
		t.Fatal(err)
	}
	pids = append(pids, pid)
	stats, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, file := range stats {
		raw, err := os.ReadFile(file)
		if err != nil {
			continue // it has ended
		}
		_, rest, _ := strings.Cut(string(raw), ") ")
		if f := strings.Fields(rest); len(f) > 1 && f[1] == first {
			if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(file))); err == nil {
				pids = append(pids, pid)
			}
		}
	}
	return pids
}

// ownPostgreSQL is one that a test stops and kills; a fast one may forget what it said it kept.
func ownPostgreSQL(t *testing.T, fast bool) (pg *localpg.Server, dir string) {
	t.Helper()
	dir, err := testdb.TempDir()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if pg, err = localpg.Start(t.Context(), localpg.Options{Dir: dir, Fast: fast}); err != nil {
		t.Fatal(err)
	}
	return pg, dir
}

// While PostgreSQL stands still everybody is told so in time, the service is alive, and no
// write is said not to have been done that was; repeated with its key it is done once.
func TestPostgreSQLStandsStill(t *testing.T) {
	t.Parallel()
	pg, dir := ownPostgreSQL(t, true)
	t.Cleanup(func() { pg.Stop() })
	w := newWorldOn(t, pg.URL, nil, nil, 3000)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Slow")
	res, err := http.Post(w.url+"/api/v1/sign-in", "application/json",
		strings.NewReader(`{"email":"ragna@saltmarsh.example","password":"harbour-light-1"}`))
	if err != nil || res.StatusCode != 200 {
		t.Fatal(err, res)
	}
	cookie := res.Cookies()[0]
	res.Body.Close()

	type outcome struct {
		status int
		kind   string
	}
	var mu sync.Mutex
	outcomes := map[string]outcome{}
	note := func(key string) (int, string) {
		b, _ := json.Marshal(m{"text": "note " + key + "."})
		req, _ := http.NewRequest("POST", w.url+"/api/v1/cases/"+name+"/notes", bytes.NewReader(b))
		req.Header.Set("Authorization", "Bearer "+ragna.token)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Idempotency-Key", key)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return 0, err.Error()
		}
		defer res.Body.Close()
		body, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(body)
	}
	var writers sync.WaitGroup
	var stop atomic.Bool
	for i := range 12 {
		writers.Go(func() {
			for n := 0; !stop.Load(); n++ {
				key := fmt.Sprintf("k-%d-%d", i, n)
				status, body := note(key)
				mu.Lock()
				outcomes[key] = outcome{status, body}
				mu.Unlock()
				if status == 503 {
					return
				}
			}
		})
	}
	<-time.After(400 * time.Millisecond)
	_ = syscall.Kill(postgres(t, dir)[0], syscall.SIGSTOP) // it begets no more
	pids := postgres(t, dir)
	signal := func(sig syscall.Signal) {
		for _, pid := range pids {
			_ = syscall.Kill(pid, sig)
		}
	}
	defer signal(syscall.SIGCONT)
	signal(syscall.SIGSTOP)
	for _, x := range []struct {
		path string
		most time.Duration
		want int
	}{{"/healthz", 5 * time.Second, 200}, {"/", 5 * time.Second, 200}, {"/api/v1/today", 25 * time.Second, 503},
		{"/readyz", 25 * time.Second, 503}} {
		writers.Go(func() {
			req, _ := http.NewRequest("GET", w.url+x.path, nil)
			req.AddCookie(cookie)
			began := time.Now()
			res, err := http.DefaultClient.Do(req)
			if err != nil {
				t.Error(err)
				return
			}
			res.Body.Close()
			if took := time.Since(began); res.StatusCode != x.want || took > x.most {
				t.Errorf("%s while it stands still: %d after %v", x.path, res.StatusCode, took)
			}
		})
	}
	<-time.After(2 * time.Second)
	stop.Store(true)
	writers.Wait()
	signal(syscall.SIGCONT)
	w.until("it goes on", func() bool { return ragna.do("GET", "/me", nil).status == 200 })
	// What the database had begun when it stood still may still be done.
	w.until("what was under way has ended", func() bool {
		var n int
		err := w.desk.Store.DB.Get(&n,
			`select count(*) from pg_stat_activity where datname = current_database() and state <> 'idle'
				and pid <> pg_backend_pid()`)
		return err == nil && n == 0
	})
	var texts []string
	if err := w.desk.Store.DB.Select(&texts,
		"select b.body from entry_body b join case_entry e on e.id = b.entry_id where e.kind = 'note'"); err != nil {
		t.Fatal(err)
	}
	there := map[string]int{}
	for _, s := range texts {
		there[strings.TrimSuffix(strings.TrimPrefix(s, "note "), ".")]++
	}
	unknown := 0
	for key, o := range outcomes {
		switch {
		case o.status == 201 && there[key] != 1:
			t.Errorf("%s was acknowledged and is there %d times", key, there[key])
		case o.status == 503 && strings.Contains(o.kind, "Nothing was changed") && there[key] != 0:
			t.Errorf("%s is said not to have been done, and was", key)
		case o.status == 503:
			unknown++
			if status, body := note(key); status != 201 {
				t.Errorf("%s repeated: %d %s", key, status, body)
			}
			var n int
			if err := w.desk.Store.DB.Get(&n, "select count(*) from entry_body where body = $1", "note "+key+"."); err != nil ||
				n != 1 {
				t.Errorf("%s repeated is there %d times, %v", key, n, err)
			}
		}
	}
	if unknown == 0 {
		t.Error("nothing was under way when it stood still")
	}
}

// A private PostgreSQL that dies is started again, on the same port.
func TestAPrivatePostgreSQLThatDies(t *testing.T) {
	t.Parallel()
	pg, dir := ownPostgreSQL(t, false)
	said := make(chan string, 8)
	watched := make(chan error, 1)
	go func() { watched <- pg.Watch(t.Context(), func(s string) { said <- s }) }()
	w := newWorldOn(t, pg.URL, nil, nil, 3000)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Slow")
	_ = syscall.Kill(postgres(t, dir)[0], syscall.SIGKILL)
	select {
	case s := <-said:
		if !contains(s, "started again") {
			t.Error(s)
		}
	case err := <-watched:
		t.Fatal("it is not started again: ", err)
	case <-time.After(patience):
		t.Fatal("nobody noticed")
	}
	w.until("the desk answers", func() bool { return ragna.do("GET", "/cases/"+name, nil).status == 200 })
	t.Cleanup(func() { pg.Stop() })
}

// A vendor that is frozen for longer than the call lasts, and then takes in what waited at
// its door, gets a letter once: it is looked up twice, apart, before it is believed not there.
func TestAFrozenVendor(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 30)
	ragna := w.as(0)
	var frozen atomic.Bool
	release := make(chan struct{})
	frozen.Store(true)
	vendor := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		if frozen.Load() {
			<-release
			if r.Method != http.MethodGet {
				<-time.After(600 * time.Millisecond) // it is still being taken in when the first question is answered
			}
		}
		again := httptest.NewRequest(r.Method, r.URL.String(), bytes.NewReader(body))
		again.Header = r.Header
		w.cast.Handler().ServeHTTP(rw, again)
	}))
	t.Cleanup(vendor.Close)
	t.Cleanup(func() {
		if frozen.Load() {
			close(release)
		}
	})
	w.corvaneIsAt(vendor.URL)
	name := ragna.draft("corvane", "Slow [mute]")
	ragna.step(name, m{"step": "file"})
	<-time.After(4 * time.Second) // longer than the settling time from our own time-out
	frozen.Store(false)
	close(release)
	v := ragna.untilState(name, "open")
	<-time.After(2 * time.Second)
	if jobs := w.cast.Jobs("corvane"); len(jobs) != 1 || jobs[0].No != *v.Line.Reference {
		t.Errorf("the vendor has %d jobs", len(jobs))
	}
}

// Somebody who does not read what an import tells holds no transaction and nobody else up.
func TestAReaderWhoStalls(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	var table strings.Builder
	table.WriteString("vendor,name,environment\n")
	for i := range 3000 {
		fmt.Fprintf(&table, "corvane,%s %d,nowhere\n", strings.Repeat("A long name ", 12), i)
	}
	at, _ := url.Parse(w.url)
	for range 25 {
		c, err := net.Dial("tcp", at.Host)
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		_ = c.(*net.TCPConn).SetReadBuffer(4096)
		fmt.Fprintf(c, "POST /api/v1/tables/assets HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: "+
			"text/csv\r\nContent-Length: %d\r\n\r\n", at.Host, ragna.token, table.Len())
		go func() { _, _ = io.Copy(c, strings.NewReader(table.String())) }()
		go func() { _, _ = bufio.NewReader(c).ReadByte() }() // and then no more
	}
	for end := time.Now().Add(6 * time.Second); time.Now().Before(end); <-time.After(100 * time.Millisecond) {
		began := time.Now()
		if a := ragna.do("GET", "/cases", nil); a.status != 200 || time.Since(began) > 20*time.Second {
			t.Fatalf("beside readers who stall: %d after %v", a.status, time.Since(began))
		}
	}
	w.until("no transaction is held", func() bool {
		var n int
		err := w.desk.Store.DB.Get(&n,
			"select count(*) from pg_stat_activity where datname = current_database() and state like 'idle in transaction%'")
		return err == nil && n == 0
	})
}
