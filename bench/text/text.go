// Package text makes text to measure with.
package text

import (
	"fmt"
	"io"
)

// logText gives lines of a log.
type logText struct {
	block []byte
	left  int64
	at    int
}

// Log is a log of a size in bytes.
func Log(size int64) io.Reader {
	l := &logText{left: size}
	for i := range 20_000 {
		l.block = fmt.Appendf(l.block, "2026-11-02T07:%02d:%02d.%03dZ INFO  [worker-%d] ", i%60, i%59, i%1000, i%16)
		l.block = fmt.Appendf(l.block, "request=%08x-a076-4186-974b-0282f2f435e7 user=sync from=10.4.%d.%d ", i*7919,
			i%255, i%254)
		l.block = fmt.Appendf(l.block, "GET /api/v1/jobs/%d?page=2 status=200 bytes=%d took=%dms\n", i, i*31, i%400)
	}
	return l
}

// Read gives the next lines.
func (l *logText) Read(p []byte) (int, error) {
	if l.left == 0 {
		return 0, io.EOF
	}
	n := copy(p[:min(int64(len(p)), l.left)], l.block[l.at:])
	l.at = (l.at + n) % len(l.block)
	l.left -= int64(n)
	return n, nil
}
