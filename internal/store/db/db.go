// Package db is what all subjects of the store need: the pool, transactions, migrations, and
// what is said of errors.
package db

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// Querier is what reads and writes run on: the database or a transaction.
type Querier interface {
	sqlx.ExtContext
	GetContext(ctx context.Context, dest any, query string, args ...any) error
	SelectContext(ctx context.Context, dest any, query string, args ...any) error
}

//go:embed migrations/*.sql
var migrations embed.FS

// Migrations are the schema's versions, a file each.
func Migrations() (fs.FS, error) { return fs.Sub(migrations, "migrations") }

// ErrNotFound is returned where a row that was asked for is not there.
var ErrNotFound = errors.New("not found")

// Store is one database. It is safe for concurrent use.
type Store struct {
	Pool *pgxpool.Pool
	DB   *sqlx.DB
	// locks are the connections of those who hold a lock while they work on others: they
	// must never take away what somebody else needs to go on.
	locks *pgxpool.Pool
}

// Open connects a pool of at most size connections to a PostgreSQL URL, or of as many as its pool_max_conns says. It
// does not wait for the database to answer.
func Open(ctx context.Context, url string, size int32) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address is not understood: %w", err)
	}
	if !strings.Contains(url, "pool_max_conns=") {
		cfg.MaxConns = size
	}
	cfg.ConnConfig.ConnectTimeout = 10 * time.Second // a busy machine takes seconds; a request has its own limit
	cfg.ConnConfig.RuntimeParams["timezone"] = "UTC"
	cfg.ConnConfig.RuntimeParams["application_name"] = "roundhouse"
	cfg.MaxConnIdleTime = 5 * time.Minute
	return with(ctx, cfg)
}

// Hasty is the same database on connections whose commits do not wait for the disk: for loading much that can be loaded
// again. What is committed by others afterwards is on the disk only after all of it.
func (s *Store) Hasty(ctx context.Context) (*Store, error) {
	cfg := s.Pool.Config()
	cfg.ConnConfig.RuntimeParams["synchronous_commit"] = "off"
	return with(ctx, cfg)
}

func with(ctx context.Context, cfg *pgxpool.Config) (*Store, error) {
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, err
	}
	apart := cfg.Copy()
	apart.MaxConns = 2
	locks, err := pgxpool.NewWithConfig(ctx, apart)
	if err != nil {
		pool.Close()
		return nil, err
	}
	db := sqlx.NewDb(stdlib.OpenDBFromPool(pool), "pgx")
	db.SetMaxIdleConns(0) // the pool below keeps the connections
	return &Store{Pool: pool, DB: db, locks: locks}, nil
}

// Close ends all connections.
func (s *Store) Close() {
	s.DB.Close()
	s.Pool.Close()
	s.locks.Close()
}

func (s *Store) migrator() (p *goose.Provider, done func() error, err error) {
	dir, err := Migrations()
	if err != nil {
		return nil, nil, err
	}
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return nil, nil, err
	}
	db := stdlib.OpenDBFromPool(s.Pool)
	p, err = goose.NewProvider(goose.DialectPostgres, db, dir, goose.WithSessionLocker(locker), goose.WithVerbose(false))
	return p, db.Close, err
}

func versions(ctx context.Context, p *goose.Provider) (have, want int64, err error) {
	sources := p.ListSources()
	have, err = p.GetDBVersion(ctx)
	return have, sources[len(sources)-1].Version, err
}

// Fits says in words where the schema is not this binary's, and changes nothing.
func (s *Store) Fits(ctx context.Context) error {
	p, done, err := s.migrator()
	if err != nil {
		return err
	}
	defer done()
	switch have, want, err := versions(ctx, p); {
	case err != nil:
		return err
	case have < want:
		return fmt.Errorf("the database is at version %d, older than this program (%d): let roundhouse serve bring it "+
			"up first", have, want)
	case have > want:
		return fmt.Errorf("the database is at version %d, newer than this program knows (%d): use a newer roundhouse", have,
			want)
	}
	return nil
}

// Migrate brings the schema up to this binary's. A database that is newer than
// the binary is refused in words. Several services may call it at once.
func (s *Store) Migrate(ctx context.Context) error {
	p, done, err := s.migrator()
	if err != nil {
		return err
	}
	defer done()
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	if have, want, err := versions(ctx, p); err != nil {
		return err
	} else if have > want {
		return fmt.Errorf("the database is at version %d, newer than this program knows (%d): use a newer roundhouse", have,
			want)
	}
	return s.migrateQueue(ctx)
}

// migrateQueue brings the job queue's own tables up. River asks much to find out that there is nothing to do, so it is
// asked only where its newest migration is not there yet.
func (s *Store) migrateQueue(ctx context.Context) error {
	m, err := rivermigrate.New(riverpgxv5.New(s.Pool), nil)
	if err != nil {
		return err
	}
	all := m.AllVersions()
	var has bool
	if err := s.Pool.QueryRow(ctx, "select to_regclass('river_migration') is not null").Scan(&has); err != nil {
		return err
	}
	if has {
		var newest int
		if err := s.Pool.QueryRow(ctx, "select coalesce(max(version), 0) from river_migration where line = 'main'").
			Scan(&newest); err != nil || newest >= all[len(all)-1].Version {
			return err
		}
	}
	// River guards its own table of versions, but two first starts at once would race for it.
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, "select pg_advisory_lock(7206317)"); err != nil {
		return err
	}
	defer conn.Exec(context.WithoutCancel(ctx), "select pg_advisory_unlock(7206317)")
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrating the job queue: %w", err)
	}
	return nil
}

// Tx is one transaction; its methods are grouped by subject in the other files.
type Tx struct {
	*sqlx.Tx
	conn *sqlx.Conn
}

// Do runs fn in one transaction, committed when fn returns nil. What became of it is noted
// in the context's Outcome.
func (s *Store) Do(ctx context.Context, fn func(*Tx) error) error {
	conn, err := s.DB.Connx(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	tx, err := conn.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := fn(&Tx{tx, conn}); err != nil {
		return err
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	err = tx.Commit()
	noted(ctx, err)
	return err
}

// Snapshot runs fn in one transaction that sees the database as it stood at its
// beginning, and can change nothing.
func (s *Store) Snapshot(ctx context.Context, fn func(Querier) error) error {
	tx, err := s.DB.BeginTxx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return err
	}
	defer tx.Rollback()
	return fn(tx)
}

// Durable makes this transaction's commit wait for the disk, whatever the
// database's default.
func (t *Tx) Durable(ctx context.Context) error {
	_, err := t.ExecContext(ctx, "set local synchronous_commit = on")
	return err
}

// Pgx calls fn with the same transaction seen as a pgx.Tx, for the job queue.
// No rows may be open.
func (t *Tx) Pgx(fn func(pgx.Tx) error) error {
	return t.conn.Raw(func(dc any) error { return fn(pgxTx{dc.(*stdlib.Conn).Conn()}) })
}

// Tell sends a notification to every service on this database once the
// transaction is committed.
func (t *Tx) Tell(ctx context.Context, channel, payload string) error {
	_, err := t.ExecContext(ctx, "select pg_notify($1, $2)", channel, payload)
	return err
}

// TellAll is Tell of several payloads.
func (t *Tx) TellAll(ctx context.Context, channel string, payloads []string) error {
	_, err := t.ExecContext(ctx, "select pg_notify($1, x) from unnest($2::text[]) x", channel, payloads)
	return err
}

// Alone runs fn unless somebody else, in this service or another, is at the same
// thing; then it does nothing. The lock ends with its connection at the latest.
func (s *Store) Alone(ctx context.Context, thing int64, fn func() error) error {
	conn, err := s.locks.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	var got bool
	if err := conn.QueryRow(ctx, "select pg_try_advisory_lock($1)", thing).Scan(&got); err != nil || !got {
		return err
	}
	defer func() {
		after, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if _, err := conn.Exec(after, "select pg_advisory_unlock($1)", thing); err != nil {
			_ = conn.Conn().Close(after)
		}
	}()
	return fn()
}

// One turns "no rows" into ErrNotFound.
func One(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// Affected says whether a statement met its one row.
func Affected(r sql.Result, err error) (bool, error) {
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

// Unavailable says whether err means that the database cannot be reached, so
// that asking again later is the thing to do.
func Unavailable(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		// Shutting down, starting up, out of connections.
		return len(pg.Code) == 5 && (pg.Code[:2] == "57" && pg.Code != "57014" || pg.Code[:2] == "08" || pg.Code == "53300")
	}
	var connect *pgconn.ConnectError
	return errors.As(err, &connect) || pgconn.SafeToRetry(err) || errors.Is(err, sql.ErrConnDone) || connectionLost(err)
}

// Unique says whether err is the violation of the named unique index.
func Unique(err error, name string) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505" && pg.ConstraintName == name
}

// Excluded says whether err is the violation of the named exclusion: what was to be written overlaps with a row that is
// there.
func Excluded(err error, name string) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23P01" && pg.ConstraintName == name
}

// Refers says whether err is that rows of a table still refer to what was to go.
func Refers(err error) (table string, ok bool) {
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23503" {
		return pg.TableName, true
	}
	return "", false
}

// JSON is a column that holds T as jsonb; NULL is the zero value.
type JSON[T any] struct{ V T }

// Scan reads the column.
func (j *JSON[T]) Scan(src any) error {
	var zero T
	j.V = zero
	switch v := src.(type) {
	case nil:
		return nil
	case []byte:
		return json.Unmarshal(v, &j.V)
	case string:
		return json.Unmarshal([]byte(v), &j.V)
	}
	return fmt.Errorf("jsonb came as %T", src)
}

// Text is the column as JSON.
func (j JSON[T]) Text() (string, error) {
	b, err := json.Marshal(j.V)
	return string(b), err
}

// Unix is an instant of a row as core counts it, in seconds; 0 for none.
func Unix(t *time.Time) int64 {
	if t == nil {
		return 0
	}
	return t.Unix()
}

// Instant is an instant of core's, in UTC as rows have it.
func Instant(s int64) time.Time { return time.Unix(s, 0).UTC() }

// ByIndex lets the rest of the transaction look rows up by their indexes alone: what it
// writes itself grows tables that the database still takes for small.
func (t *Tx) ByIndex(ctx context.Context) error {
	_, err := t.ExecContext(ctx,
		`select set_config('enable_seqscan', 'off', true), set_config('enable_hashjoin', 'off', true),
			set_config('enable_mergejoin', 'off', true), set_config('enable_material', 'off', true)`)
	return err
}
