package main

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"runtime"
	"time"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/scan"
)

// scanned is how much text is gone through.
const scanned = 1 << 30

// logText gives lines of a log, without end but for a size.
type logText struct {
	block []byte
	left  int64
	at    int
}

func newLogText(size int64) *logText {
	l := &logText{left: size}
	for i := range 20_000 {
		l.block = fmt.Appendf(l.block, "2026-11-02T07:%02d:%02d.%03dZ INFO  [worker-%d] ", i%60, i%59, i%1000, i%16)
		l.block = fmt.Appendf(l.block, "request=%08x-a076-4186-974b-0282f2f435e7 user=sync from=10.4.%d.%d ", i*7919,
			i%255, i%254)
		l.block = fmt.Appendf(l.block, "GET /api/v1/jobs/%d?page=2 status=200 bytes=%d took=%dms\n", i, i*31, i%400)
	}
	return l
}

func (l *logText) Read(p []byte) (int, error) {
	if l.left == 0 {
		return 0, io.EOF
	}
	n := copy(p[:min(int64(len(p)), l.left)], l.block[l.at:])
	l.at = (l.at + n) % len(l.block)
	l.left -= int64(n)
	return n, nil
}

// scans measures the look for what must not leave, on one core: megabytes a second, beside SHA-256 over the same text,
// and the memory that it takes whatever the size.
func scans(ctx context.Context) error {
	sc, err := disclosure.NewScanner(disclosure.Config{})
	if err != nil {
		return err
	}
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	most := uint64(0)
	text := &watched{r: newLogText(scanned), most: &most}
	runtime.GC()
	began := time.Now()
	if _, err := scan.New(sc, scan.Options{}).File(ctx, "bench.log", text); err != nil {
		return err
	}
	took := time.Since(began)
	began = time.Now()
	if _, err := io.Copy(sha256.New(), newLogText(scanned)); err != nil {
		return err
	}
	beside := time.Since(began)
	const mb = 1 << 20
	fmt.Printf("%-28s %.0f MB/s (at least 100 on a core of its own); %.2f times SHA-256 over the same\n", "scan of a log",
		scanned/mb/took.Seconds(), took.Seconds()/beside.Seconds())
	figure("memory meanwhile", float64(most)/mb, "MB", 64)
	return nil
}

// watched asks from time to time how much memory there is.
type watched struct {
	r    io.Reader
	n    int
	most *uint64
}

func (w *watched) Read(p []byte) (int, error) {
	if w.n++; w.n%500 == 0 {
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		*w.most = max(*w.most, m.Sys-m.HeapReleased)
	}
	return w.r.Read(p)
}
