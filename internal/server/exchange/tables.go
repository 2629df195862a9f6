package exchange

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"time"

	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/exchange"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/pace"
	"roundhouse.example/internal/server/web"
)

// tableReader and tableWriter are how a kind goes in and out.
type tableReader func(context.Context, *whole.Desk, desk.Actor, io.Reader, exchange.Options) (exchange.Sum, error)

type tableWriter func(ctx context.Context, d *whole.Desk, a desk.Actor, vendor string, w io.Writer,
	style table.Style) error

func thingTable[T any](k *registry.Kind[T], kind table.Kind) (tableReader, tableWriter) {
	return func(ctx context.Context, d *whole.Desk, a desk.Actor, file io.Reader,
			o exchange.Options) (exchange.Sum, error) {
			return exchange.ImportTable(ctx, d.Exchange, k, a, kind, file, o)
		}, func(ctx context.Context, d *whole.Desk, a desk.Actor, vendor string, w io.Writer, style table.Style) error {
			return exchange.ExportTable(ctx, d.Exchange, k, a, kind, vendor, w, style)
		}
}

func tableOf(kind apigen.TableKind) (tableReader, tableWriter) {
	switch kind {
	case apigen.TableKindAssets:
		return thingTable(registry.Assets, table.Assets)
	case apigen.TableKindContracts:
		return thingTable(registry.Contracts, table.Contracts)
	case apigen.TableKindAccounts:
		return thingTable(registry.Accounts, table.Accounts)
	case apigen.TableKindCases:
		return func(ctx context.Context, d *whole.Desk, a desk.Actor, file io.Reader,
				o exchange.Options) (exchange.Sum, error) {
				return d.Exchange.TakeOverCases(ctx, a, file, o)
			}, func(ctx context.Context, d *whole.Desk, a desk.Actor, vendor string, w io.Writer, style table.Style) error {
				return d.Exchange.WriteCases(ctx, a, vendor, w, style)
			}
	case apigen.TableKindProducts:
		return thingTable(registry.Products, table.Products)
	}
	return func(ctx context.Context, d *whole.Desk, a desk.Actor, file io.Reader,
			o exchange.Options) (exchange.Sum, error) {
			return d.Exchange.ReadPeople(ctx, a, file, o)
		}, func(ctx context.Context, d *whole.Desk, a desk.Actor, _ string, w io.Writer, style table.Style) error {
			return d.Exchange.WritePeople(ctx, a, w, style)
		}
}

// tableOut writes a table while it is read from the database.
type tableOut struct {
	name  string
	write func(io.Writer) error
}

// VisitExportTableResponse writes the table. Where it breaks off, so does the answer:
// a table that is not whole must not look it.
func (t tableOut) VisitExportTableResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", web.TableType+"; charset=utf-8; header=present")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", t.name+".csv"))
	if err := t.write(pace.Unhurried(w)); err != nil {
		panic(http.ErrAbortHandler)
	}
	return nil
}

// ExportTable gives records as a table.
func (h *Exchange) ExportTable(ctx context.Context,
	r apigen.ExportTableRequestObject) (apigen.ExportTableResponseObject, error) {
	if vendor := web.Val(r.Params.Vendor); vendor != "" {
		if _, _, err := h.desk().Register.VendorFacts(ctx, web.Actor(ctx), vendor); err != nil {
			return nil, err
		}
	}
	_, write := tableOf(r.Kind)
	style := table.Style{Semicolons: web.Val(r.Params.Semicolons), Mark: web.Val(r.Params.Mark)}
	return tableOut{string(r.Kind), func(w io.Writer) error {
		return write(ctx, h.desk(), web.Actor(ctx), web.Val(r.Params.Vendor), w, style)
	}}, nil
}

// tableIn takes a table in and tells how it goes, a line at a time.
type tableIn struct {
	ctx  context.Context
	size int64
	read func(context.Context, exchange.Options) (exchange.Sum, error)
	file *os.File
	log  func(error)
	done func()
}

// VisitImportTableResponse does the work and tells of it side by side: what is told is put by
// on the disk, so that a reader who stalls holds up no transaction.
func (t tableIn) VisitImportTableResponse(w http.ResponseWriter) error {
	defer t.done()
	defer t.file.Close()
	said, err := newSpool()
	if err != nil {
		return err
	}
	defer said.close()
	ctx, cancel := context.WithCancel(t.ctx)
	worked := make(chan struct{})
	go func() {
		defer close(worked)
		t.work(ctx, json.NewEncoder(said))
		said.end()
	}()
	// Nobody reads on: what is not committed yet is taken back, and only then is the file closed.
	defer func() { cancel(); <-worked }()
	w.Header().Set("Content-Type", "application/x-ndjson")
	w.Header().Set("X-Accel-Buffering", "no")
	w.WriteHeader(http.StatusOK)
	rc := http.NewResponseController(w)
	for {
		part, more := said.next()
		_ = rc.SetWriteDeadline(time.Now().Add(pace.Stall))
		if _, err := w.Write(part); err != nil {
			return nil
		}
		if err := rc.Flush(); err != nil || !more {
			return nil
		}
	}
}

func (t tableIn) work(ctx context.Context, out *json.Encoder) {
	sum, err := t.read(ctx, exchange.Options{
		Row: func(r exchange.Row) error {
			return out.Encode(apigen.TableLine{Row: &apigen.TableRow{Line: r.Line, What: r.What, Name: r.Name,
				Said: append([]string{}, r.Said...), NeedsConfirm: web.Some(r.NeedsConfirm)}})
		},
		Progress: func(rows int, bytes int64) error {
			return out.Encode(apigen.TableLine{Progress: &apigen.TableProgress{Rows: rows, Bytes: bytes, OfBytes: t.size}})
		},
	})
	if err != nil {
		p := web.Outcome(ctx, web.ProblemOf(err))
		if p.Status >= 500 {
			t.log(err)
		}
		_ = out.Encode(apigen.TableLine{Problem: &p.Problem})
		return
	}
	_ = out.Encode(apigen.TableLine{Sum: &apigen.TableSum{Rows: sum.Rows, Added: sum.Added, Changed: sum.Changed,
		Same: sum.Same, Refused: sum.Refused,
		Ignored: append([]string{}, sum.Ignored...), Done: sum.Done}})
}

// ImportTable takes a table in. It is put by on the disk first, so that one can read
// what is told as soon as all has been sent, and see how far it has come.
func (h *Exchange) ImportTable(ctx context.Context,
	r apigen.ImportTableRequestObject) (apigen.ImportTableResponseObject, error) {
	select {
	case h.tables <- struct{}{}:
	default: // what waits is bounded: nothing of it is on the disk yet
		return nil, web.NewProblem(http.StatusServiceUnavailable, "busy", "The service is busy",
			"Other tables are being imported: try again when they are done.")
	}
	done := func() { <-h.tables }
	file, size, err := putBy(r.Body)
	if err != nil {
		done()
		return nil, err
	}
	read, _ := tableOf(r.Kind)
	who := web.Actor(ctx)
	return tableIn{ctx: ctx, size: size, file: file, done: done, log: func(err error) {
		h.s.Log.Error("table", "error", err)
	},
		read: func(ctx context.Context, o exchange.Options) (exchange.Sum, error) {
			o.Look, o.Confirmed = web.Val(r.Params.DryRun), web.Val(r.Params.Confirm)
			return read(ctx, h.desk(), who, file, o)
		}}, nil
}
