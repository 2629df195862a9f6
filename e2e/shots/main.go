// Command shots takes the pictures of the console for the documents:
// shots READY-FILE DIRECTORY. The ready file is the demo's.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/demo/firm"
)

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "shots READY-FILE DIRECTORY")
		os.Exit(2)
	}
	if err := run(os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

type page struct {
	file, scheme, path string
	width, height      int64
	steps              []dp.Action[dp.Void]
}

// run takes the pictures. In one piece: a list of them, in order.
func run(ready, dir string) error {
	raw, err := os.ReadFile(ready)
	if err != nil {
		return err
	}
	var at struct {
		URL    string
		People []firm.Person
	}
	if err := json.Unmarshal(raw, &at); err != nil {
		return err
	}
	b, err := browser.Start()
	if err != nil {
		return err
	}
	defer b.Stop()
	see := func(id string) dp.Action[dp.Void] { return browser.See(browser.ID(id)) }
	link := func(row, title string) dp.Action[dp.Void] {
		return dp.Evaluate[dp.Void](fmt.Sprintf(`[...document.querySelectorAll('[data-testid=%q]')]
			.find(l => l.textContent.includes(%q)).querySelector('a').click()`, row, title))
	}
	table, err := file()
	if err != nil {
		return err
	}
	defer os.RemoveAll(filepath.Dir(table))
	pages := []page{
		{"today.png", "light", "/", 1280, 800, []dp.Action[dp.Void]{see("today-line")}},
		{"today-narrow.png", "light", "/", 390, 800, []dp.Action[dp.Void]{see("today-line")}},
		{"notifications.png", "light", "/notifications", 1280, 800, []dp.Action[dp.Void]{see("notification")}},
		{"cases.png", "light", "/cases?state=all", 1280, 800, []dp.Action[dp.Void]{see("case-row")}},
		{"case.png", "light", "/", 1280, 1000,
			[]dp.Action[dp.Void]{see("today-line"), link("today-line", "Controller B"), see("entry-1"),
				browser.Click(browser.ID("explain-update")), see("explanation")}},
		{"case-dark.png", "dark", "/", 1280, 1000,
			[]dp.Action[dp.Void]{see("today-line"), link("today-line", "Drive 14"), see("entry-1")}},
		{"open.png", "light", "/open", 1280, 1000,
			[]dp.Action[dp.Void]{see("title"), dp.SendKeys(browser.ID("title"), "All gates at Gannetholm pier refuse tickets"),
				browser.Pick("vendor", "corvane"),
				browser.Click(browser.ID("effect-stopped")), browser.Click(browser.ID("reach-many")),
				browser.Click(browser.ID("workaround-costly")), browser.Click(browser.ID("environment-production")), see("grade"),
				dp.SendKeys(browser.ID("happened"),
					"Since 11:40 every gate answers \"ticket not known\", for tickets bought today and before."),
				browser.See(dp.CSS(`[data-testid^="confirm-"]`)),
				dp.Evaluate[dp.Void](`window.scrollTo(0,0)`)}},
		{"review.png", "light", "/open/C-1090", 1280, 900,
			[]dp.Action[dp.Void]{see("complete"), browser.Click(browser.ID("review")), see("promised")}},
		{"vendor.png", "light", "/vendors/ninefathom", 1280, 800, []dp.Action[dp.Void]{browser.See(dp.CSS("table"))}},
		{"register.png", "light", "/register/assets", 1280, 800, []dp.Action[dp.Void]{see("thing-row")}},
		{"hours.png", "dark", "/register/calendars", 1280, 800,
			[]dp.Action[dp.Void]{see("calendar-row"), link("calendar-row", "brackwater-shop"), see("c-words")}},
		{"escalate.png", "light", "/cases/C-1079/escalate", 1280, 1000, []dp.Action[dp.Void]{see("escalation-text")}},
		{"calendar.png", "light", "/calendar", 1280, 800, []dp.Action[dp.Void]{see("agenda")}},
		{"to-send.png", "light", "/", 1280, 900,
			[]dp.Action[dp.Void]{see("today-line"), link("today-line", "loses its line"), see("to-send")}},
		{"secrets.png", "light", "/register/secrets", 1280, 800,
			[]dp.Action[dp.Void]{see("secret"), browser.Click(browser.ID("reveal-corvane-passphrase")), see("secret-value"),
				browser.Click(browser.ID("secret-corvane-passphrase")), see("secret-uses")}},
		{"tables.png", "light", "/register/assets", 1280, 800,
			[]dp.Action[dp.Void]{see("thing-row"), browser.Click(browser.ID("tables-open")), see("table-file"),
				dp.SetUploadFiles(browser.ID("table-file"), []string{table}), see("table-sum")}},
		{"picture.png", "light", "/", 1280, 800,
			[]dp.Action[dp.Void]{see("today-line"), link("today-line", "Snapshots of the timetable"),
				browser.Click(dp.CSS(`[data-testid=file-2]>.name`)), browser.Click(browser.ID("mark-file")), see("canvas"),
				dp.Evaluate[dp.Void](marks, dp.EvalAwaitPromise)}},
	}
	for _, p := range pages {
		t, err := b.Tab(p.scheme, p.width, p.height)
		if err != nil {
			return err
		}
		if err = t.SignIn(at.URL, at.People[who(p.file)].Email, at.People[who(p.file)].Password); err == nil {
			err = t.Do(append([]dp.Action[dp.Void]{dp.Navigate(at.URL + p.path)}, p.steps...)...)
		}
		shotErr := t.Shot(filepath.Join(dir, p.file))
		for _, c := range t.Complaints("401 (Unauthorized)") {
			fmt.Fprintln(os.Stderr, p.file, c)
		}
		t.Close()
		if err != nil {
			return fmt.Errorf("%s: %w", p.file, err)
		}
		if shotErr != nil {
			return shotErr
		}
	}
	return nil
}

// marks blacks something out of a picture, frames what it is about, and points at it.
const marks = `(async () => { const c = document.querySelector('[data-testid=canvas]');
	for (let i = 0; c.width < 900 && i < 200; i++) await new Promise(r => setTimeout(r, 30));
	c.setPointerCapture = () => {};
	const at = (type, x, y) => { const b = c.getBoundingClientRect(); c.dispatchEvent(new PointerEvent(type,
		{bubbles: true, pointerId: 1, clientX: b.left + b.width * x, clientY: b.top + b.height * y})) };
	const go = async (tool, x, y, X, Y) => { document.querySelector('[data-testid=tool-' + tool + ']').click();
		await new Promise(r => setTimeout(r, 50)); at('pointerdown', x, y); at('pointermove', X, Y); at('pointerup', X, Y) };
	await go('black', 0.52, 0.02, 0.99, 0.07); await go('frame', 0.58, 0.2, 0.97, 0.68);
	await go('arrow', 0.4, 0.3, 0.57, 0.45) })()`

// who looks at a page: the administrator where something is to be changed.
func who(file string) int {
	switch file {
	case "secrets.png":
		return 4
	}
	return 0
}

// file is a table to be shown before it is taken in.
func file() (string, error) {
	rows := "vendor,name,serial,product,version,site,Colour\ntallow,Array Gannetholm-1,TWS-40-0088021,Array " +
		"40,7.3,Gannetholm,grey\ntallow,Array Marrowby-2,TWS-40-0101217,Array 40,7.3,Marrowby,grey\ntallow,Array " +
		"Marrowby-3,TWS-40-0101218,Array 40,9.0,Marrowby,grey\n"
	dir, err := os.MkdirTemp("", "roundhouse-shots-")
	if err != nil {
		return "", err
	}
	table := filepath.Join(dir, "new-arrays.csv")
	return table, os.WriteFile(table, []byte(rows), 0o600)
}
