package web

import (
	"net/http/httptest"
	"testing"

	"github.com/gin-gonic/gin"
)

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
