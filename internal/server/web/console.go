package web

import (
	"compress/gzip"
	"crypto/rand"
	"crypto/sha256"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"runtime/debug"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
)

func newID() string { return rand.Text()[:16] }

func stack() string { return string(debug.Stack()) }

func hash(b []byte) [sha256.Size]byte { return sha256.Sum256(b) }

// elsewhere serves the console; every path that is no file is its index page,
// which finds its own way.
func (s *Server) elsewhere(files fs.FS) gin.HandlerFunc {
	var packed sync.Map // path -> gzipped content
	return func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") {
			write(c, NewProblem(http.StatusNotFound, "not-found", "There is no such thing", "The API has no such path; see api/openapi.yaml."))
			return
		}
		if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead {
			write(c, NewProblem(http.StatusMethodNotAllowed, "method-not-allowed", "That cannot be done to this", ""))
			return
		}
		if files == nil {
			c.String(http.StatusNotFound, "This roundhouse was built without its console. Run make build.\n")
			return
		}
		name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
		body, err := fs.ReadFile(files, name)
		if err != nil || name == "" {
			name = "index.html"
			if body, err = fs.ReadFile(files, name); err != nil {
				c.String(http.StatusNotFound, "This roundhouse was built without its console. Run make build.\n")
				return
			}
		}
		c.Header("Cache-Control", "no-cache")
		if strings.HasPrefix(name, "assets/") {
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		}
		kind := mime.TypeByExtension(path.Ext(name))
		if kind == "" {
			kind = http.DetectContentType(body)
		}
		c.Header("Vary", "Accept-Encoding")
		if strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") && path.Ext(name) != ".woff2" && path.Ext(name) != ".png" {
			v, ok := packed.Load(name)
			if !ok {
				v, _ = packed.LoadOrStore(name, squeeze(body))
			}
			c.Header("Content-Encoding", "gzip")
			body = v.([]byte)
		}
		c.Data(http.StatusOK, kind, body)
	}
}

func squeeze(b []byte) []byte {
	var out strings.Builder
	w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression)
	_, _ = w.Write(b)
	_ = w.Close()
	return []byte(out.String())
}
