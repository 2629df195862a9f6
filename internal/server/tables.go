package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"sync"
	"syscall"
	"time"

	"roundhouse.example/internal/desk/exchange"
	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/whole"

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
type tableReader func(context.Context, *whole.Desk, desk.Actor, io.Reader, exchange.Options) (exchange.Sum, error)

type tableWriter func(ctx context.Context, d *whole.Desk, a desk.Actor, vendor string, w io.Writer, style table.Style) error

func thingTable[T any](k *registry.Kind[T], kind table.Kind) (tableReader, tableWriter) {
	return func(ctx context.Context, d *whole.Desk, a desk.Actor, file io.Reader, o exchange.Options) (exchange.Sum, error) {
			return exchange.ReadTable(ctx, d.Exchange, k, a, kind, file, o)
		}, func(ctx context.Context, d *whole.Desk, a desk.Actor, vendor string, w io.Writer, style table.Style) error {
			return exchange.WriteTable(ctx, d.Exchange, k, a, kind, vendor, w, style)
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
	case apigen.TableKindProducts:
		return thingTable(registry.Products, table.Products)
	}
	return func(ctx context.Context, d *whole.Desk, a desk.Actor, file io.Reader, o exchange.Options) (exchange.Sum, error) {
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

// VisitWriteTableResponse writes the table. Where it breaks off, so does the answer:
// a table that is not whole must not look it.
func (t tableOut) VisitWriteTableResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", tableType+"; charset=utf-8; header=present")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", t.name+".csv"))
	if err := t.write(unhurried{w, http.NewResponseController(w)}); err != nil {
		panic(http.ErrAbortHandler)
	}
	return nil
}

// unhurried writes an answer of any length to a reader who goes on reading.
type unhurried struct {
	w  io.Writer
	rc *http.ResponseController
}

func (u unhurried) Write(b []byte) (int, error) {
	_ = u.rc.SetWriteDeadline(time.Now().Add(stall))
	return u.w.Write(b)
}

// WriteTable gives records as a table.
func (h *handlers) WriteTable(ctx context.Context, r apigen.WriteTableRequestObject) (apigen.WriteTableResponseObject, error) {
	if vendor := val(r.Params.Vendor); vendor != "" {
		if _, _, err := h.desk().Register.VendorFacts(ctx, actor(ctx), vendor); err != nil {
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
	ctx  context.Context
	size int64
	read func(context.Context, exchange.Options) (exchange.Sum, error)
	file *os.File
	log  func(error)
	done func()
}

// VisitReadTableResponse does the work and tells of it side by side: what is told is put by
// on the disk, so that a reader who stalls holds up no transaction.
func (t tableIn) VisitReadTableResponse(w http.ResponseWriter) error {
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
		_ = rc.SetWriteDeadline(time.Now().Add(stall))
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
			return out.Encode(apigen.TableLine{Row: &apigen.TableRow{Line: r.Line, What: r.What, Name: r.Name, Said: append([]string{}, r.Said...)}})
		},
		Progress: func(rows int, bytes int64) error {
			return out.Encode(apigen.TableLine{Progress: &apigen.TableProgress{Rows: rows, Bytes: bytes, OfBytes: t.size}})
		},
	})
	if err != nil {
		p := outcome(ctx, problemOf(err))
		if p.Status >= 500 {
			t.log(err)
		}
		_ = out.Encode(apigen.TableLine{Problem: &p.Problem})
		return
	}
	_ = out.Encode(apigen.TableLine{Sum: &apigen.TableSum{Rows: sum.Rows, Added: sum.Added, Changed: sum.Changed, Same: sum.Same, Refused: sum.Refused,
		Ignored: append([]string{}, sum.Ignored...), Done: sum.Done}})
}

// ReadTable takes a table in. It is put by on the disk first, so that one can read
// what is told as soon as all has been sent, and see how far it has come.
func (h *handlers) ReadTable(ctx context.Context, r apigen.ReadTableRequestObject) (apigen.ReadTableResponseObject, error) {
	select {
	case h.s.tables <- struct{}{}:
	default: // what waits is bounded: nothing of it is on the disk yet
		return nil, newProblem(http.StatusServiceUnavailable, "busy", "The service is busy", "Other tables are being imported: try again when they are done.")
	}
	done := func() { <-h.s.tables }
	file, size, err := putBy(r.Body)
	if err != nil {
		done()
		return nil, err
	}
	read, _ := tableOf(r.Kind)
	who := actor(ctx)
	return tableIn{ctx: ctx, size: size, file: file, done: done, log: func(err error) { h.s.log.Error("table", "error", err) },
		read: func(ctx context.Context, o exchange.Options) (exchange.Sum, error) {
			o.Look, o.Meant = val(r.Params.Look), val(r.Params.Meant)
			return read(ctx, h.desk(), who, file, o)
		}}, nil
}

// putBy writes a table to a file that is gone when it is closed, whatever happens.
func putBy(body io.Reader) (file *os.File, size int64, err error) {
	if file, err = nameless(); err != nil {
		return nil, 0, diskProblem(err)
	}
	size, err = io.Copy(file, io.LimitReader(body, maxTable+1))
	var disk *fs.PathError
	switch {
	case errors.As(err, &disk):
		err = diskProblem(err)
	case err != nil:
		err = newProblem(http.StatusBadRequest, "broken-body", "The table broke off", "The rest of it did not come. Nothing was changed.")
	case size > maxTable:
		err = newProblem(http.StatusRequestEntityTooLarge, "too-large", "The table is too large", fmt.Sprintf("At most %d MiB are taken; cut it into several.", maxTable>>20))
	default:
		if _, err = file.Seek(0, io.SeekStart); err == nil {
			return file, size, nil
		}
	}
	return nil, 0, errors.Join(err, file.Close())
}

// nameless is a file of ours alone that nobody can open and that ends with the service.
func nameless() (*os.File, error) {
	file, err := os.CreateTemp("", "roundhouse-table-*") // 0600
	if err != nil {
		return nil, err
	}
	if err := os.Remove(file.Name()); err != nil {
		return nil, errors.Join(err, file.Close())
	}
	return file, nil
}

// diskProblem says what is wrong with the service's disk, and not where its files are.
func diskProblem(err error) error {
	why := "the service cannot write to its disk"
	if errors.Is(err, syscall.ENOSPC) {
		why = "the service's disk is full"
	}
	return newProblem(http.StatusInsufficientStorage, "disk", "The table cannot be kept", "Nothing was changed: "+why+". An administrator of the machine has to make room.")
}

// spool is what one writes and another reads as it comes, each at its own pace.
type spool struct {
	mu   sync.Mutex
	more *sync.Cond
	file *os.File
	size int64
	read int64
	over bool
}

func newSpool() (*spool, error) {
	file, err := nameless()
	if err != nil {
		return nil, diskProblem(err)
	}
	s := &spool{file: file}
	s.more = sync.NewCond(&s.mu)
	return s, nil
}

// Write never waits for the reader.
func (s *spool) Write(b []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	n, err := s.file.WriteAt(b, s.size)
	s.size += int64(n)
	s.more.Signal()
	if err != nil {
		err = diskProblem(err)
	}
	return n, err
}

func (s *spool) end() {
	s.mu.Lock()
	s.over = true
	s.mu.Unlock()
	s.more.Signal()
}

// next waits for what was written since; more is false once that was all.
func (s *spool) next() (part []byte, more bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for s.read == s.size && !s.over {
		s.more.Wait()
	}
	part = make([]byte, min(s.size-s.read, 64<<10))
	n, err := s.file.ReadAt(part, s.read)
	s.read += int64(n)
	return part[:n], err == nil && (s.read < s.size || !s.over)
}

func (s *spool) close() { _ = s.file.Close() }
