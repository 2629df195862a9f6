package client

import (
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"roundhouse.example/internal/client/clientgen"
)

// service is a service that answers as a test says, and counts how often it is asked.
type service struct {
	*httptest.Server
	mu    sync.Mutex
	asked []*http.Request
}

func serving(t *testing.T, answer func(n int, w http.ResponseWriter, r *http.Request)) (*service, *Client) {
	t.Helper()
	s := &service{}
	s.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.mu.Lock()
		s.asked = append(s.asked, r)
		n := len(s.asked)
		s.mu.Unlock()
		answer(n, w, r)
	}))
	t.Cleanup(s.Close)
	c, err := New(s.URL+"/", "rht_word")
	if err != nil {
		t.Fatal(err)
	}
	return s, c
}

func (s *service) times() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.asked)
}

// cut ends a connection without a word.
func cut(w http.ResponseWriter) {
	if c, _, err := http.NewResponseController(w).Hijack(); err == nil {
		_ = c.(*net.TCPConn).SetLinger(0)
		_ = c.Close()
	}
}

// What can be repeated without harm is, and nothing else: a step that was cut off may have been taken.
func TestWhatIsRepeated(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		name, method string
		header       map[string]string
		times        int
	}{
		{"reading", "GET", nil, 3},
		{"writing with a key", "POST", map[string]string{"Idempotency-Key": "k1"}, 3},
		{"writing without one", "POST", nil, 1},
		{"changing", "PATCH", map[string]string{"If-Match": `"v1"`}, 1},
	} {
		for _, way := range []string{"cut", "busy"} {
			t.Run(x.name+", "+way, func(t *testing.T) {
				t.Parallel()
				s, c := serving(t, func(_ int, w http.ResponseWriter, _ *http.Request) {
					if way == "cut" {
						cut(w)
						return
					}
					w.WriteHeader(http.StatusServiceUnavailable)
				})
				_, err := c.Do(t.Context(), x.method, "/cases", nil, x.header, nil)
				if err == nil {
					t.Fatal("no answer was taken for one")
				}
				if n := s.times(); n != x.times {
					t.Errorf("asked %d times, want %d", n, x.times)
				}
				var gone *Unreachable
				if is := errors.As(err, &gone); is != (way == "cut") || is && gone.URL != s.URL {
					t.Errorf("%T %v", err, err)
				}
			})
		}
	}
}

// The second try of a write is the first one again: the same body and the same key.
func TestTheSameAgain(t *testing.T) {
	t.Parallel()
	var bodies, keys []string
	s, c := serving(t, func(n int, w http.ResponseWriter, r *http.Request) {
		b, _ := io.ReadAll(r.Body)
		bodies, keys = append(bodies, string(b)), append(keys, r.Header.Get("Idempotency-Key"))
		if n == 1 {
			cut(w)
			return
		}
		w.Header().Set("ETag", `"v7"`)
		_, _ = io.WriteString(w, `{"number": 9007199254740993}`)
	})
	var out map[string]any
	etag, err := c.Do(t.Context(), "POST", "/cases", map[string]string{"title": "Slow"},
		map[string]string{"Idempotency-Key": *Key()}, &out)
	if err != nil || etag != `"v7"` || s.times() != 2 {
		t.Fatalf("%v, %q, asked %d times", err, etag, s.times())
	}
	if bodies[0] != bodies[1] || keys[0] != keys[1] || keys[0] == "" || !strings.Contains(bodies[1], "Slow") {
		t.Errorf("%q and %q under %q and %q", bodies[0], bodies[1], keys[0], keys[1])
	}
	if n := out["number"]; n == nil || n.(interface{ String() string }).String() != "9007199254740993" {
		t.Errorf("a long number became %v", n)
	}
	if *Key() == *Key() {
		t.Error("two writes would go by one key")
	}
}

// An answer that says no is a problem with its kind; one that is no problem document is said as it is.
func TestAnswersThatSayNo(t *testing.T) {
	t.Parallel()
	for _, x := range []struct {
		name          string
		status        int
		kind, body    string
		said, problem string
	}{
		{"a problem", 409, "application/problem+json",
			`{"type": "https://roundhouse.example/problems/stale", "title": "It has changed", "status": 409, ` +
				`"detail": "Look again."}`,
			"It has changed: Look again.", "stale"},
		{"without a detail", 404, "application/problem+json",
			`{"type": "https://roundhouse.example/problems/not-found", "title": "Not found", "status": 404}`, "Not found",
			"not-found"},
		{"a page of somebody else", 502, "text/html", "<html>Bad gateway</html>", "502 Bad Gateway", ""},
		{"half a document", 500, "application/problem+json", `{"type": "x", "title": "Hal`, "500 Internal", ""},
		{"a document of somebody else", 500, "application/json", `{"error": "no upstream"}`, "500 Internal", ""},
		{"nothing", 403, "", "", "403 Forbidden", ""},
	} {
		t.Run(x.name, func(t *testing.T) {
			t.Parallel()
			_, c := serving(t, func(_ int, w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Content-Type", x.kind)
				w.WriteHeader(x.status)
				_, _ = io.WriteString(w, x.body)
			})
			_, err := c.Do(t.Context(), "PATCH", "/vendors/corvane", map[string]int{"a": 1}, nil, nil)
			_, textErr := c.Text(t.Context(), "/vendors.vcf")
			_, streamErr := c.Stream(t.Context(), "POST", "/tables/assets", "text/csv", strings.NewReader("a,b"))
			res, sent := c.Client.GetVendor(t.Context(), "corvane")
			_, _, readErr := Read[clientgen.Vendor](c, res, sent)
			for _, err := range []error{err, textErr, streamErr, readErr} {
				if err == nil || !strings.Contains(err.Error(), x.said) {
					t.Errorf("%v, want %q", err, x.said)
				}
				p, is := IsProblem(err)
				if is != (x.problem != "") || is && (p.Kind() != x.problem || p.Status != x.status) {
					t.Errorf("%+v, want kind %q", p, x.problem)
				}
			}
		})
	}
}

// An answer that breaks off, or is no JSON, is an error that says whose it was.
func TestAnswersThatCannotBeRead(t *testing.T) {
	t.Parallel()
	for name, answer := range map[string]func(w http.ResponseWriter){
		"broken off": func(w http.ResponseWriter) {
			w.Header().Set("Content-Length", "100")
			_, _ = io.WriteString(w, `{"name": "Cor`)
		},
		"no JSON":  func(w http.ResponseWriter) { _, _ = io.WriteString(w, "<html>hello</html>") },
		"nothing":  func(w http.ResponseWriter) { w.WriteHeader(http.StatusOK) },
		"an array": func(w http.ResponseWriter) { _, _ = io.WriteString(w, "[1]") },
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s, c := serving(t, func(_ int, w http.ResponseWriter, _ *http.Request) { answer(w) })
			var v clientgen.Vendor
			_, err := c.Do(t.Context(), "GET", "/vendors/corvane", nil, nil, &v)
			res, sent := c.Client.GetVendor(t.Context(), "corvane")
			_, _, readErr := Read[clientgen.Vendor](c, res, sent)
			for _, err := range []error{err, readErr} {
				if err == nil || !strings.Contains(err.Error(), s.URL) || !strings.Contains(err.Error(), "cannot be read") {
					t.Errorf("%v", err)
				}
			}
		})
	}
}

// A long text that breaks off is not taken for the whole, and what came is what was sent.
func TestALongTextThatBreaksOff(t *testing.T) {
	t.Parallel()
	line := strings.Repeat("x", 1<<16)
	_, c := serving(t, func(_ int, w http.ResponseWriter, r *http.Request) {
		for range 40 {
			_, _ = io.WriteString(w, line)
		}
		if strings.HasSuffix(r.URL.Path, "cut") {
			_ = http.NewResponseController(w).Flush()
			cut(w)
		}
	})
	var b strings.Builder
	if err := c.Copy(t.Context(), "/tables/cut", &b); err == nil {
		t.Error("half a table was taken for the whole")
	}
	b.Reset()
	if err := c.Copy(t.Context(), "/tables/whole", &b); err != nil || b.Len() != 40<<16 {
		t.Errorf("%d bytes, %v", b.Len(), err)
	}
	if text, err := c.Text(t.Context(), "/text/cut"); err == nil {
		t.Errorf("half a text of %d bytes was taken for the whole", len(text))
	}
}

// Whoever waits can stop waiting, and is not kept by tries to come.
func TestStopped(t *testing.T) {
	t.Parallel()
	end, begun := make(chan struct{}), make(chan struct{}, 8)
	t.Cleanup(func() { close(end) })
	s, c := serving(t, func(_ int, _ http.ResponseWriter, r *http.Request) {
		begun <- struct{}{}
		select {
		case <-r.Context().Done():
		case <-end:
		}
	})
	for name, ask := range map[string]func(ctx context.Context) error{
		"one answer": func(ctx context.Context) error {
			_, err := c.Do(ctx, "GET", "/today", nil, nil, nil)
			return err
		},
		"a stream": func(ctx context.Context) error {
			_, err := c.Stream(ctx, "GET", "/tables/assets", "", nil)
			return err
		},
	} {
		before := s.times()
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan error, 1)
		go func() { done <- ask(ctx) }()
		<-begun
		cancel()
		if err := <-done; !errors.Is(err, context.Canceled) {
			t.Errorf("%s: %v", name, err)
		}
		if n := s.times() - before; n != 1 {
			t.Errorf("%s: asked %d times", name, n)
		}
	}
}

// Every request says who asks; an address that is none is refused before anything is sent.
func TestWhoAsks(t *testing.T) {
	t.Parallel()
	s, c := serving(t, func(_ int, w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) })
	var out map[string]any
	if _, err := c.Do(t.Context(), "DELETE", "/assets/1", nil, nil, &out); err != nil || out != nil {
		t.Errorf("%v %v", out, err)
	}
	if _, err := c.Do(t.Context(), "PATCH", "/assets/1", map[string]int{}, nil, nil); err != nil {
		t.Error(err)
	}
	if b, err := c.Stream(t.Context(), "POST", "/tables/assets", "text/csv", strings.NewReader("a,b")); err != nil {
		t.Error(err)
	} else {
		_ = b.Close()
	}
	for i, kind := range []string{"", "application/merge-patch+json", "text/csv"} {
		r := s.asked[i]
		if r.Header.Get("Authorization") != "Bearer rht_word" || r.Header.Get("Content-Type") != kind ||
			!strings.HasPrefix(r.URL.Path, "/api/v1/") {
			t.Errorf("%s %s: %v", r.Method, r.URL, r.Header)
		}
	}
	for _, address := range []string{"", "roundhouse.saltmarsh.example", "ftp://saltmarsh.example", "://x"} {
		if _, err := New(address, ""); err == nil || !strings.Contains(err.Error(), "http://") {
			t.Errorf("%q: %v", address, err)
		}
	}
	gone, err := New("http://127.0.0.1:1", "")
	if err != nil {
		t.Fatal(err)
	}
	_, err = gone.Do(t.Context(), "PATCH", "/policy", nil, nil, nil)
	if e := (*Unreachable)(nil); !errors.As(err, &e) ||
		!strings.Contains(err.Error(), "http://127.0.0.1:1 cannot be reached") {
		t.Errorf("%v", err)
	}
}
