package people

import (
	"context"

	"roundhouse.example/internal/desk/people"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
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
	m, err := h.me(ctx, p)
	if err != nil { // they are signed in all the same
		h.s.Log.Warn("reading whether somebody is new", "error", err)
	}
	return apigen.SignIn200JSONResponse(m), nil
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
	m, err := h.me(ctx, web.Actor(ctx).Person)
	if err != nil {
		return nil, err
	}
	return apigen.GetMe200JSONResponse(m), nil
}

func (h *People) me(ctx context.Context, p people.Person) (apigen.Me, error) {
	m := apigen.Me{Person: person(p), May: []string{}, Now: h.desk().Now()}
	for _, a := range access.Acts(p.Role) {
		m.May = append(m.May, string(a))
	}
	if r := h.s.Rehearsal; r != nil {
		m.Rehearsal = &apigen.Rehearsal{Title: r.Title, Speed: float32(r.Speed)}
		return m, nil
	}
	is, err := h.desk().Seen.Newcomer(ctx, desk.Actor{Person: p})
	m.Newcomer = web.Some(is)
	return m, err
}
