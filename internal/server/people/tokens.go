package people

import (
	"context"

	"roundhouse.example/internal/desk/people"

	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ListTokens lists the asker's tokens.
func (h *People) ListTokens(ctx context.Context,
	_ apigen.ListTokensRequestObject) (apigen.ListTokensResponseObject, error) {
	list, err := h.desk().People.Tokens(ctx, web.Actor(ctx))
	if err != nil {
		return nil, err
	}
	return apigen.ListTokens200JSONResponse{Items: web.Each(list, token)}, nil
}

// AddToken makes a token; its secret is in this answer and nowhere else.
func (h *People) AddToken(ctx context.Context, r apigen.AddTokenRequestObject) (apigen.AddTokenResponseObject, error) {
	t, secret, err := h.desk().People.AddToken(ctx, web.Actor(ctx), r.Body.Name)
	if err != nil {
		return nil, err
	}
	return apigen.AddToken201JSONResponse{Token: token(t), Secret: secret}, nil
}

// RevokeToken ends a token at once.
func (h *People) RevokeToken(ctx context.Context,
	r apigen.RevokeTokenRequestObject) (apigen.RevokeTokenResponseObject, error) {
	if err := h.desk().People.RevokeToken(ctx, web.Actor(ctx), r.Token); err != nil {
		return nil, err
	}
	return apigen.RevokeToken204Response{}, nil
}

func token(t people.Token) apigen.Token {
	return apigen.Token{Id: t.ID, Name: t.Name, CreatedAt: t.CreatedAt, LastUsedAt: t.LastUsedAt, RevokedAt: t.RevokedAt}
}
