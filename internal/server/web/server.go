// Package web is what all operations of the service need: who asks and from where, limits, the
// contract that requests are held to, problems, sessions, the console.
package web

import (
	"cmp"
	"io/fs"
	"log/slog"
	"net/http"
	"slices"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"roundhouse.example/internal/desk/whole"
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
	// Answer is how long a request may take; 10 s where it is 0.
	Answer time.Duration
	// Rehearsal is what is rehearsed here; nil on a desk in earnest.
	Rehearsal *Rehearsal
}

// Rehearsal is said to whoever asks, so that nobody takes made-up cases for real ones.
type Rehearsal struct {
	Title string
	Speed float64 // how many times faster than real time the desk's clock runs
}

// Server is the HTTP side of the service.
type Server struct {
	Handler  http.Handler
	Desk     *whole.Desk
	sessions *scs.SessionManager
	Log      *slog.Logger
	// Origin is what browsers call us, where a proxy changes it; empty takes the request's own host.
	Origin string
	// Rehearsal is what is rehearsed here; nil on a desk in earnest.
	Rehearsal *Rehearsal

	secure   bool
	acts     map[string]asked
	answer   time.Duration
	heavy    chan struct{} // places for work whose cost the asker decides
	requests *prometheus.HistogramVec
}

// answerWithin is how long a request may take, if nobody says otherwise.
const answerWithin = 10 * time.Second

// New puts the service together. Run must be called for live events.
// beside answers what the contract has and its generated interface cannot: what comes piece by piece.
func New(d *whole.Desk, o Options, operations func(*Server) apigen.StrictServerInterface,
	beside func(*Server, gin.IRoutes) error) (*Server, error) {
	defineFormats()
	spec, router, err := Contract()
	if err != nil {
		return nil, err
	}
	acts, err := actsOf(spec)
	if err != nil {
		return nil, err
	}
	s := &Server{acts: acts, Desk: d, Log: o.Log, Origin: o.Origin, Rehearsal: o.Rehearsal, secure: o.Secure,
		answer: cmp.Or(o.Answer, answerWithin), heavy: make(chan struct{}, 2)}
	s.sessions = newSessions(d.People.Sessions(), o.Secure)
	reg := prometheus.NewRegistry()
	s.requests = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "roundhouse_request_seconds", Help: "Time to answer, by route, method and status.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5}}, []string{"route", "method", "status"})
	reg.MustRegister(s.requests, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))

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
	g.GET("/api", append(slices.Clone(known), docsPage)...)
	g.GET("/api/openapi.json", append(slices.Clone(known), docsJSON)...)
	api := g.Group("/api/v1", s.bounded, readable, s.sameOrigin, s.session, s.identify, s.validate(router), s.keyed,
		released)
	toProblem := func(kind string, status int) func(*gin.Context, error) {
		return func(c *gin.Context, err error) {
			if p := ProblemOf(err); p.Status != http.StatusInternalServerError || status == http.StatusInternalServerError {
				write(c, err)
				return
			}
			write(c, NewProblem(status, kind, "The request cannot be read", err.Error()))
		}
	}
	strict := apigen.NewStrictHandlerWithOptions(operations(s), []apigen.StrictMiddlewareFunc{unpooled},
		apigen.StrictGinServerOptions{
			RequestErrorHandlerFunc:  toProblem("not-understood", http.StatusBadRequest),
			HandlerErrorFunc:         toProblem("internal", http.StatusInternalServerError),
			ResponseErrorHandlerFunc: toProblem("internal", http.StatusInternalServerError),
		})
	apigen.RegisterHandlersWithOptions(api, strict, apigen.GinServerOptions{
		ErrorHandler: func(c *gin.Context, err error, status int) { toProblem("not-understood", status)(c, err) }})
	if err := beside(s, api); err != nil {
		return nil, err
	}
	g.HandleMethodNotAllowed = true
	g.NoMethod(func(c *gin.Context) {
		write(c, NewProblem(http.StatusMethodNotAllowed, "method-not-allowed", "This method is not allowed here",
			c.Request.Method+" is not available at this path."))
	})
	g.NoRoute(s.elsewhere(o.Console))
	s.Handler = g
	return s, nil
}
