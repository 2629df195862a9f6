package exchange

import (
	"errors"
	"io/fs"
	"strings"
	"syscall"
	"testing"

	"roundhouse.example/internal/server/web"
)

// What is wrong with the disk is said, and not where its files are.
func TestAFullDisk(t *testing.T) {
	t.Parallel()
	for why, words := range map[syscall.Errno]string{syscall.ENOSPC: "disk is full",
		syscall.EIO: "cannot write to its disk"} {
		err := diskProblem(&fs.PathError{Op: "write", Path: "/var/lib/somewhere/upload-1", Err: why})
		var p *web.Problem
		if !errors.As(err, &p) || p.Status != 507 || !strings.Contains(*p.Detail, words) ||
			!strings.Contains(*p.Detail, "Nothing was changed") || strings.Contains(*p.Detail, "somewhere") {
			t.Errorf("%v is told as %v", why, err)
		}
	}
}
