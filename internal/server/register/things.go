package register

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"roundhouse.example/internal/desk"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// place is where a page of the register ended.
type place struct {
	Key string `json:"k"`
	ID  int64  `json:"i"`
}

// listed is one page of the register, in the contract's form.
func listed[T, R any](ctx context.Context, h *Register, k *registry.Kind[T], f registry.Filter, vendor, words,
	cursor *string, limit *int, out func(registry.Thing[T]) R) (items []R, next *string, err error) {
	f.Vendor, f.Words, f.Limit = web.Val(vendor), strings.TrimSpace(web.Val(words)), 50
	if limit != nil {
		f.Limit = *limit
	}
	if cursor != nil {
		var at place
		if err := web.ReadCursor(*cursor, &at); err != nil || !k.Follows(at.Key) {
			return nil, nil, web.BadCursor("Use the cursor of the previous page.")
		}
		f.After, f.AfterKey, f.AfterID = true, at.Key, at.ID
	}
	list, more, err := k.List(ctx, h.desk().Register, web.Actor(ctx), f)
	if err != nil {
		return nil, nil, err
	}
	items = web.Each(list, out)
	if more {
		last := list[len(list)-1]
		next = web.Ptr(web.WriteCursor(place{last.Key, last.ID}))
	}
	return items, next, nil
}

func added[T, R any](ctx context.Context, h *Register, k *registry.Kind[T], facts *T,
	out func(registry.Thing[T]) R) (r R, tag, location *string, err error) {
	t, err := k.Add(ctx, h.desk().Register, web.Actor(ctx), *facts)
	if err != nil {
		return r, nil, nil, err
	}
	return out(t), web.VersionTag(t.Version), web.Ptr(fmt.Sprintf("/api/v1/%ss/%d", k.Name, t.ID)), nil
}

func got[T, R any](ctx context.Context, h *Register, k *registry.Kind[T], id int64,
	out func(registry.Thing[T]) R) (r R, tag *string, err error) {
	t, err := k.Get(ctx, h.desk().Register, web.Actor(ctx), id)
	if err != nil {
		return r, nil, err
	}
	return out(t), web.VersionTag(t.Version), nil
}

func changed[T, R any](ctx context.Context, h *Register, k *registry.Kind[T], id int64, match *string, meant *bool,
	out func(registry.Thing[T]) R) (r R, tag *string, err error) {
	version, err := web.Matched(match)
	if err != nil {
		return r, nil, err
	}
	patch, _ := ctx.Value(web.BodyKey).([]byte)
	t, err := k.Change(ctx, h.desk().Register, web.Actor(ctx), id, version, patch, web.Val(meant))
	if err != nil {
		return r, nil, err
	}
	return out(t), web.VersionTag(t.Version), nil
}

func removed[T any](ctx context.Context, h *Register, k *registry.Kind[T], id int64, match *string) error {
	version, err := web.Matched(match)
	if err != nil {
		return err
	}
	return k.Remove(ctx, h.desk().Register, web.Actor(ctx), id, version)
}

// Find looks everywhere.
func (h *Register) Find(ctx context.Context, r apigen.FindRequestObject) (apigen.FindResponseObject, error) {
	limit := 12
	if r.Params.Limit != nil {
		limit = *r.Params.Limit
	}
	hits, err := h.desk().Register.Find(ctx, web.Actor(ctx), r.Params.Words, string(web.Val(r.Params.Kind)), limit)
	if err != nil {
		return nil, err
	}
	return apigen.Find200JSONResponse{Items: web.Each(hits, func(x registry.Hit) apigen.Hit {
		return apigen.Hit{Kind: apigen.FindKind(x.Kind), Id: x.Ref, Name: x.Name, Field: x.Field, Shown: x.Shown,
			Title: x.Title, Detail: x.Detail, Exact: x.Exact, Near: web.Some(x.Slip)}
	})}, nil
}

func date(d *openapi_types.Date) string {
	if d == nil {
		return ""
	}
	return d.Format(time.DateOnly)
}

// Check says what would be wrong, and writes nothing.
func (h *Register) Check(ctx context.Context, r apigen.CheckRequestObject) (apigen.CheckResponseObject, error) {
	patch, err := json.Marshal(r.Body.Facts)
	if err != nil {
		return nil, err
	}
	if r.Body.Kind == "vendor" {
		err = h.desk().Register.CheckVendor(ctx, web.Actor(ctx), web.Val(r.Body.Vendor), patch)
		return checked(err)
	}
	check := map[apigen.CheckRequestKind]func(context.Context, *registry.Register, desk.Actor, int64, []byte) error{
		"product": registry.Products.Check, "account": registry.Accounts.Check, "contract": registry.Contracts.Check,
		"asset": registry.Assets.Check,
	}[r.Body.Kind]
	return checked(check(ctx, h.desk().Register, web.Actor(ctx), web.Val(r.Body.Id), patch))
}

func checked(err error) (apigen.CheckResponseObject, error) {
	var wrong *desk.Invalid
	if errors.As(err, &wrong) {
		return apigen.Check200JSONResponse{Errors: web.Each(wrong.Fields, func(f desk.Field) apigen.FieldError {
			return apigen.FieldError{Field: f.Name, Detail: f.Detail}
		})}, nil
	}
	return apigen.Check200JSONResponse{Errors: []apigen.FieldError{}}, err
}
