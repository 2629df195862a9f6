package e2e

import (
	"archive/zip"
	"encoding/json"
	"io"
	"path/filepath"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// wanting is a case with a vendor that wants two files with a fault.
func (w *world) wanting() (ragna *caller, name string) {
	w.t.Helper()
	ragna = w.byHand()
	w.as(4).patched(200, "/vendors/lark", m{"wanted_files": []m{{"kind": "fault", "name": "Printer log",
		"how": "on the printer under Service"}, {"kind": "any", "name": "Picture of the ticket"},
		{"kind": "part", "name": "Picture of the slot"}}})
	return ragna, ragna.draft("lark", "Prints blank tickets")
}

// What the vendor wants with a case of its kind is listed, and due until it has left or somebody says why it is not
// needed.
func TestFilesThatTheVendorWants(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, name := w.wanting()
	due := func(want ...string) {
		t.Helper()
		v, _ := ragna.get(name)
		if got := *orNone(v.FilesDue); strings.Join(got, "|") != strings.Join(want, "|") {
			t.Errorf("due: %q, want %q", got, want)
		}
	}
	due("Printer log", "Picture of the ticket")
	if _, a := ragna.begun(422, 3, map[string]string{"case": name, "filename": "x", "for": "Printer"}); !contains(
		string(a.body), "it wants: Printer log; Picture of the ticket") {
		t.Errorf("for a file that is not wanted: %s", a.body)
	}
	ragna.attached(name, "p.log", "password="+leaked+"\n", "for", "Printer log")
	due("Printer log", "Picture of the ticket")
	var list apigen.Files
	ragna.must(200, "GET", "/cases/"+name+"/files", nil).into(t, &list)
	if len(list.Wanted) != 2 || len(list.Wanted[0].Files) != 1 || list.Wanted[0].Sent || !list.Wanted[0].Due {
		t.Errorf("wanted: %+v", list.Wanted)
	}
	// A masked copy of it is it too.
	var masked apigen.File
	ragna.must(201, "POST", "/cases/"+name+"/files/1/masked", nil).into(t, &masked)
	v := ragna.step(name, m{"step": "file", "files": []int{masked.Number}})
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "arrived", "reference": "FL-10001"})
	due("Picture of the ticket")
	sh := w.shell(0)
	sh.ok([]string{"case", "show", name}, "Files that Lark Printing is still waiting for: Picture of the ticket")
	sh.fails(2, []string{"case", "not-needed", name, "Picture of the ticket"}, "give the reason with --text")
	sh.fails(4, []string{"case", "not-needed", name, "Picture", "--text", "x"}, "it wants: Printer log")
	sh.ok([]string{"case", "not-needed", name, "Picture of the ticket", "--text", "It is blank"},
		"Printer log: sent", "Picture of the ticket: not needed, It is blank (Ragna Lie)")
	due()
	if ragna.said(name, "Not needed for the vendor: Picture of the ticket. Reason: It is blank") != 1 {
		t.Error("the record does not say why")
	}
	sh.ok([]string{"case", "not-needed", name, "Picture of the ticket", "--again"}, "Picture of the ticket: missing")
	due("Picture of the ticket")
	w.as(3).must(403, "PUT", "/cases/"+name+"/wanted-files", m{"name": "Printer log", "reason": "x"})
	w.replayed()
}

// In the console the list stands with the files; a file is added for it, or said not to be needed.
func TestWantedFilesInTheConsole(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, name := w.wanting()
	v := ragna.step(name, m{"step": "file"})
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "arrived", "reference": "FL-10001"})
	ragna.attached(name, "p.log", "one\n")
	tab := w.page("dark", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), see("files-due"), press("waive-Picture of the ticket"),
		write("waive-reason", "It is blank"), press("do-waive"), gone("waive-Picture of the ticket"),
		browser.Click(dp.CSS(`[data-testid=file-1]>.name`)), see("file-for"),
		choose("file-for", "Printer log"), press("save-file"), gone("file"))
	if f := ragna.file(name, 1); f.For == nil || *f.For != "Printer log" {
		t.Errorf("the file is for %v", f.For)
	}
}

// All files of a case come in one archive with a manifest: only those that one sees, each with its hash.
func TestFilesInOneArchive(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, arne := w.as(0), w.as(1)
	name := ragna.draft("corvane", "Which colour code?")
	ragna.must(422, "GET", "/cases/"+name+"/files-archive", nil)
	ragna.attached(name, "a.log", "one\n", "caption", "Before")
	ragna.attached(name, "a.log", "two\n")
	ragna.attached(name, "pay.csv", "3\n", "sensitive", "true")
	for i, files := range map[int]int{0: 3, 1: 2} {
		sh := w.shell(i)
		to := filepath.Join(sh.home, "all.zip")
		sh.ok([]string{"case", "fetch", name, "--to", to}, "Saved")
		z, err := zip.OpenReader(to)
		if err != nil {
			t.Fatal(err)
		}
		defer z.Close()
		content := map[string]string{}
		for _, f := range z.File {
			r, err := f.Open()
			if err != nil {
				t.Fatal(err)
			}
			raw, err := io.ReadAll(r)
			if err != nil {
				t.Fatal(err)
			}
			content[f.Name] = string(raw)
		}
		var says struct {
			Case   string
			Hidden int
			Files  []struct{ Path, Caption, SHA256 string }
		}
		if err := json.Unmarshal([]byte(content[name+"-files/manifest.json"]), &says); err != nil {
			t.Fatal(err)
		}
		if says.Case != name || len(says.Files) != files || says.Hidden != 3-files || len(content) != files+1 {
			t.Errorf("person %d: %+v with %d files", i, says, len(content))
		}
		for _, f := range says.Files {
			if hashOf(content[f.Path]) != f.SHA256 {
				t.Errorf("%s is not what the manifest says", f.Path)
			}
		}
		if content[name+"-files/002-a.log"] != "two\n" || says.Files[0].Caption != "Before" {
			t.Errorf("person %d: %q", i, content)
		}
	}
	arne.must(404, "GET", "/cases/C-9999/files-archive", nil)
}
