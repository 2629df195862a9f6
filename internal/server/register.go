package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	registerdb "roundhouse.example/internal/store/register"

	registry "roundhouse.example/internal/desk/register"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
)

// recast turns facts of the core into those of the contract, and back: both are
// written alike in JSON.
func recast[T any](from any) (to T, err error) {
	raw, err := json.Marshal(from)
	if err == nil {
		err = json.Unmarshal(raw, &to)
	}
	return to, err
}

// place is where a page of the register ended.
type place struct {
	Key string `json:"k"`
	ID  int64  `json:"i"`
}

// listed is one page of the register, in the contract's form.
func listed[T, R any](ctx context.Context, h *handlers, k *registry.Kind[T], f registerdb.ThingFilter, vendor, words, cursor *string, limit *int, out func(registry.Thing[T]) (R, error)) (items []R, next *string, err error) {
	f.Vendor, f.Words, f.Limit = val(vendor), strings.TrimSpace(val(words)), 50
	if limit != nil {
		f.Limit = *limit
	}
	if cursor != nil {
		var at place
		if err := readCursor(*cursor, &at); err != nil || !k.Follows(at.Key) {
			return nil, nil, badCursor("Take it from the page before.")
		}
		f.After, f.AfterKey, f.AfterID = true, at.Key, at.ID
	}
	list, more, err := k.List(ctx, h.desk().Register, actor(ctx), f)
	if err != nil {
		return nil, nil, err
	}
	items = []R{}
	for _, t := range list {
		r, err := out(t)
		if err != nil {
			return nil, nil, err
		}
		items = append(items, r)
	}
	if more {
		last := list[len(list)-1]
		next = ptr(writeCursor(place{last.Key, last.ID}))
	}
	return items, next, nil
}

func added[T, R any](ctx context.Context, h *handlers, k *registry.Kind[T], body any, out func(registry.Thing[T]) (R, error)) (r R, tag, location *string, err error) {
	facts, err := recast[T](body)
	if err != nil {
		return r, nil, nil, err
	}
	t, err := k.Add(ctx, h.desk().Register, actor(ctx), facts)
	if err != nil {
		return r, nil, nil, err
	}
	r, err = out(t)
	return r, versionTag(t.Version), ptr(fmt.Sprintf("/api/v1/%ss/%d", k.Name, t.ID)), err
}

func versionTag(v int64) *string { return ptr(fmt.Sprintf(`"v%d"`, v)) }

func got[T, R any](ctx context.Context, h *handlers, k *registry.Kind[T], id int64, out func(registry.Thing[T]) (R, error)) (r R, tag *string, err error) {
	t, err := k.Get(ctx, h.desk().Register, actor(ctx), id)
	if err != nil {
		return r, nil, err
	}
	r, err = out(t)
	return r, versionTag(t.Version), err
}

func changed[T, R any](ctx context.Context, h *handlers, k *registry.Kind[T], id int64, match *string, meant *bool, out func(registry.Thing[T]) (R, error)) (r R, tag *string, err error) {
	version, err := matched(match)
	if err != nil {
		return r, nil, err
	}
	patch, _ := ctx.Value(bodyKey).([]byte)
	t, err := k.Change(ctx, h.desk().Register, actor(ctx), id, version, patch, val(meant))
	if err != nil {
		return r, nil, err
	}
	r, err = out(t)
	return r, versionTag(t.Version), err
}

func removed[T any](ctx context.Context, h *handlers, k *registry.Kind[T], id int64, match *string) error {
	version, err := matched(match)
	if err != nil {
		return err
	}
	return k.Remove(ctx, h.desk().Register, actor(ctx), id, version)
}

func productOut(t registry.Thing[register.Product]) (apigen.ProductRecord, error) {
	facts, err := recast[apigen.Product](t.Facts)
	return apigen.ProductRecord{Id: t.ID, VendorName: t.VendorName, Facts: facts, Assets: t.Assets}, err
}

func accountOut(t registry.Thing[register.Account]) (apigen.AccountRecord, error) {
	facts, err := recast[apigen.Account](t.Facts)
	return apigen.AccountRecord{Id: t.ID, VendorName: t.VendorName, Facts: facts, Assets: t.Assets, LiveCases: t.Live}, err
}

func contractOut(t registry.Thing[register.Contract]) (apigen.ContractRecord, error) {
	facts, err := recast[apigen.Contract](t.Facts)
	r := apigen.ContractRecord{Id: t.ID, VendorName: t.VendorName, Facts: facts, Assets: t.Assets, LiveCases: t.Live, OpenedCases: t.Opened, DaysLeft: t.DaysLeft,
		Warnings: append(append([]string{}, t.Warnings...), t.Doubts...)}
	if t.Within != 0 {
		r.Within = &t.Within
	}
	return r, err
}

func assetOut(t registry.Thing[register.Asset]) (apigen.AssetRecord, error) {
	facts, err := recast[apigen.Asset](t.Facts)
	r := apigen.AssetRecord{Id: t.ID, VendorName: t.VendorName, Facts: facts, LiveCases: t.Live, NumberFound: some(t.NumberFound),
		Cover: apigen.Cover{State: apigen.CoverState(t.Cover.State), Until: some(t.Cover.Until), Words: t.Cover.Words()}}
	if len(t.Cover.By) > 0 {
		r.Cover.By = &t.Cover.By
	}
	return r, err
}

// Find looks everywhere.
func (h *handlers) Find(ctx context.Context, r apigen.FindRequestObject) (apigen.FindResponseObject, error) {
	limit := 12
	if r.Params.Limit != nil {
		limit = *r.Params.Limit
	}
	hits, err := h.desk().Register.Find(ctx, actor(ctx), r.Params.Words, string(val(r.Params.Kind)), limit)
	if err != nil {
		return nil, err
	}
	return apigen.Find200JSONResponse{Items: each(hits, func(x registerdb.Hit) apigen.Hit {
		return apigen.Hit{Kind: apigen.FindKind(x.Kind), Id: x.Ref, Name: x.Name, Field: x.Field, Shown: x.Shown, Title: x.Title, Detail: x.Detail, Exact: x.Exact, Near: some(x.Slip)}
	})}, nil
}

// ListProducts is one page of them.
func (h *handlers) ListProducts(ctx context.Context, r apigen.ListProductsRequestObject) (apigen.ListProductsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Products, registerdb.ThingFilter{}, r.Params.Vendor, r.Params.Words, r.Params.Cursor, r.Params.Limit, productOut)
	return apigen.ListProducts200JSONResponse{Items: items, Next: next}, err
}

// AddProduct adds a product.
func (h *handlers) AddProduct(ctx context.Context, r apigen.AddProductRequestObject) (apigen.AddProductResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Products, r.Body, productOut)
	return apigen.AddProduct201JSONResponse{Body: body, Headers: apigen.AddProduct201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetProduct is one.
func (h *handlers) GetProduct(ctx context.Context, r apigen.GetProductRequestObject) (apigen.GetProductResponseObject, error) {
	body, tag, err := got(ctx, h, registry.Products, r.Id, productOut)
	return apigen.GetProduct200JSONResponse{Body: body, Headers: apigen.GetProduct200ResponseHeaders{ETag: tag}}, err
}

// ChangeProduct applies a merge patch to its facts.
func (h *handlers) ChangeProduct(ctx context.Context, r apigen.ChangeProductRequestObject) (apigen.ChangeProductResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Products, r.Id, r.Params.IfMatch, nil, productOut)
	return apigen.ChangeProduct200JSONResponse{Body: body, Headers: apigen.ChangeProduct200ResponseHeaders{ETag: tag}}, err
}

// RemoveProduct takes one out that nothing refers to.
func (h *handlers) RemoveProduct(ctx context.Context, r apigen.RemoveProductRequestObject) (apigen.RemoveProductResponseObject, error) {
	return apigen.RemoveProduct204Response{}, removed(ctx, h, registry.Products, r.Id, r.Params.IfMatch)
}

// ListAccounts is one page of them.
func (h *handlers) ListAccounts(ctx context.Context, r apigen.ListAccountsRequestObject) (apigen.ListAccountsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Accounts, registerdb.ThingFilter{}, r.Params.Vendor, r.Params.Words, r.Params.Cursor, r.Params.Limit, accountOut)
	return apigen.ListAccounts200JSONResponse{Items: items, Next: next}, err
}

// AddAccount adds an account.
func (h *handlers) AddAccount(ctx context.Context, r apigen.AddAccountRequestObject) (apigen.AddAccountResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Accounts, r.Body, accountOut)
	return apigen.AddAccount201JSONResponse{Body: body, Headers: apigen.AddAccount201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetAccount is one.
func (h *handlers) GetAccount(ctx context.Context, r apigen.GetAccountRequestObject) (apigen.GetAccountResponseObject, error) {
	body, tag, err := got(ctx, h, registry.Accounts, r.Id, accountOut)
	return apigen.GetAccount200JSONResponse{Body: body, Headers: apigen.GetAccount200ResponseHeaders{ETag: tag}}, err
}

// ChangeAccount applies a merge patch to its facts.
func (h *handlers) ChangeAccount(ctx context.Context, r apigen.ChangeAccountRequestObject) (apigen.ChangeAccountResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Accounts, r.Id, r.Params.IfMatch, nil, accountOut)
	return apigen.ChangeAccount200JSONResponse{Body: body, Headers: apigen.ChangeAccount200ResponseHeaders{ETag: tag}}, err
}

// RemoveAccount takes one out that nothing refers to.
func (h *handlers) RemoveAccount(ctx context.Context, r apigen.RemoveAccountRequestObject) (apigen.RemoveAccountResponseObject, error) {
	return apigen.RemoveAccount204Response{}, removed(ctx, h, registry.Accounts, r.Id, r.Params.IfMatch)
}

// ListContracts is one page of them.
func (h *handlers) ListContracts(ctx context.Context, r apigen.ListContractsRequestObject) (apigen.ListContractsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Contracts, registerdb.ThingFilter{Cover: string(val(r.Params.Cover)), EndingOn: date(r.Params.EndingOn)}, r.Params.Vendor, r.Params.Words, r.Params.Cursor, r.Params.Limit, contractOut)
	return apigen.ListContracts200JSONResponse{Items: items, Next: next}, err
}

// AddContract adds a contract.
func (h *handlers) AddContract(ctx context.Context, r apigen.AddContractRequestObject) (apigen.AddContractResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Contracts, r.Body, contractOut)
	return apigen.AddContract201JSONResponse{Body: body, Headers: apigen.AddContract201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetContract is one.
func (h *handlers) GetContract(ctx context.Context, r apigen.GetContractRequestObject) (apigen.GetContractResponseObject, error) {
	body, tag, err := got(ctx, h, registry.Contracts, r.Id, contractOut)
	return apigen.GetContract200JSONResponse{Body: body, Headers: apigen.GetContract200ResponseHeaders{ETag: tag}}, err
}

// ChangeContract applies a merge patch to its facts.
func (h *handlers) ChangeContract(ctx context.Context, r apigen.ChangeContractRequestObject) (apigen.ChangeContractResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Contracts, r.Id, r.Params.IfMatch, r.Params.Meant, contractOut)
	return apigen.ChangeContract200JSONResponse{Body: body, Headers: apigen.ChangeContract200ResponseHeaders{ETag: tag}}, err
}

// RemoveContract takes one out that nothing refers to.
func (h *handlers) RemoveContract(ctx context.Context, r apigen.RemoveContractRequestObject) (apigen.RemoveContractResponseObject, error) {
	return apigen.RemoveContract204Response{}, removed(ctx, h, registry.Contracts, r.Id, r.Params.IfMatch)
}

// ListAssets is one page of them.
func (h *handlers) ListAssets(ctx context.Context, r apigen.ListAssetsRequestObject) (apigen.ListAssetsResponseObject, error) {
	items, next, err := listed(ctx, h, registry.Assets, registerdb.ThingFilter{Cover: string(val(r.Params.Cover)), Site: val(r.Params.Site), Product: val(r.Params.Product), Account: val(r.Params.Account), Contract: val(r.Params.Contract)}, r.Params.Vendor, r.Params.Words, r.Params.Cursor, r.Params.Limit, assetOut)
	return apigen.ListAssets200JSONResponse{Items: items, Next: next}, err
}

// AddAsset adds an asset.
func (h *handlers) AddAsset(ctx context.Context, r apigen.AddAssetRequestObject) (apigen.AddAssetResponseObject, error) {
	body, tag, at, err := added(ctx, h, registry.Assets, r.Body, assetOut)
	return apigen.AddAsset201JSONResponse{Body: body, Headers: apigen.AddAsset201ResponseHeaders{ETag: tag, Location: at}}, err
}

// GetAsset is one.
func (h *handlers) GetAsset(ctx context.Context, r apigen.GetAssetRequestObject) (apigen.GetAssetResponseObject, error) {
	body, tag, err := got(ctx, h, registry.Assets, r.Id, assetOut)
	return apigen.GetAsset200JSONResponse{Body: body, Headers: apigen.GetAsset200ResponseHeaders{ETag: tag}}, err
}

// ChangeAsset applies a merge patch to its facts.
func (h *handlers) ChangeAsset(ctx context.Context, r apigen.ChangeAssetRequestObject) (apigen.ChangeAssetResponseObject, error) {
	body, tag, err := changed(ctx, h, registry.Assets, r.Id, r.Params.IfMatch, nil, assetOut)
	return apigen.ChangeAsset200JSONResponse{Body: body, Headers: apigen.ChangeAsset200ResponseHeaders{ETag: tag}}, err
}

// RemoveAsset takes one out that nothing refers to.
func (h *handlers) RemoveAsset(ctx context.Context, r apigen.RemoveAssetRequestObject) (apigen.RemoveAssetResponseObject, error) {
	return apigen.RemoveAsset204Response{}, removed(ctx, h, registry.Assets, r.Id, r.Params.IfMatch)
}

func date(d *openapi_types.Date) string {
	if d == nil {
		return ""
	}
	return d.Format(time.DateOnly)
}

// Check says what would be wrong, and writes nothing.
func (h *handlers) Check(ctx context.Context, r apigen.CheckRequestObject) (apigen.CheckResponseObject, error) {
	patch, err := json.Marshal(r.Body.Members)
	if err != nil {
		return nil, err
	}
	if r.Body.Kind == "vendor" {
		err = h.desk().Register.CheckVendor(ctx, actor(ctx), val(r.Body.Vendor), patch)
		return checked(err)
	}
	check := map[apigen.CheckRequestKind]func(context.Context, *registry.Register, desk.Actor, int64, []byte) error{
		"product": registry.Products.Check, "account": registry.Accounts.Check, "contract": registry.Contracts.Check, "asset": registry.Assets.Check,
	}[r.Body.Kind]
	return checked(check(ctx, h.desk().Register, actor(ctx), val(r.Body.Id), patch))
}

func checked(err error) (apigen.CheckResponseObject, error) {
	var wrong *desk.Invalid
	if errors.As(err, &wrong) {
		return apigen.Check200JSONResponse{Errors: each(wrong.Fields, func(f desk.Field) apigen.FieldError { return apigen.FieldError{Field: f.Name, Detail: f.Detail} })}, nil
	}
	return apigen.Check200JSONResponse{Errors: []apigen.FieldError{}}, err
}
