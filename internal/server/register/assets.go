package register

import (
	"context"

	"roundhouse.example/internal/core/register"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

func assetOut(t registry.Thing[register.Asset]) apigen.AssetRecord {
	r := apigen.AssetRecord{Id: t.ID, VendorName: t.VendorName, Facts: t.Facts, LiveCases: t.Live,
		NumberFound: web.Some(t.NumberFound),
		Cover: apigen.Cover{State: apigen.CoverState(t.Cover.State), Until: web.Some(t.Cover.Until),
			Words: t.Cover.Words()}}
	if len(t.Cover.By) > 0 {
		r.Cover.By = &t.Cover.By
	}
	return r
}

// ListAssets is one page of them.
func (h *Register) ListAssets(ctx context.Context,
	r apigen.ListAssetsRequestObject) (apigen.ListAssetsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Assets,
		registry.Filter{Cover: string(web.Val(r.Params.Cover)), Site: web.Val(r.Params.Site),
			Product: web.Val(r.Params.Product), Account: web.Val(r.Params.Account), Contract: web.Val(r.Params.Contract)},
		r.Params.Vendor, r.Params.Words, r.Params.Cursor, r.Params.Limit, assetOut)
	return apigen.ListAssets200JSONResponse{Items: items, Next: next}, err
}

// AddAsset adds an asset.
func (h *Register) AddAsset(ctx context.Context,
	r apigen.AddAssetRequestObject) (apigen.AddAssetResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Assets, r.Body, assetOut)
	return apigen.AddAsset201JSONResponse{Body: body,
		Headers: apigen.AddAsset201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetAsset is one.
func (h *Register) GetAsset(ctx context.Context,
	r apigen.GetAssetRequestObject) (apigen.GetAssetResponseObject, error) {
	body, tag, err := got(ctx, h, registry.Assets, r.Id, assetOut)
	return apigen.GetAsset200JSONResponse{Body: body, Headers: apigen.GetAsset200ResponseHeaders{ETag: tag}}, err
}

// ChangeAsset applies a merge patch to its facts.
func (h *Register) ChangeAsset(ctx context.Context,
	r apigen.ChangeAssetRequestObject) (apigen.ChangeAssetResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Assets, r.Id, r.Params.IfMatch, nil, assetOut)
	return apigen.ChangeAsset200JSONResponse{Body: body, Headers: apigen.ChangeAsset200ResponseHeaders{ETag: tag}}, err
}

// RemoveAsset takes one out that nothing refers to.
func (h *Register) RemoveAsset(ctx context.Context,
	r apigen.RemoveAssetRequestObject) (apigen.RemoveAssetResponseObject, error) {
	return apigen.RemoveAsset204Response{}, removed(ctx, h, registry.Assets, r.Id, r.Params.IfMatch)
}
