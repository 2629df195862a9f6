package localpg

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// One start holds the directory; a killed one is recovered; another version's
// data and a path that cannot be reached are refused in words.
func TestOneDirectoryOneServer(t *testing.T) {
	dir, err := os.MkdirTemp("", "roundhouse-test-")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o711); err != nil {
		t.Fatal(err)
	}
	first, err := Start(t.Context(), Options{Dir: dir})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Options{Dir: dir}); !errors.Is(err, ErrInUse) {
		t.Errorf("a second start: %v", err)
	}
	if err := Remove(dir); !errors.Is(err, ErrInUse) {
		t.Errorf("removing it while it runs: %v", err)
	}
	if st, err := os.Stat(filepath.Join(dir, "password")); err != nil || st.Mode().Perm() != 0o600 ||
		!strings.Contains(first.URL, ":"+first.pass+"@") || first.pass == "" {
		t.Errorf("the password: %v %v", st, err)
	}
	if err := first.Kill(); err != nil {
		t.Fatal(err)
	}
	second, err := Start(t.Context(), Options{Dir: dir})
	if err != nil {
		t.Fatal("after a kill:", err)
	}
	if err := second.Stop(); err != nil {
		t.Fatal(err)
	}
	version := filepath.Join(dir, "data", "PG_VERSION")
	if err := os.WriteFile(version, []byte("9\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Options{Dir: dir}); err == nil || !strings.Contains(err.Error(), "PostgreSQL 9") {
		t.Errorf("another version's data: %v", err)
	}
	if err := Remove(dir); err != nil {
		t.Fatal(err)
	}
	if os.Geteuid() == 0 {
		shut := t.TempDir() // its parent lets nobody but root pass
		if _, err := Start(t.Context(), Options{Dir: filepath.Join(shut, "pg")}); err == nil ||
			!strings.Contains(err.Error(), "chmod") {
			t.Errorf("a path that postgres cannot reach: %v", err)
		}
	}
}

// One that dies again and again is given up, and it is said where to look.
func TestOneThatKeepsDying(t *testing.T) {
	dir, err := os.MkdirTemp("", "roundhouse-test-")
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o711); err != nil {
		t.Fatal(err)
	}
	pg, err := Start(t.Context(), Options{Dir: dir, Fast: true})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = pg.Stop() }()
	kill := func() {
		pg.mu.Lock()
		defer pg.mu.Unlock()
		_ = syscall.Kill(-pg.cmd.Process.Pid, syscall.SIGKILL)
	}
	again, gaveUp := make(chan struct{}), make(chan error, 1)
	go func() { gaveUp <- pg.Watch(t.Context(), func(string) { again <- struct{}{} }) }()
	kill()
	starts := 0
	for {
		select {
		case <-again:
			starts++
			kill()
			continue
		case err := <-gaveUp:
			if err == nil || !strings.Contains(err.Error(), "keeps crashing") ||
				!strings.Contains(err.Error(), "postgres.log") || starts != 5 {
				t.Errorf("after %d starts: %v", starts, err)
			}
		case <-time.After(3 * time.Minute):
			t.Fatalf("nothing after %d starts", starts)
		}
		return
	}
}
