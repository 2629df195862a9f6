package e2e

import (
	"slices"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// What is missing is said before a case needs it, by console, terminal and check alike, and is gone once it is mended.
func TestWhatIsNotReady(t *testing.T) {
	t.Parallel()
	w := still(t)
	admin, sh := w.as(4), w.shell(4)
	gaps := func() (out []string) {
		var list apigen.Readiness
		admin.must(200, "GET", "/readiness", nil).into(t, &list)
		for _, g := range list.Gaps {
			out = append(out, g.Text)
		}
		return out
	}
	const no, call = "Corvane Cloud has no ladder: nobody is named to escalate to",
		"Corvane Cloud cannot be called outside its hours"
	if got := gaps(); !slices.Contains(got, no) || !slices.Contains(got, call) {
		t.Errorf("without a ladder and a phone: %v", got)
	}
	sh.ok([]string{"readiness"}, no, call, "roundhouse vendor change corvane --edit", "Nobody is on the rota from ")
	// check goes by the machine's clock, at which the contract must still be in force.
	if _, err := w.desk.Store.DB.Exec("update contract set ends_on = '2999-12-31'"); err != nil {
		t.Fatal(err)
	}
	sh.ok([]string{"check", "--database", w.db}, "What is not ready", no)
	tab := w.page("dark", 1280, 800, 4)
	w.steps(tab, dp.Navigate(w.url+"/register/ready"), see("gaps-no-ladder"))
	w.says(tab, "gaps-no-ladder", no)
	w.steps(tab, browser.Click(dp.CSS(`[data-testid=gaps-no-ladder] a`)),
		browser.True(`location.pathname === '/vendors/corvane'`))
	admin.patched(200, "/vendors/corvane", m{"ladder": []m{{"role": "Lead", "how": "+44 1632 960 111"}},
		"ways": []m{{"channel": "phone", "address": "+44 1632 960 110", "urgent": true}}})
	if got := gaps(); slices.Contains(got, no) || slices.Contains(got, call) {
		t.Errorf("once mended: %v", got)
	}
	// The rota of the next two weeks.
	now := w.clock.Now()
	admin.must(201, "POST", "/rota", m{"from": now.Add(-time.Hour).Format(time.RFC3339),
		"until": now.AddDate(0, 0, 20).Format(time.RFC3339), "person": w.people[0].Email, "phone": "+44 1632 960 001"})
	if got := gaps(); slices.ContainsFunc(got, func(s string) bool { return contains(s, "Nobody is on the rota") }) {
		t.Errorf("with somebody on the rota: %v", got)
	}
}
