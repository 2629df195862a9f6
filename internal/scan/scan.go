// Package scan looks for what must not leave in files of any size, and in the archives within them
// (docs/rules.md, section 6). It holds a few pieces of a file at a time, never the whole.
//
//	found, err := scan.New(scanner).File(ctx, "bundle.zip", file)
package scan

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"

	"roundhouse.example/internal/core/disclosure"
)

// Finding is one in a file.
type Finding struct {
	disclosure.Finding
	// Inside is where in an archive it is, as logs/app.log; empty for what stands in the file itself.
	Inside string
}

// Options bound what one file may cost. Zero values take the defaults.
type Options struct {
	// Bytes is how much is looked at after unpacking; 8 GiB.
	Bytes int64
	// Files is how many files of archives are opened; 100,000.
	Files int
	// Depth is how many archives may be within one another; 5.
	Depth int
	// Findings is how many are kept of one file; 10,000.
	Findings int
	// Temp is the folder for archives within archives while they are read; the system's own.
	Temp string
	// Masked takes the text with a mask in place of what was found, where the file is no archive.
	Masked io.Writer
}

// Scan looks through files. It is safe for concurrent use.
type Scan struct {
	sc *disclosure.Scanner
	o  Options
}

// New makes one that looks for what a scanner finds.
func New(sc *disclosure.Scanner, o Options) *Scan {
	if o.Bytes == 0 {
		o.Bytes = 8 << 30
	}
	if o.Files == 0 {
		o.Files = 100_000
	}
	if o.Depth == 0 {
		o.Depth = 5
	}
	if o.Findings == 0 {
		o.Findings = 10_000
	}
	return &Scan{sc, o}
}

// run is the look through one file.
type run struct {
	*Scan
	ctx    context.Context
	bytes  int64
	files  int
	depth  int
	whole  bool // it is no archive
	failed error
	found  []Finding
}

// errBound ends the look where a file costs more than it may.
var errBound = errors.New("more than is looked through")

// File looks through a file of a name. What cannot be looked into is a finding, as it would leave unread; an error is
// one of reading the file itself, or of the context, or of writing what is masked.
func (s *Scan) File(ctx context.Context, name string, r io.Reader) ([]Finding, error) {
	x := &run{Scan: s, ctx: ctx, whole: true}
	src := &source{r: r}
	err := x.look("", name, src)
	if errors.Is(err, errBound) {
		err = nil
	}
	if src.err != nil {
		err = src.err
	}
	return x.found, errors.Join(err, x.failed, ctx.Err())
}

// source remembers the error of the file itself, which is another thing than a broken archive within it.
type source struct {
	r   io.Reader
	err error
}

func (s *source) Read(p []byte) (int, error) {
	n, err := s.r.Read(p)
	if err != nil && err != io.EOF {
		s.err = err
	}
	return n, err
}

// ReadAt is there where the file has it, so that a zip need not be copied.
func (s *source) file() (*os.File, bool) {
	f, ok := s.r.(*os.File)
	if !ok {
		return nil, false
	}
	st, err := f.Stat()
	return f, err == nil && st.Mode().IsRegular()
}

func (x *run) say(inside, format string, args ...any) {
	x.add(Finding{disclosure.Finding{Kind: disclosure.NotScanned, Excerpt: fmt.Sprintf(format, args...)}, inside})
}

func (x *run) add(f Finding) {
	if len(x.found) < x.o.Findings {
		x.found = append(x.found, f)
	}
}

// look goes through one file, which is what its first bytes say, not its name.
func (x *run) look(inside, name string, r io.Reader) error {
	if err := x.ctx.Err(); err != nil {
		return err
	}
	b := bufio.NewReaderSize(r, 64<<10)
	head, _ := b.Peek(512)
	is := kindOf(head)
	if is != plain && is != picture {
		x.whole = false
	}
	if is.opened() && x.depth >= x.o.Depth {
		x.say(inside, "Archives within archives are opened %d deep, not deeper", x.o.Depth)
		return nil
	}
	x.depth++
	defer func() { x.depth-- }()
	switch is {
	case gzipped:
		return x.gunzip(inside, name, b)
	case tarred:
		return x.untar(inside, b)
	case zipped:
		return x.unzip(inside, r, b)
	case picture:
		return nil
	case packed:
		x.say(inside, "This kind of archive cannot be opened: %s", called(head))
		return nil
	case printed:
		x.say(inside, "The text of a PDF cannot be read")
		return nil
	}
	return x.text(inside, b)
}

// text goes through what is no archive, as the bytes that it is.
func (x *run) text(inside string, r io.Reader) error {
	var masked func([]byte)
	if x.o.Masked != nil && x.whole {
		masked = func(p []byte) {
			if _, err := x.o.Masked.Write(p); err != nil && x.failed == nil {
				x.failed = err
			}
		}
	}
	st := x.sc.Stream(masked)
	_, err := io.Copy(st, x.bounded(r))
	for _, f := range st.Close() {
		x.add(Finding{f, inside})
	}
	for _, k := range disclosure.Kinds {
		if n := st.More(k); n > 0 {
			x.add(Finding{disclosure.Finding{Kind: k, Excerpt: fmt.Sprintf("and %d more of these", n)}, inside})
		}
	}
	return x.broken(inside, err)
}

// bounded counts what is read, and ends it with the context and where it is too much.
func (x *run) bounded(r io.Reader) io.Reader { return &counted{x, r} }

type counted struct {
	x *run
	r io.Reader
}

func (c *counted) Read(p []byte) (int, error) {
	if err := c.x.ctx.Err(); err != nil {
		return 0, err
	}
	if c.x.bytes >= c.x.o.Bytes {
		return 0, errBound
	}
	n, err := c.r.Read(p)
	c.x.bytes += int64(n)
	return n, err
}

// broken says what could not be read to its end; what ends the whole look is given on.
func (x *run) broken(inside string, err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, errBound):
		x.say(inside, "It unpacks to more than %d GB; the rest was not read", x.o.Bytes>>30)
		return err
	case x.ctx.Err() != nil:
		return x.ctx.Err()
	}
	x.say(inside, "It cannot be read to its end: %s", plainly(err))
	return nil
}

// plainly is an error without the name of the part of a program that it comes from.
func plainly(err error) string {
	s := err.Error()
	for _, p := range []string{"gzip: ", "flate: ", "archive/tar: ", "zip: "} {
		s = strings.ReplaceAll(s, p, "")
	}
	return s
}

// another counts a file of an archive; false where there are too many.
func (x *run) another(inside string) bool {
	if x.files++; x.files == x.o.Files+1 {
		x.say(inside, "It has more than %d files; the rest was not read", x.o.Files)
	}
	return x.files <= x.o.Files
}

func (x *run) gunzip(inside, name string, r io.Reader) error {
	z, err := gzip.NewReader(r)
	if err != nil {
		return x.broken(inside, err)
	}
	defer z.Close()
	b := bufio.NewReaderSize(z, 64<<10)
	if head, err := b.Peek(512); err != nil && err != io.EOF && len(head) == 0 {
		return x.broken(inside, err)
	} else if kindOf(head) == tarred {
		x.depth-- // they are one
		defer func() { x.depth++ }()
		return x.look(inside, name, b)
	}
	within := path.Base(strings.TrimSuffix(strings.TrimSuffix(name, ".gz"), ".GZ"))
	if z.Name != "" {
		within = clean(z.Name)
	}
	return x.look(join(inside, within), within, b)
}

// join is a place within a place.
func join(inside, name string) string { return path.Join(inside, clean(name)) }

// clean is a name from an archive as people may see it: with no way out of it, and nothing that a terminal obeys.
func clean(name string) string {
	name = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return '?'
		}
		return r
	}, strings.ToValidUTF8(strings.ReplaceAll(name, "\\", "/"), "?"))
	name = strings.TrimPrefix(path.Clean("/"+name), "/")
	if len(name) > 300 {
		name = strings.ToValidUTF8(name[len(name)-300:], "")
	}
	if name == "" {
		return "file"
	}
	return name
}

// kind is what a file is, by how it begins.
type kind int

const (
	plain kind = iota
	gzipped
	tarred
	zipped
	picture
	packed
	printed
)

func (k kind) opened() bool { return k == gzipped || k == tarred || k == zipped }

// packings are the ways to pack that are known, but not opened, by how they begin.
var packings = []struct{ begins, called string }{
	{"7z\xbc\xaf\x27\x1c", "7z"}, {"Rar!\x1a\x07", "rar"}, {"\xfd7zXZ\x00", "xz"}, {"BZh", "bzip2"},
	{"\x28\xb5\x2f\xfd", "zstd"},
	{"\x04\x22\x4d\x18", "lz4"}, {"LZIP", "lzip"}, {"MSCF", "cab"}, {"!<arch>\n", "ar"}, {"070701", "cpio"},
	{"070707", "cpio"},
	{"\xed\xab\xee\xdb", "rpm"}, {"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "an old office document"}, {"\x1f\x9d", "compress"},
	{"\x1f\xa0", "compress"}, {"\x5d\x00\x00\x80\x00", "lzma"}, {"-----BEGIN PGP MESSAGE-----", "an encrypted message"},
	{"\x89LZO", "lzop"}, {"age-encryption.org/", "an encrypted file"}, {"Salted__", "an encrypted file"},
}

func called(head []byte) string {
	for _, p := range packings {
		if bytes.HasPrefix(head, []byte(p.begins)) {
			return p.called
		}
	}
	return ""
}

func kindOf(head []byte) kind {
	switch {
	case bytes.HasPrefix(head, []byte{0x1f, 0x8b}):
		return gzipped
	case bytes.HasPrefix(head, []byte("PK\x03\x04")), bytes.HasPrefix(head, []byte("PK\x05\x06")):
		return zipped
	case bytes.HasPrefix(head, []byte("%PDF-")):
		return printed
	case called(head) != "":
		return packed
	case isTar(head):
		return tarred
	}
	for _, p := range []string{"\x89PNG\r\n\x1a\n", "\xff\xd8\xff", "GIF87a", "GIF89a", "BM\x00", "II*\x00", "MM\x00*"} {
		if bytes.HasPrefix(head, []byte(p)) {
			return picture
		}
	}
	if len(head) > 12 && (bytes.HasPrefix(head, []byte("RIFF")) && string(head[8:12]) == "WEBP" ||
		string(head[4:8]) == "ftyp") {
		return picture
	}
	return plain
}

// isTar says whether a block is the head of a file of an archive: its sum has to be right, as older ones have no mark.
func isTar(head []byte) bool {
	if len(head) < 512 || head[0] == 0 {
		return false
	}
	var want int64
	if _, err := fmt.Sscanf(strings.Trim(string(head[148:156]), " \x00"), "%o", &want); err != nil {
		return false
	}
	var sum int64
	for i, c := range head[:512] {
		if i >= 148 && i < 156 {
			c = ' '
		}
		sum += int64(c)
	}
	return sum == want
}
