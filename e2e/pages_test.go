package e2e

import (
	"encoding/json"
	"math"
	"os"
	"strconv"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
)

// clashes is JavaScript for the texts that run out of their place, into what is beside them.
const clashes = `(() => {
	const bad = []
	for (const cell of document.querySelectorAll('td, th'))
		if (cell.clientWidth && getComputedStyle(cell).overflowX === 'visible'
			&& cell.scrollWidth > cell.clientWidth + 1) bad.push(cell.textContent.trim())
	for (const line of document.querySelectorAll('.line')) {
		const boxes = [...line.children].filter(e => e.textContent.trim()).map(e => {
			const range = document.createRange()
			range.selectNodeContents(e)
			const own = e.getBoundingClientRect(), text = range.getBoundingClientRect()
			const cut = getComputedStyle(e).overflowX !== 'visible'
			return { words: e.textContent.trim(), left: own.left, right: cut ? own.right : Math.max(own.right,
				text.right), top: own.top, bottom: own.bottom, there: own.width > 0 && own.height > 0 }
		}).filter(b => b.there)
		for (const a of boxes) for (const b of boxes)
			if (a !== b && a.left <= b.left && a.right > b.left + 1 && a.top < b.bottom - 1
				&& b.top < a.bottom - 1) bad.push(a.words + ' / ' + b.words)
	}
	return bad
})()`

// vendorsCut is JavaScript for the vendors whose names Today has no room for.
const vendorsCut = `(async () => {
	const place = document.querySelector('.line:not(.names) .vendor'), was = place.textContent, cut = []
	for (const v of (await (await fetch('/api/v1/vendors')).json()).items) {
		place.textContent = v.name
		if (place.scrollWidth > place.clientWidth) cut.push(v.name)
	}
	place.textContent = was
	return cut
})()`

// Every page at three sizes, by rules for accessible pages; no text runs into another.
func TestPagesAreAccessible(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../console/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	w := newWorld(t, nil, 1)
	ragna := w.as(0)
	name := ragna.filed("tallow",
		"A title that is long enough to be cut short in every list in which it stands, with words after words "+
			strings.Repeat("and-without-a-break", 4)+" [patient]")
	v, _ := ragna.get(name)
	w.as(2).must(200, "POST", "/watches", m{"vendor": "tallow"})
	w.speak("tallow", *v.Line.Reference, false, "fix out", "repair")
	ragna.untilState(name, "fix-offered")
	draft := ragna.draft("corvane", "A draft")
	ragna.added("/assets", m{"vendor": "tallow", "name": strings.TrimSpace(strings.Repeat("A very long name ", 11)),
		"serial": strings.Repeat("0123456789", 12), "note": "n"})
	byHand := w.byHand().draft("lark", "To be taken there")
	ragna.step(byHand, m{"step": "file"})
	w.as(4).must(201, "POST", "/secrets",
		m{"facts": m{"name": "a-long-name-for-a-secret-that-is-cut-in-a-narrow-window", "vendor": "tallow", "label": "Word",
			"kind": "other", "hosts": []string{"works.tallow.example:8443"}}, "value": "never shown here"})
	// Each page is opened once: everything at the usual size; in the dark the colours; in a narrow window all but them
	// where the page is laid out otherwise, and of every page how wide it is.
	narrow := map[string]bool{"/": true, "/cases/" + name: true, "/open/" + draft: true, "/register/contracts/new": true}
	const all = `runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']`
	tab := w.page("light", 1280, 800, 2)
	w.steps(tab, dp.Navigate(w.url), see("find"), dp.Evaluate[dp.Void](string(axe)))
	for path, ready := range map[string]string{"/": "today-line", "/handover": "held", "/notifications": "notification",
		"/cases": "case-row", "/cases/" + name: "entry-3",
		"/open/" + draft: "grade", "/vendors": "find", "/vendors/tallow": "find", "/nowhere": "find",
		"/register/assets": "thing-row", "/register/contracts": "thing-row", "/register/assets/new": "f-name",
		"/register/contracts/1": "edit", "/find?words=drive": "find", "/register/calendars": "calendar-row",
		"/register/calendars/1": "c-words", "/register/policy": "find", "/register/people": "person",
		"/register/secrets": "secret", "/register/contracts/new": "f-number", "/cases/" + byHand: "to-send"} {
		w.steps(tab, browser.Window("light", 1280, 800), browser.Go(path), see(ready), browser.Read(),
			browser.Settle())
		if path == "/" {
			w.todayHasRoom(tab)
		}
		w.nothingClashes(tab, path, 1280)
		w.accessible(tab, "light 1280 "+path, all)
		w.steps(tab, browser.Window("dark", 1280, 800), browser.See(dp.CSS(`[data-scheme="dark"] body`)),
			browser.Settle())
		w.accessible(tab, "dark 1280 "+path, "runOnly: ['color-contrast']")
		w.steps(tab, browser.Window("light", 390, 800), browser.See(dp.CSS(`[data-scheme="light"] body`)),
			browser.Settle())
		w.nothingClashes(tab, path, 390)
		if narrow[path] {
			w.accessible(tab, "light 390 "+path, all+", rules: { 'color-contrast': { enabled: false } }")
		}
	}
}

// nothingClashes says where a page is wider than its window, or one text runs into another.
func (w *world) nothingClashes(tab *browser.Tab, path string, width int) {
	w.t.Helper()
	over, err := browser.Eval[int](tab, `document.documentElement.scrollWidth - innerWidth`)
	if err != nil || over > 0 {
		w.t.Errorf("%s at %d is %d pixels too wide, %v", path, width, over, err)
	}
	if clash, err := browser.Eval[[]string](tab, clashes); err != nil || len(clash) > 0 {
		w.t.Errorf("%s at %d: %q runs into what is beside it, %v", path, width, clash, err)
	}
}

// todayHasRoom says which vendors' names Today cuts; and the search for clashes finds some where there must be some.
func (w *world) todayHasRoom(tab *browser.Tab) {
	w.t.Helper()
	cut, err := browser.Eval[[]string](tab, vendorsCut)
	if err != nil || len(cut) > 0 {
		w.t.Errorf("Today cuts the names %q, %v", cut, err)
	}
	clash, err := browser.Eval[[]string](tab,
		`(() => { const s = document.createElement('style'); document.head.append(s);
			s.textContent = '.line { grid-template-columns: repeat(10, 30px) !important }'; const found = `+clashes+`;
			s.remove(); return found })()`)
	if err != nil || len(clash) == 0 {
		w.t.Errorf("nothing runs into anything in columns of 30 pixels, %v", err)
	}
}

// accessible says what on the page is against some of axe's rules, seriously or worse.
func (w *world) accessible(tab *browser.Tab, what, rules string) {
	w.t.Helper()
	found, err := browser.Eval[[]string](tab,
		`(async () => (await axe.run(document, { resultTypes: ['violations'], preload: false, `+rules+` }))
		.violations.filter(v => ['serious', 'critical'].includes(v.impact))
		.map(v => v.id + ': ' + v.nodes.map(n => n.html.slice(0, 160)).slice(0, 3).join(' | ')))()`)
	if err != nil {
		w.t.Fatal(err)
	}
	for _, f := range found {
		w.t.Errorf("%s: %s", what, f)
	}
}

// The colours keep their contrast: text 4.5 to 1, borders and marks 3 to 1.
func TestContrast(t *testing.T) {
	raw, err := os.ReadFile("../console/src/theme/palette.json")
	if err != nil {
		t.Fatal(err)
	}
	var palettes map[string]map[string]string
	if err := json.Unmarshal(raw, &palettes); err != nil {
		t.Fatal(err)
	}
	light := func(hex string) float64 {
		n, err := strconv.ParseUint(strings.TrimPrefix(hex, "#"), 16, 32)
		if err != nil {
			t.Fatal(err)
		}
		part := func(v uint64) float64 {
			c := float64(v&255) / 255
			if c <= 0.04045 {
				return c / 12.92
			}
			return math.Pow((c+0.055)/1.055, 2.4)
		}
		return 0.2126*part(n>>16) + 0.7152*part(n>>8) + 0.0722*part(n)
	}
	for scheme, p := range palettes {
		need := func(a, b string, least float64) {
			x, y := light(p[a]), light(p[b])
			if r := (math.Max(x, y) + 0.05) / (math.Min(x, y) + 0.05); r < least {
				t.Errorf("%s: %s on %s is %.2f to 1, needs %.1f", scheme, a, b, r, least)
			}
		}
		for _, back := range []string{"paper", "panel"} {
			for _, ink := range []string{"ink", "ink2", "primary", "brass", "late", "soon", "run", "pause", "now"} {
				need(ink, back, 4.5)
			}
			need("line", back, 3)
		}
		need("primary-ink", "primary", 4.5)
		need("ink", "late-bg", 4.5)
		need("ink", "soon-bg", 4.5)
		// Late, soon and running differ in lightness too, for eyes that do not tell the hues apart.
		if a, b := light(p["late"]), light(p["soon"]); math.Abs(a-b) < 0.02 {
			t.Errorf("%s: late and soon are equally light", scheme)
		}
	}
}
