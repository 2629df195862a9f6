package server

import (
	"errors"
	"io/fs"
	"net/http/httptest"
	"strings"
	"syscall"
	"testing"

	"github.com/gin-gonic/gin"
)

// What is wrong with the disk is said, and not where its files are.
func TestAFullDisk(t *testing.T) {
	t.Parallel()
	for why, words := range map[syscall.Errno]string{syscall.ENOSPC: "disk is full", syscall.EIO: "cannot write to its disk"} {
		err := diskProblem(&fs.PathError{Op: "write", Path: "/var/lib/somewhere/upload-1", Err: why})
		var p *problem
		if !errors.As(err, &p) || p.Status != 507 || !strings.Contains(*p.Detail, words) || !strings.Contains(*p.Detail, "Nothing was changed") || strings.Contains(*p.Detail, "somewhere") {
			t.Errorf("%v is told as %v", why, err)
		}
	}
}

// Browsers are held to TLS where the service is reached by it, and only there.
func TestTransportSecurity(t *testing.T) {
	t.Parallel()
	for _, secure := range []bool{true, false} {
		w := httptest.NewRecorder()
		c, _ := gin.CreateTestContext(w)
		c.Request = httptest.NewRequest("GET", "/", nil)
		(&Server{secure: secure}).headers(c)
		if got := w.Header().Get("Strict-Transport-Security"); (got != "") != secure {
			t.Errorf("secure %v: %q", secure, got)
		}
	}
}
