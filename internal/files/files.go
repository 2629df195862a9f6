// Package files keeps the bytes of files in a folder, under keys that the desk's records name.
//
//	folder, err := files.Open(".roundhouse/files")
//	err = folder.Begin(key)
//	n, err := folder.Append(key, 0, body)
//	err = folder.Keep(key)
//
// What is still coming is in parts/; what is whole is in a folder of the first letters of its key. A file is kept only
// once the disk has it.
package files

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"regexp"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// Folder keeps files. It is safe for concurrent use, also by several services on one disk.
type Folder struct {
	root *os.Root
	// Reserve is how much of the disk is left to others; 256 MiB.
	Reserve int64
}

// Errors of a folder, beside those of the disk.
var (
	ErrGone = errors.New("the file is not in the folder for files of this service")
	ErrBusy = errors.New("somebody else is sending this file: wait until that ends, then go on")
	ErrFull = errors.New("the disk of the service has no room for the file: make room, then go on")
)

const parts = "parts"

// Open makes the folder where it is not there, for its owner alone.
func Open(dir string) (*Folder, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the folder for files: %w", err)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, fmt.Errorf("the folder for files: %w", err)
	}
	if err := mkdir(root, parts); err != nil {
		return nil, errors.Join(fmt.Errorf("the folder for files: %w", err), root.Close())
	}
	return &Folder{root: root, Reserve: 256 << 20}, nil
}

// Close lets go of the folder.
func (f *Folder) Close() error { return f.root.Close() }

var keyed = regexp.MustCompile(`^[A-Z2-7]{26}$`) // as rand.Text makes them

func places(key string) (part, dir, whole string, err error) {
	if !keyed.MatchString(key) {
		return "", "", "", ErrGone
	}
	return parts + "/" + key, key[:2], key[:2] + "/" + key, nil
}

// Begin makes an empty part of a file.
func (f *Folder) Begin(key string) error {
	part, _, _, err := places(key)
	if err != nil {
		return err
	}
	file, err := f.root.OpenFile(part, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return full(err)
	}
	return errors.Join(file.Close(), f.settle(parts))
}

// Part says how much of a file has come, and when the last of it did. It is ErrGone where nothing is under way.
func (f *Folder) Part(key string) (size int64, last time.Time, err error) {
	part, _, _, err := places(key)
	if err != nil {
		return 0, last, err
	}
	st, err := f.root.Stat(part)
	if err != nil {
		return 0, last, gone(err)
	}
	return st.Size(), st.ModTime(), nil
}

// Append writes what comes to a part that has as many bytes as offset, and gives how many it wrote, whatever the error.
// ErrBusy: another writes to it; ErrFull: the disk takes no more, and what was written before stays.
func (f *Folder) Append(key string, offset int64, from io.Reader) (n int64, err error) {
	part, _, _, err := places(key)
	if err != nil {
		return 0, err
	}
	file, err := f.root.OpenFile(part, os.O_WRONLY|os.O_APPEND, 0)
	if err != nil {
		return 0, gone(err)
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	if unix.Flock(int(file.Fd()), unix.LOCK_EX|unix.LOCK_NB) != nil {
		return 0, ErrBusy
	}
	st, err := file.Stat()
	if err != nil {
		return 0, err
	}
	if st.Size() != offset {
		return 0, ErrBusy // another went on with it since
	}
	return f.copy(file, from)
}

// piece is how much is written between two looks at the disk's room.
const piece = 64 << 20

func (f *Folder) copy(to io.Writer, from io.Reader) (n int64, err error) {
	buf := make([]byte, 256<<10)
	for {
		if err := f.Room(1); err != nil {
			return n, err
		}
		wrote, err := io.CopyBuffer(struct{ io.Writer }{to}, struct{ io.Reader }{io.LimitReader(from, piece)}, buf)
		n += wrote
		if err != nil || wrote < piece {
			return n, full(err)
		}
	}
}

// Room is ErrFull where the disk has no room for as many bytes.
func (f *Folder) Room(bytes int64) error {
	dir, err := f.root.Open(parts)
	if err != nil {
		return err
	}
	defer dir.Close()
	var st unix.Statfs_t
	if err := unix.Fstatfs(int(dir.Fd()), &st); err != nil {
		return err
	}
	if free := int64(st.Bavail) * st.Bsize; free-f.Reserve < bytes {
		return ErrFull
	}
	return nil
}

// Keep makes a part whole: the disk has it for good once this returns. Keeping it again does nothing.
func (f *Folder) Keep(key string) error {
	part, dir, whole, err := places(key)
	if err != nil {
		return err
	}
	file, err := f.root.OpenFile(part, os.O_WRONLY, 0)
	if errors.Is(err, fs.ErrNotExist) {
		_, err = f.root.Stat(whole)
		return gone(err)
	}
	if err != nil {
		return err
	}
	if err := errors.Join(file.Sync(), file.Close()); err != nil {
		return full(err)
	}
	if err := mkdir(f.root, dir); err != nil {
		return full(err)
	}
	err = f.root.Rename(part, whole)
	if errors.Is(err, fs.ErrNotExist) { // somebody else has made it whole since it was opened
		_, err = f.root.Stat(whole)
	}
	if err != nil {
		return full(err)
	}
	return errors.Join(f.settle(dir), f.settle("."))
}

// Open opens a file that is whole.
func (f *Folder) Open(key string) (*os.File, error) {
	_, _, whole, err := places(key)
	if err != nil {
		return nil, err
	}
	file, err := f.root.Open(whole)
	return file, gone(err)
}

// Drop removes a file, whole or not; one that is not there is dropped already.
func (f *Folder) Drop(key string) error {
	part, _, whole, err := places(key)
	if err != nil {
		return nil
	}
	for _, name := range []string{part, whole} {
		if err := f.root.Remove(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// Orphans are the parts to which nothing has come since an instant.
func (f *Folder) Orphans(since time.Time) (keys []string, err error) {
	dir, err := f.root.Open(parts)
	if err != nil {
		return nil, err
	}
	defer dir.Close()
	list, err := dir.ReadDir(-1)
	for _, e := range list {
		if st, err := e.Info(); err == nil && st.ModTime().Before(since) && keyed.MatchString(e.Name()) {
			keys = append(keys, e.Name())
		}
	}
	return keys, err
}

// settle lets the disk have the names of a folder.
func (f *Folder) settle(name string) error {
	dir, err := f.root.Open(name)
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}

func mkdir(root *os.Root, name string) error {
	if err := root.Mkdir(name, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	return nil
}

func gone(err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return ErrGone
	}
	return err
}

func full(err error) error {
	if errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) {
		return fmt.Errorf("%w (%w)", ErrFull, err)
	}
	return err
}

// Mine takes a file for as long as it is open; false where another has it.
func Mine(file *os.File) bool { return unix.Flock(int(file.Fd()), unix.LOCK_EX|unix.LOCK_NB) == nil }

// Nameless is a file of ours alone that is gone when it is closed.
func (f *Folder) Nameless() (*os.File, error) {
	name := parts + "/" + rand.Text()
	file, err := f.root.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return nil, full(err)
	}
	if err := f.root.Remove(name); err != nil {
		return nil, errors.Join(err, file.Close())
	}
	return file, nil
}
