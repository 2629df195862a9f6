package web

import (
	"context"
	"net/http"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/desk/people"
)

const cookieName = "roundhouse_session"

// stays is how long a session that nobody uses goes on, and noted how often its use is
// written down.
const (
	stays = 24 * time.Hour
	noted = 10 * time.Minute
)

func newSessions(s scs.CtxStore, secure bool) *scs.SessionManager {
	m := scs.New()
	m.Store = s
	m.Lifetime = 14 * 24 * time.Hour
	m.HashTokenInStore = true
	m.Cookie.Name, m.Cookie.SameSite, m.Cookie.Secure = cookieName, http.SameSiteLaxMode, secure
	return m
}

// session reads the asker's session, within the time that the request has. Nothing is
// written back at its end: what changes a session says so itself.
func (s *Server) session(c *gin.Context) {
	ctx := c.Request.Context()
	token := ""
	if cookie, err := c.Request.Cookie(cookieName); err == nil {
		token = cookie.Value
	}
	ctx, err := s.sessions.Load(ctx, token)
	if err != nil {
		write(c, err)
		return
	}
	c.Request = c.Request.WithContext(context.WithValue(ctx, writerKey, c.Writer))
}

// Begin starts a session for a person, under a new cookie.
func (s *Server) Begin(ctx context.Context, p people.Person) error {
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.sessions.Put(ctx, "person", p.ID)
	s.sessions.Put(ctx, "credential", p.Credential)
	s.sessions.Put(ctx, "seen", time.Now().Unix())
	return s.keep(ctx)
}

// keep writes the session and its cookie.
func (s *Server) keep(ctx context.Context) error {
	token, expiry, err := s.sessions.Commit(ctx)
	if err != nil {
		return err
	}
	if w, ok := ctx.Value(writerKey).(http.ResponseWriter); ok {
		s.sessions.WriteSessionCookie(ctx, w, token, expiry)
	}
	return nil
}

// End ends the session for good.
func (s *Server) End(ctx context.Context) error {
	if err := s.sessions.Destroy(ctx); err != nil {
		return err
	}
	if w, ok := ctx.Value(writerKey).(http.ResponseWriter); ok {
		s.sessions.WriteSessionCookie(ctx, w, "", time.Time{})
	}
	return nil
}

var _ scs.CtxStore = people.Sessions{}
