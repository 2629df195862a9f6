package e2e

import (
	"io"
	"mime"
	"mime/quotedprintable"
	"net/mail"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	dp "github.com/chromedp/chromedp"
)

// mails gives the desk a mail server, and a vendor that is written to by email.
func (w *world) mails(address string) (*mailServer, *shell) {
	w.t.Helper()
	server := w.exim()
	admin, sh := w.as(4), w.shell(4)
	pem := filepath.Join(w.t.TempDir(), "authority.pem")
	if err := os.WriteFile(pem, []byte(server.authority), 0o600); err != nil {
		w.t.Fatal(err)
	}
	admin.must(201, "POST", "/secrets", m{"facts": m{"name": "mail-password", "label": "Mail server", "kind": "password",
		"hosts": []string{"127.0.0.1"}}, "value": "harbour"})
	admin.added("/vendors", m{"key": "lark", "name": "Lark Printing", "zone": "UTC", "hours": "round-the-clock",
		"levels": []m{{"label": "Slow", "severities": []int{1, 2, 3, 4}}},
		"ways":   []m{{"channel": "email", "address": address}}})
	sh.ok([]string{"link", "add", "desk-email", "--address", server.address, "--from", "it-desk@saltmarsh.example",
		"--name", "Saltmarsh Ferries", "--user", "desk", "--secret", "mail-password", "--authority", pem, "--vendor", "lark"},
		"serves lark")
	return server, sh
}

// A case is filed by email through a real server, and what arrives is what was meant: readable, in one thread, and
// known by its number.
func TestFiledByEmail(t *testing.T) {
	t.Parallel()
	w := still(t)
	server, sh := w.mails("help@lark.example")
	for _, auth := range []string{"plain", "login", "cram-md5", ""} {
		sh.ok([]string{"link", "change", "desk-email", "--auth", auth}, "desk-email")
		sh.ok([]string{"link", "try", "desk-email"}, "desk-email works.")
	}
	ragna := w.as(0)
	name := ragna.draft("lark", "Drucker klemmt: Ærlig talt, it prints blank tickets")
	long := "One long line: " + strings.Repeat("paper ", 500)
	ragna.patched(200, "/cases/"+name, m{"texts": m{"happened": "Since nine.\n.\nA dot alone.\n" + long,
		"copy_to": "Lead <lead@saltmarsh.example>"}})
	v, _ := ragna.get(name)
	if via := (*v.Routes)[0]; via.Channel != "email" || !via.Automatic {
		t.Fatalf("routes: %+v", *v.Routes)
	}
	preview := *v.Preview
	ragna.step(name, m{"step": "file"})
	v = ragna.untilState(name, "filed")
	raw := server.wait(w, 2)[0] // one of them is the copy
	for i, line := range strings.Split(strings.ReplaceAll(raw, "\r\n", "\n"), "\n") {
		if len(line) > 78 && !strings.HasPrefix(line, "Received") && !strings.HasPrefix(line, "\t") {
			t.Errorf("line %d has %d characters: %s", i+1, len(line), line)
		}
	}
	letter, err := mail.ReadMessage(strings.NewReader(raw))
	if err != nil {
		t.Fatal(err)
	}
	subject, err := new(mime.WordDecoder).DecodeHeader(letter.Header.Get("Subject"))
	if err != nil || subject != "Drucker klemmt: Ærlig talt, it prints blank tickets ["+name+"]" {
		t.Errorf("subject %q: %v", subject, err)
	}
	if from := letter.Header.Get("From"); from != `"Ragna Lie, Saltmarsh Ferries" <it-desk@saltmarsh.example>` ||
		letter.Header.Get("To") != "<help@lark.example>" || letter.Header.Get("Date") == "" ||
		letter.Header.Get("Cc") != "<lead@saltmarsh.example>" {
		t.Errorf("headers: %v", letter.Header)
	}
	text, err := io.ReadAll(quotedprintable.NewReader(letter.Body))
	if got := strings.TrimRight(strings.ReplaceAll(string(text), "\r\n", "\n"), "\n"); err != nil ||
		got != strings.TrimRight(preview, "\n") {
		t.Errorf("%v: it arrived as\n%s\nand was shown as\n%s", err, got, preview)
	}
	// What comes later follows it.
	_, etag := ragna.get(name)
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "The log is below."}, "If-Match", etag)
	var later *mail.Message
	for _, raw := range server.wait(w, 4) {
		if x, err := mail.ReadMessage(strings.NewReader(raw)); err == nil && x.Header.Get("In-Reply-To") != "" {
			later = x
		}
	}
	if later == nil || later.Header.Get("In-Reply-To") != letter.Header.Get("Message-ID") ||
		!strings.HasPrefix(later.Header.Get("Subject"), "Re: ") && !strings.Contains(later.Header.Get("Subject"), "Re:") {
		t.Errorf("the second email: %+v", later)
	}
}

// What a mail server refuses comes back onto the case in its words; what it puts off is tried again by itself.
func TestAnEmailIsRefused(t *testing.T) {
	t.Parallel()
	w := still(t)
	server, sh := w.mails("refused@lark.example")
	admin, ragna := w.as(4), w.as(0)
	name := ragna.draft("lark", "Prints blank tickets")
	ragna.step(name, m{"step": "file"})
	stuck := func(name, state, says string) {
		t.Helper()
		w.until(state, func() bool {
			v, _ := ragna.get(name)
			return len(v.OnTheWay) == 1 && string(v.OnTheWay[0].State) == state && v.OnTheWay[0].Problem != nil &&
				strings.Contains(*v.OnTheWay[0].Problem, says)
		})
	}
	stuck(name, "refused", "550 no such desk (<refused@lark.example>)")
	admin.patched(200, "/vendors/lark", m{"ways": []m{{"channel": "email", "address": "later@lark.example"}}})
	v, _ := ragna.get(name)
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "send-again"})
	stuck(name, "waiting", "451 come back later")
	admin.patched(200, "/vendors/lark", m{"ways": []m{{"channel": "email", "address": "help@lark.example"}}})
	w.clock.Move(10 * time.Second)
	ragna.untilState(name, "filed")
	server.wait(w, 1)
	after := ragna.draft("lark", "refuse-after-data")
	ragna.step(after, m{"step": "file"})
	stuck(after, "refused", "554 not after DATA")
	// A password goes only where it may, and a wrong one is said.
	sh.fails(4, []string{"link", "change", "desk-email", "--address", "smtp://mail.elsewhere.example:587"},
		"may not be sent to mail.elsewhere.example:587")
	sh.fails(4, []string{"link", "change", "desk-email", "--from", "not an address"}, "is not an email address")
	sh.fails(4, []string{"link", "remove", "desk-email"}, "Messages were sent by this link")
	sh.fails(4, []string{"link", "change", "desk-email", "--vendor", "nobody"}, `there is no vendor "nobody"`)
	sh.fails(3, []string{"link", "try", "elsewhere"}, "there is no link")
	sh.ok([]string{"link", "change", "desk-email", "--user", "somebody"}, "desk-email")
	sh.fails(1, []string{"link", "try", "desk-email"}, "desk-email does not work", "535")
	sh.ok([]string{"link", "list"}, "desk-email", "Email", "lark")
}

// A link is added, tried and changed on its page, and what was typed survives a refusal.
func TestLinksOnTheirPage(t *testing.T) {
	t.Parallel()
	w := still(t)
	tab := w.page("light", 1280, 800, 4)
	w.steps(tab, dp.Navigate(w.url+"/register/links"), see("link"), press("add-link"), see("link-form"),
		write("link-name", "harbour-mail"), write("link-address", "smtp:"),
		write("link-from", "it-desk@saltmarsh.example"), press("keep-link"))
	w.says(tab, "link-form", "write it like smtps://")
	w.holds(tab, "link-from", "it-desk@saltmarsh.example")
	w.steps(tab, write("link-address", "//127.0.0.1:1"), press("serves-corvane"), press("keep-link"),
		see("try-harbour-mail"), press("try-harbour-mail"))
	w.says(tab, "tried-harbour-mail", "It does not work:")
	w.steps(tab, press("change-harbour-mail"), see("link-form"), press("remove-link"))
	w.until("it is gone", func() bool {
		return !strings.Contains(string(w.as(4).must(200, "GET", "/links", nil).body), "harbour-mail")
	})
}
