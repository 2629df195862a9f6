package e2e

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// page is a tab, signed in on the console as one of the demo's people, that has opened nothing yet; it fails the test
// on anything that the browser complains of.
func (w *world) page(scheme string, width, height int64, person int) *browser.Tab {
	w.t.Helper()
	t, err := chromium.Tab(scheme, width, height)
	if err != nil {
		w.t.Fatal(err)
	}
	w.t.Cleanup(func() {
		for _, c := range t.Complaints("401 (Unauthorized)", "409 (Conflict)", "412 (Precondition", "422 (Unprocessable",
			"ERR_INCOMPLETE_CHUNKED", "ERR_CONNECTION_REFUSED") {
			w.t.Errorf("console: %.300s", c)
		}
		t.Close()
	})
	if err := t.Enter(w.url, w.people[person].Email, w.people[person].Password); err != nil {
		w.t.Fatal(err)
	}
	return t
}

func (w *world) steps(tab *browser.Tab, steps ...dp.Action[dp.Void]) {
	w.t.Helper()
	if err := tab.Do(steps...); err != nil {
		w.keepPage(tab)
		w.t.Fatal(err)
	}
}

// keepPage leaves a picture of a page on which a test failed, where a directory is named for it.
func (w *world) keepPage(tab *browser.Tab) {
	if dir := os.Getenv("ROUNDHOUSE_FAILED_PAGES"); dir != "" {
		_ = tab.Shot(dir + "/" + strings.ReplaceAll(w.t.Name(), "/", "-") + ".png")
	}
}

func see(id string) dp.Action[dp.Void]   { return browser.See(browser.ID(id)) }
func gone(id string) dp.Action[dp.Void]  { return browser.Gone(browser.ID(id)) }
func press(id string) dp.Action[dp.Void] { return browser.Click(browser.ID(id)) }
func write(id, text string) dp.Action[dp.Void] {
	return browser.Type(browser.ID(id), text)
}

// set gives a field that is not typed into, such as one of a date, its value.
func set(id, value string) dp.Action[dp.Void] {
	return dp.Evaluate[dp.Void](fmt.Sprintf(`{ const f = document.querySelector('[data-testid=%q]'); f.value = %q
		f.dispatchEvent(new Event('input', { bubbles: true })) }`, id, value))
}

// choose picks an option of a select once it is offered.
func choose(id, value string) dp.Action[dp.Void] {
	return dp.Evaluate[dp.Void](fmt.Sprintf(`(async () => { const s = document.querySelector('[data-testid=%q]');
		while (![...s.options].some(o => o.value === %q)) await new Promise(r => setTimeout(r, 30)); s.value = %q;
		s.dispatchEvent(new Event('change', { bubbles: true })) })()`, id, value, value), dp.EvalAwaitPromise)
}

// says waits until an element's text has a part.
func (w *world) says(tab *browser.Tab, id, part string) {
	w.t.Helper()
	defer func() {
		if w.t.Failed() {
			w.keepPage(tab)
		}
	}()
	js := fmt.Sprintf(`document.querySelector('[data-testid=%q]').textContent.includes(%q)`, id, part)
	if err := tab.Do(browser.True(js)); err != nil {
		got, _ := browser.Eval[string](tab, fmt.Sprintf(`document.querySelector('[data-testid=%q]')?.textContent ?? ''`, id))
		w.t.Fatalf("%s does not say %q: %v\n%s", id, part, err, got)
	}
}

// confirms confirms all conditions of the level on a draft's page; conditions is their number.
func (w *world) confirms(tab *browser.Tab, conditions int) {
	w.t.Helper()
	for left := conditions; left > 0; left-- {
		w.until("a condition can be confirmed", func() bool {
			n, err := browser.Eval[int](tab, `document.querySelectorAll('[data-testid^="confirm-"]').length`)
			return err == nil && n == left
		})
		w.steps(tab, browser.Click(dp.CSS(`[data-testid^="confirm-"]`)))
	}
}

// reviewable waits until nothing required is missing on a draft's page.
func (w *world) reviewable(tab *browser.Tab) {
	w.t.Helper()
	w.until("nothing is missing", func() bool {
		on, err := browser.Eval[bool](tab, `!document.querySelector('[data-testid="review"]').disabled`)
		return err == nil && on
	})
}

// The whole story in the console: opened, graded, filed, answered, rejected,
// accepted, closed, without ever reloading.
func TestTheConsole(t *testing.T) {
	t.Parallel()
	w := live(t)
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url), press("open-case"), browser.Pick("vendor", "corvane"))
	w.says(tab, "what-next", "appear here once the draft is saved")
	w.steps(tab, write("title", "All gates refuse tickets [steady]"), press("effect-stopped"),
		press("reach-many"), press("workaround-costly"), press("environment-production"),
		see("grade"))
	w.says(tab, "grade", "Severity 1, Stopped")
	w.says(tab, "grade", "“Alarm”")
	w.says(tab, "what-next", "to Corvane Cloud by API.")
	w.steps(tab, write("happened", "Since 11:40 every gate answers <b>no</b>."))
	w.confirms(tab, 2)
	w.steps(tab, write("contact_always", "Emil Dahl, +44 1632 960 001"))
	w.reviewable(tab)
	w.steps(tab, press("review"), see("review-dialog"))
	w.says(tab, "review-dialog", "every gate answers <b>no</b>")
	w.steps(tab, press("file"), see("number"))
	w.says(tab, "state", "Open")
	w.until("the engineer has asked for a log", func() bool { // who says nothing more until there is an answer
		said, err := browser.Eval[bool](tab,
			`[...document.querySelectorAll('[data-kind="in"]')].at(-1)?.textContent.includes('event log of the hour')`)
		return err == nil && said
	})
	w.says(tab, "move", "us")
	w.steps(tab, press("main-step"), write("writing", "Nothing was changed; the log is below."), press("send"))
	w.says(tab, "state", "Fix offered")
}

// A page begins at its top, wherever the one before it was scrolled to; one that gets its number as one types stays.
func TestAPageBeginsAtItsTop(t *testing.T) {
	t.Parallel()
	w := still(t)
	name := w.as(0).filed("corvane", "Gates say no")
	tab := w.page("light", 1280, 300, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), see("entry-2"), dp.Evaluate[dp.Void](`scrollTo(0, 200)`),
		browser.True("scrollY === 200"),
		dp.Evaluate[dp.Void](`document.querySelector('main [href="/vendors/corvane"]').click()`),
		browser.True(`location.pathname === '/vendors/corvane' && document.body.scrollHeight > 600`),
		browser.True("scrollY === 0"))
	w.steps(tab, dp.Navigate(w.url+"/open?vendor=corvane"), see("title"), write("title", "Gates say nothing"),
		dp.Evaluate[dp.Void](`scrollTo(0, 400)`), see("complete"), browser.Settle(), browser.True("scrollY === 400"))
}

func TestTheConsoleConverses(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 1)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Console signs people out [patient]")
	v, _ := ragna.get(name)
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), see("entry-3"))
	w.says(tab, "state", "Open")

	// What the vendor says appears by itself, while a note is being written.
	w.steps(tab, press("door-note"), write("writing", "Ask the contractor"))
	w.speak("corvane", *v.Line.Reference, false, "waiting on you", "")
	w.steps(tab, see("entry-4"))
	w.says(tab, "move", "us")
	// An identifier is copied by its button, or the page says that the browser does not allow it.
	w.steps(tab, dp.Evaluate[dp.Void](`Object.defineProperty(navigator, 'clipboard', { configurable: true,
		value: { writeText: async (t) => { window.copied = t } } })`), press("copy"))
	w.says(tab, "copy", "Copied")
	if got, err := browser.Eval[string](tab, "window.copied"); err != nil || got != *v.Line.Reference {
		t.Errorf("copied %q, %v", got, err)
	}
	w.steps(tab, dp.Evaluate[dp.Void](`navigator.clipboard.writeText = () => Promise.reject(new Error('no'))`),
		press("copy"))
	w.until("the refusal is said", func() bool {
		said, err := browser.Eval[bool](tab, `[...document.querySelectorAll('aside [role="alert"]')]
			.some(x => x.textContent.includes('does not allow copying'))`)
		return err == nil && said
	})
	kept, err := browser.Eval[string](tab, `document.querySelector('[data-testid="writing"]').value`)
	if err != nil || kept != "Ask the contractor" {
		t.Errorf("what was being typed became %q, %v", kept, err)
	}
	w.steps(tab, press("send"), see("entry-5"))
	if kind, _ := browser.Eval[string](tab,
		`document.querySelector('[data-testid="entry-5"]').dataset.kind`); kind != "note" {
		t.Errorf("entry 5 is a %s", kind)
	}
	// A draft of a message outlives a reload.
	w.steps(tab, press("door-message"), write("writing", "The log is below"), dp.Navigate(w.url+"/cases/"+name),
		press("door-message"))
	kept, _ = browser.Eval[string](tab, `document.querySelector('[data-testid="writing"]').value`)
	if kept != "The log is below" {
		t.Errorf("after a reload the draft is %q", kept)
	}
	w.steps(tab, press("send"), see("entry-7"))
	w.says(tab, "move", "vendor")
	w.speak("corvane", *v.Line.Reference, false, "fix out", "repair")
	w.says(tab, "state", "Fix offered")
	w.steps(tab, press("step-reject"), see("step-dialog"), write("reason", "The same again"), press("step-go"))
	w.says(tab, "state", "Open")
	w.speak("corvane", *v.Line.Reference, false, "fix out", "repair")
	w.says(tab, "state", "Fix offered")
	w.steps(tab, press("explain-resolution"), see("explanation"))
	w.says(tab, "explanation", "The vendor owes this within 10 business days")
	w.steps(tab, press("main-step"), see("step-dialog"), press("step-go"), browser.Gone(browser.ID("step-dialog")))
	w.says(tab, "state", "Resolved")
	w.says(tab, "main-step", "Close") // once the page has marked the last message as read
	w.steps(tab, press("main-step"), see("step-dialog"), press("step-go"))
	w.says(tab, "state", "Closed")
	w.replayed()

	// Find by the vendor's number, in another writing; keys; the filters in the address.
	w.steps(tab, dp.Navigate(w.url), see("find"), write("find", "cv20417"+kb.Enter), see("number"))
	w.says(tab, "number", name)
	w.steps(tab, browser.Go("/cases"), browser.Pick("state", "closed"), see("case-row"))
	if at, _ := browser.Eval[string](tab, `location.search`); at != "?state=closed" {
		t.Errorf("the filter is not in the address: %s", at)
	}
	typed := func(key string) dp.Action[dp.Void] {
		return dp.Evaluate[dp.Void](fmt.Sprintf(
			`document.body.dispatchEvent(new KeyboardEvent('keydown', { key: %q, bubbles: true }))`, key))
	}
	w.steps(tab, typed("n"), see("title"))
	w.steps(tab, typed("?"), see("keys"), press("keys-done"), browser.Gone(browser.ID("keys")))
	w.steps(tab, press("sign-out"), see("email"))

	// The auditor reads, and is offered nothing to do.
	auditor := w.page("dark", 1280, 800, 3)
	w.steps(auditor, dp.Navigate(w.url+"/cases/"+name), see("entry-5"))
	if n, _ := browser.Eval[int](auditor,
		`document.querySelectorAll('[data-testid="open-case"],[data-testid="door-note"],`+
			`[data-testid="main-step"]').length`); n != 0 {
		t.Errorf("the auditor is offered %d things to do", n)
	}
}

// axe finds nothing serious on any page, in either theme, wide and narrow; and
// no page is wider than the window.

// The register in the console: what is wrong is said as one types, a change that
// touches open cases asks, a case begins at its asset, and one box finds it all.
func TestTheRegisterInTheConsole(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 1)
	lead := w.as(2)
	name := lead.filed("tallow", "Under the contract [patient]")
	tab := w.page("light", 1280, 800, 2)
	w.steps(tab, dp.Navigate(w.url+"/register/products/new"), see("f-name"), choose("f-vendor", "tallow"),
		write("f-name", "Array 40"), write("f-our_names", "the big one\ncupboard"),
		press("f-versions-add"), see("f-versions-0-name"), write("f-versions-0-name", "7.2"), press("save"), see("edit"))
	w.steps(tab, browser.Go("/register/assets/new"), see("f-name"), choose("f-vendor", "tallow"),
		write("f-name", "Array Gannetholm-2"), write("f-serial", "TWS-40-0093187"),
		write("f-product", "Array 4"), see("wrong-product"))
	w.says(tab, "wrong-product", "the vendor has no product")
	w.steps(tab, write("f-product", "0"), browser.Gone(browser.ID("wrong-product")), write("f-version", "9"),
		see("wrong-version"), write("f-version", kb.Backspace+"7.2"), browser.Gone(browser.ID("wrong-version")),
		choose("f-environment", "production"), press("save"), see("edit"))
	w.steps(tab, press("open-here"), see("title"), write("title", "Controller B restarts"),
		browser.See(dp.CSS(`[data-testid="asset"]`)))
	w.until("the draft is about the asset", func() bool {
		var page apigen.CasePage
		lead.must(200, "GET", "/cases?state=draft", nil).into(t, &page)
		if len(page.Items) == 0 {
			return false
		}
		v, _ := lead.get(page.Items[0].Number)
		return v.Asset != nil && *v.Asset == "Array Gannetholm-2" && v.Contract != nil && *v.Contract == "TW-C-7718" &&
			v.Facts.Environment != nil && v.Texts.Affected == "Array Gannetholm-2, TWS-40-0093187"
	})
	var k apigen.ContractPage
	lead.must(200, "GET", "/contracts?vendor=tallow", nil).into(t, &k)
	at := fmt.Sprintf("%s/register/contracts/%d", w.url, k.Items[0].Id)
	w.steps(tab, dp.Navigate(at), see("edit"), press("edit"), see("f-terms-0-target"),
		write("f-terms-0-target", kb.End+"x"), see("wrong-terms[0].target"),
		write("f-terms-0-target", kb.End+kb.Backspace+"30m"), browser.Gone(browser.ID("wrong-terms[0].target")),
		press("save"), see("asks"))
	w.says(tab, "asks", "1 live case keeps the targets")
	w.steps(tab, press("apply-anyway"), see("edit"))
	w.steps(tab, write("find", "tws 40 0093187"+kb.Enter))
	w.until("the asset is shown", func() bool {
		there, err := browser.Eval[bool](tab, `location.pathname.startsWith('/register/assets/')`)
		return err == nil && there
	})
	w.steps(tab, write("find", "contract"+kb.Enter), see("hit"))
	w.says(tab, "hit", name)
	w.steps(tab, browser.Go("/register/assets?cover=covered"), see("thing-row"),
		browser.Go("/register/products"), see("thing-row"), browser.Go("/find?words=qqqzzz"), see("nothing"))
	// A vendor from nothing, with hours of its own, and our own policy.
	admin := w.page("light", 1280, 800, 4)
	w.steps(admin, dp.Navigate(w.url+"/register/calendars/new"), see("c-name"), write("c-name", "ferrous-office"),
		write("c-mon", "08:00-12:00, 13"), see("c-wrong"),
		write("c-mon", ":00-16:30"), browser.Gone(browser.ID("c-wrong")), press("save"), see("edit"))
	w.says(admin, "c-words", "would fall due on Monday")
	w.steps(admin, browser.Go("/vendors/new"), see("f-key"), write("f-key", "ferrous"),
		write("f-name", "Ferrous Payments"), write("f-zone", "Europe/Osl"), see("wrong-zone"), write("f-zone", "o"),
		browser.Gone(browser.ID("wrong-zone")), choose("f-hours", "ferrous-office"), press("f-levels-add"),
		see("f-levels-0-label"), write("f-levels-0-label", "Dark"), write("f-levels-0-severities", "1, 2"),
		write("f-levels-0-criteria", "No card is taken\nNowhere"),
		press("f-levels-add"), see("f-levels-1-label"), write("f-levels-1-label", "Lit"),
		write("f-levels-1-severities", "3, 4"), press("f-ladder-add"), see("f-ladder-0-role"),
		write("f-ladder-0-role", "Duty manager"), write("f-ladder-0-how", "+44 1632 960 057"),
		write("f-ladder-0-late_by", "2h"), press("save"), see("edit"))
	var v apigen.Vendor
	lead.must(200, "GET", "/vendors/ferrous", nil).into(t, &v)
	if len(v.Levels) != 2 || len(v.Levels[0].Criteria) != 2 || v.Levels[0].Criteria[1].Text != "Nowhere" ||
		len(v.Levels[1].Severities) != 2 || v.Facts.Ladder[0].LateBy != "2h" || v.Facts.Hours != "ferrous-office" {
		t.Errorf("entered: %+v, %+v", v.Levels, v.Facts)
	}
	w.steps(admin, browser.Go("/register/policy"), see("edit"), press("edit"), see("f-quiet_1"),
		write("f-quiet_1", kb.End+kb.Backspace+kb.Backspace+"none"), press("save"), see("wrong-quiet_1"),
		write("f-quiet_1", kb.End+kb.Backspace+kb.Backspace+kb.Backspace+kb.Backspace+"1h"), press("save"), see("edit"))
	var policy apigen.Policy
	if lead.must(200, "GET", "/policy", nil).into(t, &policy); policy.Version != 2 || policy.Facts.Quiet1 != "1h" {
		t.Errorf("%+v", policy)
	}
	// A case of a vendor that nobody linked is filed by hand, from its page.
	w.as(4).patched(200, "/vendors/ferrous",
		m{"reference_pattern": `FE-\d{5}`,
			"ways": []m{{"channel": "portal", "address": "https://help.ferrous.example"},
				{"channel": "phone", "address": "+44 1632 960 055"}}})
	draft := lead.draft("ferrous", "Terminal 4 refuses cards")
	w.steps(tab, dp.Navigate(w.url+"/open/"+draft), see("review"), press("review"), see("route-portal"),
		press("route-phone"), press("file"), see("to-send"))
	w.says(tab, "to-send", "+44 1632 960 055")
	w.steps(tab, write("vendor-reference", "77"), press("mark-sent"),
		browser.See(dp.CSS(`[data-testid="to-send"] [role="alert"]`)))
	w.steps(tab, write("vendor-reference", kb.Backspace+kb.Backspace+"FE-20417"), press("mark-sent"),
		browser.Gone(browser.ID("to-send")))
	w.says(tab, "state", "Open")
	w.steps(tab, press("door-call"), write("with", "Ishaan Rao"), choose("heard-by", "email"),
		write("writing", "Which terminal?"), press("send"), browser.See(dp.CSS(`[data-testid="entry-4"][data-kind="in"]`)))
	w.says(tab, "move", "us")
	w.steps(tab, press("door-message"), write("writing", "Number 4"), choose("via", "portal"), press("send"),
		see("to-send"))
	w.says(tab, "to-send", "FE-20417: Terminal 4 refuses cards")
	// Our people: one is added, given a phone, and her access ended with what hangs on her.
	w.steps(admin, dp.Navigate(w.url+"/register/people"), see("person"), press("add-person"),
		write("person-name", "Tove Aas"), write("person-email", "tove@saltmarsh.example"),
		write("person-phone", "+44 1632 960 199"),
		write("person-password", "a long enough one"), press("keep-person"), browser.Gone(browser.ID("person-form")))
	var people apigen.People
	lead.must(200, "GET", "/people", nil).into(t, &people)
	tove := people.Items[len(people.Items)-1]
	for _, p := range people.Items {
		if p.Name == "Tove Aas" {
			tove = p
		}
	}
	if tove.Email != "tove@saltmarsh.example" || *tove.Phone != "+44 1632 960 199" || tove.Role != "handler" {
		t.Errorf("%+v", tove)
	}
	w.as(4).patched(200, "/vendors/ferrous",
		m{"access": []m{{"person": "tove@saltmarsh.example", "login": true, "may": []string{"open"}}}})
	w.steps(admin, press("change-"+itoa(tove.Id)), see("holds"))
	w.says(admin, "holds", "Ferrous Payments")
	w.steps(admin, press("person-active"), press("keep-person"), browser.Gone(browser.ID("person-form")))
	lead.must(200, "GET", "/people", nil).into(t, &people)
	if !slices.ContainsFunc(people.Items, func(p apigen.Person) bool { return p.Id == tove.Id && !p.Active }) {
		t.Error("her access goes on")
	}
	// The auditor reads, and is offered nothing to do.
	auditor := w.page("dark", 1280, 800, 3)
	w.steps(auditor, dp.Navigate(w.url+"/register/assets"), see("thing-row"))
	if n, _ := browser.Eval[int](auditor,
		`document.querySelectorAll('[data-testid="add"],[data-testid="edit"]').length`); n != 0 {
		t.Errorf("the auditor is offered %d things to do", n)
	}
}
