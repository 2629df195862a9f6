package server

import (
	"bytes"
	"context"

	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/server/apigen"
)

// GetPack gives a vendor as a file.
func (h *handlers) GetPack(ctx context.Context, r apigen.GetPackRequestObject) (apigen.GetPackResponseObject, error) {
	p, err := h.desk().Exchange.Pack(ctx, actor(ctx), r.Vendor)
	if err != nil {
		return nil, err
	}
	file, err := p.Write()
	return apigen.GetPack200ApplicationyamlResponse{Body: bytes.NewReader(file), ContentLength: int64(len(file))}, err
}

// ReadPack takes a pack in, or says what it would do.
func (h *handlers) ReadPack(ctx context.Context, r apigen.ReadPackRequestObject) (apigen.ReadPackResponseObject, error) {
	p, err := h.desk().Exchange.ReadPack(ctx, actor(ctx), []byte(r.Body.Pack), val(r.Body.Seen), val(r.Body.Look))
	if err != nil {
		return nil, err
	}
	return apigen.ReadPack200JSONResponse{Key: p.Key, Name: p.Name, New: p.New, Seen: p.Seen, Done: p.Done, ReckonedAnew: p.Reckoned,
		Notes: append([]string{}, p.Notes...), Doubts: append([]string{}, p.Doubts...),
		Differences: each(p.Differences, func(x pack.Difference) apigen.PackDifference {
			return apigen.PackDifference{Field: x.Field, Was: some(x.Was), Will: some(x.Will)}
		})}, nil
}
