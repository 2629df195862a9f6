package e2e

import (
	"bytes"
	"sync"
)

// written is a log that is read while it is written.
type written struct {
	mu  sync.Mutex
	buf bytes.Buffer
}

func (w *written) Write(p []byte) (int, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.buf.Write(p)
}

func (w *written) String() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.buf.String()
}
