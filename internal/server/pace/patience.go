// Package pace gives a request of any length its time: whoever goes on sending or reading has it, whoever stalls
// is given up.
package pace

import (
	"errors"
	"io"
	"net/http"
	"sync"
	"time"
)

// Stall is how long a body or an answer of any length may pause.
const Stall = 30 * time.Second

// Patient is a body of any length that is read for as long as something comes.
func Patient(w http.ResponseWriter, body io.ReadCloser) io.ReadCloser {
	return patient{body, http.NewResponseController(w)}
}

type patient struct {
	io.ReadCloser
	rc *http.ResponseController
}

// Read gives the sender time for every piece. Once all is there nothing more is waited for: a deadline that passed
// while the answer is worked out would cancel the request.
func (p patient) Read(b []byte) (int, error) {
	_ = p.rc.SetReadDeadline(time.Now().Add(Stall))
	n, err := p.ReadCloser.Read(b)
	if err == io.EOF {
		_ = p.rc.SetReadDeadline(time.Time{})
	}
	return n, err
}

// errOver is the answer to whoever sets a deadline for a request that is over.
var errOver = errors.New("the request is over")

// Bounded lets a handler set deadlines of its connection only for its own request. A library that does it from a
// goroutine of its own may come too late: the connection carries the next request by then, and would cancel that.
func Bounded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b := &bounded{ResponseWriter: w, rc: http.NewResponseController(w)}
		defer b.end()
		r.Body = complete{r.Body, b}
		next.ServeHTTP(b, r)
	})
}

type bounded struct {
	http.ResponseWriter
	rc *http.ResponseController

	mu         sync.Mutex
	over, came bool
}

// Unwrap is for http.ResponseController, which does all else with the writer behind it.
func (b *bounded) Unwrap() http.ResponseWriter { return b.ResponseWriter }

// SetReadDeadline does nothing once the body has been read.
func (b *bounded) SetReadDeadline(at time.Time) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.over {
		return errOver
	}
	if b.came {
		return nil
	}
	return b.rc.SetReadDeadline(at)
}

// SetWriteDeadline is that of the answer.
func (b *bounded) SetWriteDeadline(at time.Time) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.over {
		return errOver
	}
	return b.rc.SetWriteDeadline(at)
}

func (b *bounded) end() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.over = true
}

// complete is a body that tells when all of it has come.
type complete struct {
	io.ReadCloser
	to *bounded
}

// Read ends the deadline with the body.
func (w complete) Read(p []byte) (int, error) {
	n, err := w.ReadCloser.Read(p)
	if err == io.EOF {
		w.to.mu.Lock()
		defer w.to.mu.Unlock()
		w.to.came = true
		_ = w.to.rc.SetReadDeadline(time.Time{})
	}
	return n, err
}
