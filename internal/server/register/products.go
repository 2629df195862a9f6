package register

import (
	"context"

	"roundhouse.example/internal/core/register"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/server/apigen"
)

func productOut(t registry.Thing[register.Product]) apigen.ProductRecord {
	return apigen.ProductRecord{Id: t.ID, VendorName: t.VendorName, Facts: t.Facts, Assets: t.Assets}
}

// ListProducts is one page of them.
func (h *Register) ListProducts(ctx context.Context,
	r apigen.ListProductsRequestObject) (apigen.ListProductsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Products, registry.Filter{}, r.Params.Vendor, r.Params.Words,
		r.Params.Cursor, r.Params.Limit, productOut)
	return apigen.ListProducts200JSONResponse{Items: items, Next: next}, err
}

// AddProduct adds a product.
func (h *Register) AddProduct(ctx context.Context,
	r apigen.AddProductRequestObject) (apigen.AddProductResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Products, r.Body, productOut)
	return apigen.AddProduct201JSONResponse{Body: body,
		Headers: apigen.AddProduct201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetProduct is one.
func (h *Register) GetProduct(ctx context.Context,
	r apigen.GetProductRequestObject) (apigen.GetProductResponseObject, error) {
	body, tag, err := got(ctx, h, registry.Products, r.Id, productOut)
	return apigen.GetProduct200JSONResponse{Body: body, Headers: apigen.GetProduct200ResponseHeaders{ETag: tag}}, err
}

// ChangeProduct applies a merge patch to its facts.
func (h *Register) ChangeProduct(ctx context.Context,
	r apigen.ChangeProductRequestObject) (apigen.ChangeProductResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Products, r.Id, r.Params.IfMatch, nil, productOut)
	return apigen.ChangeProduct200JSONResponse{Body: body, Headers: apigen.ChangeProduct200ResponseHeaders{ETag: tag}}, err
}

// RemoveProduct takes one out that nothing refers to.
func (h *Register) RemoveProduct(ctx context.Context,
	r apigen.RemoveProductRequestObject) (apigen.RemoveProductResponseObject, error) {
	return apigen.RemoveProduct204Response{}, removed(ctx, h, registry.Products, r.Id, r.Params.IfMatch)
}
