// Package server answers the API of api/openapi.yaml over HTTP, and serves the
// console. It is thin: translate, call the desk, translate back.
package server

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk/whole"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
)

// Options say how the service faces the world.
type Options struct {
	// Proxies are the addresses or networks whose X-Forwarded headers are believed.
	Proxies []string
	// Secure marks the session's cookie for TLS only.
	Secure bool
	// Origin is what browsers call us, where a proxy changes it; empty takes the request's own host.
	Origin string
	// Console is the built console, or nil.
	Console fs.FS
	Log     *slog.Logger
}

// Server is the HTTP side of the service.
type Server struct {
	Handler  http.Handler
	desk     *whole.Desk
	sessions *scs.SessionManager
	hub      *hub
	log      *slog.Logger
	origin   string
	secure   bool
	heavy    chan struct{} // places for work whose cost the asker decides
	tables   chan struct{} // places for tables on their way in
	requests *prometheus.HistogramVec
}

const requestTimeout = 10 * time.Second

// New puts the service together. Run must be called for live events.
func New(d *whole.Desk, o Options) (*Server, error) {
	defineFormats()
	spec, router, err := Contract()
	if err != nil {
		return nil, err
	}
	s := &Server{desk: d, hub: newHub(), log: o.Log, origin: o.Origin, secure: o.Secure, heavy: make(chan struct{}, 2), tables: make(chan struct{}, 3)}
	s.sessions = newSessions(d.People.Sessions(), o.Secure)
	reg := prometheus.NewRegistry()
	s.requests = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "roundhouse_request_seconds", Help: "Time to answer, by route, method and status.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5}}, []string{"route", "method", "status"})
	reg.MustRegister(s.requests, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))

	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	g.ContextWithFallback = true
	if err := g.SetTrustedProxies(o.Proxies); err != nil {
		return nil, err
	}
	// A redirect of the router's own would believe what a stranger says of the path before ours.
	g.RedirectTrailingSlash, g.RedirectFixedPath = false, false
	g.Use(s.observe, s.recover, s.headers)
	g.GET("/healthz", func(c *gin.Context) { c.JSON(http.StatusOK, gin.H{"ok": true}) })
	g.GET("/readyz", s.ready)
	metrics := promhttp.HandlerFor(reg, promhttp.HandlerOpts{})
	// Who asks is known before anything else of a request is looked at.
	known := []gin.HandlerFunc{s.bounded, s.session, s.identify}
	g.GET("/metrics", append(slices.Clone(known), gin.WrapH(metrics))...)
	page, contract, err := s.docs(spec)
	if err != nil {
		return nil, err
	}
	g.GET("/api", append(slices.Clone(known), page)...)
	g.GET("/api/openapi.json", append(slices.Clone(known), contract)...)
	api := g.Group("/api/v1", s.bounded, readable, s.sameOrigin, s.session, s.identify, s.validate(router), s.keyed, released)
	toProblem := func(kind string, status int) func(*gin.Context, error) {
		return func(c *gin.Context, err error) {
			if p := problemOf(err); p.Status != http.StatusInternalServerError || status == http.StatusInternalServerError {
				write(c, err)
				return
			}
			write(c, newProblem(status, kind, "The request is not understood", err.Error()))
		}
	}
	strict := apigen.NewStrictHandlerWithOptions(&handlers{s}, []apigen.StrictMiddlewareFunc{unpooled}, apigen.StrictGinServerOptions{
		RequestErrorHandlerFunc:  toProblem("not-understood", http.StatusBadRequest),
		HandlerErrorFunc:         toProblem("internal", http.StatusInternalServerError),
		ResponseErrorHandlerFunc: toProblem("internal", http.StatusInternalServerError),
	})
	apigen.RegisterHandlersWithOptions(api, strict, apigen.GinServerOptions{
		ErrorHandler: func(c *gin.Context, err error, status int) { toProblem("not-understood", status)(c, err) }})
	g.HandleMethodNotAllowed = true
	g.NoMethod(func(c *gin.Context) {
		write(c, newProblem(http.StatusMethodNotAllowed, "method-not-allowed", "That cannot be done to this", c.Request.Method+" is not in the contract here."))
	})
	g.NoRoute(s.elsewhere(o.Console))
	s.Handler = g
	return s, nil
}

// Run feeds live events to the streams until ctx ends.
func (s *Server) Run(ctx context.Context) { s.hub.listen(ctx, s.desk.Listen, s.log) }

// CloseStreams ends the event streams, which would otherwise hold a shutdown up.
func (s *Server) CloseStreams() { s.hub.close() }

// methods are those that HTTP has.
var methods = []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions}

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
	attrs := []any{"request", id, "method", method, "route", route, "status", status, "ms", time.Since(began).Milliseconds()}
	if who, ok := c.Get("actor"); ok {
		attrs = append(attrs, "person", who.(desk.Actor).ID)
	}
	if len(c.Errors) > 0 {
		attrs = append(attrs, "error", c.Errors.String())
	}
	if cause := c.GetString("cause"); cause != "" {
		attrs = append(attrs, "cause", cause)
	}
	s.log.Log(c.Request.Context(), level, "request", attrs...)
}

func (s *Server) recover(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			if p == http.ErrAbortHandler {
				panic(p)
			}
			s.log.Error("panic", "request", c.GetString("request_id"), "panic", p, "stack", stack())
			write(c, errors.New("panic"))
		}
	}()
	c.Next()
}

const policy = "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

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
	if err := s.desk.Ready(ctx); err != nil {
		write(c, newProblem(http.StatusServiceUnavailable, "database-unavailable", "The desk cannot reach its records just now", ""))
		return
	}
	c.JSON(http.StatusOK, gin.H{"ok": true})
}

// bounded gives a request its time, and notes what becomes of the changes it makes.
func (s *Server) bounded(c *gin.Context) {
	line := c.Request.Context()
	ctx := db.WithOutcome(context.WithValue(line, addressKey, c.ClientIP()))
	ctx, cancel := context.WithTimeout(context.WithValue(ctx, lineKey, line), requestTimeout)
	c.Request = c.Request.WithContext(ctx)
	defer cancel()
	c.Next()
}

// released lets a stream or a table take as long as it takes, once it is known who asks;
// it ends when the asker goes.
func released(c *gin.Context) {
	if path := c.FullPath(); path != "/api/v1/events" && path != "/api/v1/tables/:kind" {
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
		write(c, newProblem(http.StatusBadRequest, "invalid", "The query cannot be read", "Write it as name=value&name=value, with % escapes."))
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

func notText(where string) *problem {
	p := newProblem(http.StatusBadRequest, "invalid", "Something in the request is not text", "Send valid UTF-8 without NUL characters.")
	p.Errors = &[]apigen.FieldError{{Field: where, Detail: "is not valid UTF-8, or holds a NUL character"}}
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
	want := s.origin
	if u, err := url.Parse(origin); err == nil && want == "" && u.Host == c.Request.Host {
		return
	}
	if want != "" && origin == want {
		return
	}
	write(c, newProblem(http.StatusForbidden, "other-origin", "A page of another site asked for this", "Changes are taken from the console's own pages only."))
}

// identify says who asks: a token, else a session. Sign-in alone needs neither.
func (s *Server) identify(c *gin.Context) {
	if c.FullPath() == "/api/v1/sign-in" {
		c.Set("stranger", true)
		return
	}
	ctx := c.Request.Context()
	var p peopledb.Person
	var secret string
	err := db.ErrNotFound
	if scheme, given, ok := strings.Cut(c.GetHeader("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") {
		secret = strings.TrimSpace(given)
		p, err = s.desk.People.ByToken(ctx, secret)
	} else {
		p, err = s.signedIn(ctx)
	}
	if err == nil && !p.Active {
		err = db.ErrNotFound
	}
	if errors.Is(err, db.ErrNotFound) {
		write(c, newProblem(http.StatusUnauthorized, "not-signed-in", "Sign in first", "Sign in, or send a token that has not been revoked as Authorization: Bearer."))
		return
	} else if err != nil {
		write(c, err)
		return
	}
	a := desk.Actor{Person: p}
	c.Set("actor", a) // for the log
	ctx = context.WithValue(ctx, actorKey, a)
	c.Request = c.Request.WithContext(context.WithValue(ctx, againKey, s.askAgain(ctx, secret)))
}

type contextKey int

const (
	actorKey contextKey = iota
	bodyKey
	addressKey
	writerKey
	againKey
	lineKey
)

// unpooled hands the handlers a copy of gin's context, which reads through to the
// request's own. Gin's is used again for other requests once this one is
// answered, while the database's goroutines may still hold it.
func unpooled(next apigen.StrictHandlerFunc, _ string) apigen.StrictHandlerFunc {
	return func(c *gin.Context, request any) (any, error) { return next(c.Copy(), request) }
}

func actor(ctx context.Context) desk.Actor {
	a, _ := ctx.Value(actorKey).(desk.Actor)
	return a
}

// keyed hands a POST's Idempotency-Key to the desk.
func (s *Server) keyed(c *gin.Context) {
	key := c.GetHeader("Idempotency-Key")
	who, ok := c.Get("actor")
	if key == "" || !ok || c.Request.Method != http.MethodPost {
		return
	}
	raw, _ := c.Request.Context().Value(bodyKey).([]byte)
	route := c.Request.Method + " " + c.Request.URL.Path
	k := &desk.Keyed{Person: who.(desk.Actor).ID, Route: route, Key: key, BodyHash: hash(raw), Secret: strings.HasSuffix(route, "/tokens")}
	c.Request = c.Request.WithContext(desk.WithKey(c.Request.Context(), k))
}

func may(ctx context.Context, act access.Act) error {
	if !access.May(actor(ctx).Role, act) {
		return &desk.Forbidden{Why: "The role " + actor(ctx).Role + " may not do that."}
	}
	return nil
}
