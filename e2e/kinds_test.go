package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// Each kind of need is asked what it takes, by the vendor's form or else by the usual one, and the vendor reads it.
func TestEachKindHasItsForm(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.byHand()
	asks := map[string]string{"fault": "", "question": "", "capacity": "amounts", "money": "papers amount",
		"licence": "licence count", "order": "quantity our_order", "wish": "benefit", "work": "window lead_time check",
		"part": "part_number ship_to on_site old_part", "visit": "place when lets_in", "access": "who what until"}
	for kind, want := range asks {
		var v apigen.Case
		ragna.must(201, "POST", "/cases", m{"vendor": "lark", "title": "Of the kind " + kind, "kind": kind}).into(t, &v)
		var keys []string
		answers := m{}
		if v.Asked == nil {
			v.Asked = &[]apigen.Question{}
		}
		for _, q := range *v.Asked {
			keys = append(keys, q.Key)
			switch q.Type {
			case "amounts":
				answers[q.Key] = "Ern; paper; 40 boxes; 60 boxes\nMarrowby; paper; 1,000 boxes; 1,200.5 boxes"
			case "date":
				answers[q.Key] = "2026-12-24"
			case "choice":
				answers[q.Key] = (*q.Choices)[0]
			default:
				answers[q.Key] = "Answer to " + q.Key
			}
		}
		if got := strings.Join(keys, " "); got != want {
			t.Errorf("%s asks for %q, want %q", kind, got, want)
		}
		if want == "" {
			continue
		}
		before := *v.Complete
		ragna.patched(200, "/cases/"+v.Line.Number, m{"answers": answers}).into(t, &v)
		if *v.Complete <= before || !contains(*v.Preview, "Answer to") && kind != "capacity" {
			t.Errorf("%s is %d%% complete after %d%%, and reads\n%s", kind, *v.Complete, before, *v.Preview)
		}
		if kind == "capacity" && !contains(*v.Preview, "Capacity wanted\n- Ern, paper: 40 boxes now, 60 boxes wanted\n",
			"Total, paper: 1,040 boxes now, 1,260.5 boxes wanted") {
			t.Errorf("it reads\n%s", *v.Preview)
		}
	}
}

// A request for capacity: lines that cannot be read or are not for a region of the account are pointed at, what was
// asked for before is shown, and it is written in the console and in the terminal alike.
func TestCapacityByPlace(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.byHand(), w.shell(0)
	w.as(2).added("/accounts", m{"vendor": "lark", "name": "Ferries", "number": "FL-A-1",
		"regions": []string{"Ern", "Marrowby"}})
	var accounts apigen.AccountPage
	ragna.must(200, "GET", "/accounts?vendor=lark", nil).into(t, &accounts)
	open := func(title string) string {
		t.Helper()
		name := ragna.draft("lark", title)
		ragna.patched(200, "/cases/"+name, m{"kind": "capacity", "account": accounts.Items[0].Id})
		return name
	}
	first := open("More paper for the summer")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/open/"+first), see("q-amounts-0-0"), write("q-amounts-0-0", "Ern"),
		write("q-amounts-0-1", "paper"), write("q-amounts-0-2", "forty"), write("q-amounts-0-3", "60 boxes"))
	w.until("it says what is wrong", func() bool {
		got, err := browser.Eval[string](tab, `document.body.textContent`)
		return err == nil && strings.Contains(got, `line 1: "forty" is not an amount`)
	})
	w.steps(tab, dp.Evaluate[dp.Void](`document.querySelector('[data-testid="q-amounts-0-2"]').select()`),
		write("q-amounts-0-2", "40 boxes"), press("q-amounts-add"), see("q-amounts-1-0"),
		write("q-amounts-1-0", "Gannetholm"), write("q-amounts-1-2", "0 boxes"), write("q-amounts-1-3", "5 boxes"))
	w.until("it is saved", func() bool {
		v, _ := ragna.get(first)
		return contains(*v.Preview, "Total, paper: 40 boxes now, 65 boxes wanted")
	})
	sh.ok(words("case check "+first), `"Gannetholm" is not a region of the account, which has Ern, Marrowby`)
	ragna.step(first, m{"step": "file", "channel": "portal"})
	sh.ok(words("case sent "+first), first)

	second := open("More paper for the winter")
	file := filepath.Join(sh.home, "case.yaml")
	sheet := "answers:\n  amounts: |\n    Ern; paper; 60 boxes; 80 boxes\n"
	if err := os.WriteFile(file, []byte(sheet), 0o600); err != nil {
		t.Fatal(err)
	}
	sh.ok(words("case edit "+second+" --from "+file), second)
	sh.ok(words("case check "+second), "Earlier requests:", first+", filed",
		"- Gannetholm, paper: 0 boxes now, 5 boxes wanted")
	w.steps(tab, browser.Go("/open/"+second), see("earlier"))
	w.says(tab, "earlier", "More paper for the summer")
	w.holds(tab, "q-amounts-0-3", "80 boxes")
	if out := sh.ok(words("case list --all --kind capacity")); !contains(out, first, second) {
		t.Errorf("of the kind: %s", out)
	}
	if out := sh.ok(words("case list --all --kind wish")); contains(out, first) {
		t.Errorf("a wish: %s", out)
	}
	// By when the business needs it is asked on the page, and a time that has passed is asked about.
	w.steps(tab, see("needed-by"), dp.Evaluate[dp.Void](`{ const f = document.querySelector('[data-testid="needed-by"]')
		f.value = '2026-01-01T08:00'; f.dispatchEvent(new Event('change')) }`))
	w.says(tab, "needed-in-past", "has passed")
	w.until("it is saved", func() bool { v, _ := ragna.get(second); return v.Facts.NeededBy != nil })
}
