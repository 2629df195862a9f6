package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// What a file holds is known once it has arrived, wherever it is hidden; a masked copy is made in one act.
func TestFilesAreLookedThrough(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Which colour code?")
	add := func(file, content string) apigen.File {
		t.Helper()
		at, _ := ragna.begun(201, len(content), map[string]string{"case": name, "filename": file})
		n, _ := strconv.Atoi(ragna.piece(204, at, 0, []byte(content)).header.Get("Roundhouse-File"))
		return ragna.file(name, n)
	}
	f := add("app.log", "started\npassword="+leaked+"\nended\n")
	if len(f.Found) != 1 || f.Found[0].Kind != "password" || len(*f.Findings) != 1 || (*f.Findings)[0].Line != 2 ||
		!f.Checked || contains((*f.Findings)[0].Excerpt, leaked) || f.NamedType != nil {
		t.Errorf("a password: %+v", f)
	}
	var masked apigen.File
	for range 2 { // a second time it is the same copy
		ragna.must(201, "POST", "/cases/"+name+"/files/1/masked", nil).into(t, &masked)
	}
	if masked.Name != "app-masked.log" || masked.CopyOf == nil || *masked.CopyOf != 1 || len(masked.Found) != 0 ||
		masked.Number != 2 || string(ragna.fetched(name, 2)) != "started\npassword=********\nended\n" {
		t.Errorf("the masked copy: %+v", masked)
	}
	if f := add("shot.png", "PK\x05\x06"+strings.Repeat("\x00", 18)); f.NamedType == nil || *f.NamedType != "image/png" ||
		*f.Type != "application/zip" {
		t.Errorf("a file that lies: %+v", f)
	}
	// Bytes that are no text, with a secret among them, are kept and shown like any other.
	f = add("core.bin", "\x00\x1b[2J\xff\xfe password="+leaked+"\x00\x01\n")
	if len(f.Found) == 0 || contains((*f.Findings)[0].Excerpt, "\x00") || contains((*f.Findings)[0].Excerpt, "\x1b") {
		t.Errorf("a secret among bytes: %+v", f)
	}
	ragna.must(422, "POST", "/cases/"+name+"/files/3/masked", nil)
	a := ragna.must(200, "GET", "/cases/"+name+"/files/3/content?show=true", nil)
	if a.header.Get("Content-Disposition") != `attachment; filename=shot.png` ||
		a.header.Get("Content-Type") != "application/octet-stream" ||
		!contains(a.header.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("what is no picture is shown: %v", a.header)
	}
	a = ragna.must(206, "GET", "/cases/"+name+"/files/1/content", nil, "Range", "bytes=8-15")
	if string(a.body) != "password" {
		t.Errorf("a part of it: %q", a.body)
	}

	// A file that the disk has lost a part of before it was looked through says so, and cannot be sent.
	f = add("long.log", "one\ntwo\nthree\n")
	w.again("null", "null", f.Number, "null")
	_ = filepath.WalkDir(w.filesAt(), func(path string, e os.DirEntry, err error) error {
		if raw, err := os.ReadFile(path); err == nil && string(raw) == "one\ntwo\nthree\n" {
			return os.Truncate(path, 5)
		}
		return nil
	})
	w.until("it is looked through again", func() bool { f = ragna.file(name, f.Number); return f.Problem != nil })
	if f.Checked || *f.Problem != "the file is shorter than what was sent" {
		t.Errorf("a file that is cut: %+v", f)
	}
}

// again makes a file one that was looked through at an instant, with a hash, or not yet; tried is when that was begun.
func (w *world) again(at, hash string, number int, tried string) {
	w.t.Helper()
	set := fmt.Sprintf("update file set looked_at = %s, examined_at = %s, sha256 = %s where number = %d", tried, at, hash,
		number)
	for _, sql := range []string{"alter table file disable trigger user", set, "alter table file enable trigger user"} {
		if _, err := w.desk.Store.DB.Exec(sql); err != nil {
			w.t.Fatal(err)
		}
	}
}

// Files in the terminal: added with what was found in them, from standard input too, over a connection that breaks;
// listed and taken out again.
func TestFilesInTheTerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	name, sh := w.as(0).draft("corvane", "Which colour code?"), w.shell(0)
	path := filepath.Join(sh.home, "app.log")
	if err := os.WriteFile(path, []byte("started\npassword="+leaked+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	sh.ok([]string{"case", "files", name}, "No files")
	sh.ok([]string{"case", "attach", name, path, "--caption", "From node 2"}, "app.log is file 1 (", "password (stop, 1)")
	if out, code := sh.run("two\nlines\n", "case", "attach", name, "-", "--name", "head.txt", "--sensitive"); code != 0 ||
		!contains(out, "head.txt is file 2 (10 bytes)") {
		t.Errorf("from standard input: %d %s", code, out)
	}
	sh.ok([]string{"case", "files", name}, "app.log", "head.txt", "sensitive", "password (stop, 1)",
		"not sent")
	sh.ok([]string{"case", "files", name, "app.log"}, "From node 2", "SHA-256", "password=********")
	w.shell(1).ok([]string{"case", "files", name}, "app.log", "1 sensitive file not shown")
	w.shell(1).fails(3, []string{"case", "fetch", name, "2"}, "has no file 2")
	to := filepath.Join(sh.home, "back.txt")
	sh.ok([]string{"case", "fetch", name, "head.txt", "--to", to}, "Saved", "(10 bytes)")
	if raw, err := os.ReadFile(to); err != nil || string(raw) != "two\nlines\n" {
		t.Errorf("taken out: %q, %v", raw, err)
	}
	sh.fails(1, []string{"case", "fetch", name, "head.txt", "--to", to}, "exists already")
	sh.ok([]string{"case", "fetch", name, "head.txt", "--to", filepath.Dir(to)}, "Saved "+
		filepath.Join(filepath.Dir(to), "head.txt"))
	if out := sh.ok([]string{"case", "fetch", name, "2", "--to", "-"}); out != "two\nlines\n" {
		t.Errorf("to standard output: %q", out)
	}
	for _, bad := range [][]string{{"attach", name, sh.home}, {"attach", name, "-"},
		{"attach", name, path, path, "--name", "x"}} {
		sh.fails(2, append([]string{"case"}, bad...))
	}
	sh.fails(3, []string{"case", "attach", "C-9999", path}, "no such case")
	sh.fails(1, []string{"case", "attach", name, filepath.Join(sh.home, "none")}, "no such file")

	big := filepath.Join(sh.home, "big.bin")
	if err := os.WriteFile(big, noise(2<<20), 0o600); err != nil {
		t.Fatal(err)
	}
	address, cut := cutting(t, strings.TrimPrefix(w.url, "http://"), 1<<20)
	sh.env = append(sh.env, "ROUNDHOUSE_URL=http://"+address)
	sh.ok([]string{"case", "attach", name, big}, "big.bin is file 3 (2 MB)")
	if cut.Load() != 1 {
		t.Errorf("the connection broke %d times", cut.Load())
	}
}

// In the console: files are picked, dropped and pasted; what was found in them stands beside each; a masked copy takes
// one act; what is refused says so and can be taken away.
func TestFilesInTheConsole(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	dir := t.TempDir()
	put := func(file, content string) string {
		t.Helper()
		path := filepath.Join(dir, file)
		if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	p := w.page("light", 1280, 800, 0)
	w.steps(p, dp.Navigate(w.url+"/cases/"+name), see("add-files"))
	w.steps(p, dp.SetUploadFiles(browser.ID("pick-files"), []string{put("app.log", "password="+leaked+"\n"),
		put("empty.log", "")}), see("file-1"))
	w.steps(p,
		browser.True(`document.querySelector('[data-testid=file-1]').innerText.includes('Must not be sent: password')`),
		browser.True(`document.querySelector('[data-testid=coming]').innerText.includes('The file is empty')`),
		browser.Click(dp.CSS(`[data-testid=coming] button`)), gone("coming"))
	w.steps(p, browser.Click(dp.CSS(`[data-testid=file-1]>.name`)), press("mask-file"),
		see("masked-as"), write("file-caption", "From node 2"),
		press("save-file"), gone("file"), see("file-2"))
	if f := ragna.file(name, 1); f.Caption != "From node 2" {
		t.Errorf("its caption: %q", f.Caption)
	}
	if string(ragna.fetched(name, 2)) != "password=********\n" {
		t.Error("the masked copy holds it")
	}
	// A dropped one, and a screenshot from the clipboard.
	w.steps(p, browser.True(`(() => { const d = new DataTransfer(); d.items.add(new File(['two'], 'dropped.txt'));
		document.body.dispatchEvent(new DragEvent('drop', {dataTransfer: d, bubbles: true})); return true })()`),
		see("file-3"),
		browser.True(`(() => { const d = new DataTransfer(); d.items.add(new File(['x'], 'image.png', {type: 'image/png'}));
		document.body.dispatchEvent(new ClipboardEvent('paste', {clipboardData: d, bubbles: true})); return true })()`),
		press("add-as-is"), see("file-4"))
	if f := ragna.looked(name, 4); !strings.HasPrefix(f.Name, "screenshot-") || f.NamedType == nil {
		t.Errorf("what was pasted: %+v", f)
	}
}
