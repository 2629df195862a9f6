// Package testdb gives each test a PostgreSQL database of its own, made from a
// migrated template in about 30 ms. One cluster serves a whole test run when
// ROUNDHOUSE_TEST_CLUSTER names it; else each test process starts its own.
package testdb

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"roundhouse.example/internal/store/db"

	"github.com/jackc/pgx/v5"

	"roundhouse.example/internal/localpg"
)

// Env names the variable with the URL of a cluster that is running already.
const Env = "ROUNDHOUSE_TEST_CLUSTER"

var shared struct {
	once sync.Once
	url  string
	err  error
	stop func()
}

// Stop ends the cluster that this process started, if it did. Call it at the end of TestMain.
func Stop() {
	if shared.stop != nil {
		shared.stop()
	}
}

// Main runs a package's tests and ends what they started. It is all of a TestMain.
func Main(m *testing.M) {
	code := m.Run()
	Stop()
	os.Exit(code)
}

// inMemory is the file system that is kept in memory. A database a test is a thousand files made and removed.
const inMemory = "/dev/shm"

// Dir is a directory for a cluster, as TempDir gives one, but in memory where there is room and it need not last.
func Dir(fast bool) (string, error) {
	var fs syscall.Statfs_t
	if !fast || syscall.Statfs(inMemory, &fs) != nil || fs.Bavail*uint64(fs.Bsize) < 4<<30 {
		return TempDir()
	}
	return tempDir(inMemory)
}

// TempDir is a directory that the user postgres can reach, removed by the caller.
func TempDir() (string, error) {
	return tempDir("")
}

func tempDir(in string) (string, error) {
	dir, err := os.MkdirTemp(in, "roundhouse-test-")
	if err == nil {
		err = os.Chmod(dir, 0o711)
	}
	return dir, err
}

func cluster() (string, error) {
	shared.once.Do(func() {
		if shared.url = os.Getenv(Env); shared.url == "" {
			shared.url, shared.err = startOwn()
		}
	})
	return shared.url, shared.err
}

func startOwn() (string, error) {
	dir, err := Dir(true)
	if err != nil {
		return "", err
	}
	s, err := localpg.Start(context.Background(), localpg.Options{Dir: dir, Fast: true})
	if err != nil {
		return "", err
	}
	shared.stop = func() { s.Stop(); os.RemoveAll(dir) }
	return s.URL, nil
}

// URL is the address of a fresh, migrated database that is dropped after the test.
func URL(t testing.TB) string {
	t.Helper()
	return Copy(t, "", func(ctx context.Context, url string) error {
		s, err := db.Open(ctx, url, 4)
		if err != nil {
			return err
		}
		defer s.Close()
		return s.Migrate(ctx)
	})
}

// Copy is the address of a database like one that is filled once for a whole run, by whoever comes first; it is
// dropped after the test. A name tells such templates apart.
func Copy(t testing.TB, like string, fill func(ctx context.Context, url string) error) string {
	t.Helper()
	base, err := cluster()
	if err != nil {
		t.Fatalf("PostgreSQL for tests: %v", err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Minute)
	defer cancel()
	admin, err := pgx.Connect(ctx, with(base, "postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close(ctx)
	from := "roundhouse_template" + like
	if err := template(ctx, admin, base, from, fill); err != nil {
		t.Fatal(err)
	}
	name := fmt.Sprintf("t%d_%s", os.Getpid(), strings.ToLower(fmt.Sprintf("%x", time.Now().UnixNano())))
	if _, err := admin.Exec(ctx, "create database "+name+" template "+from+" strategy file_copy"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		ctx := context.Background()
		if c, err := pgx.Connect(ctx, with(base, "postgres")); err == nil {
			c.Exec(ctx, "drop database if exists "+name+" with (force)")
			c.Close(ctx)
		}
	})
	return with(base, name)
}

// template makes the database that others are copied from, once for a cluster, whoever comes first.
func template(ctx context.Context, admin *pgx.Conn, base, name string,
	fill func(ctx context.Context, url string) error) error {
	if _, err := admin.Exec(ctx, "select pg_advisory_lock(1)"); err != nil {
		return err
	}
	defer admin.Exec(ctx, "select pg_advisory_unlock(1)")
	var there bool
	if err := admin.QueryRow(ctx, "select exists (select from pg_database where datname = $1)", name).Scan(&there); err !=
		nil || there {
		return err
	}
	if _, err := admin.Exec(ctx, "drop database if exists "+name+"_new with (force)"); err != nil {
		return err
	}
	if _, err := admin.Exec(ctx, "create database "+name+"_new"); err != nil {
		return err
	}
	if err := fill(ctx, with(base, name+"_new")); err != nil {
		return err
	}
	_, err := admin.Exec(ctx, "alter database "+name+"_new rename to "+name)
	return err
}

func with(base, database string) string {
	u, err := url.Parse(base)
	if err != nil {
		return base
	}
	u.Path = "/" + database
	return u.String()
}

// Store opens a fresh database.
func Store(t testing.TB) *db.Store {
	t.Helper()
	s, err := db.Open(context.Background(), URL(t), 10)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}
