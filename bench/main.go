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

	listsdb "roundhouse.example/internal/store/lists"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/bench/apart"
	"roundhouse.example/bench/due"
	"roundhouse.example/bench/lists"
	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/service"
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

// run does what the command line names, or all of it. In one piece: what is measured, in its order.
func run(ctx context.Context) error {
	url, err := testdb.Running()
	if err != nil {
		return err
	}
	if url == "" {
		return fmt.Errorf("run it by make bench")
	}
	// A part alone, by name: rules, scan, uploads, tables, due, stood, drafts, desk, register or sizes; or kills; or
	// lists; or watch, for ten minutes.
	part := ""
	if len(os.Args) > 1 {
		part = os.Args[1]
	}
	if part == "" || part == "rules" {
		if err := rules(); err != nil || part == "rules" {
			return err
		}
	}
	if part == "" || part == "scan" {
		if err := scans(ctx); err != nil || part == "scan" {
			return err
		}
	}
	if part == "" || part == "uploads" {
		if err := uploads(ctx, url); err != nil || part == "uploads" {
			return err
		}
	}
	if part == "" || part == "tables" {
		if err := tables(ctx, url); err != nil || part == "tables" {
			return err
		}
	}
	if part == "" || part == "due" {
		if err := due.Run(ctx, url); err != nil || part == "due" {
			return err
		}
	}
	if part == "" || part == "stood" {
		if err := due.Stood(ctx, url); err != nil || part == "stood" {
			return err
		}
	}
	switch part {
	case "kills":
		return kills(ctx, url)
	case "lists":
		return lists.Run(ctx, url)
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
	go service.RunDesk(serving, d,
		service.Options{Listener: l, Look: time.Hour, Sweep: time.Hour, Log: slog.New(slog.DiscardHandler)}, func(u string) {
			ready <- u
		})
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
	if part == "" || part == "drafts" {
		if err := draftBench(ctx, d, base, people[0]); err != nil || part == "drafts" {
			return err
		}
	}
	if part == "watch" || part == "sizes" {
		stop()
		if err := grown(ctx, d); err != nil {
			return err
		}
		if part == "sizes" {
			return sizes(url, people[0])
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
	if err := pages(ctx, d, get, pick); err != nil {
		return err
	}
	if err := grown(ctx, d); err != nil {
		return err
	}
	if err := pages(ctx, d, get, pick); err != nil {
		return err
	}
	if err := get("/today"); err != nil { // reads what came into the tables behind the service's back
		return err
	}
	one := func(i int) error { return get("/cases?state=live&sort=newest&limit=50") }
	if err := beside("Today's first page", func(i int) error { return get("/today") }, "the list", one, 60); err != nil {
		return err
	}
	return beside("Today after a change", func(i int) error {
		return get("/today?limit=50")
	}, "the list", func(i int) error {
		_, err := d.Store.DB.ExecContext(ctx,
			`update support_case set changed_at = changed_at where id = (select max(id) - $1 from support_case
				where state = 'open')`, i)
		return errors.Join(err, one(i))
	}, 60)
}

func pages(ctx context.Context, d *service.Desk, get func(string) error, pick func(int) string) error {
	if err := compare("list of cases", func(i int) error {
		return get("/cases?state=live&sort=newest&limit=50")
	}, func(i int) error { return listStatements(ctx, d) }); err != nil {
		return err
	}
	if err := compare("list, most severe first", func(i int) error {
		return get("/cases?sort=severity&limit=50")
	}, func(i int) error {
		return statements(ctx, d, listsdb.Filter{Sort: "severity", Limit: 51})
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
	fmt.Printf("%-28s p95 %6.2f ms, %s %6.2f ms, ratio %.2f (goal %.0f ms: %s)\n", what, x, other, y, x/y, most,
		apart.Verdict(x <= most))
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
	return p95(a), p95(b), nil
}

// p95 is the 95th hundredth in milliseconds.
func p95(l []time.Duration) float64 {
	slices.Sort(l)
	return float64(l[len(l)*95/100].Microseconds()) / 1000
}

// compare holds an answer of the API against the statements that it cannot do without.
func compare(what string, api, plain func(int) error) error {
	x, y, err := sideBySide(api, plain)
	if err != nil {
		return err
	}
	fmt.Printf("%-28s p95 %6.2f ms, the same statements %6.2f ms, ratio %.2f (at most 2 and 3 ms: %s)\n", what, x, y, x/y,
		apart.Verdict(x <= 2*y+3))
	return nil
}

// figure prints what was measured beside the most that it may be.
func figure(what string, got float64, unit string, most float64) {
	fmt.Printf("%-28s %.2f %s (under %.0f: %s)\n", what, got, unit, most, apart.Verdict(got < most))
}

// sizes measures the built binary: its size, its memory at rest, its first page.
func sizes(db string, p firm.Person) error {
	binary := filepath.Join("bin", "roundhouse")
	st, err := os.Stat(binary)
	if err != nil {
		return err
	}
	figure("binary", float64(st.Size())/1e6, "MB", 60)
	service, err := apart.Serve(db)
	if err != nil {
		return err
	}
	defer service.Stop()
	<-time.After(5 * time.Second)
	memory, err := service.Memory("VmRSS")
	if err != nil {
		return err
	}
	figure("memory of the idle service", memory, "MB", 100)
	return onPage("http://"+service.At, p, func(tab *browser.Tab) error {
		if err := tab.Do(dp.WaitVisible(browser.ID("today-line"))); err != nil {
			return err
		}
		return scriptOf(tab, "script of the first page")
	})
}

// onPage measures something in a browser in which somebody has signed in.
func onPage(base string, p firm.Person, fn func(*browser.Tab) error) error {
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
	if err := tab.SignIn(base, p.Email, p.Password); err != nil {
		return err
	}
	return fn(tab)
}

// scriptOf prints how much script a page has loaded.
func scriptOf(tab *browser.Tab, what string) error {
	script, err := browser.Eval[float64](tab,
		`performance.getEntriesByType('resource').filter(r => r.name.endsWith('.js')).reduce((a, r) => a + r.encodedBodySize,
			0)`)
	if err != nil {
		return err
	}
	figure(what, script/1000, "kB over the wire", 250)
	return nil
}
