package e2e

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"io"
	"mime"
	"mime/multipart"
	"net/mail"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/browser"
	"roundhouse.example/internal/server/apigen"
)

// attached adds a file to a case and gives its number.
func (c *caller) attached(name, file, content string, meta ...string) int {
	c.w.t.Helper()
	with := map[string]string{"case": name, "filename": file}
	for i := 0; i+1 < len(meta); i += 2 {
		with[meta[i]] = meta[i+1]
	}
	at, _ := c.begun(201, len(content), with)
	n, _ := strconv.Atoi(c.piece(204, at, 0, []byte(content)).header.Get("Roundhouse-File"))
	return n
}

func hashOf(content string) string {
	sum := sha256.Sum256([]byte(content))
	return hex.EncodeToString(sum[:])
}

// Files go behind their message through a vendor's API, each once whatever the vendor does, in the order wanted, and
// what left is in the record with its hash. What cannot go is refused before anything is written.
func TestFilesGoWithAMessage(t *testing.T) {
	t.Parallel()
	w := newWorld(t, nil, 30)
	ragna, arne := w.as(0), w.as(1)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	ragna.attached(name, "first.log", "one\n", "caption", "Before the change")
	ragna.attached(name, "second.log", "two\n")
	ragna.attached(name, "secret.log", "password="+leaked+"\n")
	ragna.attached(name, "pay.log", "7\n", "sensitive", "true")
	path := "/cases/" + name + "/messages"
	before := len(ragna.entries(name))
	for _, bad := range []struct {
		files []int
		says  string
	}{{[]int{9}, "this case has no file 9"}, {[]int{1, 1}, "file 1 is named twice"}} {
		p := ragna.must(422, "POST", path, m{"text": "x", "files": bad.files}).problem(t)
		if !contains(*p.Detail, bad.says) {
			t.Errorf("%v: %s", bad.files, *p.Detail)
		}
	}
	p := ragna.must(422, "POST", path, m{"text": "x", "files": []int{3}}).problem(t)
	if !strings.HasSuffix(p.Type, "/must-not-leave") ||
		!contains((*p.Errors)[0].Detail, "file 3, secret.log, line 1: password") {
		t.Errorf("a file with a password: %+v %+v", p, p.Errors)
	}
	if p := ragna.must(409, "POST", path, m{"text": "x", "files": []int{4}}).problem(t); !contains(*p.Detail,
		"File 4 is sensitive. Send this only if it is intended.") {
		t.Errorf("a sensitive file: %s", *p.Detail)
	}
	if p := arne.must(422, "POST", path, m{"text": "x", "files": []int{4}, "confirm_files": true}).problem(t); !contains(
		*p.Detail, "no file 4") {
		t.Errorf("a file that one does not see: %s", *p.Detail)
	}
	w.again("null", "null", 2, "now()")
	if p := ragna.must(422, "POST", path, m{"text": "x", "files": []int{1, 2}}).problem(t); !contains(*p.Detail,
		"file 2 is still being checked: wait a moment, then send it") {
		t.Errorf("a file that is not looked through yet: %s", *p.Detail)
	}
	w.again("arrived_at", "sha256(cast(E'two\\n' as bytea))", 2, "now()")
	if n := len(ragna.entries(name)); n != before {
		t.Errorf("what was refused left %d entries", n-before)
	}

	w.cast.Misbehave("corvane", "well", "cut", "garbage") // the message, then each of the files
	ragna.must(201, "POST", path, m{"text": "Both logs", "files": []int{2, 1}})
	var v apigen.Case
	w.until("all of it arrives", func() bool { v, _ = ragna.get(name); return len(v.OnTheWay) == 0 })
	papers := w.cast.Jobs("corvane")[0].Papers
	if len(papers) != 2 || papers[0].Name != "second.log" || papers[1].Name != "first.log" ||
		papers[1].SHA256 != hashOf("one\n") || !contains(papers[1].Words, "Before the change") ||
		!contains(papers[0].Words, "second.log") {
		t.Errorf("the vendor has %+v", papers)
	}
	for _, say := range []string{"File 1 sent: first.log (4 bytes, SHA-256 " + hashOf("one\n") + ").",
		"Files\n1. second.log (4 bytes)\n2. first.log (4 bytes): Before the change"} {
		if ragna.said(name, say) != 1 {
			t.Errorf("the record does not say %q once", say)
		}
	}
	for _, e := range ragna.entries(name) {
		list := *orNone(e.Enclosed)
		if len(list) > 0 && (len(list) != 2 || list[0].Number != 2 || list[0].State != "arrived") {
			t.Errorf("entry %d: %+v", e.Number, list)
		}
	}
	if f := ragna.file(name, 1); f.Sent == nil || len(*f.Sent) != 1 || (*f.Sent)[0].At == nil {
		t.Errorf("the file says %+v", f.Sent)
	}

	ragna.must(201, "POST", path, m{"files": []int{3, 4}, "disclose_reason": "A test account", "confirm_files": true})
	w.until("they arrive too", func() bool { v, _ = ragna.get(name); return len(v.OnTheWay) == 0 })
	for _, say := range []string{"has a password in it, and is sent anyway. Reason: A test account",
		"Confirmed as intended", "File 4 sent: a sensitive file (2 bytes"} {
		if ragna.said(name, say) != 1 {
			t.Errorf("the record does not say %q once", say)
		}
	}
	for _, e := range arne.entries(name) {
		for _, f := range *orNone(e.Enclosed) {
			if f.Number == 4 && f.Name != nil {
				t.Errorf("others read the name %s", *f.Name)
			}
		}
	}
	w.replayed()
}

func orNone[T any](list *[]T) *[]T {
	if list == nil {
		return &[]T{}
	}
	return list
}

// A message that is not sent takes its files with it; one that a person sends has them beside it.
func TestFilesOfAMessageThatAPersonSends(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	w.as(4).patched(200, "/vendors/corvane",
		m{"ways": []m{{"channel": "chat", "address": "https://help.corvane.example/chat"}}})
	name := ragna.filed("corvane", "Which colour code? [mute]")
	ragna.attached(name, "first.log", "one\n")
	path := "/cases/" + name + "/messages"
	w.cast.Misbehave("corvane", "down", "down", "down", "down")
	ragna.must(201, "POST", path, m{"text": "With a log", "files": []int{1}})
	var v apigen.Case
	waits := func(state string) func() bool {
		return func() bool {
			v, _ = ragna.get(name)
			return len(v.OnTheWay) > 0 && string(v.OnTheWay[0].State) == state
		}
	}
	w.until("nobody knows", waits("unsure"))
	if len(v.OnTheWay) != 2 || v.OnTheWay[1].OnlyFiles == nil || (*v.OnTheWay[1].Files)[0].Number != 1 {
		t.Errorf("on the way: %+v", v.OnTheWay)
	}
	// In a chat no files go: they stay, and the record says so.
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "send-yourself", "channel": "chat"})
	if v, _ = ragna.get(name); len(v.OnTheWay) != 1 || v.OnTheWay[0].Files != nil ||
		ragna.said(name, "were not sent: no files can be sent ") != 1 {
		t.Errorf("after a person took the message to the chat: %+v", v.OnTheWay)
	}
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "dont-send"})
	if v, _ = ragna.get(name); len(v.OnTheWay) != 0 {
		t.Errorf("after the message was not sent: %+v", v.OnTheWay)
	}
	w.until("the vendor is well", func() bool {
		w.cast.Misbehave("corvane")
		return true
	})
	hand := w.byHand()
	draft := hand.draft("lark", "Prints blank tickets")
	hand.attached(draft, "second.log", "two\n", "caption", "One night")
	step := m{"step": "file", "channel": "phone", "files": []int{1}}
	if p := hand.do("POST", "/cases/"+draft+"/steps", step, "If-Match", tag(hand, draft)).problem(t); p.Status != 422 ||
		!contains(*p.Detail, "files cannot be sent that way") {
		t.Errorf("a file by phone: %+v", p)
	}
	v = hand.step(draft, m{"step": "file", "files": []int{1}})
	if d := v.OnTheWay[0]; d.Files == nil || (*d.Files)[0].Number != 1 ||
		!contains(*d.Text, "1. second.log (4 bytes): One night") {
		t.Errorf("to be sent: %+v", d)
	}
	w.shell(0).ok([]string{"case", "show", draft}, "Send with it", "File 1, second.log (4 bytes)")
	hand.must(200, "POST", decision(draft, v, 0), m{"decision": "arrived", "reference": "FL-10001"})
	if hand.said(draft, "Filed. Vendor reference: FL-10001.\nFile 1 sent: second.log (4 bytes, SHA-256 "+
		hashOf("two\n")) != 1 {
		t.Error("the record does not say what went with the filing")
	}
	w.replayed()
}

// An email has its files in it, under their names, and no more than the vendor takes.
func TestFilesGoInAnEmail(t *testing.T) {
	t.Parallel()
	w := still(t)
	server, sh := w.mails("help@lark.example")
	ragna := w.as(0)
	name := ragna.draft("lark", "It prints blank tickets")
	ragna.attached(name, "blæk.log", "one\n", "caption", "One night")
	ragna.attached(name, "b.bin", string(noise(100_000)))
	sh.ok([]string{"case", "file", name, "--enclose", "1,2"}, name)
	ragna.untilState(name, "filed")
	letter, err := mail.ReadMessage(strings.NewReader(server.wait(w, 1)[0]))
	if err != nil {
		t.Fatal(err)
	}
	_, params, err := mime.ParseMediaType(letter.Header.Get("Content-Type"))
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	for r := multipart.NewReader(letter.Body, params["boundary"]); ; {
		part, err := r.NextRawPart()
		if err == io.EOF {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		_, how, _ := mime.ParseMediaType(part.Header.Get("Content-Disposition"))
		file, _ := new(mime.WordDecoder).DecodeHeader(how["filename"])
		raw, _ := io.ReadAll(base64.NewDecoder(base64.StdEncoding, part))
		got[file] = string(raw)
	}
	if got["blæk.log"] != "one\n" || got["b.bin"] != string(noise(100_000)) {
		t.Errorf("the email has the files %d: %q", len(got), got["blæk.log"])
	}
	for range 3 {
		n := ragna.attached(name, "large.bin", string(noise(6<<20)))
		w.until("it has been looked through", func() bool { return ragna.file(name, n).Checked })
	}
	sh.fails(4, []string{"case", "reply", name, "--text", "Three more", "--enclose", "3,4,5"},
		"an email to the vendor takes at most 20 MB, which is 15 MB of files; this is 18 MB")
}

// In the console: files are chosen for a message, masked there, and asked for; the review of a draft has them too.
func TestFilesAreSentInTheConsole(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	ragna.attached(name, "secret.log", "password="+leaked+"\n")
	ragna.attached(name, "pay.log", "7\n", "sensitive", "true")
	draft := ragna.draft("corvane", "Slow since this morning [mute]")
	path := filepath.Join(t.TempDir(), "new.log")
	if err := os.WriteFile(path, []byte("three\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	tab := w.page("light", 1280, 800, 0)
	sendable := `!document.querySelector('[data-testid=send]').disabled`
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), press("door-message"), write("writing", "Here it is"),
		browser.True(sendable), press("send-file-1"), see("disclose-files"), browser.True("!("+sendable+")"),
		press("mask-1"), gone("disclose-files"), browser.True(sendable), press("send-file-2"), press("send"),
		see("ask-files"), browser.True("!("+sendable+")"), press("confirm-files"), browser.True(sendable),
		dp.SetUploadFiles(browser.ID("enclose-pick"), []string{path}), see("send-file-4"),
		browser.True(`document.querySelector('[data-testid=send-file-4]').checked && `+sendable), press("send"),
		gone("writing"), see("enclosed"))
	w.until("the vendor has them", func() bool { return len(w.cast.Jobs("corvane")[0].Papers) == 3 })
	for i, want := range []string{"secret-masked.log", "pay.log", "new.log"} {
		if p := w.cast.Jobs("corvane")[0].Papers[i]; p.Name != want {
			t.Errorf("file %d is %s, want %s", i+1, p.Name, want)
		}
	}
	w.steps(tab, browser.Go("/open/"+draft), see("add-files"),
		dp.SetUploadFiles(browser.ID("pick-files"), []string{path}), see("file-1"), press("review"), press("send-file-1"),
		press("file"), gone("review-dialog"))
	ragna.untilState(draft, "open")
	w.until("the vendor has the file", func() bool { return len(w.cast.Jobs("corvane")[1].Papers) == 1 })
}
