package files

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"mime"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"
	"github.com/tus/tusd/v2/pkg/handler"
	"github.com/tus/tusd/v2/pkg/memorylocker"
	"golang.org/x/exp/slog"

	corefiles "roundhouse.example/internal/core/files"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/server/pace"
	"roundhouse.example/internal/server/web"
)

// fileHeader tells the number of a file once it has arrived.
const fileHeader = "Roundhouse-File"

// unfitHeader tells why a file cannot be sent to the vendor, although it can be kept here.
const unfitHeader = "Roundhouse-Unfit"

// Uploads answers the open tus protocol: the library speaks it, and the desk keeps what comes.
func Uploads(s *web.Server, r gin.IRoutes) error {
	c := handler.NewStoreComposer()
	u := uploads{s.Desk.Files}
	c.UseCore(u)
	c.UseTerminater(u)
	// In one process the sender of a new piece takes over from one whose line broke; between several the file itself is
	// locked.
	c.UseLocker(memorylocker.New())
	h, err := handler.NewUnroutedHandler(handler.Config{StoreComposer: c, BasePath: s.Origin + web.UploadsPath + "/",
		MaxSize: corefiles.Most, DisableDownload: true, DisableConcatenation: true,
		NetworkTimeout: pace.Stall, Cors: &handler.CorsConfig{Disable: true}, Logger: slog.New(quiet{}),
		PreUploadCreateCallback: u.fits, PreFinishResponseCallback: u.numbered})
	if err != nil {
		return err
	}
	serve := func(fn http.HandlerFunc) gin.HandlerFunc {
		return gin.WrapH(http.StripPrefix(web.UploadsPath, pace.Bounded(h.Middleware(fn))))
	}
	r.POST("/uploads", serve(h.PostFile))
	r.HEAD("/uploads/:upload", serve(h.HeadFile))
	r.PATCH("/uploads/:upload", serve(h.PatchFile))
	r.DELETE("/uploads/:upload", serve(h.DelFile))
	return nil
}

// quiet drops what the library logs of each request: the service logs them itself.
type quiet struct{ slog.Handler }

// Enabled says that nothing is logged.
func (quiet) Enabled(context.Context, slog.Level) bool { return false }

// WithAttrs is the same.
func (q quiet) WithAttrs([]slog.Attr) slog.Handler { return q }

// uploads is the library's store over the desk.
type uploads struct{ desk *files.Files }

// upload is one that comes.
type upload struct {
	desk *files.Files
	file files.File
	have int64
}

// NewUpload begins one.
func (u uploads) NewUpload(ctx context.Context, info handler.FileInfo) (handler.Upload, error) {
	meta := info.MetaData
	from, _ := strconv.Atoi(meta["from"])
	begin, of := u.desk.Begin, meta["case"]
	if meta["paper"] != "" {
		begin, of = u.desk.BeginPaper, meta["paper"]
	}
	f, err := begin(ctx, web.Actor(ctx), of, files.Offered{Name: meta["filename"],
		Caption: meta["caption"], Bytes: info.Size, Sensitive: meta["sensitive"] == "true", For: meta["for"], From: from})
	return &upload{u.desk, f, 0}, told(err)
}

// GetUpload finds one of the asker's.
func (u uploads) GetUpload(ctx context.Context, id string) (handler.Upload, error) {
	f, have, err := u.desk.Coming(ctx, web.Actor(ctx), id)
	return &upload{u.desk, f, have}, told(err)
}

// AsTerminatableUpload is one that can be cancelled.
func (u uploads) AsTerminatableUpload(one handler.Upload) handler.TerminatableUpload {
	return one.(*upload)
}

// fits tells why the vendor would not take a file, before any of it is sent.
func (u uploads) fits(e handler.HookEvent) (handler.HTTPResponse, handler.FileInfoChanges, error) {
	meta := e.Upload.MetaData
	if meta["paper"] != "" {
		return handler.HTTPResponse{}, handler.FileInfoChanges{}, nil
	}
	why := u.desk.Unfit(e.Context, web.Actor(e.Context), meta["case"], files.Offered{Name: meta["filename"],
		Bytes: e.Upload.Size})
	if why == "" {
		return handler.HTTPResponse{}, handler.FileInfoChanges{}, nil
	}
	return handler.HTTPResponse{Header: handler.HTTPHeader{unfitHeader: mime.QEncoding.Encode("utf-8", why)}},
		handler.FileInfoChanges{}, nil
}

// numbered tells the number of what has arrived.
func (u uploads) numbered(e handler.HookEvent) (handler.HTTPResponse, error) {
	f, _, err := u.desk.Coming(e.Context, web.Actor(e.Context), e.Upload.ID)
	if err != nil || f.Number == nil {
		return handler.HTTPResponse{}, told(err)
	}
	return handler.HTTPResponse{Header: handler.HTTPHeader{fileHeader: strconv.Itoa(*f.Number)}}, nil
}

// WriteChunk writes a piece.
func (u *upload) WriteChunk(_ context.Context, offset int64, from io.Reader) (int64, error) {
	n, err := u.desk.Append(u.file, offset, from)
	return n, told(err)
}

// GetInfo says how much has come.
func (u *upload) GetInfo(context.Context) (handler.FileInfo, error) {
	meta := handler.MetaData{"filename": u.file.Name}
	if u.file.Number != nil {
		meta["file"] = strconv.Itoa(*u.file.Number)
	}
	return handler.FileInfo{ID: u.file.Key, Size: u.file.Bytes, Offset: u.have, MetaData: meta}, nil
}

// GetReader is not there: what is still coming cannot be read.
func (u *upload) GetReader(context.Context) (io.ReadCloser, error) { return nil, handler.ErrNotFound }

// FinishUpload adds the file to its case.
func (u *upload) FinishUpload(ctx context.Context) (err error) {
	u.file, err = u.desk.Finish(ctx, web.Actor(ctx), u.file.Key)
	return told(err)
}

// Terminate cancels it.
func (u *upload) Terminate(ctx context.Context) error {
	return told(u.desk.Cancel(ctx, web.Actor(ctx), u.file.Key))
}

// told is an error of the desk as the library sends it.
func told(err error) error {
	var own handler.Error
	switch {
	case err == nil, errors.As(err, &own):
		return err
	case errors.Is(err, desk.ErrNotFound):
		err = web.NewProblem(http.StatusNotFound, "not-found", "Not found", "There is no such case or upload.")
	}
	p := web.ProblemOf(err)
	body, _ := json.Marshal(p.Problem)
	return handler.Error{ErrorCode: p.Type, Message: p.Title, HTTPResponse: handler.HTTPResponse{StatusCode: p.Status,
		Body: string(body), Header: handler.HTTPHeader{"Content-Type": "application/problem+json"}}}
}
