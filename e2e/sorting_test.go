package e2e

import (
	"encoding/json"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

var caseName = regexp.MustCompile(`C-\d+`)

// resold adds a vendor that is reached through corvane only, with an asset of it.
func (w *world) resold() {
	w.t.Helper()
	w.as(4).added("/vendors", m{"key": "quill", "name": "Quill Software", "zone": "UTC", "hours": "round-the-clock",
		"through": "corvane", "levels": []m{{"label": "Any", "severities": []int{1, 2, 3, 4}}},
		"ways": []m{{"channel": "phone", "address": "+44 1632 960 111"}}})
	w.as(0).added("/assets", m{"vendor": "quill", "name": "The ticket shop"})
}

// Whose a matter is follows from its words; what is reached through a reseller goes there, with the maker beside it;
// and what the desk does not have is kept to be sorted.
func TestWhoseItIs(t *testing.T) {
	t.Parallel()
	w := still(t)
	w.resold()
	ragna, sh := w.as(0), w.shell(0)
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url), press("open-case"), write("title", "The ticket shop is empty"), see("whom-quill"))
	w.says(tab, "whom", "Asset: The ticket shop")
	w.says(tab, "whom", "go to Corvane Cloud first")
	w.steps(tab, press("whom-quill"), see("maker"))
	w.says(tab, "maker", "For Quill Software, which is reached through Corvane Cloud")
	w.steps(tab, write("happened", "Nobody can buy a ticket"), press("mark-down"))
	name := ""
	w.until("it is a draft", func() bool {
		got, err := browser.Eval[string](tab, `location.pathname.split('/').pop()`)
		name = got
		return err == nil && got != "open"
	})
	w.until("with the reseller", func() bool {
		v, _ := ragna.get(name)
		return v.Line.VendorKey == "corvane" && v.MakerKey != nil && *v.MakerKey == "quill" && v.Line.Severity != nil
	})
	w.steps(tab, browser.Pick("owner", "emil@saltmarsh.example"))
	w.until("it is Emil's", func() bool {
		v, _ := ragna.get(name)
		return v.Line.Owner != nil && *v.Line.Owner == "Emil Dahl"
	})
	sh.ok([]string{"case", "give", name, "ragna@saltmarsh.example"}, "owner Ragna Lie")
	ragna.must(201, "POST", "/cases/"+name+"/notes", m{"text": "A draft can have one."})

	// With the maker directly it needs a reason, and one press brings it to the reseller.
	direct := ragna.draft("quill", "The shop is slow")
	w.steps(tab, browser.Go("/open/"+direct), see("go-first"), see("go-on"), press("go-through"), see("maker"),
		gone("go-first"))
	slower := ragna.draft("quill", "The shop is slower")
	w.steps(tab, browser.Go("/open/"+slower), write("go-on", "They asked us to"))
	w.reviewable(tab)

	// What nobody can name yet.
	w.steps(tab, browser.Go("/open"), write("title", "The tide gauge is dark"), press("no-vendor"),
		write("unknown-vendor", "Whoever built it"), press("no-product"), write("unknown-product", "Tide gauge"),
		press("keep-draft"), see("words"), browser.Go("/cases?state=unsorted"))
	w.until("it is among those to be sorted", func() bool {
		text, err := browser.Eval[string](tab, `document.querySelector('main').textContent`)
		return err == nil && contains(text, "The tide gauge is dark", "Vendor not known yet")
	})
	w.terminalSorts(sh)
}

// terminalSorts does the same in the terminal.
func (w *world) terminalSorts(sh *shell) {
	sh.ok([]string{"case", "whom", "the", "ticket", "shop"}, "Quill Software (Asset: The ticket shop;",
		"go to Corvane Cloud first")
	sh.ok([]string{"case", "whom", "zzzz"}, "Nothing that the desk knows")
	sh.fails(2, []string{"case", "open", "What is it?"}, "--unknown-vendor NAME")
	sh.ok([]string{"case", "open", "A bell rings", "--unknown-vendor", "Somebody", "--unknown-kind", "noise"},
		"Which vendor this belongs to")
	list := sh.ok([]string{"case", "list", "--unsorted"}, "A bell rings", "The tide gauge is dark")
	name := caseName.FindString(list)
	sh.ok([]string{"case", "show", name}, "unknown vendor", "Somebody")
	out := sh.ok([]string{"case", "edit", name, "--vendor", "tallow", "--kind", "question"})
	if contains(out, "belongs to") {
		w.t.Errorf("sorted: %s", out)
	}
	if out := sh.ok([]string{"case", "list", "--unsorted"}); contains(out, "A bell rings") {
		w.t.Errorf("still to be sorted: %s", out)
	}
	out = sh.ok([]string{"case", "open", "The shop is empty again", "--asset", "The ticket shop", "--kind", "question",
		"--happened", "As yesterday", "--go-on-reason", "Not covered yet", "--file"}, "The shop is empty again")
	name = caseName.FindString(out)
	sh.ok([]string{"case", "reference", name, "Q-77", "--whose", "other-vendor", "--of", "Quill Software"}, "Q-77")
	w.as(0).untilState(name, "open")
	sh.ok([]string{"case", "maker", name, "At the bench"}, `at Quill Software: "At the bench"`)
	sh.ok([]string{"case", "show", name}, `Quill Software: "At the bench"`, "Not covered yet")
	sh.ok([]string{"case", "open", "And again", "--like", name}, "And again")
	if f := w.checked().Findings; len(f) > 0 {
		w.t.Errorf("the record differs: %+v", f)
	}
}

// A case like one that is open begins with one press on its page.
func TestOneLikeThis(t *testing.T) {
	t.Parallel()
	w := still(t)
	name := w.as(0).filed("corvane", "Gates say no [mute]")
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), press("more-steps"), press("open-like"), see("keep-draft"))
	w.holds(tab, "title", "Gates say no [mute]")
	w.steps(tab, browser.Go("/open?vendor=corvane&title=From+a+line"), see("title"))
	w.holds(tab, "title", "From a line")
}

// beginsDraft types a title into the page once it is empty, and chooses a vendor: then the draft is begun.
func beginsDraft(title string) dp.Action[dp.Void] {
	return dp.Steps(browser.True(`document.querySelector('[data-testid=title]')?.value === ''`), write("title", title),
		browser.Pick("vendor", "corvane"))
}

// Each draft has its own page: the next one begins empty where one was just begun, and who goes on while a draft is
// being saved is not fetched back.
func TestOneDraftAfterTheOther(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	tab := w.page("light", 1280, 800, 0)
	number := func(title string) (number string) {
		w.until(title+" is a draft", func() bool {
			var page apigen.CasePage
			ragna.must(200, "GET", "/cases?words="+url.QueryEscape(title), nil).into(t, &page)
			if len(page.Items) == 1 {
				number = page.Items[0].Number
			}
			return len(page.Items) > 0
		})
		return number
	}
	at := func(path string) dp.Action[dp.Void] { return browser.True(`location.pathname === '` + path + `'`) }
	w.steps(tab, dp.Navigate(w.url+"/open"), beginsDraft("Gates say no"))
	w.steps(tab, at("/open/"+number("Gates say no")), write("expected", "Green"), press("open-case"),
		beginsDraft("Lifts say no"))
	w.steps(tab, at("/open/"+number("Lifts say no")))
	w.until("what was typed on the first is kept", func() bool {
		v, _ := ragna.get(number("Gates say no"))
		return contains(fmt.Sprint(v.Texts), "Green")
	})
	w.steps(tab, browser.Go("/open"), beginsDraft("Doors say no"), browser.Go("/cases"))
	number("Doors say no")
	w.steps(tab, browser.Read(), at("/cases"))
	// Who is back at once finds an empty page: what they left is begun already.
	w.steps(tab, browser.Go("/open"), beginsDraft("Horns say no"), browser.Go("/cases"), browser.Go("/open"),
		beginsDraft("Masts say no"))
	number("Horns say no")
	w.steps(tab, at("/open/"+number("Masts say no")))
	// So does who leaves while it is being begun.
	w.steps(tab, readsLate(), dp.Navigate(w.url+"/open"), dp.Evaluate[dp.Void](`sessionStorage.lateOf = '/api/v1/cases'`),
		beginsDraft("Cranes say no"), browser.True(`document.body.textContent.includes('Saving')`), browser.Go("/cases"),
		browser.Go("/open"), beginsDraft("Bells say no"))
	number("Cranes say no")
	number("Bells say no")
}

// Who reloads the page while a draft is being begun, or types on where the answer is lost, finds it begun once, with
// what they typed meanwhile in it.
func TestBegunOnceThoughTheAnswerIsLost(t *testing.T) {
	t.Parallel()
	w := still(t)
	tab := w.page("light", 1280, 800, 0)
	begunOnce := func(title string) {
		t.Helper()
		w.until("what was typed meanwhile is in it", func() bool {
			var page apigen.CasePage
			w.as(0).must(200, "GET", "/cases?state=draft&words="+url.QueryEscape(title), nil).into(t, &page)
			if len(page.Items) != 1 {
				t.Fatalf("%d drafts", len(page.Items))
			}
			v, _ := w.as(0).get(page.Items[0].Number)
			return contains(fmt.Sprint(v.Texts), "Since nine")
		})
		w.holds(tab, "title", title)
	}
	answers := func(how string) dp.Action[dp.Void] {
		return dp.Evaluate[dp.Void]("sessionStorage.answers = '" + how + "'")
	}
	begun := browser.True(`location.pathname.startsWith('/open/C-')`)
	// The desk has begun the draft, and the page does not know.
	w.steps(tab, answersLost(), dp.Navigate(w.url+"/open"), answers("none"), beginsDraft("Gates say no"),
		browser.True(`window.lost === 1`), write("happened", "Since nine"),
		answers(""), dp.Reload(), begun)
	begunOnce("Gates say no")
	w.steps(tab, answers("error"), browser.Go("/open"),
		beginsDraft("Lifts say no"), see("open-problem"),
		answers(""), write("happened", "Since nine"), begun)
	begunOnce("Lifts say no")
}

// answersLost makes pages that hear no answer to a POST of a case while sessionStorage.answers is none, and an error
// while it is error; window.lost counts them.
func answersLost() dp.Action[dp.Void] {
	return eachPage(`{ const plain = window.fetch; window.lost = 0
		window.fetch = async (r, o) => {
			const answer = await plain(r, o)
			if (!sessionStorage.answers || r.method !== 'POST' || !r.url.endsWith('/api/v1/cases')) return answer
			window.lost++
			if (sessionStorage.answers === 'error') throw new TypeError('lost')
			return new Promise(() => {}) } }`)
}

// What was filed under the wrong account is withdrawn and filed again in one act, on its page and in the terminal.
func TestFiledAgainElsewhere(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.filed("corvane", "Gates say no [mute]")
	at := ragna.added("/accounts", m{"vendor": "corvane", "number": "salt-lab"})
	lab := at[strings.LastIndexByte(at, '/')+1:]
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), press("more-steps"), press("refile"), see("refile-dialog"),
		browser.Pick("refile-account", lab), write("refile-reason", " It is the lab."), press("refile-go"), see("linked"))
	w.says(tab, "linked", name)
	ragna.untilState(name, "withdrawn")
	v, _ := ragna.get(name)
	if v.RefiledAs == nil {
		t.Fatal("it does not name the one in its place")
	}
	again := ragna.untilState(*v.RefiledAs, "open")
	if again.InsteadOf == nil || *again.InsteadOf != name || *again.Account != "salt-lab" {
		t.Errorf("%+v", again)
	}
	sh.fails(2, []string{"case", "refile", *v.RefiledAs, "--account", "salt-lab"}, "--reason")
	sh.fails(4, []string{"case", "refile", name, "--account", "salt-lab", "--reason", "Again"}, "only a live case")
	ragna.added("/accounts", m{"vendor": "corvane", "number": "salt-prod"})
	sh.ok([]string{"case", "refile", *v.RefiledAs, "--account", "salt-prod", "--reason", "It was production after all."},
		"is withdrawn and filed again as")
	if f := w.checked().Findings; len(f) > 0 {
		t.Errorf("the record differs: %+v", f)
	}
}

// Where contracts cover an asset, only those are offered for it; what was chosen is shown by its number, also where it
// has ended.
func TestContractsThatCoverTheAsset(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, lead := w.as(0), w.as(2)
	for _, name := range []string{"Array 90", "Tape 8"} {
		lead.added("/products", m{"vendor": "tallow", "name": name, "components": []string{"controller", "fan tray"}})
	}
	asset := strings.TrimPrefix(ragna.added("/assets", m{"vendor": "tallow", "name": "Array H9", "product": "Array 90",
		"serial": "H9-0017"}), "/assets/")
	tape := strings.TrimPrefix(lead.added("/contracts", m{"vendor": "tallow", "number": "TW-TAPE", "starts": "2026-01-01",
		"ends": "2027-12-20", "products": []string{"Tape 8"}}), "/contracts/")
	numbers := func(query string) (out []string) {
		var page apigen.ContractPage
		ragna.must(200, "GET", "/contracts?vendor=tallow"+query, nil).into(t, &page)
		for _, k := range page.Items {
			out = append(out, k.Facts.Number)
		}
		slices.Sort(out)
		return out
	}
	if got := numbers(""); !slices.Equal(got, []string{"TW-C-7718", "TW-TAPE"}) {
		t.Errorf("contracts: %v", got)
	}
	if got := numbers("&asset=" + asset); !slices.Equal(got, []string{"TW-C-7718"}) {
		t.Errorf("contracts that cover the asset: %v", got)
	}
	tab := w.page("light", 1280, 800, 0)
	open := browser.Click(browser.ID("contract") + " .n-base-selection")
	w.steps(tab, dp.Navigate(w.url+"/open?asset="+asset), open, see("contract-menu"))
	w.says(tab, "contract-menu", "TW-C-7718")
	w.steps(tab, gone("contract-opt-"+tape))
	// What was chosen comes back under its name; beginning with something else, it is left.
	w.steps(tab, dp.Navigate(w.url+"/open"), see("asset"))
	w.holds(tab, "asset", "Array H9")
	w.steps(tab, browser.Go("/open?vendor=tallow"), open, see("contract-opt-"+tape))

	name := ragna.draft("tallow", "A tape is stuck")
	ragna.patched(200, "/cases/"+name, m{"contract": json.Number(tape)})
	lead.patched(200, "/contracts/"+tape+"?confirm=true", m{"ends": "2026-11-20"})
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), see("contract"))
	w.says(tab, "contract", "TW-TAPE, until 2026-11-20")

	// The component is chosen among the product's own.
	w.as(4).patched(200, "/vendors/tallow",
		m{"forms": []m{{"kind": "any", "key": "component", "label": "Component", "type": "component"}}})
	ragna.patched(200, "/cases/"+name, m{"asset": json.Number(asset), "contract": nil})
	v, _ := ragna.get(name)
	if !slices.ContainsFunc(*v.Asked, func(q apigen.Question) bool {
		return q.Key == "component" && q.Choices != nil && slices.Equal(*q.Choices, []string{"controller", "fan tray"})
	}) {
		t.Errorf("asked: %+v", *v.Asked)
	}
	// The serial is at hand on the page of the case, and in the terminal.
	ragna.step(name, m{"step": "file"})
	w.steps(tab, browser.Go("/cases/"+name), see("serial"))
	w.says(tab, "serial", "H9-0017")
	w.shell(0).ok(words("case show "+name), "serial           H9-0017")
}
