// Command bench measures, side by side in one run, what the service costs above
// its own statements. It prints a figure or a ratio a line.
package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/demo"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/testdb"
)

const (
	cases   = 10_000
	many    = 100_000 // cases in all, a fifth of them live
	entries = 20
	rounds  = 400
)

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	url := os.Getenv(testdb.Env)
	if url == "" {
		return fmt.Errorf("run it by make bench")
	}
	// A part alone, by name: rules, tables, desk or register; or watch, for ten minutes.
	part := ""
	if len(os.Args) > 1 {
		part = os.Args[1]
	}
	if part == "" || part == "rules" {
		if err := rules(); err != nil || part == "rules" {
			return err
		}
	}
	if part == "" || part == "tables" {
		if err := tables(ctx, url); err != nil || part == "tables" {
			return err
		}
	}
	d, err := service.Open(ctx, url, nil)
	if err != nil {
		return err
	}
	defer d.Store.Close()
	people, names, err := fill(ctx, d)
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	serving, stop := context.WithCancel(ctx)
	defer stop()
	ready := make(chan string)
	go service.RunDesk(serving, d, service.Options{Listener: l, Look: time.Hour, Sweep: time.Hour, Log: slog.New(slog.DiscardHandler)}, func(u string) { ready <- u })
	base := <-ready
	get := func(path string) error {
		req, err := http.NewRequest("GET", base+"/api/v1"+path, nil)
		if err != nil {
			return err
		}
		req.Header.Set("Authorization", "Bearer "+people[0].Token)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return err
		}
		defer res.Body.Close()
		if _, err := io.Copy(io.Discard, res.Body); err != nil || res.StatusCode != 200 {
			return fmt.Errorf("%s: %s, %v", path, res.Status, err)
		}
		return nil
	}
	if part == "register" {
		return registerBench(ctx, d, get)
	}
	if part == "watch" {
		stop()
		if err := grown(ctx, d); err != nil {
			return err
		}
		return watch(ctx, url, d, people, 10*time.Minute)
	}
	pick := func(i int) string { return names[i*7919%len(names)] }
	if part == "" || part == "desk" {
		if err := deskBench(ctx, d, get, pick); err != nil {
			return err
		}
	}
	if part == "desk" {
		return nil
	}
	if err := registerBench(ctx, d, get); err != nil {
		return err
	}
	stop()
	return sizes(url, people[0])
}

// deskBench measures lists and pages, at ten thousand cases and at ten times as many, and
// Today with all the live ones.
func deskBench(ctx context.Context, d *service.Desk, get func(string) error, pick func(int) string) error {
	if err := lists(ctx, d, get, pick); err != nil {
		return err
	}
	if err := grown(ctx, d); err != nil {
		return err
	}
	if err := lists(ctx, d, get, pick); err != nil {
		return err
	}
	if err := get("/today"); err != nil { // reads what came into the tables behind the service's back
		return err
	}
	one := func(i int) error { return get("/cases?state=live&sort=newest&limit=50") }
	if err := beside("Today's first page", func(i int) error { return get("/today") }, "the list", one, 60); err != nil {
		return err
	}
	return beside("Today after a change", func(i int) error { return get("/today?limit=50") }, "the list", func(i int) error {
		_, err := d.Store.DB.ExecContext(ctx, "update support_case set changed_at = changed_at where id = (select max(id) - $1 from support_case where state = 'open')", i)
		return errors.Join(err, one(i))
	}, 60)
}

// grown adds cases until there are a hundred thousand, a fifth of them live and apart in
// their dates.
func grown(ctx context.Context, d *service.Desk) error {
	model, err := modelCase(d)
	if err != nil {
		return err
	}
	if err := copies(ctx, d, model, cases+1, many, 2); err != nil {
		return err
	}
	// Their dates and counted times go apart, as those of real cases do.
	if _, err := d.Store.DB.ExecContext(ctx, `update deadline set due_at = due_at + make_interval(secs => (random() - 0.3) * 1000000), counted_seconds = least(target_seconds, floor(random() * target_seconds)::bigint)
		where ended_at is null and case_id in (select id from support_case where state = 'open')`); err != nil {
		return err
	}
	if _, err := d.Store.DB.ExecContext(ctx, "update support_case set unread = 1, unread_since = changed_at where state = 'open' and number % 7 = 0"); err != nil {
		return err
	}
	if _, err := d.Store.DB.ExecContext(ctx, "vacuum analyze"); err != nil {
		return err
	}
	var live int
	if err := d.Store.DB.Get(&live, "select count(*) from support_case where state in ('filed', 'open', 'fix-offered')"); err != nil {
		return err
	}
	fmt.Printf("%d cases, %d of them live\n", many, live)
	return nil
}

func lists(ctx context.Context, d *service.Desk, get func(string) error, pick func(int) string) error {
	if err := compare("list of cases", func(i int) error { return get("/cases?state=live&sort=newest&limit=50") }, func(i int) error { return listStatements(ctx, d) }); err != nil {
		return err
	}
	if err := compare("list, most severe first", func(i int) error { return get("/cases?sort=severity&limit=50") }, func(i int) error {
		return statements(ctx, d, casesdb.Filter{Sort: "severity", Limit: 51})
	}); err != nil {
		return err
	}
	return compare("case page", func(i int) error {
		if err := get("/cases/" + pick(i)); err != nil {
			return err
		}
		return get("/cases/" + pick(i) + "/entries")
	}, func(i int) error { return caseStatements(ctx, d, pick(i)) })
}

// beside tells what something costs beside something else in the same run, and whether it
// keeps its goal in milliseconds.
func beside(what string, fn func(int) error, other string, beside func(int) error, most float64) error {
	x, y, err := sideBySide(fn, beside)
	if err != nil {
		return err
	}
	verdict := "holds"
	if x > most {
		verdict = "MISSED"
	}
	fmt.Printf("%-28s p95 %6.2f ms, %s %6.2f ms, ratio %.2f (goal %.0f ms: %s)\n", what, x, other, y, x/y, most, verdict)
	return nil
}

// sideBySide runs both by turns, so that the machine's moods meet both alike, and gives the
// 95th hundredth of each in milliseconds.
func sideBySide(one, other func(int) error) (x, y float64, err error) {
	var a, b []time.Duration
	for i := range rounds + 40 {
		for _, x := range []struct {
			fn  func(int) error
			out *[]time.Duration
		}{{one, &a}, {other, &b}} {
			began := time.Now()
			if err := x.fn(i); err != nil {
				return 0, 0, err
			}
			if i >= 40 {
				*x.out = append(*x.out, time.Since(began))
			}
		}
	}
	p95 := func(l []time.Duration) float64 {
		slices.Sort(l)
		return float64(l[len(l)*95/100].Microseconds()) / 1000
	}
	return p95(a), p95(b), nil
}

// compare holds an answer of the API against the statements that it cannot do without.
func compare(what string, api, plain func(int) error) error {
	x, y, err := sideBySide(api, plain)
	if err != nil {
		return err
	}
	verdict := "holds"
	if x > 2*y+3 {
		verdict = "MISSED"
	}
	fmt.Printf("%-28s p95 %6.2f ms, the same statements %6.2f ms, ratio %.2f (at most 2 and 3 ms: %s)\n", what, x, y, x/y, verdict)
	return nil
}

func listStatements(ctx context.Context, d *service.Desk) error {
	return statements(ctx, d, casesdb.Filter{States: []string{"filed", "open", "fix-offered"}, Sort: "newest", Limit: 51})
}

func statements(ctx context.Context, d *service.Desk, f casesdb.Filter) error {
	q := d.Store.DB
	if _, err := peopledb.ByID(ctx, q, 1); err != nil {
		return err
	}
	rows, err := casesdb.List(ctx, q, f)
	if err != nil {
		return err
	}
	var ids []int64
	for _, r := range rows {
		ids = append(ids, r.ID)
	}
	return parts(ctx, q, ids)
}

func parts(ctx context.Context, q db.Querier, ids []int64) error {
	if _, err := casesdb.LiveDeadlines(ctx, q, ids); err != nil {
		return err
	}
	if _, err := outboxdb.Open(ctx, q, ids); err != nil {
		return err
	}
	_, err := casesdb.References(ctx, q, ids)
	return err
}

func caseStatements(ctx context.Context, d *service.Desk, name string) error {
	q := d.Store.DB
	for range 2 { // two requests, two looks at who asks and which case is meant
		if _, err := peopledb.ByID(ctx, q, 1); err != nil {
			return err
		}
		if _, err := casesdb.Find(ctx, q, name); err != nil {
			return err
		}
	}
	id, err := casesdb.Find(ctx, q, name)
	if err != nil {
		return err
	}
	row, err := casesdb.RowByID(ctx, q, id)
	if err != nil {
		return err
	}
	if err := parts(ctx, q, []int64{id}); err != nil {
		return err
	}
	if _, err := registerdb.VendorByID(ctx, q, row.VendorID); err != nil {
		return err
	}
	if _, err := inboxdb.LinkOf(ctx, q, row.VendorID); err != nil {
		return err
	}
	if _, err := registerdb.ContractByID(ctx, q, *row.ContractID); err != nil {
		return err
	}
	if _, err := casesdb.Attestations(ctx, q, id); err != nil {
		return err
	}
	for range 2 {
		if _, err := registerdb.Levels(ctx, q, row.VendorID); err != nil {
			return err
		}
	}
	if _, err := casesdb.References(ctx, q, []int64{id}); err != nil {
		return err
	}
	if _, err := outboxdb.Open(ctx, q, []int64{id}); err != nil {
		return err
	}
	if _, err := casesdb.History(ctx, q, id); err != nil {
		return err
	}
	if _, err := casesdb.ByID(ctx, q, id); err != nil {
		return err
	}
	if _, err := hoursdb.CurrentTerms(ctx, q, nil); err != nil {
		return err
	}
	if _, err := casesdb.Entries(ctx, q, id, 0, 201); err != nil {
		return err
	}
	_, err = outboxdb.Of(ctx, q, id)
	return err
}

// fill plays the demo once and copies one of its live cases, with twenty entries,
// until there are ten thousand.
func fill(ctx context.Context, d *service.Desk) ([]demo.Person, []string, error) {
	cast, err := standin.New(standin.Options{})
	if err != nil {
		return nil, nil, err
	}
	people, err := demo.Play(ctx, d.Store, cast, time.Now(), func(v string) (inboxdb.Link, error) {
		raw, err := standin.Description(time.Second, 2*time.Second)
		l := inboxdb.Link{Kind: "rest", Address: "http://127.0.0.1:1/" + v}
		l.Description.V = raw
		return l, err
	})
	if err != nil {
		return nil, nil, err
	}
	model, err := modelCase(d)
	if err != nil {
		return nil, nil, err
	}
	if err := copies(ctx, d, model, 1, cases, entries); err != nil {
		return nil, nil, err
	}
	if _, err := d.Store.DB.ExecContext(ctx, "vacuum analyze"); err != nil {
		return nil, nil, err
	}
	var names []string
	err = d.Store.DB.Select(&names, "select 'C-' || number from support_case where id > $1 order by id desc limit $2", model, cases)
	fmt.Printf("%d cases with %d entries each\n", cases, entries)
	return people, names, err
}

// modelCase is the live case that is copied: the first with most entries.
func modelCase(d *service.Desk) (id int64, err error) {
	return id, d.Store.DB.Get(&id, "select id from support_case where state = 'open' order by last_entry desc, id limit 1")
}

// copies of a case are the ones from and to, each with so many entries; every fifth is live.
func copies(ctx context.Context, d *service.Desk, model int64, from, to, entries int) error {
	_, err := d.Store.DB.ExecContext(ctx, fmt.Sprintf(`do $$
		declare n integer; c bigint; e bigint; k integer; have integer; col text;
		begin
			select last_entry into have from support_case where id = %[1]d;
			select string_agg(quote_ident(column_name), ',') into col from information_schema.columns
				where table_name = 'support_case' and table_schema = 'public' and column_name not in ('id', 'number', 'title', 'last_entry', 'severity', 'state');
			for n in %[4]d..%[2]d loop
				execute format('insert into support_case (number, title, last_entry, severity, state, %%s) select nextval(''case_number''), title || '' '' || $1, %[3]d, 1 + mod($1, 4), case when mod($1, 5) = 0 then ''open'' else ''closed'' end, %%s from support_case where id = %[1]d returning id', col, col)
					into c using n;
				for k in 1..%[3]d loop
					insert into case_entry (case_id, number, kind, direction, author_id, author_name, channel, stated_at, happened_at, recorded_at, automatic, effect, body_hash)
						select c, k, case when k <= have then kind else 'note' end, case when k <= have then direction end, author_id, author_name, channel, stated_at,
							happened_at, recorded_at, automatic, case when k <= have then effect end, body_hash from case_entry where case_id = %[1]d and number = least(k, have)
						returning id into e;
					insert into entry_body (entry_id, body) select e, repeat('Words of some length, as people write them. ', 8);
				end loop;
				insert into deadline select c, opened, kind, rank, target, target_seconds, calendar_id, started_at, due_at, soon_at, ended_at, outcome, counting,
					counted_seconds, counted_at, start_entry, end_entry, rules from deadline where case_id = %[1]d;
				insert into case_reference (case_id, vendor_id, whose, value, folded) select c, vendor_id, whose, value || '-' || n, folded || n from case_reference where case_id = %[1]d;
			end loop;
			update support_case set wake_at = null where state = 'closed'; -- else the sweep finds that their record is a live one's
		end $$`, model, to, entries, from))
	return err
}

// sizes measures the built binary: its size, its memory at rest, its first page.
func sizes(db string, p demo.Person) error {
	binary := filepath.Join("bin", "roundhouse")
	st, err := os.Stat(binary)
	if err != nil {
		return err
	}
	line := func(what string, got float64, unit string, most float64) {
		verdict := "holds"
		if got >= most {
			verdict = "MISSED"
		}
		fmt.Printf("%-28s %.1f %s (under %.0f: %s)\n", what, got, unit, most, verdict)
	}
	line("binary", float64(st.Size())/1e6, "MB", 60)
	service, err := serve(db)
	if err != nil {
		return err
	}
	defer service.stop()
	<-time.After(5 * time.Second)
	memory, err := service.memory("VmRSS")
	if err != nil {
		return err
	}
	line("memory of the idle service", memory, "MB", 100)
	b, err := browser.Start()
	if err != nil {
		return err
	}
	defer b.Stop()
	tab, err := b.Tab("light", 1280, 800)
	if err != nil {
		return err
	}
	defer tab.Close()
	if err := tab.SignIn("http://"+service.at, p.Email, p.Password); err != nil {
		return err
	}
	if err := tab.Do(dp.WaitVisible(browser.ID("today-line"))); err != nil {
		return err
	}
	script, err := browser.Eval[float64](tab, `performance.getEntriesByType('resource').filter(r => r.name.endsWith('.js')).reduce((a, r) => a + r.encodedBodySize, 0)`)
	if err != nil {
		return err
	}
	line("script of the first page", script/1000, "kB over the wire", 250)
	return nil
}
