package e2e

import (
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/standin"
)

// manyVendors adds vendors by the dozen, copies of Corvane, with the ids 1000 and so many.
func (w *world) manyVendors(from, to int) {
	w.t.Helper()
	if _, err := w.desk.Store.DB.Exec(`insert into vendor overriding system value
		select (jsonb_populate_record(v, jsonb_build_object('id', 1000+n, 'key', 'vendor-'||n, 'name', 'Vendor '||n))).*
		from vendor v, generate_series($1::int, $2::int) n where v.key = 'corvane'`, from, to); err != nil {
		w.t.Fatal(err)
	}
}

// corvaneIsAt moves Corvane's link to another address.
func (w *world) corvaneIsAt(url string) {
	w.t.Helper()
	if _, err := w.desk.Store.DB.Exec("update link set address = $1 || '/corvane' where name = 'corvane'",
		url); err != nil {
		w.t.Fatal(err)
	}
}

// manyLinks adds many vendors, each with a link to an address.
func (w *world) manyLinks(from, to int, address string, timeout time.Duration) {
	w.t.Helper()
	raw, err := standin.Description(timeout, timeout+time.Second)
	if err != nil {
		w.t.Fatal(err)
	}
	w.manyVendors(from, to)
	if _, err := w.desk.Store.DB.Exec(`with l as (insert into link (name, kind, address, description)
		select 'vendor-' || n, 'api', $3, $4::jsonb from generate_series($1::int, $2::int) n returning id, name)
		insert into vendor_link (vendor_id, link_id) select v.id, l.id from l join vendor v on v.key = l.name`,
		from, to, address, string(raw)); err != nil {
		w.t.Fatal(err)
	}
}

// hanging accepts connections and never answers.
func hanging(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			t.Cleanup(func() { c.Close() })
		}
	}()
	return "http://" + l.Addr().String() + "/corvane"
}

// A hundred links of which thirty hang: the service is ready all the while, answers, and
// looks at those that answer again and again.
func TestAHundredLinksOfWhichThirtyHang(t *testing.T) {
	t.Parallel()
	w := live(t)
	ragna := w.as(0)
	var asked atomic.Int64
	well := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		w.cast.Handler().ServeHTTP(rw, r)
	}))
	t.Cleanup(well.Close)
	const hang = 20 * time.Second
	w.manyLinks(1, 30, hanging(t), hang)
	w.manyLinks(31, 100, well.URL+"/corvane", 2*time.Second)
	// All of the hanging ones are due first.
	if _, err := w.desk.Store.DB.Exec(`update link set next_look_at = now() - interval '1 hour'
		where name in (select 'vendor-' || n from generate_series(1, 30) n)`); err != nil {
		t.Fatal(err)
	}
	name := ragna.draft("tallow", "Drive 14 failed [patient]")
	ragna.step(name, m{"step": "file"})
	ragna.untilState(name, "open")
	worst := time.Duration(0)
	looked := func() (n int) {
		if err := w.desk.Store.DB.Get(&n,
			`select count(*) from link where name in (select 'vendor-' || n from generate_series(31, 100) n)
				and looked_at is not null`); err != nil {
			t.Fatal(err)
		}
		return n
	}
	for end := time.Now().Add(patience); time.Now().Before(end) &&
		(looked() < 70 || asked.Load() < 140); <-time.After(20 * time.Millisecond) {
		began := time.Now()
		res, err := http.Get(w.url + "/readyz")
		if err != nil || res.StatusCode != 200 {
			t.Fatalf("not ready: %v %v", res, err)
		}
		res.Body.Close()
		ragna.must(200, "GET", "/today", nil)
		worst = max(worst, time.Since(began))
	}
	if n := looked(); n < 70 || asked.Load() < 140 {
		t.Errorf("%d of 70 links that answer were looked at, %d times", n, asked.Load())
	}
	if worst > hang*3/4 { // the machine may be busy, but nobody waits for a link
		t.Errorf("one answer took %v", worst)
	}
}

// What a vendor sends is stored, whatever bytes it is of: its link stops for none of them,
// and what cannot be taken in holds up nothing else.
func TestOddBytesFromAVendor(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Slow since this morning [mute]")
	v, _ := ragna.get(name)
	say := func(job, words string) {
		w.cast.Say("corvane", standin.Happening{Job: job, What: "remark",
			By: standin.By{Side: "house", Name: "Imke\x00 Vandersloot"}, Words: words, Stage: "in hand"})
	}
	say("CV-99999", "A stranger's")
	say(*v.Line.Reference, "One\x00two \x1b]0;title\x07 and the end")
	said := func(part string) (found *apigen.Entry) {
		for _, e := range ragna.entries(name) {
			if contains(e.Text, part) {
				found = &e
			}
		}
		return found
	}
	w.until("the odd message is on record", func() bool { return said("and the end") != nil })
	if e := said("and the end"); strings.Contains(e.Text, "\x00") || !contains(e.Text, "One", "two") {
		t.Errorf("stored as %q", e.Text)
	}
	say(*v.Line.Reference, "And the next")
	w.until("the next one too", func() bool { return said("And the next") != nil })
	// A stranger's is set aside after its time of grace, and is read at no look any more.
	aside := func() (n int) {
		if err := w.desk.Store.DB.Get(&n,
			"select count(*) from link_event where case_id is null and aside_at is null"); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if aside() != 1 {
		t.Errorf("%d events wait", aside())
	}
	w.clock.Move(3 * time.Minute)
	w.until("the stranger's is set aside", func() bool { return aside() == 0 })
	var vendor apigen.Vendor
	if ragna.must(200, "GET", "/vendors/corvane", nil).into(t, &vendor); (*vendor.Links)[0].FailingSince != nil {
		t.Errorf("the link: %+v", *vendor.Links)
	}
	// When its number turns out to be ours, it is found again.
	ragna.must(200, "PATCH", "/cases/"+name, m{"reference": "CV-99999"}, "If-Match", tag(ragna, name))
	say("CV-99999", "Now it is ours")
	w.until("what was set aside", func() bool { return said("A stranger's") != nil && said("Now it is ours") != nil })
}

// A refusal that is cut within a character, or has a NUL, ends the attempt like any other.
func TestARefusalOfOddBytesEndsTheAttempt(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	var writes atomic.Int64
	vendor := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet {
			writes.Add(1)
			rw.WriteHeader(422)
			fmt.Fprint(rw, `{"title":"no","detail":"`+strings.Repeat("ø", 150)+`\u0000`+strings.Repeat("漢", 500)+`"}`)
			return
		}
		w.cast.Handler().ServeHTTP(rw, r)
	}))
	t.Cleanup(vendor.Close)
	w.corvaneIsAt(vendor.URL)
	name := ragna.draft("corvane", "Slow")
	v := ragna.step(name, m{"step": "file"})
	w.until("a person is asked", func() bool {
		v, _ = ragna.get(name)
		return len(v.OnTheWay) == 1 && v.OnTheWay[0].NeedsPerson != nil
	})
	if writes.Load() != 1 {
		t.Errorf("sent %d times", writes.Load())
	}
	if p := *v.OnTheWay[0].Problem; strings.ContainsRune(p, 0xFFFD) || !contains(p, "øøø") {
		t.Errorf("the problem: %q", p)
	}
}
