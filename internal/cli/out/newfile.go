package out

import (
	"errors"
	"fmt"
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
