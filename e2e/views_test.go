package e2e

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/server/apigen"
)

// What a list is narrowed to is kept under a name, one's own or the desk's, and all of it goes out as CSV and JSON:
// more than a page, in plain values, with notes only where they are asked for.
func TestViewsAndExport(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, lead, sh := w.as(0), w.as(2), w.shell(0)
	var names []string
	for i := range 205 { // more than is read at a time
		names = append(names, ragna.draft("corvane", fmt.Sprintf("Draft, \"number\" %d", i)))
	}
	filed := ragna.filed("corvane", "Which colour code? [mute]")
	ragna.must(201, "POST", "/cases/"+names[0]+"/notes", m{"text": "Ask first,\nthen call."})

	out := sh.ok([]string{"case", "list", "--state", "draft", "-o", "csv", "--notes", "--columns",
		"case,title,severity,due,opened"})
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	if err != nil || len(rows) != 206 || strings.Join(rows[0], ",") != "case,title,severity,due,opened,notes" {
		t.Fatalf("%d rows, %v: %v", len(rows), rows[0], err)
	}
	last := rows[205]
	if last[0] != names[0] || last[1] != `Draft, "number" 0` || last[2] != "3" || last[4] != "2026-11-23T09:00:00Z" ||
		!strings.HasSuffix(last[5], "Ragna Lie: Ask first,\nthen call.") {
		t.Errorf("a row: %q", last)
	}
	var list []map[string]any
	if err := json.Unmarshal([]byte(sh.ok([]string{"case", "list", "--all", "-o", "json",
		"--columns", "case,waiting"})), &list); err != nil ||
		len(list) != 206 || list[0]["case"] != filed || list[0]["waiting"] != "vendor" || list[0]["notes"] != nil {
		t.Errorf("%d cases, the first %v: %v", len(list), list[0], err)
	}
	sh.fails(4, []string{"case", "list", "-o", "csv", "--columns", "case,shoe"}, "columns")
	sh.fails(2, []string{"case", "list", "--notes"}, "go with -o csv or -o json")
	sh.fails(4, []string{"case", "list", "--notes", "-o", "csv", "--owner", "nobody@saltmarsh.example"}, "nobody here")

	sh.ok([]string{"case", "views"}, "No views yet")
	sh.ok([]string{"case", "list", "--mine", "--sort", "next", "--save-view", "Mine next"}, "Saved as the view")
	if out := sh.ok([]string{"case", "list", "--view", "mine NEXT"}, filed); strings.Contains(out, names[0]) {
		t.Errorf("a draft is in it:\n%s", out)
	}
	sh.ok([]string{"case", "list", "--view", "Mine next", "--vendor", "tallow"}, "No matching cases")
	sh.ok([]string{"case", "list", "--view", "Mine next", "--state", "draft"}, names[0])
	sh.fails(2, []string{"case", "list", "--view", "Nothing"}, "there is no view")
	view := m{"name": "Stopped", "query": m{"severity": []int{1}}, "columns": []string{"case", "summary"}, "desk": true}
	ragna.must(403, "POST", "/views", view)
	lead.must(200, "POST", "/views", view)
	view["query"] = m{"severity": []int{1, 2}}
	lead.must(200, "POST", "/views", view) // replaced
	var all apigen.Views
	w.as(1).must(200, "GET", "/views", nil).into(t, &all)
	if len(all.Items) != 1 || !all.Items[0].Desk || len(*all.Items[0].Query.Severity) != 2 ||
		len(all.Items[0].Columns) != 2 {
		t.Errorf("Emil sees %+v", all.Items)
	}
	at := fmt.Sprintf("/views/%d", all.Items[0].Id)
	ragna.must(403, "DELETE", at, nil)
	ragna.must(200, "GET", "/views", nil).into(t, &all)
	w.as(1).must(404, "DELETE", fmt.Sprintf("/views/%d", all.Items[0].Id), nil) // Ragna's own
	lead.must(204, "DELETE", at, nil)
	sh.ok([]string{"case", "views", "--delete", "Mine next"}, "is deleted")
}

// In the console a view is saved from what the list shows, with its columns, and opened again.
func TestAViewInTheConsole(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	ragna.must(200, "PUT", "/cases/"+name+"/summary", m{"text": "They look at the log."})
	tab := w.page("light", 1280, 800, 0)
	has := func(text string) dp.Action[dp.Void] {
		return browser.True(`document.querySelector('table.list')?.innerText.includes('` + text + `')`)
	}
	w.steps(tab, dp.Navigate(w.url+"/cases?move=theirs"), see("case-row"), press("columns"), see("column-list"),
		press("column-summary"), has("They look at the log."), press("column-reference"),
		browser.True(`!document.querySelector('table.list').innerText.includes('Vendor ref')`), press("save-view"),
		write("view-name", "Theirs"), press("do-save-view"), gone("view-form"),
		browser.True(`location.search.includes('view=Theirs') && location.search.includes('cols=')`),
		browser.Go("/cases"), see("case-row"), browser.True(`!location.search.includes('move')`))
	w.steps(tab, browser.True(`(() => { const s = document.querySelector('[data-testid=view]'),
		o = [...s.options].find(o => o.text === 'Theirs'); if (!o) return false
		s.value = o.value; s.dispatchEvent(new Event('change')); return true })()`),
		has("They look at the log."), browser.True(`location.search.includes('move=theirs')`), press("export"),
		see("export-form"), press("delete-view"), browser.True(`!location.search.includes('view')`))
}

// Who comes on reads what happened, what is late and who has what, in the console and in the terminal.
func TestAShiftIsHandedOver(t *testing.T) {
	t.Parallel()
	w := still(t)
	name := w.as(0).filed("corvane", "Which colour code? [mute]")
	w.as(0).must(201, "POST", "/cases/"+name+"/notes", m{"text": "Ask first."})
	if out, code := w.shell(1).run("", "digest", "--since", "12h"); code != 2 || !contains(out, `like "8h ago"`) {
		t.Errorf("a digest since 12 hours from now: status %d: %s", code, out)
	}
	w.shell(1).ok([]string{"digest"}, "What happened", name, "filed, 1 note", "Nothing is late.",
		"Who has what", "Ragna Lie")
	tab := w.page("dark", 1280, 800, 1)
	w.steps(tab, dp.Navigate(w.url), press("to-handover"), see("held"),
		browser.True(`document.querySelector('[data-testid=happened]').innerText.includes('filed, 1 note')`),
		browser.True(`document.querySelector('[data-testid=held]').innerText.includes('Ragna Lie')`),
		browser.Window("dark", 390, 800), browser.True(`document.documentElement.scrollWidth <= innerWidth`))
}

// A list read page by page is the list, in each order and however it is narrowed: each case once, and none is left out.
func TestAListReadPageByPage(t *testing.T) {
	t.Parallel()
	w := demoWorld(t)
	ragna := w.as(0)
	read := func(query string, limit int) (out []string) {
		query += "&limit=" + fmt.Sprint(limit)
		for next := ""; ; {
			var p apigen.CasePage
			ragna.must(200, "GET", "/cases?"+query+next, nil).into(t, &p)
			for _, l := range p.Items {
				out = append(out, l.Number)
			}
			if p.Next == nil || len(out) > 200 {
				return out
			}
			next = "&cursor=" + *p.Next
		}
	}
	// What a filter lets through is looked at in the cases themselves.
	lines := func() (all apigen.CasePage) {
		ragna.must(200, "GET", "/cases?limit=200", nil).into(t, &all)
		return all
	}
	soon := years{}.Now().UTC().AddDate(0, 0, 2).Truncate(time.Second)
	all, sorts := lines(), []string{"newest", "oldest", "severity", "changed", "next"}
	for query, keeps := range map[string]func(apigen.CaseLine) bool{
		"":           func(apigen.CaseLine) bool { return true },
		"state=live": func(l apigen.CaseLine) bool { return l.State.Live() },
		"state=closed&state=resolved": func(l apigen.CaseLine) bool {
			return l.State == casework.Closed || l.State == casework.Resolved
		},
		"severity=1&severity=2": func(l apigen.CaseLine) bool { return l.Severity != nil && *l.Severity <= 2 },
		"kind=fault":            func(l apigen.CaseLine) bool { return l.Kind == "fault" },
		"move=ours":             func(l apigen.CaseLine) bool { return l.Move != nil && *l.Move == deadline.Ours },
		"unread=true":           func(l apigen.CaseLine) bool { return l.Unread > 0 },
		"words=the": func(l apigen.CaseLine) bool {
			return slices.Contains(words(strings.ToLower(l.Title)), "the")
		},
		"words=" + all.Items[5].Number: func(l apigen.CaseLine) bool { return l.Number == all.Items[5].Number },
		"late=true":                    nil,
		"no_reference=true":            nil,
		"vendor=corvane&vendor=pellow": func(l apigen.CaseLine) bool {
			return l.VendorKey == "corvane" || l.VendorKey == "pellow"
		},
		"vendor=corvane&state=live": func(l apigen.CaseLine) bool { return l.VendorKey == "corvane" && l.State.Live() },
		"next_before=" + soon.Format(time.RFC3339): func(l apigen.CaseLine) bool {
			return l.NextAt != nil && l.NextAt.Before(soon)
		},
	} {
		whole, paged := map[string][]string{}, map[string][]string{}
		// The desk goes on while it is read: what was read while something changed is read again.
		for tries := 0; ; tries++ {
			for _, sort := range sorts {
				whole[sort], paged[sort] = read(query+"&sort="+sort, 200), read(query+"&sort="+sort, 30)
			}
			before := all
			if all = lines(); reflect.DeepEqual(before.Items, all.Items) {
				break
			}
			if tries == 20 {
				t.Fatalf("%s: something changes each time that it is read", query)
			}
		}
		var first []string
		for _, sort := range sorts {
			q := query + "&sort=" + sort
			if !slices.Equal(paged[sort], whole[sort]) {
				t.Errorf("%s: page by page %v, at once %v", q, paged[sort], whole[sort])
			}
			sorted := slices.Sorted(slices.Values(whole[sort]))
			if first == nil {
				first = sorted
			} else if !slices.Equal(first, sorted) {
				t.Errorf("%s: %v, in another order %v", q, sorted, first)
			}
		}
		if keeps == nil {
			if len(first) == 0 {
				t.Errorf("%s finds nothing", query)
			}
			continue
		}
		var want []string
		for _, l := range all.Items {
			if keeps(l) {
				want = append(want, l.Number)
			}
		}
		slices.Sort(want)
		if !slices.Equal(first, want) || len(want) == 0 {
			t.Errorf("%s finds %v, not %v", query, first, want)
		}
	}
}
