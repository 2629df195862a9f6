package exchange

import (
	"bytes"
	"context"

	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ExportPack gives a vendor as a file.
func (h *Exchange) ExportPack(ctx context.Context,
	r apigen.ExportPackRequestObject) (apigen.ExportPackResponseObject, error) {
	p, err := h.desk().Exchange.Pack(ctx, web.Actor(ctx), r.Vendor)
	if err != nil {
		return nil, err
	}
	file, err := p.Write()
	return apigen.ExportPack200ApplicationyamlResponse{Body: bytes.NewReader(file), ContentLength: int64(len(file))}, err
}

// ImportPack takes a pack in, or says what it would do.
func (h *Exchange) ImportPack(ctx context.Context,
	r apigen.ImportPackRequestObject) (apigen.ImportPackResponseObject, error) {
	p, err := h.desk().Exchange.ImportPack(ctx, web.Actor(ctx), []byte(r.Body.Pack), web.Val(r.Body.Seen),
		web.Val(r.Body.DryRun))
	if err != nil {
		return nil, err
	}
	return apigen.ImportPack200JSONResponse{Key: p.Key, Name: p.Name, New: p.New, Seen: p.Seen, Done: p.Done,
		Recalculated: p.Recalculated,
		Notes:        append([]string{}, p.Notes...), Doubts: append([]string{}, p.Doubts...),
		Differences: web.Each(p.Differences, func(x pack.Difference) apigen.PackDifference {
			return apigen.PackDifference{Field: x.Field, Was: web.Some(x.Was), Will: web.Some(x.Will)}
		})}, nil
}
