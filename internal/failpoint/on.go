//go:build failpoints

// Package failpoint kills the program at a named place, for tests of what
// survives it. ROUNDHOUSE_FAILPOINT is NAME or NAME:N for the Nth time there.
package failpoint

import (
	"os"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
)

var (
	name, nth = target()
	seen      atomic.Int64
)

func target() (string, int64) {
	name, count, _ := strings.Cut(os.Getenv("ROUNDHOUSE_FAILPOINT"), ":")
	n, err := strconv.ParseInt(count, 10, 64)
	if err != nil {
		n = 1
	}
	return name, n
}

// Hit kills the program, as hard as the kernel can, where the test asked for it.
func Hit(at string) {
	if at == name && seen.Add(1) == nth {
		_ = syscall.Kill(os.Getpid(), syscall.SIGKILL)
		select {}
	}
}
