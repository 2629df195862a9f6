package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"time"

	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/server/apigen"
)

const (
	tableType = "text/csv"
	// maxTable bounds what one table takes of the disk while it is read.
	maxTable = 1 << 30
)

// tableReader and tableWriter are how a kind goes in and out.
type tableReader func(context.Context, *desk.Desk, desk.Actor, io.Reader, desk.TableOptions) (desk.TableSum, error)

type tableWriter func(ctx context.Context, d *desk.Desk, a desk.Actor, vendor string, w io.Writer, style table.Style) error

func thingTable[T any](k *desk.Kind[T], kind table.Kind) (tableReader, tableWriter) {
	return func(ctx context.Context, d *desk.Desk, a desk.Actor, file io.Reader, o desk.TableOptions) (desk.TableSum, error) {
			return k.ReadTable(ctx, d, a, kind, file, o)
		}, func(ctx context.Context, d *desk.Desk, a desk.Actor, vendor string, w io.Writer, style table.Style) error {
			return k.WriteTable(ctx, d, a, kind, vendor, w, style)
		}
}

func tableOf(kind apigen.TableKind) (tableReader, tableWriter) {
	switch kind {
	case apigen.TableKindAssets:
		return thingTable(desk.Assets, table.Assets)
	case apigen.TableKindContracts:
		return thingTable(desk.Contracts, table.Contracts)
	case apigen.TableKindAccounts:
		return thingTable(desk.Accounts, table.Accounts)
	case apigen.TableKindProducts:
		return thingTable(desk.Products, table.Products)
	}
	return func(ctx context.Context, d *desk.Desk, a desk.Actor, file io.Reader, o desk.TableOptions) (desk.TableSum, error) {
			return d.ReadPeople(ctx, a, file, o)
		}, func(ctx context.Context, d *desk.Desk, a desk.Actor, _ string, w io.Writer, style table.Style) error {
			return d.WritePeople(ctx, a, w, style)
		}
}

// tableOut writes a table while it is read from the database.
type tableOut struct {
	name  string
	write func(io.Writer) error
}

// VisitWriteTableResponse writes the table. Where it breaks off, so does the answer:
// a table that is not whole must not look it.
func (t tableOut) VisitWriteTableResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", tableType+"; charset=utf-8; header=present")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", t.name+".csv"))
	_ = http.NewResponseController(w).SetWriteDeadline(time.Time{})
	if err := t.write(w); err != nil {
		panic(http.ErrAbortHandler)
	}
	return nil
}

// WriteTable gives records as a table.
func (h *handlers) WriteTable(ctx context.Context, r apigen.WriteTableRequestObject) (apigen.WriteTableResponseObject, error) {
	if vendor := val(r.Params.Vendor); vendor != "" {
		if _, _, err := h.desk().VendorFacts(ctx, actor(ctx), vendor); err != nil {
			return nil, err
		}
	}
	_, write := tableOf(r.Kind)
	style := table.Style{Semicolons: val(r.Params.Semicolons), Mark: val(r.Params.Mark)}
	return tableOut{string(r.Kind), func(w io.Writer) error {
		return write(ctx, h.desk(), actor(ctx), val(r.Params.Vendor), w, style)
	}}, nil
}

// tableIn takes a table in and tells how it goes, a line at a time.
type tableIn struct {
	size int64
	read func(desk.TableOptions) (desk.TableSum, error)
	file *os.File
	log  func(error)
}

// VisitReadTableResponse does the work: what is told leaves while it is done.
func (t tableIn) VisitReadTableResponse(w http.ResponseWriter) error {
	defer t.file.Close()
	w.Header().Set("Content-Type", "application/x-ndjson")
	w.Header().Set("X-Accel-Buffering", "no")
	w.WriteHeader(http.StatusOK)
	rc := http.NewResponseController(w)
	_ = rc.SetWriteDeadline(time.Time{})
	out := json.NewEncoder(w)
	sum, err := t.read(desk.TableOptions{
		Row: func(r desk.TableRow) error {
			return out.Encode(apigen.TableLine{Row: &apigen.TableRow{Line: r.Line, What: r.What, Name: r.Name, Said: append([]string{}, r.Said...)}})
		},
		Progress: func(rows int, bytes int64) error {
			if err := out.Encode(apigen.TableLine{Progress: &apigen.TableProgress{Rows: rows, Bytes: bytes, OfBytes: t.size}}); err != nil {
				return err
			}
			return rc.Flush()
		},
	})
	if err != nil {
		p := problemOf(err)
		if p.Status >= 500 {
			t.log(err)
		}
		return out.Encode(apigen.TableLine{Problem: &p.Problem})
	}
	return out.Encode(apigen.TableLine{Sum: &apigen.TableSum{Rows: sum.Rows, Added: sum.Added, Changed: sum.Changed, Same: sum.Same, Refused: sum.Refused,
		Ignored: append([]string{}, sum.Ignored...), Done: sum.Done}})
}

// ReadTable takes a table in. It is put by on the disk first, so that one can read
// what is told as soon as all has been sent, and see how far it has come.
func (h *handlers) ReadTable(ctx context.Context, r apigen.ReadTableRequestObject) (apigen.ReadTableResponseObject, error) {
	read, _ := tableOf(r.Kind)
	file, err := os.CreateTemp("", "roundhouse-table-*") // 0600
	if err != nil {
		return nil, err
	}
	if err := os.Remove(file.Name()); err != nil { // it is gone when it is closed, whatever happens
		return nil, errors.Join(err, file.Close())
	}
	size, err := io.Copy(file, io.LimitReader(r.Body, maxTable+1))
	if err == nil && size > maxTable {
		err = newProblem(http.StatusRequestEntityTooLarge, "too-large", "The table is too large", fmt.Sprintf("At most %d MiB are taken; cut it into several.", maxTable>>20))
	} else if err != nil {
		err = newProblem(http.StatusBadRequest, "broken-body", "The table broke off", err.Error())
	}
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, errors.Join(err, file.Close())
	}
	who := actor(ctx)
	return tableIn{size: size, file: file, log: func(err error) { h.s.log.Error("table", "error", err) }, read: func(o desk.TableOptions) (desk.TableSum, error) {
		o.Look, o.Meant = val(r.Params.Look), val(r.Params.Meant)
		return read(ctx, h.desk(), who, file, o)
	}}, nil
}
