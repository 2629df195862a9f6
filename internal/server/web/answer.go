package web

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/desk"
)

// methods are those that HTTP has.
var methods = []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch,
	http.MethodDelete, http.MethodOptions}

func (s *Server) observe(c *gin.Context) {
	began := time.Now()
	id := newID()
	c.Set("request_id", id)
	c.Header("X-Request-Id", id)
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "console"
	}
	status := c.Writer.Status()
	method := c.Request.Method
	if !slices.Contains(methods, method) { // anybody can invent one
		method = "other"
	}
	s.requests.WithLabelValues(route, method, http.StatusText(status)).Observe(time.Since(began).Seconds())
	level := slog.LevelInfo
	if status >= 500 {
		level = slog.LevelError
	}
	if route == "console" || route == "/healthz" || route == "/readyz" {
		level = slog.LevelDebug
	}
	attrs := []any{"request", id, "method", method, "route", route, "status", status, "ms",
		time.Since(began).Milliseconds()}
	if who, ok := c.Get("actor"); ok {
		attrs = append(attrs, "person", who.(desk.Actor).ID)
	}
	if len(c.Errors) > 0 {
		attrs = append(attrs, "error", c.Errors.String())
	}
	if cause := c.GetString("cause"); cause != "" {
		attrs = append(attrs, "cause", cause)
	}
	s.Log.Log(c.Request.Context(), level, "request", attrs...)
}

func (s *Server) recover(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			if p == http.ErrAbortHandler {
				panic(p)
			}
			s.Log.Error("panic", "request", c.GetString("request_id"), "panic", p, "stack", stack())
			write(c, errors.New("panic"))
		}
	}()
	c.Next()
}

const policy = "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: " +
	"blob:; font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; " +
	"frame-ancestors 'none'"

func (s *Server) headers(c *gin.Context) {
	h := c.Writer.Header()
	if s.secure {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	h.Set("Content-Security-Policy", policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
}

func (s *Server) ready(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), time.Second)
	defer cancel()
	if err := s.Desk.Ready(ctx); err != nil {
		write(c, NewProblem(http.StatusServiceUnavailable, "database-unavailable",
			"The desk cannot reach its database right now", ""))
		return
	}
	c.JSON(http.StatusOK, gin.H{"ok": true})
}
