// Package files answers what is asked about texts and files that are to leave, and takes files in.
package files

import (
	"cmp"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"mime"
	"net/http"
	"os"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/pace"
	"roundhouse.example/internal/server/web"
)

// Files are the operations of the subject. Use New.
type Files struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Files { return &Files{s} }

func (h *Files) desk() *files.Files { return h.s.Desk.Files }

// ScanText looks at a text while somebody writes it.
func (h *Files) ScanText(_ context.Context, r apigen.ScanTextRequestObject) (apigen.ScanTextResponseObject, error) {
	found := h.s.Desk.Leaving.Scan(r.Body.Text)
	return apigen.ScanText200JSONResponse{Masked: found.Masked, Findings: web.Each(found.Findings, finding)}, nil
}

func finding(f disclosure.Finding) apigen.Finding {
	return apigen.Finding{Line: f.Line, Level: apigen.FindingLevel(f.Kind.Level()), Kind: apigen.FindingKind(f.Kind),
		Excerpt: f.Excerpt}
}

// ListFiles are the files of a case.
func (h *Files) ListFiles(ctx context.Context, r apigen.ListFilesRequestObject) (apigen.ListFilesResponseObject,
	error) {
	l, err := h.desk().List(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	out := apigen.ListFiles200JSONResponse{Items: web.Each(l.Files, file), Hidden: l.Hidden,
		Wanted: web.Each(l.Wanted, wantedOut)}
	for i := range out.Items {
		leavingOut(&out.Items[i], l.Files[i], l.Leaving)
	}
	return out, nil
}

func wantedOut(w files.WantedFile) apigen.WantedFile {
	out := apigen.WantedFile{Name: w.Name, How: web.Some(w.How), Where: web.Some(w.Where), Sent: w.Sent, Due: w.Due(),
		Files: append([]int{}, w.Files...)}
	if w.Waiver != nil {
		out.NotNeeded, out.NotNeededBy = &w.Waiver.Reason, &w.Waiver.By
	}
	return out
}

// WaiveFile says that the vendor does not get a file that it wants.
func (h *Files) WaiveFile(ctx context.Context, r apigen.WaiveFileRequestObject) (apigen.WaiveFileResponseObject,
	error) {
	err := h.desk().Waive(ctx, web.Actor(ctx), r.Case, r.Body.Name, web.Val(r.Body.Reason))
	return apigen.WaiveFile204Response{}, err
}

// archive is the files of a case on their way out.
type archive struct {
	ctx context.Context
	*files.Archive
}

// VisitFetchFilesResponse writes the archive. Where it breaks off, so does the answer.
func (a archive) VisitFetchFilesResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", a.Name+".zip"))
	if err := a.Write(a.ctx, pace.Unhurried(w)); err != nil {
		panic(http.ErrAbortHandler)
	}
	return nil
}

// FetchFiles gives all files of a case in one archive.
func (h *Files) FetchFiles(ctx context.Context, r apigen.FetchFilesRequestObject) (apigen.FetchFilesResponseObject,
	error) {
	a, err := h.desk().Archive(ctx, web.Actor(ctx), r.Case)
	if err != nil {
		return nil, err
	}
	return archive{ctx, a}, nil
}

// leavingOut says how a file goes to the vendor.
func leavingOut(out *apigen.File, f files.File, l files.Leaving) {
	if unfit := l.Unfit(f); len(unfit) > 0 {
		out.Unfit = &unfit
	}
	if list := l.Sent[*f.Number]; len(list) > 0 {
		out.Sent = web.Ptr(web.Each(list, func(x files.Enclosed) apigen.FileSent {
			return apigen.FileSent{Entry: x.Entry, Channel: x.Channel, State: apigen.DeliveryState(x.State), At: x.LeftAt}
		}))
	}
}

// ShowFile is one with its findings.
func (h *Files) ShowFile(ctx context.Context, r apigen.ShowFileRequestObject) (apigen.ShowFileResponseObject, error) {
	f, l, err := h.desk().Show(ctx, web.Actor(ctx), r.Case, r.File)
	if err != nil {
		return nil, err
	}
	out := whole(f)
	leavingOut(&out, f, l)
	return apigen.ShowFile200JSONResponse(out), nil
}

// ChangeFile changes what people say of one.
func (h *Files) ChangeFile(ctx context.Context, r apigen.ChangeFileRequestObject) (apigen.ChangeFileResponseObject,
	error) {
	f, err := h.desk().Change(ctx, web.Actor(ctx), r.Case, r.File,
		files.Edit{Caption: r.Body.Caption, Sensitive: r.Body.Sensitive, For: r.Body.For})
	if err != nil {
		return nil, err
	}
	return apigen.ChangeFile200JSONResponse(whole(f)), nil
}

// MaskFile adds a masked copy.
func (h *Files) MaskFile(ctx context.Context, r apigen.MaskFileRequestObject) (apigen.MaskFileResponseObject, error) {
	f, err := h.desk().Masked(ctx, web.Actor(ctx), r.Case, r.File)
	if err != nil {
		return nil, err
	}
	return apigen.MaskFile201JSONResponse(whole(f)), nil
}

// RemoveFile removes the content of one.
func (h *Files) RemoveFile(ctx context.Context, r apigen.RemoveFileRequestObject) (apigen.RemoveFileResponseObject,
	error) {
	f, err := h.desk().Remove(ctx, web.Actor(ctx), r.Case, r.File, r.Body.Reason)
	if err != nil {
		return nil, err
	}
	return apigen.RemoveFile200JSONResponse(whole(f)), nil
}

// content is a file on its way out.
type content struct {
	file files.File
	from *os.File
	r    *http.Request
	show bool
}

// VisitFetchFileResponse sends what the request asks for of it. Only a picture is ever shown by a browser, and nothing
// of it can run.
func (c content) VisitFetchFileResponse(w http.ResponseWriter) error {
	defer c.from.Close()
	how := "attachment"
	if c.show && shown[c.file.Type] {
		how = "inline"
		w.Header().Set("Content-Type", c.file.Type)
	} else {
		w.Header().Set("Content-Type", "application/octet-stream")
	}
	w.Header().Set("Content-Disposition", mime.FormatMediaType(how, map[string]string{"filename": c.file.Name}))
	w.Header().Set("Content-Security-Policy", "default-src 'none'; sandbox")
	w.Header().Set("Cache-Control", "private, no-cache")
	if c.file.SHA256 != nil {
		w.Header().Set("ETag", `"`+hex.EncodeToString(c.file.SHA256)+`"`)
	}
	http.ServeContent(pace.Unhurried(w), c.r, "", *c.file.ArrivedAt, c.from)
	return nil
}

// shown are the pictures that browsers show.
var shown = map[string]bool{"image/png": true, "image/jpeg": true, "image/gif": true, "image/webp": true}

// FetchFile gives the content of a file.
func (h *Files) FetchFile(ctx context.Context, r apigen.FetchFileRequestObject) (apigen.FetchFileResponseObject,
	error) {
	f, from, err := h.desk().Content(ctx, web.Actor(ctx), r.Case, r.File)
	if err != nil {
		return nil, err
	}
	return contentOf(ctx, f, from, web.Val(r.Params.Show))
}

// contentOf closes from where it cannot be sent.
func contentOf(ctx context.Context, f files.File, from *os.File, show bool) (content, error) {
	c, ok := ctx.(*gin.Context)
	if !ok {
		return content{}, errors.Join(fmt.Errorf("the request of %T is not known", ctx), from.Close())
	}
	return content{f, from, c.Request, show}, nil
}

// file is one as a list has it.
func file(f files.File) apigen.File {
	out := apigen.File{Number: *f.Number, Name: f.Name, Caption: f.Caption, Bytes: f.Bytes, Sensitive: f.Sensitive,
		AddedBy: f.Adder, AddedAt: *f.ArrivedAt, Entry: f.EntryNumber, CopyOf: f.FromNumber, Checked: f.ExaminedAt != nil,
		Problem: web.Some(f.Problem), Sha256: web.Some(hex.EncodeToString(f.SHA256)),
		NamedType: web.Some(f.NamedType), For: web.Some(f.Serves), Removed: web.Some(f.RemovedBecause),
		Found: []apigen.FoundKind{}}
	kind, _, _ := strings.Cut(f.Type, ";")
	out.Type = web.Some(kind)
	for _, k := range disclosure.Kinds {
		if n := f.Findings.V.Count[k]; n > 0 {
			out.Found = append(out.Found, apigen.FoundKind{Level: apigen.FindingLevel(k.Level()), Kind: apigen.FindingKind(k),
				Count: n})
		}
	}
	slices.SortStableFunc(out.Found, func(a, b apigen.FoundKind) int { return cmp.Compare(rank[a.Level], rank[b.Level]) })
	return out
}

var rank = map[apigen.FindingLevel]int{apigen.FindingLevelStop: 0, apigen.FindingLevelWarn: 1,
	apigen.FindingLevelTell: 2}

// whole is one with the places of what was found.
func whole(f files.File) apigen.File {
	out := file(f)
	findings := []apigen.FileFinding{}
	for _, x := range f.Findings.V.First {
		findings = append(findings, apigen.FileFinding{Inside: x.Inside, Line: x.Line, Kind: apigen.FindingKind(x.Kind),
			Level: apigen.FindingLevel(x.Kind.Level()), Excerpt: x.Excerpt})
	}
	out.Findings = &findings
	return out
}
