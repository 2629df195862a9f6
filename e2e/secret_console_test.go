package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/demo/firm"
)

func attach(id, file string) dp.Action[dp.Void] {
	return dp.Steps(see(id), dp.SetUploadFiles(browser.ID(id), []string{file}))
}

// Packs, tables and secrets in the console: looked at first, then taken in.
func TestPacksTablesAndSecretsInTheConsole(t *testing.T) {
	t.Parallel()
	w := still(t)
	admin := w.page("light", 1280, 800, 4)
	dir := t.TempDir()
	put := func(name, text string) string {
		t.Helper()
		file := filepath.Join(dir, name)
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return file
	}
	packs, err := firm.Packs()
	if err != nil {
		t.Fatal(err)
	}
	whole := string(packs["thornwatch"])
	// A pack with mistakes is said whole; the right one is shown, taken in, and then the same.
	w.steps(admin, dp.Navigate(w.url+"/vendors"), press("read-pack"),
		attach("pack-file", put("bad.yaml",
			strings.NewReplacer("zone: Asia/Singapore", "zone: Asia/Moon", "kind: endpoint", "sort: endpoint").Replace(whole))),
		see("pack-wrong"))
	w.says(admin, "pack-wrong", "there is no such field")
	w.steps(admin, attach("pack-file", put("thornwatch.yaml", whole)), press("pack-keep"), see("pack-done"))
	w.says(admin, "pack-done", "Thornwatch Security is imported")
	w.steps(admin, press("pack-leave"), press("read-pack"), attach("pack-file", put("again.yaml", whole)),
		see("pack-same"))
	// What was shown is not what is there any more: it is shown anew.
	w.steps(admin, attach("pack-file",
		put("other.yaml", strings.Replace(whole, "closes_after_days: 3", "closes_after_days: 4", 1))), see("pack-keep"))
	w.as(4).patched(200, "/vendors/thornwatch", m{"reopens_within_days": 31})
	w.steps(admin, press("pack-keep"), browser.See(dp.CSS(`[data-testid="pack-reader"] .problem`)), press("pack-keep"),
		see("pack-done"))
	if v := string(w.as(4).must(200, "GET", "/vendors/thornwatch", nil).body); !contains(v, `"closes_after_days":4`,
		`"reopens_within_days":30`) {
		t.Errorf("%.500s", v)
	}

	// A table: refused rows keep it out, right ones come in.
	w.steps(admin, browser.Go("/register/assets"), press("tables-open"),
		attach("table-file", put("bad.csv", "vendor,name,Shoe size\ntallow,One,44\nmoon,Two,45\n")))
	w.says(admin, "table-sum",
		"Nothing would be changed. 2 rows: 1 to add, 0 to change, 0 the same, 1 refused.")
	w.says(admin, "tables", "Ignored, as not recognised: Shoe size.")
	w.steps(admin, attach("table-file", put("broken.csv", "vendor,name\ntallow,\"One\" x\n")))
	w.says(admin, "table-problem", "line 2: there is a quote where none is allowed")
	w.steps(admin, attach("table-file", put("good.csv", "vendor;name;serial\ntallow;One;S-1\ntallow;Two;'-S2\n")),
		press("table-take"))
	w.says(admin, "table-sum", "Imported. 2 rows: 2 added")
	w.steps(admin, press("table-leave"), see("thing-row"))

	// A secret: what is wrong stands beside its field; it is shown on a click, and that is on record.
	w.steps(admin, browser.Go("/register/secrets"), press("add-secret"), write("secret-name", "tallow-word"),
		press("keep-secret"))
	w.says(admin, "wrong-label", "")
	w.steps(admin, write("secret-label", "Word of the desk"), choose("secret-vendor", "tallow"),
		write("secret-hosts", "works.tallow.example:8443"), write("secret-value-in", "rope-and-tar"), press("keep-secret"),
		press("reveal-tallow-word"))
	w.says(admin, "secret-value", "rope-and-tar")
	w.steps(admin, see("secret-uses"))
	w.says(admin, "secret-uses", "added by Tuva Holm")
	w.steps(admin, press("change-secret"), write("secret-hosts", " evil.example"), press("keep-secret"))
	w.says(admin, "wrong-value", "give the value again")
	w.steps(admin, press("rotate"))
	w.says(admin, "turned", "1 secret was encrypted again")
	if html, err := browser.Eval[string](admin,
		"document.documentElement.outerHTML + JSON.stringify(localStorage) + JSON.stringify(sessionStorage)"); err != nil ||
		strings.Count(html, "rope-and-tar") > 1 {
		t.Errorf("the value stands in the page beside where it is shown: %v", err)
	}
	handler := w.page("dark", 390, 800, 0)
	w.steps(handler, dp.Navigate(w.url+"/vendors/tallow"), press("reveal-tallow-word"))
	w.says(handler, "secret-value", "rope-and-tar")
	w.steps(handler, browser.Go("/register/secrets"), see("secret"))
	if n, _ := browser.Eval[int](handler,
		`document.querySelectorAll('[data-testid="add-secret"],[data-testid="rotate"]').length`); n != 0 {
		t.Errorf("a handler is offered %d things to do", n)
	}

	// Written to the vendor by its name, it is put in when it leaves.
	w.as(4).must(201, "POST", "/secrets",
		m{"facts": m{"name": "tallow-phrase", "vendor": "tallow", "label": "Phrase", "kind": "passphrase",
			"hosts": []string{"127.0.0.1"}}, "value": "salt-and-line"})
	name := w.as(0).filed("tallow", "They want the phrase [mute]")
	w.steps(admin, browser.Go("/cases/"+name), press("door-message"), write("writing", "It is"),
		press("put-tallow-phrase"), press("send"), browser.See(dp.CSS(`[data-testid="door-message"]`)))
	w.until("it arrives", func() bool {
		return strings.Contains(fmt.Sprint(w.cast.Feed("tallow")), "It is salt-and-line")
	})
	if text := string(w.as(0).must(200, "GET", "/cases/"+name+"/entries", nil).body); !strings.Contains(text,
		"It is {secret tallow-phrase}") || strings.Contains(text, "salt-and-line") {
		t.Errorf("%s", text)
	}
}
