package e2e

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// followed asks for a feed as a calendar program does, with the tag that it had last.
func (w *world) followed(address, tag string) (status int, body, newTag string) {
	w.t.Helper()
	req, err := http.NewRequestWithContext(w.t.Context(), http.MethodGet, address, nil)
	if err != nil {
		w.t.Fatal(err)
	}
	req.Header.Set("If-None-Match", tag)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		w.t.Fatal(err)
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(res.Body)
	if err != nil {
		w.t.Fatal(err)
	}
	w.held(req, res, raw)
	return res.StatusCode, strings.ReplaceAll(string(raw), "\r\n ", ""), res.Header.Get("ETag")
}

// What is coming stands in the calendar of console and terminal; a calendar program follows it under an address that is
// shown once, is told when nothing has changed, and gets nothing once that is ended.
func TestTheCalendar(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.filed("corvane", "Gates say no [mute]")
	at := func(h time.Duration) string { return w.clock.Now().Add(h).Format(time.RFC3339) }
	ragna.must(201, "POST", "/cases/"+name+"/dates", m{"kind": "visit", "text": "A fitter", "due": at(30 * time.Hour),
		"details": m{"from": at(28 * time.Hour), "place": "Dock 2", "lets_in": "Odd Bakke"}})
	var v apigen.Agenda
	ragna.must(200, "GET", "/agenda?from="+w.clock.Now().UTC().Format(time.RFC3339)+"&to="+
		w.clock.Now().AddDate(0, 0, 7).UTC().Format(time.RFC3339), nil).into(t, &v)
	var titles []string
	for _, e := range v.Events {
		titles = append(titles, e.Title)
	}
	if all := strings.Join(titles, "\n"); !contains(all, "First response due · "+name) ||
		!contains(all, "Visit: A fitter · "+name+" Gates say no") || len(v.Gaps) != 1 {
		t.Errorf("%s\n%+v", all, v.Gaps)
	}
	day := w.clock.Now().Format(time.DateOnly)
	sh.ok([]string{"agenda", "--from", day}, "Visit: A fitter · "+name, "Nobody is on the rota from")
	sh.ok([]string{"agenda", "--from", day, "--mine", "--days", "3"}, "First response due · "+name)
	made := sh.ok([]string{"agenda", "subscribe", "Office wall"}, "/api/v1/feeds/", "It is secret")
	address := strings.Fields(made)[0]
	status, body, tag := w.followed(address, "")
	if status != 200 || !contains(body, "SUMMARY:Visit: A fitter · "+name) || !contains(body, "LOCATION:Dock 2") ||
		!contains(body, "X-WR-CALNAME:Office wall") {
		t.Fatalf("%d\n%s", status, body)
	}
	// While any test writes, nothing is known to be unchanged.
	w.until("nothing has changed", func() bool {
		before := tag
		status, body, tag = w.followed(address, before)
		if status == 304 {
			tag = before
		}
		return status == 304 && body == ""
	})
	ragna.must(201, "POST", "/cases/"+name+"/dates/1/end", m{"how": "dropped", "text": "Solved"})
	if status, body, _ = w.followed(address, tag); status != 200 || !contains(body, "STATUS:CANCELLED") {
		t.Errorf("after it was dropped: %d\n%s", status, body)
	}
	sh.ok([]string{"agenda", "subscriptions"}, "Office wall", "Whole desk")
	sh.ok([]string{"agenda", "end", "1"}, "Ended.")
	if status, body, _ := w.followed(address, tag); status != 404 || contains(body, "VEVENT") {
		t.Errorf("after its end: %d\n%s", status, body)
	}
	file := filepath.Join(t.TempDir(), "case.ics")
	sh.ok([]string{"case", "events", name, "--to", file}, "Saved in")
	if got, err := os.ReadFile(file); err != nil || !contains(string(got), "First response due") {
		t.Errorf("%s %v", got, err)
	}
	sh.fails(1, []string{"case", "events", name, "--to", file}, "exists already")
	sh.fails(3, []string{"case", "events", name, "--date", "9"})
	sh.fails(4, []string{"case", "invite", name, "1", "--to", "emil@saltmarsh.example"}, "our policy names no email link")

	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/calendar?from="+day), see("agenda"))
	w.says(tab, "agenda", "First response due")
	w.says(tab, "agenda", "nobody")
	w.steps(tab, press("view-day"), see("event"), browser.Click(dp.CSS(`[data-testid=event] a.what`)),
		browser.True(`location.pathname === '/cases/`+name+`'`))
	w.steps(tab, browser.Go("/calendar"), press("subscribe"), see("feeds-dialog"), write("feed-name", "My phone"),
		press("feed-make"), see("feed-made"), press("end-2"), browser.True(`!document.querySelector('[data-testid=feed]')`))
}

// What is to happen is moved on the calendar's page, with a reason, and people are invited to it on the case's.
func TestMovingOnTheCalendar(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Gates say no [mute]")
	due := w.clock.Now().Add(30 * time.Hour).UTC().Truncate(time.Minute)
	ragna.must(201, "POST", "/cases/"+name+"/dates", m{"kind": "visit", "text": "A fitter",
		"due": due.Format(time.RFC3339)})
	tab := w.page("dark", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/calendar"), see("move-event"), press("move-event"), see("move-dialog"),
		press("do-move"), see("move-dialog"))
	w.says(tab, "move-dialog", "say why")
	w.steps(tab, set("move-to", due.Add(24*time.Hour).Format("2006-01-02T15:04")), write("move-why", "The boat is late"),
		press("do-move"), gone("move-dialog"))
	day := "day-" + due.Add(24*time.Hour).Format(time.DateOnly)
	w.until("the visit is on its new day", func() bool {
		got, err := browser.Eval[string](tab, `document.querySelector('[data-testid="`+day+`"]')?.textContent ?? ''`)
		return err == nil && contains(got, "Visit: A fitter")
	})
	w.steps(tab, browser.Go("/cases/"+name), browser.Click(dp.CSS(`[data-testid^=invite-]`)), write("date-guests",
		"emil@saltmarsh.example; odd@saltmarsh.example"), press("do-end-date"))
	w.says(tab, "dates", "our policy names no email link")
	w.steps(tab, browser.True(`document.querySelector('[data-testid=date-guests]').value.startsWith('emil@')`))
	file, err := browser.Eval[string](tab, `document.querySelector('[data-testid=dates] a[download]').pathname`+
		` + document.querySelector('[data-testid=dates] a[download]').search`)
	if err != nil {
		t.Fatal(err)
	}
	if a := ragna.must(200, "GET", strings.TrimPrefix(file, "/api/v1"), nil); !contains(string(a.body),
		"SUMMARY:Visit: A fitter") {
		t.Errorf("%s", a.body)
	}
}
