package exchange

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"sync"
	"syscall"

	"roundhouse.example/internal/server/web"
)

// putBy writes a table to a file that is gone when it is closed, whatever happens.
func putBy(body io.Reader) (file *os.File, size int64, err error) {
	if file, err = nameless(); err != nil {
		return nil, 0, diskProblem(err)
	}
	size, err = io.Copy(file, io.LimitReader(body, web.MaxTable+1))
	var disk *fs.PathError
	switch {
	case errors.As(err, &disk):
		err = diskProblem(err)
	case err != nil:
		err = web.NewProblem(http.StatusBadRequest, "broken-body", "The table ended early",
			"The rest did not arrive. Nothing was changed.")
	case size > web.MaxTable:
		err = web.NewProblem(http.StatusRequestEntityTooLarge, "too-large", "The table is too large",
			fmt.Sprintf("At most %d MiB are allowed; split it.", web.MaxTable>>20))
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
	return web.NewProblem(http.StatusInsufficientStorage, "disk", "The table cannot be stored", "Nothing was changed: "+
		why+
		". The disk of the service needs space.")
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
