package e2e

import (
	"os"
	"path/filepath"
	"strconv"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// Papers of a vendor, a contract and an asset: each has its own, who may change the thing may add and remove them, and
// everybody who reads the register sees them.
func TestPapersOfTheRegister(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, lead, auditor, admin := w.as(0), w.as(2), w.as(3), w.as(4)
	asset := "asset/" + filepath.Base(ragna.added("/assets", m{"vendor": "corvane", "name": "db-1"}))
	put := func(c *caller, status int, of, file, content string) answer {
		t.Helper()
		at, a := c.begun(status, len(content), map[string]string{"paper": of, "filename": file, "caption": "As signed"})
		if status == 201 {
			a = c.piece(204, at, 0, []byte(content))
		}
		return a
	}
	for of, may := range map[string]*caller{"vendor/corvane": admin, asset: ragna} {
		for i, content := range []string{"one\n", "two\n"} {
			if a := put(may, 201, of, "a.txt", content); a.header.Get("Roundhouse-File") != strconv.Itoa(i+1) {
				t.Errorf("%s: its number is %s", of, a.header.Get("Roundhouse-File"))
			}
		}
		var list apigen.Papers
		auditor.must(200, "GET", "/papers/"+of, nil).into(t, &list)
		if len(list.Items) != 2 || list.Items[0].Caption != "As signed" || list.Items[0].Entry != nil ||
			*list.Items[1].Sha256 != hashOf("two\n") {
			t.Errorf("%s: %+v", of, list.Items)
		}
		if a := auditor.must(200, "GET", "/papers/"+of+"/2/content", nil); string(a.body) != "two\n" {
			t.Errorf("%s: its content is %q", of, a.body)
		}
		auditor.must(403, "POST", "/papers/"+of+"/1/removal", m{"reason": "x"})
		may.must(200, "POST", "/papers/"+of+"/1/removal", m{"reason": "Out of date"})
		auditor.must(410, "GET", "/papers/"+of+"/1/content", nil)
	}
	put(auditor, 403, asset, "a.txt", "x")
	put(lead, 403, "vendor/corvane", "a.txt", "x")
	for _, none := range []string{"vendor/nobody", "asset/99999", "case/1", "person/1", "asset/x", "asset"} {
		put(admin, 404, none, "a.txt", "x")
	}
	ragna.must(404, "GET", "/papers/asset/99999", nil)
	ragna.must(400, "GET", "/papers/person/1", nil)

	// What has papers is not removed from the register.
	sh := w.shell(4)
	path := filepath.Join(sh.home, "list.csv")
	if err := os.WriteFile(path, []byte("1;2\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	sh.ok([]string{"account", "add", "--vendor", "corvane", "--number", "saltmarsh-trial"})
	sh.ok([]string{"paper", "add", "account", "saltmarsh-trial", path, "--caption", "Prices"}, "list.csv is paper 1")
	sh.ok([]string{"paper", "list", "account", "saltmarsh-trial"}, "list.csv", "Prices")
	if out := sh.ok([]string{"paper", "fetch", "account", "saltmarsh-trial", "1", "--to", "-"}); out != "1;2\n" {
		t.Errorf("taken out: %q", out)
	}
	sh.ok([]string{"paper", "add", "account", "saltmarsh-trial", path}, "list.csv is paper 2")
	sh.fails(2, []string{"paper", "fetch", "account", "saltmarsh-trial", "list.csv"},
		"2 files are called list.csv", "1, 2")
	sh.fails(4, []string{"account", "remove", "saltmarsh-trial"}, "papers of it refer to it")
	sh.ok([]string{"paper", "remove", "account", "saltmarsh-trial", "1", "--text", "Wrong one"}, "was removed")
	sh.fails(3, []string{"paper", "fetch", "account", "saltmarsh-trial", "7"}, "no paper 7")
	sh.fails(2, []string{"paper", "list", "person", "ragna"}, "use vendor, contract, account, asset")

	// On the page of the thing.
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/register/assets/"+asset[len("asset/"):]), see("paper-2"),
		dp.SetUploadFiles(browser.ID("pick-papers"), []string{path}), see("paper-3"), press("remove-paper-3"),
		write("paper-why", "Wrong one"), press("do-remove-paper"), gone("paper-why"),
		browser.True(`document.querySelector('[data-testid=paper-3]').innerText.includes('content removed: Wrong one')`))
}
