package e2e

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/demo"
	"roundhouse.example/internal/desk/desktest"
	"roundhouse.example/internal/service"
	"roundhouse.example/internal/standin"
	"roundhouse.example/internal/testdb"
)

// demoFiles are what the demo keeps beside its database, filled once a run.
var demoFiles struct {
	once sync.Once
	dir  string
	err  error
}

func filesIn(dir string) demo.Files {
	return demo.Files{People: filepath.Join(dir, "people.json"), Jobs: filepath.Join(dir, "jobs.json"),
		Keys: filepath.Join(dir, "vault.key"), Folder: filepath.Join(dir, "files")}
}

// years is the machine's clock three years from now: an example that works only until some day is found at once.
type years struct{}

// Now is three years from now.
func (years) Now() time.Time { return time.Now().Add(27000 * time.Hour) }

// demoDatabase is a copy of the demo's database, with a copy of its files. The demo is loaded once a run.
func demoDatabase(t *testing.T) (url, dir string) {
	t.Helper()
	demoFiles.once.Do(func() {
		demoFiles.dir = filepath.Join(workspace, "demo")
		demoFiles.err = os.MkdirAll(demoFiles.dir, 0o700)
	})
	if demoFiles.err != nil {
		t.Fatal(demoFiles.err)
	}
	url = testdb.Copy(t, fmt.Sprintf("_demo_%d", os.Getpid()), func(ctx context.Context, url string) error {
		d, err := service.Open(ctx, url, years{})
		if err != nil {
			return err
		}
		defer d.Store.Close()
		_, _, err = demo.Load(ctx, d.Desk, d.Store, filesIn(demoFiles.dir), 30, "127.0.0.1:9",
			"127.0.0.1:9", io.Discard)
		return err
	})
	dir = t.TempDir()
	if err := os.CopyFS(dir, os.DirFS(demoFiles.dir)); err != nil {
		t.Fatal(err)
	}
	for _, f := range []string{filesIn(dir).People, filesIn(dir).Keys} {
		if err := os.Chmod(f, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return url, dir
}

// demoWorld is a desk on a copy of the demo, on the clock of years, its vendors silent.
func demoWorld(t *testing.T) *world {
	t.Helper()
	w := &world{t: t, log: &written{}, timeout: 4 * time.Second, answer: patience}
	var dir string
	w.db, dir = demoDatabase(t)
	w.keys = filesIn(dir).Keys
	var err error
	if w.desk, err = service.Open(t.Context(), w.db, years{}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(w.desk.Store.Close)
	var handler http.Handler
	vendors := httptest.NewServer(http.HandlerFunc(func(a http.ResponseWriter, r *http.Request) {
		handler.ServeHTTP(a, r)
	}))
	t.Cleanup(vendors.Close)
	if w.cast, w.people, err = demo.Load(t.Context(), w.desk.Desk, w.desk.Store, filesIn(dir), 1,
		strings.TrimPrefix(vendors.URL, "http://"), w.letters(), io.Discard); err != nil {
		t.Fatal(err)
	}
	handler = w.cast.Handler()
	w.serve(nil)
	return w
}

// filesAt is the folder for files.
func (w *world) filesAt() string { return filepath.Join(filepath.Dir(w.keys), "files") }

// serve runs the desk's service until the test ends.
func (w *world) serve(c *desktest.Clock) {
	w.t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		w.t.Fatal(err)
	}
	o := service.Options{Listener: l, Look: time.Second, Sweep: time.Second, Files: w.filesAt(), Answer: w.answer,
		Log: slog.New(slog.NewTextHandler(w.log, &slog.HandlerOptions{Level: slog.LevelDebug}))}
	if c != nil {
		o.Clock = c
	}
	ctx, stop := context.WithCancel(context.WithoutCancel(w.t.Context()))
	done := make(chan error, 1)
	ready := make(chan string, 1)
	go func() { done <- service.RunDesk(ctx, w.desk, o, func(url string) { ready <- url }) }()
	select {
	case w.url = <-ready:
	case err := <-done:
		w.t.Fatal(err)
	}
	go w.cast.Run(ctx)
	w.t.Cleanup(func() {
		stop()
		if err := <-done; err != nil {
			w.t.Errorf("stopping: %v", err)
		}
	})
}

// letters is where a mail server answers that keeps what it gets.
func (w *world) letters() string {
	w.t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		w.t.Fatal(err)
	}
	mail, err := standin.NewMail(w.t.TempDir())
	if err != nil {
		w.t.Fatal(err)
	}
	w.t.Cleanup(func() { mail.Close() })
	go func() { _ = mail.Serve(l) }()
	return l.Addr().String()
}
