package main

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"runtime"
	"time"

	"roundhouse.example/bench/text"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/scan"
)

// scanned is how much text is gone through.
const scanned = 1 << 30

// scans measures the look for what must not leave, on one core: megabytes a second, beside SHA-256 over the same text,
// and the memory that it takes whatever the size.
func scans(ctx context.Context) error {
	sc, err := disclosure.NewScanner(disclosure.Config{})
	if err != nil {
		return err
	}
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	most := uint64(0)
	through := &watched{r: text.Log(scanned), most: &most}
	runtime.GC()
	began := time.Now()
	if _, err := scan.New(sc, scan.Options{}).File(ctx, "bench.log", through); err != nil {
		return err
	}
	took := time.Since(began)
	began = time.Now()
	if _, err := io.Copy(sha256.New(), text.Log(scanned)); err != nil {
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
