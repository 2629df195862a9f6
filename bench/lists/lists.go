// Package lists measures the lists of cases, by each filter in each order, and Today, on a desk of 10,000 cases and on
// one of 1,000,000 side by side.
package lists

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"slices"
	"time"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/server/web"
	"roundhouse.example/internal/service"
	casesdb "roundhouse.example/internal/store/cases"
	listsdb "roundhouse.example/internal/store/lists"
)

const (
	few, many = 10_000, 1_000_000
	rounds    = 15 // of each value in each order
	warm      = 3
)

// desk is a service over a number of cases.
type desk struct {
	*service.Desk
	base   string
	people []firm.Person
	stop   func()
	middle map[string]casesdb.Row // by order: the row in its middle
}

// Run measures on two databases of its own on the server, and prints a figure a line.
func Run(ctx context.Context, server string) error {
	small, err := open(ctx, server, "lists_few", few)
	if err != nil {
		return err
	}
	defer small.stop()
	large, err := open(ctx, server, "lists_many", many)
	if err != nil {
		return err
	}
	defer large.stop()
	if err := today(small, large); err != nil {
		return err
	}
	for _, d := range []*desk{small, large} {
		if d.middle, err = middles(ctx, d); err != nil {
			return err
		}
	}
	filters, err := filters(ctx, large)
	if err != nil {
		return err
	}
	for _, f := range filters {
		if err := f.measure(ctx, small, large); err != nil {
			return fmt.Errorf("%s: %w", f.name, err)
		}
	}
	return nil
}

func open(ctx context.Context, server, name string, n int) (*desk, error) {
	d, at, err := apart.Fresh(ctx, server, name)
	if err != nil {
		return nil, err
	}
	s := &desk{Desk: d}
	if s.people, err = apart.Play(ctx, d); err != nil {
		return nil, err
	}
	began := time.Now()
	if err := load(ctx, d, at, n); err != nil {
		return nil, err
	}
	fmt.Printf("%d cases, one in %d of them live, loaded in %.0f s\n", n, oneLive, time.Since(began).Seconds())
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	serving, stop := context.WithCancel(ctx)
	ready, ended := make(chan string), make(chan error, 1)
	go func() {
		ended <- service.RunDesk(serving, d, service.Options{Listener: l, Look: time.Hour, Sweep: time.Hour,
			Log: slog.New(slog.DiscardHandler)}, func(u string) { ready <- u })
	}()
	s.stop = func() { stop(); <-ended; d.Close() }
	select {
	case s.base = <-ready:
		return s, nil
	case err := <-ended:
		stop()
		return nil, err
	}
}

func (s *desk) get(path string) error { return s.ask(path, nil) }

// ask reads an answer, into something if it is given.
func (s *desk) ask(path string, into any) error {
	req, err := http.NewRequest("GET", s.base+"/api/v1"+path, nil)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+s.people[0].Token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusOK {
		return fmt.Errorf("%s: %s, %v %s", path, res.Status, err, body)
	}
	if into == nil {
		return nil
	}
	return json.Unmarshal(body, into)
}

// today compares Today of 200 live cases with that of 20,000.
func today(small, large *desk) error {
	ask := func(d *desk) func(int) error { return func(int) error { return d.get("/today") } }
	took, err := byTurns(100, ask(small), ask(large))
	if err != nil {
		return err
	}
	x, y := hundredth(took[0], 95), hundredth(took[1], 95)
	fmt.Printf("%-26s p95 %6.2f ms of %d live, %6.2f ms of %d live, ratio %.2f (at most 2, under 60 ms: %s)\n", "Today",
		x, few/oneLive, y, many/oneLive, y/x, apart.Verdict(y <= 2*x && y < 60))
	return nil
}

// byTurns runs all of them by turns, so that the machine's moods meet them alike, and gives what each took in each
// round.
func byTurns(rounds int, fns ...func(int) error) ([][]time.Duration, error) {
	took := make([][]time.Duration, len(fns))
	for i := range warm + rounds {
		for k, fn := range fns {
			began := time.Now()
			if err := fn(i); err != nil {
				return nil, err
			}
			if i >= warm {
				took[k] = append(took[k], time.Since(began))
			}
		}
	}
	return took, nil
}

// hundredth is one of the hundredths of some times, in milliseconds.
func hundredth(l []time.Duration, n int) float64 {
	l = slices.Sorted(slices.Values(l))
	return float64(l[len(l)*n/100].Microseconds()) / 1000
}

var orders = []string{"newest", "oldest", "severity", "changed", "next"}

// filter is one way to narrow the list: as the API takes it, and as the store does. Several values take turns.
type filter struct {
	name   string
	values int // 1 if left out
	query  func(i int) url.Values
	store  func(i int, f *listsdb.Filter)
	later  bool // a page from the middle of the order
}

// measure compares each value of a filter in each order, and prints the one that costs most beside the small desk.
func (f filter) measure(ctx context.Context, small, large *desk) error {
	n := max(f.values, 1)
	var worst string
	var at [3]float64
	for _, order := range orders {
		for v := range n {
			limit, err := small.full(f.query(v), order)
			if err != nil {
				return err
			}
			ask := func(d *desk) func(int) error {
				return func(int) error { return d.get("/cases?" + d.of(f, v, order, limit).Encode()) }
			}
			took, err := byTurns(rounds, ask(small), ask(large), func(int) error {
				q := listsdb.Filter{Sort: order, Limit: limit + 1, Now: time.Now()}
				f.store(v, &q)
				if row := large.middle[order]; f.later {
					q.After, q.AfterKey, q.AfterCase = true, listsdb.SortKey(order, row), row.Number
				}
				return statements(ctx, large.Desk, q)
			})
			if err != nil {
				return err
			}
			x := [3]float64{hundredth(took[0], 50), hundredth(took[1], 50), hundredth(took[2], 50)}
			if at[0] == 0 || x[1]/x[0] > at[1]/at[0] {
				worst, at = fmt.Sprintf("%s, %d rows", order, limit), x
				if n > 1 {
					worst += ", " + f.query(v).Encode()
				}
			}
		}
	}
	fmt.Printf("%-26s %6.2f ms of %d, %6.2f of %d (statements %6.2f), ratio %.2f (at most 2: %s), by %s\n", f.name, at[0],
		few, at[1], many, at[2], at[1]/at[0], apart.Verdict(at[1] <= 2*at[0]), worst)
	return nil
}

// of is what is asked for one value of a filter.
func (d *desk) of(f filter, value int, order string, limit int) url.Values {
	q := f.query(value)
	q.Set("sort", order)
	q.Set("limit", fmt.Sprint(limit))
	if row := d.middle[order]; f.later {
		q.Set("cursor", web.WriteCursor(map[string]any{"s": order, "k": listsdb.SortKey(order, row), "c": row.Number}))
	}
	return q
}

// full is how many cases of a page the desk has, at most 50 and at least one, so that the same number is read of both.
func (d *desk) full(q url.Values, order string) (int, error) {
	q.Set("sort", order)
	q.Set("limit", "50")
	var page struct {
		Items []struct{} `json:"items"`
	}
	err := d.ask("/cases?"+q.Encode(), &page)
	return max(len(page.Items), 1), err
}

// statements are those that an answer cannot do without.
func statements(ctx context.Context, d *service.Desk, f listsdb.Filter) error {
	rows, err := listsdb.List(ctx, d.Store.DB, f)
	if err != nil {
		return err
	}
	var ids []int64
	for _, r := range rows {
		ids = append(ids, r.ID)
	}
	if _, err := casesdb.LiveDeadlines(ctx, d.Store.DB, ids); err != nil {
		return err
	}
	_, err = casesdb.References(ctx, d.Store.DB, ids)
	return err
}

// middles are the rows in the middle of each order.
func middles(ctx context.Context, d *desk) (map[string]casesdb.Row, error) {
	out := map[string]casesdb.Row{}
	for order, by := range map[string]string{"newest": "number", "oldest": "number",
		"severity": "coalesce(severity, 9), number desc", "changed": "changed_at desc, number desc",
		"next": "coalesce(next_at, 'infinity'), number"} {
		var id int64
		err := d.Store.DB.GetContext(ctx, &id, "select id from support_case order by "+by+
			" limit 1 offset (select count(*) / 2 from support_case)")
		if err != nil {
			return nil, err
		}
		if out[order], err = casesdb.RowByID(ctx, d.Store.DB, id); err != nil {
			return nil, err
		}
	}
	return out, nil
}
