package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	dp "github.com/chromedp/chromedp"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/service"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	outboxdb "roundhouse.example/internal/store/outbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
)

// draftBench measures how long a draft takes to be saved as one types, and until one can type into its page.
func draftBench(ctx context.Context, d *service.Desk, base string, p firm.Person) error {
	var id int64
	if err := d.Store.DB.GetContext(ctx, &id, `select c.id from support_case c join vendor v on v.id = c.vendor_id
		where c.state = 'draft' and v.key = 'corvane' order by c.id limit 1`); err != nil {
		return err
	}
	c, err := casesdb.ByID(ctx, d.Store.DB, id)
	if err != nil {
		return err
	}
	path := fmt.Sprintf("/api/v1/cases/C-%d", c.Number)
	tag, err := send(ctx, "GET", base+path, p.Token, "", "")
	if err != nil {
		return err
	}
	took, y, err := sideBySide(func(i int) (err error) {
		tag, err = send(ctx, "PATCH", base+path, p.Token, tag, fmt.Sprintf(`{"texts":{"steps":"Look %d times"}}`, i))
		return err
	}, func(int) error { return draftStatements(ctx, d, id) })
	if err != nil {
		return err
	}
	fmt.Printf("%-28s p95 %6.2f ms, its statements %6.2f ms, ratio %.2f (goals 20 ms and 2: %s)\n", "saving a draft",
		took, y, took/y, apart.Verdict(took <= 20 && took <= 2*y))
	return onPage(base, p, func(tab *browser.Tab) error {
		return pageOfADraft(tab, fmt.Sprintf("%s/open/C-%d", base, c.Number))
	})
}

func send(ctx context.Context, method, url, token, tag, body string) (string, error) {
	req, err := http.NewRequestWithContext(ctx, method, url, bytes.NewBufferString(body))
	if err != nil {
		return "", err
	}
	req.Header.Set("Authorization", "Bearer "+token)
	if body != "" {
		req.Header.Set("Content-Type", "application/merge-patch+json")
		req.Header.Set("If-Match", tag)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s %s: %s %.200s", method, url, res.Status, answer)
	}
	return res.Header.Get("ETag"), err
}

// draftStatements are those without which a draft cannot be saved and shown again.
func draftStatements(ctx context.Context, d *service.Desk, id int64) error {
	if _, err := peopledb.ByID(ctx, d.Store.DB, 1); err != nil {
		return err
	}
	if err := d.Store.Do(ctx, func(tx *db.Tx) error {
		c, err := casesdb.Lock(ctx, tx, id)
		if err != nil {
			return err
		}
		if _, err := outboxdb.Open(ctx, tx, []int64{id}); err != nil {
			return err
		}
		if _, err := registerdb.VendorByID(ctx, tx, c.VendorID); err != nil {
			return err
		}
		return casesdb.Save(ctx, tx, &c)
	}); err != nil {
		return err
	}
	q := d.Store.DB
	row, err := headStatements(ctx, q, id)
	if err != nil {
		return err
	}
	if err := belongingStatements(ctx, q, &row.Case); err != nil {
		return err
	}
	if _, err := casesdb.Confirmations(ctx, q, id); err != nil {
		return err
	}
	if _, err := registerdb.Levels(ctx, q, row.VendorID); err != nil {
		return err
	}
	_, err = hoursdb.CurrentTerms(ctx, q, nil)
	return err
}

// belongingStatements are those for what a draft is about, whose numbers its text has.
func belongingStatements(ctx context.Context, q db.Querier, c *casesdb.Case) error {
	if c.AssetID != nil {
		a, err := registerdb.ThingAlone[register.Asset](ctx, q, registerdb.Assets, *c.AssetID)
		if err != nil {
			return err
		}
		if _, err := registerdb.Stretches(ctx, q, []int64{a.ID}); err != nil {
			return err
		}
		if a.ProductID != nil {
			if _, err := registerdb.ThingAlone[register.Product](ctx, q, registerdb.Products, *a.ProductID); err != nil {
				return err
			}
		}
	}
	if c.AccountID != nil {
		if _, err := registerdb.ThingAlone[register.Account](ctx, q, registerdb.Accounts, *c.AccountID); err != nil {
			return err
		}
	}
	if c.ContractID == nil {
		return nil
	}
	_, err := registerdb.ThingAlone[register.Contract](ctx, q, registerdb.Contracts, *c.ContractID)
	return err
}

// pageOfADraft measures the page of a draft from a cold cache until its first field has the cursor, and its script.
func pageOfADraft(tab *browser.Tab, url string) error {
	cold := dp.Func(func(c context.Context, g *dp.Target) error {
		off := network.SetCacheDisabledParams{CacheDisabled: true}
		if _, err := cdp.Call(c, g, network.SetCacheDisabled, off); err != nil {
			return err
		}
		_, err := cdp.Call(c, g, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
			Source: `addEventListener('focusin', e => { globalThis.usableAt ??= performance.now() })`})
		return err
	})
	if err := tab.Do(cold); err != nil {
		return err
	}
	var times []time.Duration
	for range 9 {
		if err := tab.Do(dp.Navigate(url), browser.See(browser.ID("complete"))); err != nil {
			return err
		}
		at, err := browser.Eval[float64](tab, `new Promise(r => { const look = () => globalThis.usableAt
			? r(globalThis.usableAt) : setTimeout(look, 10); look() })`)
		if err != nil {
			return err
		}
		times = append(times, time.Duration(at*float64(time.Millisecond)))
	}
	figure("page of a draft, usable", p95(times)/1000, "s", 1)
	return scriptOf(tab, "script of that page")
}
