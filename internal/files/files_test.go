package files

import (
	"crypto/rand"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"golang.org/x/sys/unix"
)

func folder(t *testing.T, dir string) *Folder {
	t.Helper()
	f, err := Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	f.Reserve = 0
	return f
}

func must[T any](t *testing.T) func(T, error) T {
	return func(v T, err error) T {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
}

// breaking gives a few bytes, then an error.
type breaking struct{ io.Reader }

var errBroke = errors.New("the line broke")

func (b breaking) Read(p []byte) (int, error) {
	n, err := b.Reader.Read(p)
	if err == io.EOF {
		err = errBroke
	}
	return n, err
}

// A file comes piece by piece, goes on where it ended, and is whole only once it is kept.
func TestAFileComesPieceByPiece(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a", "b")
	f, key := folder(t, dir), rand.Text()
	if err := f.Begin(key); err != nil {
		t.Fatal(err)
	}
	if err := f.Begin(key); err == nil {
		t.Error("it begins twice")
	}
	if n, err := f.Append(key, 0, breaking{strings.NewReader("0123")}); n != 4 || !errors.Is(err, errBroke) {
		t.Errorf("what broke off: %d, %v", n, err)
	}
	if size, last, err := f.Part(key); size != 4 || err != nil || time.Since(last) > time.Minute {
		t.Errorf("what has come: %d, %s, %v", size, last, err)
	}
	if _, err := f.Append(key, 3, strings.NewReader("x")); !errors.Is(err, ErrBusy) {
		t.Errorf("at another place: %v", err)
	}
	if _, err := f.Open(key); !errors.Is(err, ErrGone) {
		t.Errorf("half a file is opened: %v", err)
	}
	if n, err := f.Append(key, 4, strings.NewReader("4567")); n != 4 || err != nil {
		t.Fatalf("the rest: %d, %v", n, err)
	}
	for range 2 {
		if err := f.Keep(key); err != nil {
			t.Fatal(err)
		}
	}
	file := must[*os.File](t)(f.Open(key))
	defer file.Close()
	if raw := must[[]byte](t)(io.ReadAll(file)); string(raw) != "01234567" {
		t.Errorf("what was kept: %q", raw)
	}
	again := must[*os.File](t)(f.Open(key))
	defer again.Close()
	if !Mine(file) || Mine(again) {
		t.Error("two have it at a time")
	}
	if st := must[os.FileInfo](t)(os.Stat(filepath.Join(dir, key[:2], key))); st.Mode().Perm() != 0o600 {
		t.Errorf("who may read it: %v", st.Mode())
	}
	if err := errors.Join(f.Drop(key), f.Drop(key)); err != nil {
		t.Error(err)
	}
	if _, err := f.Open(key); !errors.Is(err, ErrGone) {
		t.Errorf("after it was dropped: %v", err)
	}
	for _, odd := range []string{"", "..", "../../etc/passwd", "/etc/passwd", strings.Repeat("a", 26), key + "/"} {
		if err := f.Begin(odd); !errors.Is(err, ErrGone) {
			t.Errorf("the key %q: %v", odd, err)
		}
		if _, err := f.Open(odd); !errors.Is(err, ErrGone) {
			t.Errorf("the key %q: %v", odd, err)
		}
	}
}

// Only one writes to a file at a time.
func TestOneWritesAtATime(t *testing.T) {
	f, key := folder(t, t.TempDir()), rand.Text()
	if err := f.Begin(key); err != nil {
		t.Fatal(err)
	}
	r, w := io.Pipe()
	done := make(chan error)
	go func() {
		_, err := f.Append(key, 0, r)
		done <- err
	}()
	_, _ = w.Write([]byte("first"))
	if _, err := f.Append(key, 0, strings.NewReader("second")); !errors.Is(err, ErrBusy) {
		t.Errorf("the second: %v", err)
	}
	w.Close()
	if err := <-done; err != nil {
		t.Error(err)
	}
}

// A disk that fills takes no more, keeps what it has, and goes on once there is room.
func TestADiskThatFills(t *testing.T) {
	dir := t.TempDir()
	if err := unix.Mount("tmpfs", dir, "tmpfs", 0, "size=1m"); err != nil {
		t.Skipf("a small disk cannot be had here: %v", err)
	}
	t.Cleanup(func() { _ = unix.Unmount(dir, unix.MNT_DETACH) })
	f, key := folder(t, dir), rand.Text()
	if err := f.Begin(key); err != nil {
		t.Fatal(err)
	}
	const whole = 3 << 19 // half a megabyte too many
	if err := f.Room(whole); !errors.Is(err, ErrFull) {
		t.Errorf("asked beforehand: %v", err)
	}
	n, err := f.Append(key, 0, io.LimitReader(rand.Reader, whole))
	if !errors.Is(err, ErrFull) || n == 0 || n >= whole {
		t.Fatalf("a full disk: %d, %v", n, err)
	}
	if size, _, err := f.Part(key); size != n || err != nil {
		t.Errorf("what it has: %d, %v", size, err)
	}
	if err := unix.Mount("tmpfs", dir, "tmpfs", unix.MS_REMOUNT, "size=4m"); err != nil {
		t.Fatal(err)
	}
	if _, err := f.Append(key, n, io.LimitReader(rand.Reader, whole-n)); err != nil {
		t.Errorf("with room: %v", err)
	}
	f.Reserve = 1 << 40
	if _, err := f.Append(key, whole, strings.NewReader("x")); !errors.Is(err, ErrFull) {
		t.Errorf("what is left to others: %v", err)
	}
}

// A part that several make whole at the same moment is whole for each of them.
func TestKeptByManyAtOnce(t *testing.T) {
	f := folder(t, t.TempDir())
	for range 200 {
		key := rand.Text()
		if err := f.Begin(key); err != nil {
			t.Fatal(err)
		}
		must[int64](t)(f.Append(key, 0, strings.NewReader("hello")))
		var all sync.WaitGroup
		for range 4 {
			all.Go(func() {
				if err := f.Keep(key); err != nil {
					t.Error(err)
				}
			})
		}
		all.Wait()
		must[*os.File](t)(f.Open(key)).Close()
	}
}
