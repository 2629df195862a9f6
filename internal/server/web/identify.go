package web

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"roundhouse.example/internal/desk/people"

	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
)

// identify says who asks: a token, else a session. Sign-in alone needs neither.
func (s *Server) identify(c *gin.Context) {
	switch c.FullPath() {
	case "/api/v1/sign-in", "/api/v1/feeds/:address": // a feed's address is the right to read it
		c.Set("stranger", true)
		return
	}
	ctx := c.Request.Context()
	var p people.Person
	var secret string
	err := desk.ErrNotFound
	if scheme, given, ok := strings.Cut(c.GetHeader("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") {
		secret = strings.TrimSpace(given)
		p, err = s.Desk.People.ByToken(ctx, secret)
	} else {
		p, err = s.signedIn(ctx)
	}
	if err == nil && !p.Active {
		err = desk.ErrNotFound
	}
	if errors.Is(err, desk.ErrNotFound) {
		write(c, NewProblem(http.StatusUnauthorized, "not-signed-in", "Sign in first",
			"Sign in, or send a token that has not been revoked as Authorization: Bearer."))
		return
	} else if err != nil {
		write(c, err)
		return
	}
	a := desk.Actor{Person: p}
	c.Set("actor", a) // for the log
	ctx = context.WithValue(ctx, actorKey, a)
	c.Request = c.Request.WithContext(context.WithValue(ctx, AgainKey, s.askAgain(ctx, secret)))
}

type contextKey int

const (
	actorKey contextKey = iota
	BodyKey
	addressKey
	writerKey
	AgainKey
	lineKey
)

// Actor is who asks; the zero value for a stranger.
func Actor(ctx context.Context) desk.Actor {
	a, _ := ctx.Value(actorKey).(desk.Actor)
	return a
}

// May is nil where the asker may do something.
func May(ctx context.Context, act access.Act) error {
	return Actor(ctx).May(act)
}

// signedIn is the person of the request's session; store.ErrNotFound where it has none,
// or has not been used for too long.
func (s *Server) signedIn(ctx context.Context) (people.Person, error) {
	id := s.sessions.GetInt64(ctx, "person")
	seen := time.Unix(s.sessions.GetInt64(ctx, "seen"), 0)
	if id == 0 || time.Since(seen) > stays {
		return people.Person{}, desk.ErrNotFound
	}
	p, err := s.Desk.People.PersonSignedIn(ctx, id, s.sessions.GetInt(ctx, "credential"))
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
		ctx, cancel := context.WithTimeout(context.Background(), s.answer)
		defer cancel()
		defer context.AfterFunc(asked, cancel)()
		if secret != "" {
			p, err := s.Desk.People.ByToken(ctx, secret)
			return (err == nil && p.Active) || desk.Unavailable(err)
		}
		ctx, err := s.sessions.Load(ctx, token)
		if err == nil {
			_, err = s.Desk.People.PersonSignedIn(ctx, s.sessions.GetInt64(ctx, "person"), s.sessions.GetInt(ctx, "credential"))
		}
		return err == nil || desk.Unavailable(err)
	}
}
