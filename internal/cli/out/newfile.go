package out

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
)

// NewFile makes a file that is not there yet: no command overwrites one.
func NewFile(name string, mode fs.FileMode) (*os.File, error) {
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode)
	if errors.Is(err, fs.ErrExist) {
		err = fmt.Errorf("%s exists already: give another name", name)
	}
	return f, err
}

// WriteNew writes such a file, and leaves none where that fails.
func WriteNew(name string, mode fs.FileMode, write func(io.Writer) error) error {
	f, err := NewFile(name, mode)
	if err != nil {
		return err
	}
	if err = errors.Join(write(f), f.Close()); err != nil {
		return errors.Join(err, os.Remove(name))
	}
	return nil
}
