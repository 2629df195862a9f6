package register

import (
	"context"

	"roundhouse.example/internal/core/register"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

func contractOut(t registry.Thing[register.Contract]) apigen.ContractRecord {
	r := apigen.ContractRecord{Id: t.ID, VendorName: t.VendorName, Facts: t.Facts, Assets: t.Assets, LiveCases: t.Live,
		OpenedCases: t.Opened, DaysLeft: t.DaysLeft,
		Warnings: append(append([]string{}, t.Warnings...), t.Doubts...)}
	if t.Within != 0 {
		r.Within = &t.Within
	}
	return r
}

// ListContracts is one page of them.
func (h *Register) ListContracts(ctx context.Context,
	r apigen.ListContractsRequestObject) (apigen.ListContractsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Contracts,
		registry.Filter{Cover: string(web.Val(r.Params.Cover)), EndingOn: date(r.Params.EndingOn),
			Covering: web.Val(r.Params.Asset)}, r.Params.Vendor, r.Params.Words, r.Params.Cursor, r.Params.Limit, contractOut)
	return apigen.ListContracts200JSONResponse{Items: items, Next: next}, err
}

// AddContract adds a contract.
func (h *Register) AddContract(ctx context.Context,
	r apigen.AddContractRequestObject) (apigen.AddContractResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Contracts, r.Body, contractOut)
	return apigen.AddContract201JSONResponse{Body: body,
		Headers: apigen.AddContract201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetContract is one.
func (h *Register) GetContract(ctx context.Context,
	r apigen.GetContractRequestObject) (apigen.GetContractResponseObject, error) {
	if at := r.Params.At; at != nil {
		t, since, err := h.desk().Register.ContractAt(ctx, web.Actor(ctx), r.Id, *at)
		out := contractOut(t)
		out.TargetsSince = since
		return apigen.GetContract200JSONResponse{Body: out,
			Headers: apigen.GetContract200ResponseHeaders{ETag: web.VersionTag(t.Version)}}, err
	}
	body, tag, err := got(ctx, h, registry.Contracts, r.Id, contractOut)
	return apigen.GetContract200JSONResponse{Body: body, Headers: apigen.GetContract200ResponseHeaders{ETag: tag}}, err
}

// ChangeContract applies a merge patch to its facts.
func (h *Register) ChangeContract(ctx context.Context,
	r apigen.ChangeContractRequestObject) (apigen.ChangeContractResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Contracts, r.Id, r.Params.IfMatch, r.Params.Confirm, contractOut)
	return apigen.ChangeContract200JSONResponse{Body: body, Headers: apigen.ChangeContract200ResponseHeaders{ETag: tag}},
		err
}

// RemoveContract takes one out that nothing refers to.
func (h *Register) RemoveContract(ctx context.Context,
	r apigen.RemoveContractRequestObject) (apigen.RemoveContractResponseObject, error) {
	return apigen.RemoveContract204Response{}, removed(ctx, h, registry.Contracts, r.Id, r.Params.IfMatch)
}
