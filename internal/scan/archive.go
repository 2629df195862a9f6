package scan

import (
	"archive/tar"
	"archive/zip"
	"bufio"
	"errors"
	"io"
	"os"
	"strings"
)

func (x *run) untar(inside string, r io.Reader) error {
	t := tar.NewReader(r)
	for {
		h, err := t.Next()
		if err == io.EOF {
			return nil
		} else if err != nil {
			return x.broken(inside, err)
		}
		if h.Typeflag != tar.TypeReg {
			continue
		}
		if !x.another(inside) {
			return errBound
		}
		if err := x.look(join(inside, h.Name), h.Name, t); err != nil {
			return err
		}
	}
}

// unzip opens a zip. Its list stands at its end, so that one that comes as a stream is first copied to the disk.
func (x *run) unzip(inside string, r io.Reader, b *bufio.Reader) error {
	var at io.ReaderAt
	var size int64
	if src, ok := r.(*source); ok && inside == "" {
		if f, ok := src.file(); ok {
			st, err := f.Stat()
			if err != nil {
				return err
			}
			at, size = f, st.Size()
		}
	}
	if at == nil {
		f, err := os.CreateTemp(x.o.Temp, "roundhouse-scan-")
		if err != nil {
			return err
		}
		defer f.Close()
		if err := os.Remove(f.Name()); err != nil { // it goes with the program, however that ends
			return err
		}
		if size, err = io.Copy(f, x.bounded(b)); err != nil {
			return x.broken(inside, err)
		}
		at = f
	}
	z, err := zip.NewReader(at, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return x.broken(inside, err)
	}
	for _, f := range z.File {
		if strings.HasSuffix(f.Name, "/") {
			continue
		}
		if !x.another(inside) {
			return errBound
		}
		name := join(inside, f.Name)
		if f.Flags&1 != 0 {
			x.say(name, "It is encrypted")
			continue
		}
		r, err := f.Open()
		if errors.Is(err, zip.ErrAlgorithm) {
			x.say(name, "It is compressed in a way that cannot be opened")
			continue
		} else if err != nil {
			if err := x.broken(name, err); err != nil {
				return err
			}
			continue
		}
		err = x.look(name, f.Name, r)
		r.Close()
		if err != nil {
			return err
		}
	}
	return nil
}
