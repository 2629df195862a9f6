package web

import (
	"crypto/rand"
	"crypto/sha256"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"runtime/debug"
	"strings"

	"github.com/klauspost/compress/gzhttp"

	"github.com/gin-gonic/gin"
)

func newID() string { return rand.Text()[:16] }

func stack() string { return string(debug.Stack()) }

func hash(b []byte) [sha256.Size]byte { return sha256.Sum256(b) }

// elsewhere serves the console; every path that is no file is its index page,
// which finds its own way.
func (s *Server) elsewhere(files fs.FS) gin.HandlerFunc {
	page := gin.WrapH(gzhttp.GzipHandler(consoleOf(files)))
	return func(c *gin.Context) {
		switch {
		case strings.HasPrefix(c.Request.URL.Path, "/api/"):
			write(c, NewProblem(http.StatusNotFound, "not-found", "Not found",
				"The API has no such path; see /api."))
		case c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead:
			write(c, NewProblem(http.StatusMethodNotAllowed, "method-not-allowed", "This method is not allowed here", ""))
		default:
			page(c)
		}
	}
}

func consoleOf(files fs.FS) http.Handler {
	missing := func(w http.ResponseWriter) {
		http.Error(w, "This roundhouse was built without its console. Run make build.", http.StatusNotFound)
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if files == nil {
			missing(w)
			return
		}
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		body, err := fs.ReadFile(files, name)
		if err != nil || name == "" {
			name = "index.html"
			if body, err = fs.ReadFile(files, name); err != nil {
				missing(w)
				return
			}
		}
		keep := "no-cache"
		if strings.HasPrefix(name, "assets/") {
			keep = "public, max-age=31536000, immutable"
		}
		w.Header().Set("Cache-Control", keep)
		kind := mime.TypeByExtension(path.Ext(name))
		if kind == "" {
			kind = http.DetectContentType(body)
		}
		w.Header().Set("Content-Type", kind)
		w.WriteHeader(http.StatusOK)
		_, _ = w.Write(body)
	})
}
