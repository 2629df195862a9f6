// Package browser drives Chromium for the tests and the pictures of the console.
package browser

import (
	"context"
	"fmt"
	"os"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	dp "github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Path is Debian's Chromium without a window, which takes half the work, and without its noisy wrapper.
const Path = "/usr/lib/chromium/chromium-headless-shell"

// Browser is a running Chromium.
type Browser struct {
	ctx  context.Context
	stop func()
}

// Start runs a Chromium that talks to this machine only.
func Start() (*Browser, error) {
	dir, err := os.MkdirTemp("", "roundhouse-chromium-")
	if err != nil {
		return nil, err
	}
	opts := []dp.ExecAllocatorOption{dp.ExecPath(Path), dp.UserDataDir(dir), dp.NoFirstRun, dp.NoDefaultBrowserCheck,
		dp.NoSandbox, dp.DisableGPU,
		dp.Flag("force-color-profile", "srgb"), dp.Flag("font-render-hinting", "none"),
		dp.Flag("lang", "en-US"),
		dp.WindowSize(1280, 800), dp.Env("TZ=UTC", "LANG=en_US.UTF-8")}
	for _, f := range []string{"hide-scrollbars", "mute-audio", "disable-dev-shm-usage", "disable-quic",
		"disable-background-networking",
		"disable-component-update", "disable-sync", "disable-default-apps", "disable-extensions", "disable-breakpad",
		"disable-background-timer-throttling", "disable-backgrounding-occluded-windows", "disable-renderer-backgrounding",
		"no-proxy-server"} {
		opts = append(opts, dp.Flag(f, true))
	}
	actx, stopAll := dp.NewExecAllocator(context.Background(), opts...)
	ctx, cancel := dp.NewContext(actx)
	if err := dp.Do(ctx); err != nil { // starts it: no time-out on this context
		cancel()
		stopAll()
		os.RemoveAll(dir)
		return nil, fmt.Errorf("starting Chromium: %w", err)
	}
	return &Browser{ctx, func() {
		end, done := context.WithTimeout(ctx, 10*time.Second)
		_ = dp.Cancel(end)
		done()
		cancel()
		stopAll()
		os.RemoveAll(dir)
	}}, nil
}

// Stop ends it.
func (b *Browser) Stop() { b.stop() }

// Tab is a page of its own, with its own cookies and storage.
type Tab struct {
	Ctx  context.Context
	mu   sync.Mutex
	bad  []string
	stop func()
}

// Tab opens a page of a size, in a colour scheme ("light" or "dark").
func (b *Browser) Tab(scheme string, width, height int64) (*Tab, error) {
	tab, cancel := dp.NewContext(b.ctx, dp.WithNewBrowserContext())
	if err := dp.Do(tab); err != nil {
		cancel()
		return nil, err
	}
	ctx, cancelTime := context.WithTimeout(tab, 20*time.Minute)
	t := &Tab{Ctx: ctx, stop: func() { cancelTime(); cancel() }}
	if err := dp.Listen(tab, t.hear); err != nil {
		return nil, err
	}
	return t, t.Do(Window(scheme, width, height))
}

// Window gives the page another size and colour scheme, as it stands.
func Window(scheme string, width, height int64) dp.Action[dp.Void] {
	return dp.Steps(dp.EmulateViewport(width, height), dp.Func(func(c context.Context, g *dp.Target) error {
		_, err := cdp.Call(c, g, emulation.SetEmulatedMedia,
			emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{
				{Name: "prefers-color-scheme", Value: scheme}, {Name: "prefers-reduced-motion", Value: "reduce"}}})
		return err
	}))
}

func (t *Tab) hear(ev any) {
	t.mu.Lock()
	defer t.mu.Unlock()
	switch e := ev.(type) {
	case *runtime.EventExceptionThrown:
		t.bad = append(t.bad, "exception: "+(&dp.ExceptionError{ExceptionDetails: e.ExceptionDetails}).Error())
	case *runtime.EventConsoleAPICalled:
		if e.Type == "error" || e.Type == "warning" {
			var s []string
			for _, a := range e.Args {
				s = append(s, string(a.Value)+a.Description)
			}
			t.bad = append(t.bad, string(e.Type)+": "+strings.Join(s, " "))
		}
	case *log.EventEntryAdded:
		if e.Entry.Level == "error" || e.Entry.Level == "warning" {
			t.bad = append(t.bad, "log: "+e.Entry.Text+" "+e.Entry.URL)
		}
	}
}

// Complaints are the console's errors and warnings so far, but for the answers
// that a test has asked for by name.
func (t *Tab) Complaints(expected ...string) (out []string) {
	t.mu.Lock()
	defer t.mu.Unlock()
next:
	for _, b := range t.bad {
		for _, e := range expected {
			if strings.Contains(b, e) {
				continue next
			}
		}
		out = append(out, b)
	}
	return out
}

// Close ends the page.
func (t *Tab) Close() { t.stop() }

// Do takes steps, each within a time that a busy machine keeps too, so that a failure names its step.
func (t *Tab) Do(steps ...dp.Action[dp.Void]) error {
	for i, s := range steps {
		c, stop := context.WithTimeout(t.Ctx, 4*time.Minute)
		err := dp.Do(c, s)
		stop()
		if err != nil {
			return fmt.Errorf("step %d: %w", i+1, err)
		}
	}
	return nil
}

// Eval gives the value of an expression in the page.
func Eval[T any](t *Tab, js string) (T, error) {
	c, stop := context.WithTimeout(t.Ctx, 4*time.Minute)
	defer stop()
	return dp.Run(c, dp.Evaluate[T](js, dp.EvalAwaitPromise))
}

// Settle waits for fonts, finite animations and two frames.
func Settle() dp.Action[dp.Void] {
	return dp.Evaluate[dp.Void](`(async () => { await document.fonts.ready
	  const fin = () => Promise.all(document.getAnimations().filter(a => a.effect
	  	&& a.effect.getComputedTiming().endTime !== Infinity).map(a => a.finished.catch(() => 0)))
	  const frame = () => new Promise(r => requestAnimationFrame(() => requestAnimationFrame(r)))
	  await frame(); await fin(); await frame(); await fin() })()`, dp.EvalAwaitPromise)
}

// ID selects by data-testid.
func ID(id string) dp.CSS { return dp.CSS(`[data-testid="` + id + `"]`) }

// Type waits for a field and types into it where its cursor is: runs of text at once, as a paste or an input
// method does, and each key of package kb for itself. Key by key is ten times slower.
func Type(sel dp.CSS, text string) dp.Action[dp.Void] {
	steps := []dp.Action[dp.Void]{See(sel)}
	for text != "" {
		n := strings.IndexFunc(text+kb.Enter, isKey) // all of it where there is no key
		if n > 0 {
			steps = append(steps, focus(sel), insert(text[:n]))
		} else {
			_, n = utf8.DecodeRuneInString(text)
			steps = append(steps, dp.SendKeys(sel, text[:n]))
		}
		text = text[n:]
	}
	return dp.Steps(steps...)
}

func focus(sel dp.CSS) dp.Action[dp.Void] {
	return dp.Evaluate[dp.Void](fmt.Sprintf(`document.querySelector(%q).focus()`, sel))
}

func insert(text string) dp.Action[dp.Void] {
	return dp.Func(func(c context.Context, g *dp.Target) error {
		_, err := cdp.Call(c, g, input.InsertText, input.InsertTextParams{Text: text})
		return err
	})
}

// isKey tells a key from a letter.
func isKey(r rune) bool {
	k, known := kb.Keys[r]
	return r != '\n' && (unicode.IsControl(r) || known && !k.Print)
}

// Pick chooses an option of a select that is marked ID, ID-menu and ID-opt-VALUE.
func Pick(id, value string) dp.Action[dp.Void] {
	menu, opt := ID(id+"-menu"), ID(id+"-opt-"+value)
	return dp.Steps(Click(ID(id)+" .n-base-selection"), See(menu), Settle(), Click(opt),
		Unseen(menu))
}

// Shot writes a picture of the page as it stands.
func (t *Tab) Shot(file string) error {
	if err := t.Do(Settle()); err != nil {
		return err
	}
	c, stop := context.WithTimeout(t.Ctx, time.Minute)
	defer stop()
	b, err := dp.Run(c, dp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, b, 0o644)
}
