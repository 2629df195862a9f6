package e2e

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"testing"
)

// The service documents its own API, for those who are signed in; what it shows is the contract.
func TestTheAPIDocumentsItself(t *testing.T) {
	t.Parallel()
	w := still(t)
	if r, err := http.Get(w.url + "/api"); err != nil || r.StatusCode != 401 {
		t.Errorf("without signing in: %v, %v", r.Status, err)
	}
	page := func(path string) string {
		req, err := http.NewRequest("GET", w.url+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+w.people[0].Token)
		r, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		b, err := io.ReadAll(r.Body)
		if err != nil || r.StatusCode != 200 {
			t.Fatalf("%s: %s, %v", path, r.Status, err)
		}
		return string(b)
	}
	html := page("/api")
	for _, part := range []string{"<code>/cases/{case}/steps</code>", `istAssets"`, `id="s-Contract"`, "Idempotency-Key",
		"A case number such as C-1042", "rank of the vendor"} {
		if !contains(html, part) {
			t.Errorf("the page does not have %q", part)
		}
	}
	for _, m := range regexp.MustCompile(`href="#([^"]+)"`).FindAllStringSubmatch(html, -1) {
		if !contains(html, `id="`+m[1]+`"`) {
			t.Errorf("a link leads nowhere: %s", m[1])
		}
	}
	if doc := page("/api/openapi.json"); !contains(doc, `"openapi":"3.1.0"`, `"/assets/{id}"`) {
		t.Errorf("the contract: %.200s", doc)
	}
}

// A file of settings stands behind flags and environment, and says what it does not know.
func TestSettingsFromAFile(t *testing.T) {
	t.Parallel()
	w := still(t)
	s := &shell{t: t, home: t.TempDir()}
	file := filepath.Join(s.home, "desk.yaml")
	write := func(text string) {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("database: " + w.db + "\nrebuild: false\n")
	s.ok(words("check --config "+file), "0 cases checked")
	s.env = []string{"ROUNDHOUSE_DATABASE=postgres://x:y@127.0.0.1:1/z"}
	if out, code := s.run("", "check", "--config", file); code != 1 || !contains(out, "cannot be reached") {
		t.Errorf("the environment comes first: status %d: %s", code, out)
	}
	s.ok(words("check --config "+file+" --database "+w.db), "0 cases checked")
	for text, say := range map[string]string{"listem: x\n": "listem is not a setting", "database: [": "desk.yaml",
		"rebuild: perhaps\n": "rebuild"} {
		write(text)
		s.env = nil
		if out, code := s.run("", "check", "--config", file); code == 0 || !contains(out, say) {
			t.Errorf("%q: status %d: %s", text, code, out)
		}
	}
}
