package server

import (
	"context"
	"net/http"
	"time"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

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

// begin starts a session for a person, under a new cookie.
func (s *Server) begin(ctx context.Context, p peopledb.Person) error {
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

// end ends the session for good.
func (s *Server) end(ctx context.Context) error {
	if err := s.sessions.Destroy(ctx); err != nil {
		return err
	}
	if w, ok := ctx.Value(writerKey).(http.ResponseWriter); ok {
		s.sessions.WriteSessionCookie(ctx, w, "", time.Time{})
	}
	return nil
}

// signedIn is the person of the request's session; store.ErrNotFound where it has none,
// or has not been used for too long.
func (s *Server) signedIn(ctx context.Context) (peopledb.Person, error) {
	id := s.sessions.GetInt64(ctx, "person")
	seen := time.Unix(s.sessions.GetInt64(ctx, "seen"), 0)
	if id == 0 || time.Since(seen) > stays {
		return peopledb.Person{}, db.ErrNotFound
	}
	p, err := s.desk.People.PersonSignedIn(ctx, id, s.sessions.GetInt(ctx, "credential"))
	if err == nil && time.Since(seen) > noted {
		s.sessions.Put(ctx, "seen", time.Now().Unix())
		err = s.keep(ctx)
	}
	return p, err
}

// askAgain gives what tells a stream that is open for long whether its reader may still
// read: the session, the token or the person may have ended meanwhile.
func (s *Server) askAgain(ctx context.Context, secret string) func(context.Context) bool {
	token := s.sessions.Token(ctx)
	return func(asked context.Context) bool {
		// A context that holds a session already is not read anew: this one holds none.
		ctx, cancel := context.WithTimeout(context.Background(), requestTimeout)
		defer cancel()
		defer context.AfterFunc(asked, cancel)()
		if secret != "" {
			p, err := s.desk.People.ByToken(ctx, secret)
			return (err == nil && p.Active) || db.Unavailable(err)
		}
		ctx, err := s.sessions.Load(ctx, token)
		if err == nil {
			_, err = s.desk.People.PersonSignedIn(ctx, s.sessions.GetInt64(ctx, "person"), s.sessions.GetInt(ctx, "credential"))
		}
		return err == nil || db.Unavailable(err)
	}
}

var _ scs.CtxStore = people.Sessions{}
