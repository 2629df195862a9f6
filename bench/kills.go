package main

import (
	"context"
	"fmt"
	"net/http/httptest"
	"slices"
	"strings"
	"time"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/standin"
	inboxdb "roundhouse.example/internal/store/inbox"
)

// kills runs two services on one database, kills one after the other again and again, and
// says how long work stood still after each kill: looking at a link, waking a case whose time
// has come, recalculating.
// In one piece: one story of kills, told in order.
func kills(ctx context.Context, server string) error {
	d, at, err := apart.Fresh(ctx, server, "bench_kills")
	if err != nil {
		return err
	}
	defer d.Close()
	cast, err := standin.New(standin.Options{})
	if err != nil {
		return err
	}
	vendors := httptest.NewServer(cast.Handler())
	defer vendors.Close()
	people, err := firm.Register(ctx, d.Desk, d.Store, time.Now().AddDate(0, -1, 0), func(v string) (inboxdb.Link, error) {
		raw, err := standin.Description(2*time.Second, 5*time.Second)
		l := inboxdb.Link{Address: vendors.URL + "/" + v}
		l.Description.V = raw
		return l, err
	})
	if err != nil {
		return err
	}
	two := make([]*apart.Service, 2)
	for i := range two {
		if two[i], err = apart.Serve(at, "--poll", "1s"); err != nil {
			return err
		}
		defer func() { two[i].Stop() }()
	}
	case1, err := openOne(two[0].At, people[0].Token)
	if err != nil {
		return err
	}
	stood := map[string][]time.Duration{}
	for n := range 6 {
		<-time.After(2 * time.Second)
		victim := n % 2
		_ = two[victim].Cmd.Process.Kill()
		<-two[victim].Ended
		killed := time.Now()
		if _, err := d.Store.DB.ExecContext(ctx, "update support_case set wake_at = now() where id = $1", case1); err != nil {
			return err
		}
		for what, done := range map[string]string{
			"until a link is looked at": "select bool_and(looked_at > $1) from link",
			"until a due case is looked at": `select wake_at is null or wake_at > now() from support_case
				where derived_at > $1 or wake_at > now()`,
		} {
			for ok := false; !ok; <-time.After(20 * time.Millisecond) {
				var args []any
				if strings.Contains(done, "$1") {
					args = append(args, killed)
				}
				_ = d.Store.DB.GetContext(ctx, &ok, done, args...)
				if time.Since(killed) > 2*time.Minute {
					return fmt.Errorf("%s: not within two minutes", what)
				}
			}
			stood[what] = append(stood[what], time.Since(killed))
		}
		if two[victim], err = apart.Serve(at, "--poll", "1s"); err != nil {
			return err
		}
	}
	for what, all := range stood {
		slices.Sort(all)
		fmt.Printf("after a kill, %-30s %v in the middle of %d, %v at most\n", what,
			all[len(all)/2].Round(10*time.Millisecond), len(all), all[len(all)-1].Round(10*time.Millisecond))
	}
	return nil
}

// openOne files a case over the API and gives its id.
func openOne(at, token string) (id int64, err error) {
	c, err := client.New("http://"+at, token)
	if err != nil {
		return 0, err
	}
	ctx := context.Background()
	var opened clientgen.Case
	facts := map[string]any{"environment": "other", "effect": "degraded"}
	tag, err := c.Do(ctx, "POST", "/cases",
		map[string]any{"vendor": "corvane", "title": "Slow [mute]", "facts": facts,
			"texts": map[string]any{"happened": "It is slow."}}, nil, &opened)
	if err != nil {
		return 0, err
	}
	_, err = c.Do(ctx, "POST", "/cases/"+opened.Line.Number+"/steps", map[string]any{"step": "file"},
		map[string]string{"If-Match": tag}, &opened)
	return 1, err
}
