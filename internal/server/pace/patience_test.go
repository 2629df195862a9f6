package pace

import (
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httptrace"
	"strings"
	"sync/atomic"
	"testing"
	"time"
)

// A deadline that a handler sets after its request is over does nothing to the next request on the connection.
func TestADeadlineThatComesTooLate(t *testing.T) {
	t.Parallel()
	var late atomic.Pointer[http.ResponseController]
	mux := http.NewServeMux()
	mux.Handle("/first", Bounded(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		late.Store(http.NewResponseController(w))
	})))
	mux.HandleFunc("/second", func(w http.ResponseWriter, r *http.Request) {
		rc := late.Load()
		for _, set := range []func(time.Time) error{rc.SetReadDeadline, rc.SetWriteDeadline} {
			if set(time.Now()) == nil {
				t.Error("it was set for a request that is over")
			}
		}
	})
	s := httptest.NewServer(mux)
	defer s.Close()
	get := func(path string) (again bool) {
		ctx := httptrace.WithClientTrace(t.Context(), &httptrace.ClientTrace{GotConn: func(c httptrace.GotConnInfo) {
			again = c.Reused
		}})
		req, err := http.NewRequestWithContext(ctx, "GET", s.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		res, err := s.Client().Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		if _, err = io.Copy(io.Discard, res.Body); err != nil {
			t.Error(err)
		}
		return again
	}
	get("/first")
	if !get("/second") {
		t.Error("it came on another connection")
	}
}

// timed is a writer that keeps the deadline that was set last.
type timed struct {
	http.ResponseWriter
	read time.Time
}

func (w *timed) SetReadDeadline(at time.Time) error { w.read = at; return nil }

// A body that is read as it comes has a deadline while it comes, and none while the answer is worked out.
func TestTheDeadlineOfABodyEndsWithIt(t *testing.T) {
	t.Parallel()
	read := map[string]func(*timed, *http.Request, func(io.Reader)){
		"patient": func(w *timed, r *http.Request, each func(io.Reader)) {
			each(Patient(w, r.Body))
		},
		"bounded": func(w *timed, r *http.Request, each func(io.Reader)) {
			Bounded(http.HandlerFunc(func(bw http.ResponseWriter, r *http.Request) {
				rc := http.NewResponseController(bw)
				each(readerFunc(func(p []byte) (int, error) {
					_ = rc.SetReadDeadline(time.Now().Add(Stall))
					n, err := r.Body.Read(p)
					_ = rc.SetReadDeadline(time.Now().Add(Stall)) // as libraries do after each piece
					return n, err
				}))
			})).ServeHTTP(w, r)
		},
	}
	for name, one := range read {
		w := &timed{ResponseWriter: httptest.NewRecorder()}
		one(w, httptest.NewRequest("PATCH", "/", io.NopCloser(strings.NewReader("abc"))), func(body io.Reader) {
			if _, err := io.ReadFull(body, make([]byte, 2)); err != nil || w.read.IsZero() {
				t.Errorf("%s: while it comes: %v, %v", name, w.read, err)
			}
			if rest, err := io.ReadAll(body); string(rest) != "c" || err != nil || !w.read.IsZero() {
				t.Errorf("%s: after it: %q, %v, %v", name, rest, w.read, err)
			}
		})
	}
}

type readerFunc func([]byte) (int, error)

func (f readerFunc) Read(p []byte) (int, error) { return f(p) }
