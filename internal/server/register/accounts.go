package register

import (
	"context"

	"roundhouse.example/internal/core/register"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/server/apigen"
)

func accountOut(t registry.Thing[register.Account]) apigen.AccountRecord {
	return apigen.AccountRecord{Id: t.ID, VendorName: t.VendorName, Facts: t.Facts, Assets: t.Assets, LiveCases: t.Live}
}

// ListAccounts is one page of them.
func (h *Register) ListAccounts(ctx context.Context,
	r apigen.ListAccountsRequestObject) (apigen.ListAccountsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Accounts, registry.Filter{}, r.Params.Vendor, r.Params.Words,
		r.Params.Cursor, r.Params.Limit, accountOut)
	return apigen.ListAccounts200JSONResponse{Items: items, Next: next}, err
}

// AddAccount adds an account.
func (h *Register) AddAccount(ctx context.Context,
	r apigen.AddAccountRequestObject) (apigen.AddAccountResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Accounts, r.Body, accountOut)
	return apigen.AddAccount201JSONResponse{Body: body,
		Headers: apigen.AddAccount201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetAccount is one.
func (h *Register) GetAccount(ctx context.Context,
	r apigen.GetAccountRequestObject) (apigen.GetAccountResponseObject, error) {
	body, tag, err := got(ctx, h, registry.Accounts, r.Id, accountOut)
	return apigen.GetAccount200JSONResponse{Body: body, Headers: apigen.GetAccount200ResponseHeaders{ETag: tag}}, err
}

// ChangeAccount applies a merge patch to its facts.
func (h *Register) ChangeAccount(ctx context.Context,
	r apigen.ChangeAccountRequestObject) (apigen.ChangeAccountResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Accounts, r.Id, r.Params.IfMatch, nil, accountOut)
	return apigen.ChangeAccount200JSONResponse{Body: body, Headers: apigen.ChangeAccount200ResponseHeaders{ETag: tag}}, err
}

// RemoveAccount takes one out that nothing refers to.
func (h *Register) RemoveAccount(ctx context.Context,
	r apigen.RemoveAccountRequestObject) (apigen.RemoveAccountResponseObject, error) {
	return apigen.RemoveAccount204Response{}, removed(ctx, h, registry.Accounts, r.Id, r.Params.IfMatch)
}
