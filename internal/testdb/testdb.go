// Package testdb gives each test a PostgreSQL database of its own, made from a
// migrated template in about 30 ms. One cluster serves a whole test run when
// ROUNDHOUSE_TEST_CLUSTER names the file with its address; else each test process starts its own.
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

	"github.com/jackc/pgx/v5/pgxpool"

	"roundhouse.example/internal/localpg"
)

// Env names the variable with the file that has the URL of a cluster that is running already. Its name is the same in
// each run: a test that passed is not run again while neither its code nor its surroundings have changed.
const Env = "ROUNDHOUSE_TEST_CLUSTER"

// Running is the URL of the cluster that Env names; "" where it names none.
func Running() (string, error) {
	file := os.Getenv(Env)
	if file == "" {
		return "", nil
	}
	url, err := os.ReadFile(file)
	return string(url), err
}

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
		if shared.url, shared.err = Running(); shared.url == "" && shared.err == nil {
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
	from := "roundhouse_template" + like
	name := fmt.Sprintf("t%d_%s", os.Getpid(), strings.ToLower(fmt.Sprintf("%x", time.Now().UnixNano())))
	if err := administer(ctx, base, func(admin *pgxpool.Conn) error {
		if _, made := templates.Load(from); !made {
			if err := template(ctx, admin, base, from, fill); err != nil {
				return err
			}
			templates.Store(from, true)
		}
		_, err := admin.Exec(ctx, "create database "+name+" template "+from+" strategy file_copy")
		return err
	}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		ctx := context.Background()
		if err := administer(ctx, base, func(admin *pgxpool.Conn) error {
			_, err := admin.Exec(ctx, "drop database if exists "+name+" with (force)")
			return err
		}); err != nil {
			t.Errorf("dropping the test's database: %v", err)
		}
	})
	return with(base, name) + few
}

// few is how many connections a test's desk has: each learns and plans for itself what the others know, which is half
// of what PostgreSQL does for a test.
const few = "&pool_max_conns=4"

// templates are those that this process has seen made. A template is made by one, while others may be copied.
var templates sync.Map

var (
	administrators sync.Once
	admins         *pgxpool.Pool
	errAdmins      error
)

// administer lends a connection that makes and drops databases. A new one for each of them would cost as much as the
// database.
func administer(ctx context.Context, base string, do func(*pgxpool.Conn) error) error {
	administrators.Do(func() {
		admins, errAdmins = pgxpool.New(context.Background(), with(base, "postgres")+"&pool_max_conns=24")
	})
	if errAdmins != nil {
		return errAdmins
	}
	return admins.AcquireFunc(ctx, do)
}

// template makes the database that others are copied from, once for a cluster, whoever comes first.
func template(ctx context.Context, admin *pgxpool.Conn, base, name string,
	fill func(ctx context.Context, url string) error) error {
	// A lock of its own: the template with the demo takes long to fill, and the others need not wait for it.
	if _, err := admin.Exec(ctx, "select pg_advisory_lock(hashtext($1))", name); err != nil {
		return err
	}
	defer admin.Exec(ctx, "select pg_advisory_unlock(hashtext($1))", name)
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
