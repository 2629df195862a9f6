package e2e

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
)

// picture is a PNG of one colour.
func picture(t *testing.T, width, height int, c color.Color) string {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			m.Set(x, y, c)
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func colourAt(t *testing.T, raw []byte, x, y int) color.RGBA {
	t.Helper()
	m, err := png.Decode(bytes.NewReader(raw))
	if err != nil {
		t.Fatal(err)
	}
	return color.RGBAModel.Convert(m.At(x, y)).(color.RGBA)
}

// A picture is blacked out and marked in the console, by pointer and by numbers; the copy has nothing left of what was
// blacked out, and is of the full size.
func TestAPictureIsBlackedOut(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Which colour code?")
	ragna.attached(name, "screen.png", picture(t, 1600, 1000, color.RGBA{200, 30, 30, 255}), "caption", "The alarm")
	ragna.attached(name, "broken.png", picture(t, 8, 8, color.White)[:20])
	tab := w.page("light", 1280, 800, 0)
	drag := `(() => { const c = document.querySelector('[data-testid=canvas]'), b = c.getBoundingClientRect();
		const at = (type, x, y) => c.dispatchEvent(new PointerEvent(type, {bubbles: true, pointerId: 1,
			clientX: b.left + b.width * x, clientY: b.top + b.height * y}));
		c.setPointerCapture = () => {}; at('pointerdown', 0.5, 0.5); at('pointermove', 0.6, 0.6);
		at('pointermove', 0.75, 0.75); at('pointerup', 0.75, 0.75); return true })()`
	const fits = `[...document.querySelectorAll('[role=dialog] button, [role=dialog] a')].every(b =>
		b.getBoundingClientRect().right <= innerWidth)`
	marks := func(n string) dp.Action[dp.Void] {
		return browser.True(`document.querySelector('[data-testid=canvas]').ariaLabel.includes('with ` + n + ` marks')`)
	}
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), see("file-2"), browser.Click(dp.CSS(`[data-testid=file-1]>.name`)),
		see("mark-file"), browser.Window("light", 390, 800), browser.True(fits), browser.Window("light", 1280, 800),
		press("mark-file"), see("canvas"),
		browser.True(`document.querySelector('[data-testid=canvas]').width === 1600`), browser.True(drag), marks("1"),
		browser.True(`(document.querySelector('[data-testid=picture] details').open = true)`), press("put-mark"), marks("2"),
		press("undo"), marks("1"), press("put-mark"), marks("2"), press("save-picture"), gone("picture"), see("file-3"))
	f := ragna.looked(name, 3)
	raw := ragna.fetched(name, 3)
	if f.Name != "screen-marked.png" || f.CopyOf == nil || *f.CopyOf != 1 || *f.Type != "image/png" {
		t.Errorf("the copy: %+v", f)
	}
	black, red := color.RGBA{0, 0, 0, 255}, color.RGBA{200, 30, 30, 255}
	for _, x := range []struct {
		x, y int
		want color.RGBA
	}{{1000, 625, black}, {801, 501, black}, {1198, 748, black}, {790, 490, red}, {1300, 900, red}, {10, 10, black},
		{399, 99, black}, {410, 10, red}} {
		if got := colourAt(t, raw, x.x, x.y); got != x.want {
			t.Errorf("at %d, %d it is %v, want %v", x.x, x.y, got, x.want)
		}
	}
	// What is no picture says so.
	w.steps(tab, browser.Click(dp.CSS(`[data-testid=file-2]>.name`)), see("file-caption"))
	if f := ragna.looked(name, 2); *f.Type != "image/png" {
		t.Errorf("its type: %s", *f.Type)
	}
	w.steps(tab, press("mark-file"), see("canvas"),
		browser.True(`document.querySelector('[data-testid=picture]').innerText.includes('cannot be shown here')`))
}

// A pasted screenshot is shown first, so that what it shows too much of is never stored.
func TestAPastedScreenshotIsBlackedOutFirst(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Which colour code?")
	tab := w.page("dark", 1280, 800, 0)
	paste := `(async () => { const c = new OffscreenCanvas(400, 300), x = c.getContext('2d');
		x.fillStyle = '#c81e1e'; x.fillRect(0, 0, 400, 300); const d = new DataTransfer();
		d.items.add(new File([await c.convertToBlob()], 'image.png', {type: 'image/png'}));
		document.body.dispatchEvent(new ClipboardEvent('paste', {clipboardData: d, bubbles: true})) })()`
	w.steps(tab, dp.Navigate(w.url+"/open/"+name), see("add-files"),
		dp.Evaluate[dp.Void](paste, dp.EvalAwaitPromise), see("canvas"),
		browser.True(`(document.querySelector('[data-testid=picture] details').open = true)`),
		browser.True(`document.querySelector('[data-testid=save-picture]').disabled`), press("put-mark"),
		press("save-picture"), gone("picture"), see("file-1"))
	if got := colourAt(t, ragna.fetched(name, 1), 5, 5); got != (color.RGBA{0, 0, 0, 255}) {
		t.Errorf("it is stored as it was: %v", got)
	}
	if f := ragna.file(name, 1); f.CopyOf != nil {
		t.Errorf("it is a copy of %d", *f.CopyOf)
	}
}

// The content of a file is removed for good, with a reason; what the record knows of it stays.
func TestAFileIsRemoved(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	ragna.attached(name, "a.log", "one\n")
	ragna.attached(name, "b.log", "two\n")
	path := "/cases/" + name + "/files/1"
	w.cast.Misbehave("corvane", "down", "down", "down", "down", "down")
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "With a log", "files": []int{1}})
	if p := ragna.must(409, "POST", path+"/removal", m{"reason": "x"}).problem(t); !contains(*p.Detail,
		"It goes with entry") {
		t.Errorf("while it goes: %s", *p.Detail)
	}
	w.cast.Misbehave("corvane")
	w.as(3).must(403, "POST", path+"/removal", m{"reason": "x"})
	sh := w.shell(0)
	sh.fails(2, []string{"case", "remove-file", name, "b.log"}, "give the reason")
	sh.ok([]string{"case", "remove-file", name, "b.log", "--text", "It shows names"}, "The content of file 2")
	if f := ragna.file(name, 2); f.Removed == nil || *f.Removed != "It shows names" || *f.Sha256 != hashOf("two\n") {
		t.Errorf("what is known of it: %+v", f)
	}
	ragna.must(410, "GET", "/cases/"+name+"/files/2/content", nil)
	ragna.must(422, "POST", "/cases/"+name+"/messages", m{"text": "x", "files": []int{2}})
	if ragna.said(name, "The content of file 2 was removed. Reason: It shows names\nIts SHA-256 was "+
		hashOf("two\n")) != 1 {
		t.Error("the record does not say it")
	}
	left := 0
	_ = filepath.WalkDir(w.filesAt(), func(path string, e os.DirEntry, err error) error {
		if raw, err := os.ReadFile(path); err == nil && string(raw) == "two\n" {
			left++
		}
		return nil
	})
	if left != 0 {
		t.Error("its content is still in the folder")
	}

	// What the folder does not let go of is removed all the same, for everybody.
	ragna.attached(name, "c.log", "three\n")
	_ = filepath.WalkDir(w.filesAt(), func(path string, e os.DirEntry, err error) error {
		if raw, err := os.ReadFile(path); err == nil && string(raw) == "three\n" {
			return errors.Join(os.Remove(path), os.MkdirAll(filepath.Join(path, "stuck"), 0o700))
		}
		return nil
	})
	ragna.must(200, "POST", "/cases/"+name+"/files/3/removal", m{"reason": "It shows names"})
	ragna.must(410, "GET", "/cases/"+name+"/files/3/content", nil)
	sh.ok([]string{"case", "files", name}, "content removed")
}
