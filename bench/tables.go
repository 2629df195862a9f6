package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	peopledb "roundhouse.example/internal/store/people"

	registry "roundhouse.example/internal/desk/register"

	"github.com/jackc/pgx/v5"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/desk"
)

const tableRows = 50_000

// tableAsset is one of the rows, as real ones are: most members filled.
func tableAsset(n int) register.Asset {
	places := []string{"Gannetholm", "Ern harbour", "Marrowby", "Skarv", "Terna", "Holm"}
	kinds := []string{"Array", "Server", "Gate", "Terminal", "Printer", "Switch", "Link"}
	place := places[n%len(places)]
	return register.Asset{Vendor: "tallow", Name: fmt.Sprintf("%s %s %d", kinds[n%len(kinds)], place, n),
		Serial: fmt.Sprintf("SN-%08x-%d", n*7919, n), Model: fmt.Sprintf("M%d", n%90),
		Product: "Array 40", Version: "7.2", Account: "TW-55018", Environment: "production", Site: place,
		Address: "Harbour house, " + place, Country: "NO", SiteContact: "Harbour office " + place,
		SitePhone: "+44 1632 960 071", Owner: "Ragna Lie", Attributes: map[string]string{"Rack": fmt.Sprint(n % 40)}}
}

// tables compares an import of many assets with PostgreSQL's own COPY of the same
// rows into the same tables, in turn, and says what the service took of memory.
// In one piece: what is measured side by side is read side by side.
func tables(ctx context.Context, server string) error {
	d, at, err := apart.Fresh(ctx, server, "bench_tables")
	if err != nil {
		return err
	}
	defer d.Close()
	people, err := firm.Register(ctx, d.Desk, d.Store, time.Now(), func(v string) (inboxdb.Link, error) {
		return inboxdb.Link{Address: "http://127.0.0.1:1/" + v,
			Description: db.JSON[json.RawMessage]{V: json.RawMessage("{}")}}, nil
	})
	if err != nil {
		return err
	}
	lead, err := peopledb.ByEmail(ctx, d.Store.DB, people[2].Email)
	if err != nil {
		return err
	}
	who := desk.Actor{Person: lead}
	product, err := registry.Products.Add(ctx, d.Register, who,
		register.Product{Vendor: "tallow", Name: "Array 40", Versions: []register.Version{{Name: "7.2"}}})
	if err != nil {
		return err
	}
	account, err := registry.Accounts.Add(ctx, d.Register, who, register.Account{Vendor: "tallow", Number: "TW-55018"})
	if err != nil {
		return err
	}
	var csv bytes.Buffer
	fmt.Fprintln(&csv, "vendor,name,serial,model,product,version,account,environment,site,address,country,"+
		"site_contact,site_phone,owner,attributes.Rack")
	rows := make([][]any, tableRows)
	for n := range rows {
		a := tableAsset(n)
		fmt.Fprintf(&csv, "%s,%s,%s,%s,%s,%s,%s,%s,%s,\"%s\",%s,%s,'%s,%s,%s\n", a.Vendor, a.Name, a.Serial, a.Model,
			a.Product, a.Version, a.Account, a.Environment, a.Site, a.Address, a.Country, a.SiteContact, a.SitePhone, a.Owner,
			a.Attributes["Rack"])
		a.Vendor, a.Product, a.Account = "", "", ""
		raw, err := json.Marshal(a)
		if err != nil {
			return err
		}
		rows[n] = []any{product.VendorID, product.ID, account.ID, string(raw)}
	}
	service, err := apart.Serve(at, "--poll", "1h")
	if err != nil {
		return err
	}
	defer service.Stop()
	before, err := service.Memory("VmHWM")
	if err != nil {
		return err
	}
	clear := func() error {
		for _, sql := range []string{"alter table asset disable trigger all", "delete from asset",
			"alter table asset enable trigger all", "truncate findable, find_word", "vacuum full asset", "checkpoint"} {
			if _, err := d.Store.DB.ExecContext(ctx, sql); err != nil {
				return err
			}
		}
		return nil
	}
	best := map[string]time.Duration{}
	for range 3 {
		for _, x := range []struct {
			what string
			do   func() error
		}{
			{"COPY", func() error {
				conn, err := d.Store.Pool.Acquire(ctx)
				if err != nil {
					return err
				}
				defer conn.Release()
				_, err = conn.Conn().CopyFrom(ctx, pgx.Identifier{"asset"},
					[]string{"vendor_id", "product_id", "account_id", "facts"}, pgx.CopyFromRows(rows))
				return err
			}},
			{"import", func() error { return post(ctx, "http://"+service.At, people[2].Token, bytes.NewReader(csv.Bytes())) }},
		} {
			if err := clear(); err != nil {
				return err
			}
			began := time.Now()
			if err := x.do(); err != nil {
				return fmt.Errorf("%s: %w", x.what, err)
			}
			if took := time.Since(began); best[x.what] == 0 || took < best[x.what] {
				best[x.what] = took
			}
			var n int
			if err := d.Store.DB.GetContext(ctx, &n, "select count(*) from asset"); err != nil || n != tableRows {
				return fmt.Errorf("%s: %d rows, %v", x.what, n, err)
			}
		}
	}
	after, err := service.Memory("VmHWM")
	if err != nil {
		return err
	}
	fmt.Printf("%d assets (%d KB): import %s, COPY of the same rows into the same tables %s, speed %.2f of it; the "+
		"service took %.0f MB at most, %.0f MB before\n",
		tableRows, csv.Len()>>10, best["import"].Round(time.Millisecond), best["COPY"].Round(time.Millisecond),
		best["COPY"].Seconds()/best["import"].Seconds(), after, before)
	return nil
}

func post(ctx context.Context, base, token string, file io.Reader) error {
	req, err := http.NewRequestWithContext(ctx, "POST", base+"/api/v1/tables/assets", file)
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "text/csv")
	req.Header.Set("Authorization", "Bearer "+token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	last := ""
	for lines := bufio.NewScanner(res.Body); lines.Scan(); {
		last = lines.Text()
	}
	if !strings.Contains(last, `"done":true`) {
		return fmt.Errorf("%s: %.300s", res.Status, last)
	}
	return nil
}
