package people

import (
	"context"

	"roundhouse.example/internal/desk/people"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// SignIn begins a session, under a new cookie.
func (h *People) SignIn(ctx context.Context, r apigen.SignInRequestObject) (apigen.SignInResponseObject, error) {
	p, err := h.desk().People.TrySignIn(ctx, web.ClientIP(ctx), r.Body.Email, r.Body.Password)
	if err != nil {
		return nil, err
	}
	if err := h.s.Begin(ctx, p); err != nil {
		return nil, err
	}
	return apigen.SignIn200JSONResponse(me(p)), nil
}

// SignOut ends the session for good.
func (h *People) SignOut(ctx context.Context, _ apigen.SignOutRequestObject) (apigen.SignOutResponseObject, error) {
	if err := h.s.End(ctx); err != nil {
		return nil, err
	}
	// The session has ended; a stream that is not told so finds out by itself.
	if err := h.desk().People.EndAccess(ctx, web.Actor(ctx).ID); err != nil {
		h.s.Log.Warn("telling streams of a sign-out", "error", err)
	}
	return apigen.SignOut204Response{}, nil
}

// GetMe says who asks and what they may do.
func (h *People) GetMe(ctx context.Context, _ apigen.GetMeRequestObject) (apigen.GetMeResponseObject, error) {
	return apigen.GetMe200JSONResponse(me(web.Actor(ctx).Person)), nil
}

func me(p people.Person) apigen.Me {
	m := apigen.Me{Person: person(p), May: []string{}}
	for _, a := range access.Acts(p.Role) {
		m.May = append(m.May, string(a))
	}
	return m
}
