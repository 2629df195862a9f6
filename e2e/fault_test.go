package e2e

import (
	"bufio"
	"context"
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/server/apigen"
)

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// However the vendor misbehaves, a case is there once, and nothing is lost.
func TestAMisbehavingVendor(t *testing.T) {
	t.Parallel()
	for _, x := range []struct{ way, problem string }{
		{"cut", "was lost before an answer"}, {"late", "no answer"}, {"garbage", "cannot be read"}, {"short", ""},
		{"down", "503"}, {"lag", ""},
	} {
		t.Run(x.way, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t, nil, 30)
			ragna := w.as(0)
			w.cast.Misbehave("corvane", x.way)
			name := ragna.draft("corvane", "Slow since this morning [mute]")
			ragna.step(name, m{"step": "file"})
			v := ragna.untilState(name, "open")
			if jobs := w.cast.Jobs("corvane"); len(jobs) != 1 || jobs[0].No != *v.Line.Reference {
				t.Errorf("the vendor has %d jobs", len(jobs))
			}
			// What went wrong stands in the record of attempts: unsure, never a plain repeat.
			var first struct{ Outcome, Detail string }
			if err := w.desk.Store.DB.Get(&first,
				"select outcome, detail from delivery_attempt order by id limit 1"); err != nil {
				t.Fatal(err)
			}
			if x.problem != "" && (first.Outcome != "unsure" || !contains(first.Detail, x.problem)) || x.problem == "" &&
				first.Outcome != "arrived" {
				t.Errorf("the first attempt: %+v", first)
			}
			w.cast.Misbehave("corvane", x.way)
			text := "The answer, told once. " + strings.Repeat("It goes on and on. ", 30)
			ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": text})
			w.until("the message arrives", func() bool { v, _ = ragna.get(name); return len(v.OnTheWay) == 0 })
			said := 0
			for _, h := range w.cast.Feed("corvane") {
				if contains(h.Words, "told once") {
					said++
				}
			}
			if said != 1 {
				t.Errorf("the message is there %d times", said)
			}
			for _, e := range ragna.entries(name) {
				if e.Kind == "message" && *e.Direction == "in" {
					t.Errorf("our own words came back as theirs: %+v", e)
				}
			}
			w.replayed()
		})
	}
}

// A vendor that cannot be reached: it waits, says why, and a person can decide.
func TestAVendorThatIsAway(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	if _, err := w.desk.Store.DB.Exec("update link set address = 'http://127.0.0.1:1/away'"); err != nil {
		t.Fatal(err)
	}
	name := ragna.draft("tallow", "Drive 14 failed")
	ragna.step(name, m{"step": "file"})
	var v apigen.Case
	w.until("the reason is shown", func() bool {
		v, _ = ragna.get(name)
		return len(v.OnTheWay) == 1 && v.OnTheWay[0].Problem != nil
	})
	if d := v.OnTheWay[0]; d.State != "waiting" || !contains(*d.Problem, "cannot be reached", "refused") {
		t.Errorf("%+v", d)
	}
	// What is on its way has had no effect.
	if v.Line.State != "draft" || v.Line.Move != nil || len(v.Deadlines) != 0 {
		t.Errorf("on its way: %s, move %v, %d deadlines", v.Line.State, v.Line.Move, len(v.Deadlines))
	}
	p := ragna.do("POST", "/cases/"+name+"/steps", m{"step": "file"}, "If-Match", tag(ragna, name)).problem(t)
	if p.Status != 409 || !contains(*p.Detail, "being sent") {
		t.Errorf("filing twice: %+v", p)
	}
	path := "/cases/" + name + "/deliveries/" + itoa(v.OnTheWay[0].Id) + "/decision"
	ragna.must(422, "POST", path, m{"decision": "arrived"})
	ragna.must(200, "POST", path, m{"decision": "arrived", "reference": "TW/88-1"})
	v, _ = ragna.get(name)
	if v.Line.State != "open" || *v.Line.Reference != "TW/88-1" {
		t.Errorf("filed by a person's word: %+v", v.Line)
	}
	ragna.must(409, "POST", path, m{"decision": "dont-send"})
	var vendor apigen.Vendor
	w.until("the link says that it fails", func() bool {
		ragna.must(200, "GET", "/vendors/tallow", nil).into(t, &vendor)
		return (*vendor.Links)[0].FailingSince != nil
	})
}

// A writer who has not seen the vendor's newest words is shown them first.
func TestANewerMessageIsShownFirst(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Slow [patient]")
	seen, _ := ragna.get(name)
	w.clock.Move(time.Minute)
	w.speak("corvane", *seen.Line.Reference, false, "waiting on you", "")
	ragna.hears(name, "vendor-message")
	p := ragna.do("POST", "/cases/"+name+"/messages", m{"text": "As I said", "seen": seen.Line.LastEntry}).problem(t)
	if p.Status != 409 || !strings.HasSuffix(p.Type, "newer-message") {
		t.Errorf("%+v", p)
	}
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "As I said", "seen": seen.Line.LastEntry + 1})
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "And again", "seen": int64(1)<<53 - 1})
}

// What comes in is told to whoever has a page open.
func TestLiveEvents(t *testing.T) {
	t.Parallel()
	w := live(t)
	ragna := w.as(0)
	ctx, stop := context.WithTimeout(t.Context(), patience)
	defer stop()
	req, _ := http.NewRequestWithContext(ctx, "GET", w.url+"/api/v1/events", nil)
	req.Header.Set("Authorization", "Bearer "+ragna.token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	for lines.Scan() && lines.Text() != "event: ready" {
	}
	name := ragna.draft("corvane", "Told at once")
	for lines.Scan() {
		if contains(lines.Text(), `"case":"`+name+`"`, `"entry":1`) {
			return
		}
	}
	t.Fatalf("the stream ended without telling of %s: %v", name, lines.Err())
}

// The database goes away: requests answer 503 at once, and it recovers by itself.
func TestTheDatabaseGoesAway(t *testing.T) {
	t.Parallel()
	pg, dir := ownPostgreSQL(t, true)
	w := newWorldOn(t, pg.URL, nil, nil, 3000)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Before the outage [patient]")
	port := pg.Port()
	if err := pg.Stop(); err != nil {
		t.Fatal(err)
	}
	for range 5 {
		began := time.Now()
		a := ragna.do("GET", "/cases/"+name, nil)
		if a.status != 503 || time.Since(began) > 20*time.Second || a.header.Get("Retry-After") == "" {
			t.Errorf("without a database: %d after %s: %s", a.status, time.Since(began), a.body)
		}
	}
	if r, err := http.Get(w.url + "/healthz"); err != nil || r.StatusCode != 200 {
		t.Error("alive is not the same as ready")
	}
	if r, err := http.Get(w.url + "/readyz"); err != nil || r.StatusCode != 503 {
		t.Error("it calls itself ready without a database")
	}
	again, err := localpg.Start(t.Context(), localpg.Options{Dir: dir, Fast: true, Port: port})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { again.Stop() })
	w.until("it recovers", func() bool { return ragna.do("GET", "/cases/"+name, nil).status == 200 })
	ragna.filed("corvane", "After the outage [patient]")
}
