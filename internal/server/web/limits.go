package web

import (
	"context"
	"net/http"
	"net/url"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
)

// bounded gives a request its time, and notes what becomes of the changes it makes.
func (s *Server) bounded(c *gin.Context) {
	line := c.Request.Context()
	ctx := desk.WithOutcome(context.WithValue(line, addressKey, c.ClientIP()))
	ctx, cancel := context.WithTimeout(context.WithValue(ctx, lineKey, line), s.answer)
	c.Request = c.Request.WithContext(ctx)
	defer cancel()
	c.Next()
}

// released lets a stream, a table or a file take as long as it takes, once it is known who asks;
// it ends when the asker goes.
func released(c *gin.Context) {
	switch c.FullPath() {
	case "/api/v1/events", "/api/v1/tables/:kind", "/api/v1/cases-export", UploadsPath, UploadsPath + "/:upload",
		"/api/v1/cases/:case/files/:file/content", "/api/v1/cases/:case/files-archive",
		"/api/v1/papers/:kind/:owner/:file/content",
		"/api/v1/cases/:case/files/:file/masked":
	default:
		return
	}
	ctx, cancel := context.WithCancel(context.WithoutCancel(c.Request.Context()))
	defer cancel()
	if line, ok := ctx.Value(lineKey).(context.Context); ok {
		defer context.AfterFunc(line, cancel)()
	}
	c.Request = c.Request.WithContext(ctx)
	c.Next()
}

// readable refuses what no text can be: the database has no place for it, and neither has
// the contract.
func readable(c *gin.Context) {
	for _, s := range []string{c.Request.URL.Path, c.GetHeader("Idempotency-Key"), c.GetHeader("If-Match")} {
		if !plainText(s) {
			write(c, notText("path or header"))
			return
		}
	}
	q, err := url.ParseQuery(c.Request.URL.RawQuery)
	if err != nil {
		write(c, NewProblem(http.StatusBadRequest, "invalid", "The query cannot be read",
			"Write it as name=value&name=value, with % escapes."))
		return
	}
	for name, values := range q {
		for _, v := range append(values, name) {
			if !plainText(v) {
				write(c, notText(strings.ToValidUTF8(strings.ReplaceAll(name, "\x00", ""), "?")))
				return
			}
		}
	}
}

func plainText(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }

func notText(where string) *Problem {
	p := NewProblem(http.StatusBadRequest, "invalid", "Something in the request is not text",
		"Send valid UTF-8 without NUL characters.")
	p.Errors = &[]apigen.FieldError{{Field: where, Detail: "is not valid UTF-8, or has a NUL character"}}
	return p
}

// sameOrigin refuses changes that a page of another site asks a browser for.
func (s *Server) sameOrigin(c *gin.Context) {
	if c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead {
		return
	}
	origin := c.GetHeader("Origin")
	if origin == "" {
		if site := c.GetHeader("Sec-Fetch-Site"); site != "" && site != "same-origin" && site != "none" {
			origin = "another site"
		} else {
			return
		}
	}
	want := s.Origin
	if u, err := url.Parse(origin); err == nil && want == "" && u.Host == c.Request.Host {
		return
	}
	if want != "" && origin == want {
		return
	}
	write(c, NewProblem(http.StatusForbidden, "other-origin", "The request came from another site",
		"Only the console's own pages can make changes."))
}

// unpooled hands the handlers a copy of gin's context, which reads through to the
// request's own. Gin's is used again for other requests once this one is
// answered, while the database's goroutines may still hold it.
func unpooled(next apigen.StrictHandlerFunc, _ string) apigen.StrictHandlerFunc {
	return func(c *gin.Context, request any) (any, error) { return next(c.Copy(), request) }
}

// keyed hands a POST's Idempotency-Key to the desk.
func (s *Server) keyed(c *gin.Context) {
	key := c.GetHeader("Idempotency-Key")
	who, ok := c.Get("actor")
	if key == "" || !ok || c.Request.Method != http.MethodPost {
		return
	}
	raw, _ := c.Request.Context().Value(BodyKey).([]byte)
	route := c.Request.Method + " " + c.Request.URL.Path
	k := &desk.Keyed{Person: who.(desk.Actor).ID, Route: route, Key: key, BodyHash: hash(raw),
		Secret: strings.HasSuffix(route, "/tokens") || strings.HasSuffix(route, "/agenda-feeds")}
	c.Request = c.Request.WithContext(desk.WithKey(c.Request.Context(), k))
}

const (
	TableType = "text/csv"
	// UploadType is that of a piece of an upload, and UploadsPath where uploads begin.
	UploadType  = "application/offset+octet-stream"
	UploadsPath = "/api/v1/uploads"
	// maxTable bounds what one table takes of the disk while it is read.
	MaxTable = 1 << 30
)
