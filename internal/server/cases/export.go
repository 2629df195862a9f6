package cases

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"iter"
	"net/http"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/desk/views"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/pace"
	"roundhouse.example/internal/server/web"
)

// columns are what can be exported of a case; nil where it has none of it.
var columns = map[apigen.CaseColumn]func(l today.CaseLine) any{
	"case":              func(l today.CaseLine) any { return casework.Name(l.Number) },
	"title":             func(l today.CaseLine) any { return l.Title },
	"vendor":            func(l today.CaseLine) any { return l.VendorKey },
	"reference":         func(l today.CaseLine) any { return l.Reference },
	"kind":              func(l today.CaseLine) any { return l.Kind },
	"state":             func(l today.CaseLine) any { return string(l.State) },
	"severity":          func(l today.CaseLine) any { return some(l.Severity) },
	"level":             func(l today.CaseLine) any { return some(l.LevelLabel) },
	"waiting":           func(l today.CaseLine) any { return waiting(l) },
	"waiting_since":     func(l today.CaseLine) any { return instant(l.MoveSince) },
	"standing":          func(l today.CaseLine) any { return string(l.Standing) },
	"deadline":          func(l today.CaseLine) any { return l.Deadline },
	"due":               func(l today.CaseLine) any { return instant(l.Due) },
	"next":              func(l today.CaseLine) any { return instant(l.NextAt) },
	"owner":             func(l today.CaseLine) any { return some(l.Owner) },
	"new":               func(l today.CaseLine) any { return l.New },
	"unread":            func(l today.CaseLine) any { return l.Unread },
	"summary":           func(l today.CaseLine) any { return l.Summary },
	"opened":            func(l today.CaseLine) any { return instant(&l.OpenedAt) },
	"changed":           func(l today.CaseLine) any { return instant(&l.ChangedAt) },
	"last_vendor_reply": func(l today.CaseLine) any { return instant(l.LastVendorAt) },
	"parked_until":      func(l today.CaseLine) any { return instant(l.ParkedUntil) },
}

func some[T any](p *T) any {
	if p == nil {
		return nil
	}
	return *p
}

func instant(t *time.Time) any {
	if t == nil {
		return nil
	}
	return t.UTC().Format(time.RFC3339)
}

func waiting(l today.CaseLine) any {
	if l.MoveOn == "" {
		return nil
	}
	return casework.On{Whom: l.MoveOn, Name: l.MoveOnName}.Words()
}

// exportOut writes cases while they are read from the database.
type exportOut struct {
	kind, name string
	write      func(io.Writer) error
}

// VisitExportCasesResponse writes them. Where it breaks off, so does the answer: a list that is not whole must not look
// it.
func (x exportOut) VisitExportCasesResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", x.kind)
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", x.name))
	if err := x.write(pace.Unhurried(w)); err != nil {
		panic(http.ErrAbortHandler)
	}
	return nil
}

// ExportCases is the whole of a list, with the columns chosen.
func (h *Cases) ExportCases(ctx context.Context,
	r apigen.ExportCasesRequestObject) (apigen.ExportCasesResponseObject, error) {
	b := r.Body
	var q apigen.CaseQuery
	if b.Query != nil {
		q = *b.Query
	}
	f, scope := h.filter(q)
	cols := web.Val(b.Columns)
	if len(cols) == 0 {
		for _, c := range words.CaseColumns {
			cols = append(cols, apigen.CaseColumn(c.Value))
		}
	}
	notes := web.Val(b.Notes)
	cases, err := h.desk().Today.Export(ctx, web.Actor(ctx), f, scope, notes)
	if err != nil {
		return nil, err
	}
	if web.Val(b.Format) == apigen.CaseExportFormatJson {
		return exportOut{kind: "application/json", name: "cases.json", write: func(w io.Writer) error {
			return exportJSON(w, cols, notes, cases)
		}}, nil
	}
	return exportOut{kind: web.TableType + "; charset=utf-8; header=present", name: "cases.csv",
		write: func(w io.Writer) error { return exportCSV(w, cols, notes, cases) }}, nil
}

func exportJSON(w io.Writer, cols []apigen.CaseColumn, notes bool, cases iter.Seq2[today.Exported, error]) error {
	before, after := "[\n", "[]\n"
	for l, err := range cases {
		if err != nil {
			return err
		}
		row := map[string]any{}
		for _, c := range cols {
			row[string(c)] = columns[c](l.CaseLine)
		}
		if notes {
			row["notes"] = web.Each(l.Notes, func(n today.Note) map[string]any {
				return map[string]any{"at": instant(&n.At), "by": n.By, "text": n.Text}
			})
		}
		raw, err := json.Marshal(row)
		if err != nil {
			return err
		}
		if _, err = fmt.Fprintf(w, "%s%s", before, raw); err != nil {
			return err
		}
		before, after = ",\n", "\n]\n"
	}
	_, err := io.WriteString(w, after)
	return err
}

func exportCSV(w io.Writer, cols []apigen.CaseColumn, notes bool, cases iter.Seq2[today.Exported, error]) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	head := web.Each(cols, func(c apigen.CaseColumn) string { return string(c) })
	if notes {
		head = append(head, "notes")
	}
	if err := out.Write(head); err != nil {
		return err
	}
	for l, err := range cases {
		if err != nil {
			return err
		}
		row := make([]string, 0, len(cols)+1)
		for _, c := range cols {
			text := ""
			if v := columns[c](l.CaseLine); v != nil {
				text = fmt.Sprint(v)
			}
			row = append(row, text)
		}
		if notes {
			row = append(row, strings.Join(web.Each(l.Notes, func(n today.Note) string {
				return fmt.Sprintf("%s %s: %s", instant(&n.At), n.By, n.Text)
			}), "\n"))
		}
		if err := out.Write(row); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// ListViews are one's own views and the desk's.
func (h *Cases) ListViews(ctx context.Context,
	_ apigen.ListViewsRequestObject) (apigen.ListViewsResponseObject, error) {
	list, err := h.desk().Views.List(ctx, web.Actor(ctx))
	if err != nil {
		return nil, err
	}
	out := apigen.Views{Items: []apigen.View{}}
	for _, v := range list {
		x, err := viewOut(v)
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, x)
	}
	return apigen.ListViews200JSONResponse(out), nil
}

// SaveView keeps a view.
func (h *Cases) SaveView(ctx context.Context, r apigen.SaveViewRequestObject) (apigen.SaveViewResponseObject, error) {
	b := r.Body
	raw, err := json.Marshal(b.Query)
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Views.Save(ctx, web.Actor(ctx), views.Saving{Name: b.Name, Query: raw, Desk: web.Val(b.Desk),
		Columns: web.Each(web.Val(b.Columns), func(c apigen.CaseColumn) string { return string(c) })})
	if err != nil {
		return nil, err
	}
	out, err := viewOut(v)
	return apigen.SaveView200JSONResponse(out), err
}

// DeleteView takes a view away.
func (h *Cases) DeleteView(ctx context.Context,
	r apigen.DeleteViewRequestObject) (apigen.DeleteViewResponseObject, error) {
	return apigen.DeleteView204Response{}, h.desk().Views.Delete(ctx, web.Actor(ctx), r.View)
}

func viewOut(v views.View) (apigen.View, error) {
	out := apigen.View{Id: v.ID, Name: v.Name, Desk: v.PersonID == nil,
		Columns: web.Each(v.Columns.V, func(c string) apigen.CaseColumn { return apigen.CaseColumn(c) })}
	return out, json.Unmarshal(v.Query.V, &out.Query)
}
