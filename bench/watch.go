package main

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"time"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
)

// watch looks at the built service for ten minutes with all the live cases and a hundred
// vendors with links, of which thirty hang: whether it is ready, what it answers in, and
// whether its memory stays.
// In one piece: one watch, from the first answer to the last.
func watch(ctx context.Context, db string, d *service.Desk, people []firm.Person, length time.Duration) error {
	cast, err := standin.New(standin.Options{})
	if err != nil {
		return err
	}
	well := httptest.NewServer(cast.Handler())
	defer well.Close()
	hang, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer hang.Close()
	go func() {
		for {
			if _, err := hang.Accept(); err != nil {
				return
			}
		}
	}()
	raw, err := standin.Description(20*time.Second, 30*time.Second)
	if err != nil {
		return err
	}
	if _, err := d.Store.DB.ExecContext(ctx, `insert into vendor overriding system value
		select (jsonb_populate_record(v, jsonb_build_object('id', 1000+n, 'key', 'vendor-'||n, 'name', 'Vendor '||n))).*
		from vendor v, generate_series(1, 100) n where v.key = 'corvane'`); err != nil {
		return err
	}
	if _, err := d.Store.DB.ExecContext(ctx, `with l as (insert into link (name, kind, address, description)
		select 'vendor-'||n, 'api', case when n <= 30 then $1 else $2 end, $3::jsonb from generate_series(1, 100) n
		returning id, name)
		insert into vendor_link (vendor_id, link_id) select v.id, l.id from l join vendor v on v.key = l.name`,
		"http://"+hang.Addr().String()+"/corvane", well.URL+"/corvane", string(raw)); err != nil {
		return err
	}
	service, err := apart.Serve(db, "--poll", "5s")
	if err != nil {
		return err
	}
	defer service.Stop()
	ask := func(path string) (int, time.Duration) {
		req, _ := http.NewRequest("GET", "http://"+service.At+path, nil)
		req.Header.Set("Authorization", "Bearer "+people[0].Token)
		began := time.Now()
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return 0, time.Since(began)
		}
		_, _ = io.Copy(io.Discard, res.Body)
		res.Body.Close()
		return res.StatusCode, time.Since(began)
	}
	ask("/api/v1/today")
	asked, failed, slow, worst := 0, 0, 0, time.Duration(0)
	for began, told := time.Now(), time.Now(); time.Since(began) < length; <-time.After(100 * time.Millisecond) {
		for _, path := range []string{"/readyz", "/api/v1/today", "/api/v1/cases?state=live&sort=newest&limit=50",
			"/api/v1/vendors"} {
			status, took := ask(path)
			asked++
			if status != 200 {
				failed++
			}
			if took > time.Second {
				slow++
			}
			worst = max(worst, took)
		}
		if time.Since(told) > length/10 {
			told = time.Now()
			memory, err := service.Memory("VmRSS")
			if err != nil {
				return err
			}
			var looked, failing int
			_ = d.Store.DB.Get(&looked,
				`select count(*) from link where name in (select 'vendor-'||n from generate_series(31, 100) n)
					and looked_at > now() - interval '1 minute'`)
			_ = d.Store.DB.Get(&failing, "select count(*) from link where name like 'vendor-%' and failing_since is not null")
			fmt.Printf("after %4.0f s: %d answers, %d not well, %d over a second, the longest %v, %.0f MB, %d links looked "+
				"at within a minute, %d failing\n",
				time.Since(began).Seconds(), asked, failed, slow, worst.Round(time.Millisecond), memory, looked, failing)
			worst = 0
		}
	}
	return nil
}
