package files

import (
	"context"
	"net/http"

	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ListPapers are those of a vendor, contract, account or asset.
func (h *Files) ListPapers(ctx context.Context, r apigen.ListPapersRequestObject) (apigen.ListPapersResponseObject,
	error) {
	list, err := h.desk().Papers(ctx, web.Actor(ctx), string(r.Kind), r.Owner)
	if err != nil {
		return nil, err
	}
	return apigen.ListPapers200JSONResponse{Items: web.Each(list, file)}, nil
}

// VisitFetchPaperResponse sends a paper.
func (c content) VisitFetchPaperResponse(w http.ResponseWriter) error {
	return c.VisitFetchFileResponse(w)
}

// FetchPaper gives the content of a paper.
func (h *Files) FetchPaper(ctx context.Context, r apigen.FetchPaperRequestObject) (apigen.FetchPaperResponseObject,
	error) {
	f, from, err := h.desk().PaperContent(ctx, web.Actor(ctx), string(r.Kind), r.Owner, r.File)
	if err != nil {
		return nil, err
	}
	return contentOf(ctx, f, from, web.Val(r.Params.Show))
}

// RemovePaper removes the content of a paper.
func (h *Files) RemovePaper(ctx context.Context, r apigen.RemovePaperRequestObject) (apigen.RemovePaperResponseObject,
	error) {
	f, err := h.desk().RemovePaper(ctx, web.Actor(ctx), string(r.Kind), r.Owner, r.File, r.Body.Reason)
	if err != nil {
		return nil, err
	}
	return apigen.RemovePaper200JSONResponse(file(f)), nil
}
