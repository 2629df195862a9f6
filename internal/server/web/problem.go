package web

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/vault"
)

// problemBase begins every problem's type; what follows is stable.
const problemBase = "https://roundhouse.example/problems/"

// Problem is an error that is told as it is, as a document of RFC 9457.
type Problem struct{ apigen.Problem }

func (p *Problem) Error() string { return p.Title }

// NewProblem makes one; kind ends its type.
func NewProblem(status int, kind, title, detail string) *Problem {
	p := &Problem{apigen.Problem{Status: status, Type: problemBase + kind, Title: title}}
	if detail != "" {
		p.Detail = &detail
	}
	return p
}

// sentence is an error as a sentence.
func sentence(err error) string {
	s := err.Error()
	return strings.ToUpper(s[:1]) + s[1:] + "."
}

func fieldErrors(fields []desk.Field) *[]apigen.FieldError {
	list := make([]apigen.FieldError, len(fields))
	for i, f := range fields {
		list[i] = apigen.FieldError{Field: f.Name, Detail: f.Detail}
	}
	return &list
}

// ProblemOf maps every error of the desk to a document, in one place.
// In one piece: a table of errors.
func ProblemOf(err error) *Problem {
	var (
		p         *Problem
		invalid   *desk.Invalid
		refusal   *casework.Refusal
		forbidden *desk.Forbidden
		newer     *desk.NewerMessage
		past      *desk.PastLimit
		tooLarge  *http.MaxBytesError
		stale     *desk.Stale
		inUse     *desk.InUse
		touches   *desk.Touches
		paper     *secrets.NotInVault
		holds     *desk.MustNotLeave
		intended  *desk.Intended
	)
	switch {
	case errors.As(err, &p):
		return p
	case errors.As(err, &tooLarge):
		return NewProblem(http.StatusRequestEntityTooLarge, "too-large", "The request is too large", "")
	case errors.As(err, &invalid):
		p = NewProblem(http.StatusUnprocessableEntity, "invalid", "Something in the request is not right",
			invalid.Error())
		p.Errors = fieldErrors(invalid.Fields)
		return p
	case errors.As(err, &holds):
		p = NewProblem(http.StatusUnprocessableEntity, "must-not-leave", "This must not be sent as it is", holds.Error())
		p.Errors = fieldErrors(holds.Places)
		return p
	case errors.As(err, &intended):
		return NewProblem(http.StatusConflict, "confirm-files", "Should this really be sent?", intended.Error())
	case errors.As(err, &refusal):
		p = NewProblem(http.StatusConflict, "step-refused", "That step is not allowed now", refusal.Error())
		list := make([]string, len(refusal.Allowed))
		for i, s := range refusal.Allowed {
			list[i] = string(s)
		}
		p.Allowed = &list
		if refusal.MissingReason {
			p.Status, p.Type, p.Title = http.StatusUnprocessableEntity, problemBase+"invalid", "A reason is needed"
			p.Errors, p.Allowed = &[]apigen.FieldError{{Field: "reason", Detail: "say why"}}, nil
		}
		return p
	case errors.As(err, &stale):
		p = NewProblem(http.StatusPreconditionFailed, "stale", "It has changed in the meantime", stale.Error())
		if len(stale.Fields) > 0 {
			p.Errors = fieldErrors(stale.Fields)
		}
		return p
	case errors.As(err, &inUse):
		return NewProblem(http.StatusConflict, "in-use", "It is still in use", inUse.Why)
	case errors.As(err, &touches):
		return NewProblem(http.StatusConflict, "touches-cases", "This affects live cases", touches.Words)
	case errors.As(err, &paper):
		return NewProblem(http.StatusConflict, "not-in-vault", "Its value is not stored here", paper.Why)
	case errors.As(err, &forbidden):
		return NewProblem(http.StatusForbidden, "forbidden", "You may not do that", forbidden.Why)
	case errors.As(err, &past):
		return NewProblem(http.StatusConflict, "past-limit", "The vendor no longer reopens it", past.Error())
	case errors.As(err, &newer):
		return NewProblem(http.StatusConflict, "newer-message", "The vendor has written since", newer.Error())
	case errors.Is(err, desk.ErrNotFound):
		return NewProblem(http.StatusNotFound, "not-found", "Not found",
			"Nothing here has that number, reference or name.")
	case errors.Is(err, desk.ErrStale):
		return NewProblem(http.StatusPreconditionFailed, "stale", "It has changed in the meantime", err.Error())
	case errors.Is(err, desk.ErrNoMatch):
		return NewProblem(http.StatusPreconditionRequired, "match-required", "If-Match is missing", err.Error())
	case errors.Is(err, desk.ErrKeyReused):
		return NewProblem(http.StatusUnprocessableEntity, "key-reused", "The Idempotency-Key was used for another request",
			err.Error())
	case errors.Is(err, desk.ErrKeyBusy), errors.Is(err, desk.ErrNotAnswered):
		return NewProblem(http.StatusConflict, "key-busy", "The Idempotency-Key is in use", err.Error())
	case errors.Is(err, people.ErrTooManySignIns):
		return NewProblem(http.StatusTooManyRequests, "too-many-sign-ins", "Too many attempts to sign in",
			"Wait ten minutes, then try again.")
	case errors.Is(err, people.ErrBadSignIn):
		return NewProblem(http.StatusUnauthorized, "sign-in-failed", "Sign-in failed", err.Error()+".")
	case errors.Is(err, files.ErrFull):
		return NewProblem(http.StatusInsufficientStorage, "disk", "The disk of the service is full", sentence(files.ErrFull))
	case errors.Is(err, files.ErrBusy):
		return NewProblem(http.StatusLocked, "upload-busy", "Somebody is sending this already", sentence(files.ErrBusy))
	case errors.Is(err, files.ErrRemoved):
		return NewProblem(http.StatusGone, "removed", "The file was removed", sentence(files.ErrRemoved))
	case errors.Is(err, files.ErrGone), errors.Is(err, files.ErrNoFolder):
		return NewProblem(http.StatusServiceUnavailable, "no-file", "The file is not here", sentence(err))
	case locked(err) != nil:
		return locked(err)
	case errors.Is(err, context.Canceled):
		return NewProblem(499, "gone", "The request was cancelled", "")
	case errors.Is(err, context.DeadlineExceeded), desk.Unavailable(err):
		return NewProblem(http.StatusServiceUnavailable, "database-unavailable",
			"The desk cannot reach its database right now",
			"Nothing was changed. Try again in a moment.")
	}
	return NewProblem(http.StatusInternalServerError, "internal", "Something went wrong in the service",
		"The service log says more under the id of this request.")
}

// Outcome says of an answer that is the service's own fault what became of the request: a
// change may be committed although it cannot be shown any more.
func Outcome(ctx context.Context, p *Problem) *Problem {
	if p.Status < 500 {
		return p
	}
	switch {
	case desk.Done(ctx):
		return NewProblem(http.StatusServiceUnavailable, "done-not-shown", "It was done, but cannot be shown right now",
			"What you asked for was done. Only reading it back failed: open it again in a moment, and do not repeat "+
				"the request.")
	case desk.Unknown(ctx):
		return NewProblem(http.StatusServiceUnavailable, "outcome-unknown", "It is not known whether this was done",
			"The database did not answer in time. Check before you repeat it, or repeat it with the same "+
				"Idempotency-Key: then it is done only once.")
	}
	return p
}

func write(c *gin.Context, err error) {
	p := Outcome(c.Request.Context(), ProblemOf(err))
	if p.Status >= 500 && p.Status != http.StatusServiceUnavailable || p.Status == http.StatusInternalServerError {
		_ = c.Error(err)
	}
	doc := p.Problem
	if id := c.GetString("request_id"); id != "" {
		doc.RequestId = &id
	}
	switch doc.Status {
	case http.StatusUnauthorized:
		c.Header("WWW-Authenticate", `Bearer realm="roundhouse"`)
	case http.StatusServiceUnavailable:
		c.Header("Retry-After", "3")
		c.Set("cause", err.Error())
	}
	c.Header("Content-Type", "application/problem+json")
	c.Abort()
	c.JSON(doc.Status, doc)
}

// locked is what a secret asked for without the right key is answered with.
func locked(err error) *Problem {
	var unknown *vault.UnknownKey
	if errors.Is(err, secrets.ErrNoVault) || errors.As(err, &unknown) {
		return NewProblem(http.StatusConflict, "vault-locked", "The vault is locked", "Secrets cannot be read here: "+
			err.Error()+".")
	}
	return nil
}
