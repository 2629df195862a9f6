package db

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
	"net"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Value writes a JSON column.
func (j JSON[T]) Value() (driver.Value, error) { return j.Text() }

func connectionLost(err error) bool {
	var n net.Error
	return errors.Is(err, driver.ErrBadConn) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, net.ErrClosed) ||
		errors.As(err, &n) || errors.Is(err, io.EOF)
}

// pgxTx lets the job queue, which knows only pgx, join a transaction that was
// begun through sqlx. Nested transactions become savepoints.
type pgxTx struct{ c *pgx.Conn }

var errNotOwner = errors.New("the owner of the transaction ends it")

func (t pgxTx) Begin(ctx context.Context) (pgx.Tx, error) {
	if _, err := t.c.Exec(ctx, "savepoint inner_tx"); err != nil {
		return nil, err
	}
	return &savepoint{pgxTx: t}, nil
}

func (t pgxTx) Commit(context.Context) error { return errNotOwner }

func (t pgxTx) Rollback(context.Context) error { return errNotOwner }

func (t pgxTx) CopyFrom(ctx context.Context, n pgx.Identifier, cols []string, src pgx.CopyFromSource) (int64, error) {
	return t.c.CopyFrom(ctx, n, cols, src)
}

func (t pgxTx) SendBatch(ctx context.Context, b *pgx.Batch) pgx.BatchResults {
	return t.c.SendBatch(ctx, b)
}

func (t pgxTx) LargeObjects() pgx.LargeObjects { return pgx.LargeObjects{} }

func (t pgxTx) Prepare(ctx context.Context, name, q string) (*pgconn.StatementDescription, error) {
	return t.c.Prepare(ctx, name, q)
}

func (t pgxTx) Exec(ctx context.Context, q string, a ...any) (pgconn.CommandTag, error) {
	return t.c.Exec(ctx, q, a...)
}

func (t pgxTx) Query(ctx context.Context, q string, a ...any) (pgx.Rows, error) {
	return t.c.Query(ctx, q, a...)
}

func (t pgxTx) QueryRow(ctx context.Context, q string, a ...any) pgx.Row {
	return t.c.QueryRow(ctx, q, a...)
}

func (t pgxTx) Conn() *pgx.Conn { return t.c }

type savepoint struct {
	pgxTx
	done bool
}

func (s *savepoint) Commit(ctx context.Context) error {
	return s.end(ctx, "release savepoint inner_tx")
}

func (s *savepoint) Rollback(ctx context.Context) error {
	return s.end(ctx, "rollback to savepoint inner_tx")
}

func (s *savepoint) end(ctx context.Context, q string) error {
	if s.done {
		return pgx.ErrTxClosed
	}
	s.done = true
	_, err := s.c.Exec(ctx, q)
	return err
}
