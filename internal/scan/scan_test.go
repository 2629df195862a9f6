package scan

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"testing/iotest"
	"unicode/utf16"

	"roundhouse.example/internal/core/disclosure"
)

const secret = "db.password=Harbour-2231"

func scanner(t testing.TB, o Options) *Scan {
	t.Helper()
	sc, err := disclosure.NewScanner(disclosure.Config{})
	if err != nil {
		t.Fatal(err)
	}
	return New(sc, o)
}

func zipOf(t testing.TB, files ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(files); i += 2 {
		w, err := z.Create(files[i])
		if err == nil {
			_, err = io.WriteString(w, files[i+1])
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func tarOf(t testing.TB, files ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for i := 0; i < len(files); i += 2 {
		err := w.WriteHeader(&tar.Header{Name: files[i], Mode: 0o600, Size: int64(len(files[i+1])), Typeflag: tar.TypeReg})
		if err == nil {
			_, err = io.WriteString(w, files[i+1])
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func gzipOf(t testing.TB, text []byte) []byte {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if _, err := w.Write(text); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A secret is found wherever it is packed, and what cannot be looked into is said.
func TestWhatIsWithin(t *testing.T) {
	wide := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune("first\r\n" + secret)) {
		wide = append(wide, byte(u), byte(u>>8))
	}
	encrypted := zipOf(t, "log", secret)
	for _, sign := range []string{"PK\x03\x04", "PK\x01\x02"} {
		i := bytes.Index(encrypted, []byte(sign))
		encrypted[i+map[string]int{"PK\x03\x04": 6, "PK\x01\x02": 8}[sign]] |= 1
	}
	deep := []byte(secret)
	for range 7 {
		deep = zipOf(t, "in.zip", string(deep))
	}
	log := gzipOf(t, []byte(secret))
	const found = "password"
	for name, x := range map[string]struct {
		file   []byte
		inside string
		want   string // a kind, or a part of what is said
	}{
		"app.log":    {[]byte(secret), "", found},
		"wide.txt":   {wide, "", found},
		"app.log.gz": {log, "app.log", found},
		"logs.tar":   {tarOf(t, "var/log/app.log", secret), "var/log/app.log", found},
		"logs.tgz":   {gzipOf(t, tarOf(t, "app.log", secret)), "app.log", found},
		"logs.zip":   {zipOf(t, "a/app.log", secret), "a/app.log", found},
		"nested.zip": {zipOf(t, "in/logs.tar", string(tarOf(t, "app.log.gz", string(log)))),
			"in/logs.tar/app.log.gz/app.log", found},
		"lies.png":       {zipOf(t, "app.log", secret), "app.log", found},
		"program.bin":    {[]byte("\x7fELF\x00\x01\x02" + secret + "\x00\x00"), "", found},
		"out.zip":        {zipOf(t, "../../etc/app.log", secret), "etc/app.log", found},
		"windows.zip":    {zipOf(t, `C:\logs\app.log`, secret), "C:/logs/app.log", found},
		"orders.zip":     {zipOf(t, "a\x1b[2Jb", secret), "a?[2Jb", found},
		"encrypted.zip":  {encrypted, "log", "It is encrypted"},
		"deep.zip":       {deep, "in.zip/in.zip/in.zip/in.zip/in.zip", "5 deep"},
		"cut.gz":         {log[:len(log)-6], "cut", "cannot be read to its end"},
		"cut.zip":        {zipOf(t, "log", secret)[:40], "", "cannot be read to its end"},
		"cut.tar":        {tarOf(t, "log", strings.Repeat("x", 5000))[:2000], "log", "cannot be read to its end"},
		"packed.7z":      {[]byte("7z\xbc\xaf\x27\x1c rest"), "", "cannot be opened: 7z"},
		"in.zip":         {zipOf(t, "old.rar", "Rar!\x1a\x07\x01 rest"), "old.rar", "cannot be opened: rar"},
		"paper.pdf":      {[]byte("%PDF-1.7 rest"), "", "PDF"},
		"picture.png":    {[]byte("\x89PNG\r\n\x1a\nrest"), "", ""},
		"empty":          {nil, "", ""},
		"empty.zip":      {zipOf(t), "", ""},
		"empty.gz":       {gzipOf(t, nil), "", ""},
		"not-a-zip.zip":  {[]byte("PK\x03\x04" + strings.Repeat("no", 300)), "", "cannot be read to its end"},
		"not-a-gzip.gz":  {[]byte("\x1f\x8b no"), "", "cannot be read to its end"},
		"beginning.docx": {zipOf(t, "word/document.xml", "<w:t>Password: Fog9Horn</w:t>"), "word/document.xml", found},
	} {
		for _, r := range []io.Reader{bytes.NewReader(x.file), iotest.OneByteReader(bytes.NewReader(x.file)),
			iotest.DataErrReader(bytes.NewReader(x.file)), onDisk(t, x.file)} {
			list, err := scanner(t, Options{Temp: t.TempDir()}).File(t.Context(), name, r)
			if err != nil {
				t.Errorf("%s: %v", name, err)
			}
			if said := slices.ContainsFunc(list, func(f Finding) bool {
				return f.Inside == x.inside && (string(f.Kind) == x.want || strings.Contains(f.Excerpt, x.want))
			}); x.want == "" && len(list) != 0 || x.want != "" && !said {
				t.Errorf("%s: found %+v, want %q in %q", name, list, x.want, x.inside)
			}
		}
	}
}

func onDisk(t testing.TB, content []byte) *os.File {
	t.Helper()
	name := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(name, content, 0o600); err != nil {
		t.Fatal(err)
	}
	f, err := os.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f
}

// A file that unpacks without end costs no more than it may, in bytes, files and memory, and leaves nothing on the
// disk.
func TestBombs(t *testing.T) {
	zeros := make([]byte, 64<<20)
	many := make([]string, 0, 600)
	for i := range 300 {
		many = append(many, fmt.Sprintf("file-%d", i), "x")
	}
	temp := t.TempDir()
	for name, x := range map[string]struct {
		file []byte
		want string
	}{
		"bomb.gz":   {gzipOf(t, zeros), "unpacks to more than"},
		"bomb.zip":  {zipOf(t, "a", string(zeros), "b", secret), "unpacks to more than"},
		"twice.zip": {zipOf(t, "in.zip", string(zipOf(t, "a", string(zeros)))), "unpacks to more than"},
		"many.zip":  {zipOf(t, many...), "more than 100 files"},
		"many.tar":  {tarOf(t, many...), "more than 100 files"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		s := scanner(t, Options{Bytes: 1 << 20, Files: 100, Temp: temp})
		list, err := s.File(t.Context(), name, bytes.NewReader(x.file))
		runtime.ReadMemStats(&after)
		if err != nil || len(list) != 1 || !strings.Contains(list[0].Excerpt, x.want) {
			t.Errorf("%s: %+v, %v", name, list, err)
		}
		if took := after.TotalAlloc - before.TotalAlloc; took > 16<<20 {
			t.Errorf("%s took %d MB", name, took>>20)
		}
	}
	if left, _ := os.ReadDir(temp); len(left) > 0 {
		t.Errorf("left on the disk: %v", left)
	}
}

// What is wrong with the file itself, or with where the masked copy goes, is an error, not a finding.
func TestErrors(t *testing.T) {
	broken := errors.New("the disk is gone")
	s := scanner(t, Options{})
	if _, err := s.File(t.Context(), "log", io.MultiReader(strings.NewReader("first\n"),
		iotest.ErrReader(broken))); !errors.Is(err, broken) {
		t.Errorf("a file that breaks off: %v", err)
	}
	if _, err := s.File(t.Context(), "log.gz", io.MultiReader(bytes.NewReader(gzipOf(t, []byte(secret))[:12]),
		iotest.ErrReader(broken))); !errors.Is(err, broken) {
		t.Errorf("an archive that breaks off: %v", err)
	}
	if _, err := scanner(t, Options{Masked: full{}}).File(t.Context(), "log",
		strings.NewReader(secret)); !errors.Is(err, errFull) {
		t.Errorf("a disk that is full: %v", err)
	}
	ctx, stop := context.WithCancel(t.Context())
	stop()
	if _, err := s.File(ctx, "log", strings.NewReader(secret)); !errors.Is(err, context.Canceled) {
		t.Errorf("after it was ended: %v", err)
	}
}

var errFull = errors.New("no space left on the device")

type full struct{}

func (full) Write([]byte) (int, error) { return 0, errFull }

// The masked copy of a text is the text but for what was found; of an archive there is none.
func TestMaskedCopy(t *testing.T) {
	for in, want := range map[string]string{
		"one\r\n" + secret + "\r\ntwo": "one\r\ndb.password=" + disclosure.Mask + "\r\ntwo",
		"nothing":                      "nothing",
		string(zipOf(t, "a", secret)):  "",
	} {
		var out bytes.Buffer
		_, err := scanner(t, Options{Masked: &out}).File(t.Context(), "f", strings.NewReader(in))
		if err != nil || out.String() != want {
			t.Errorf("%q, want %q (%v)", out.String(), want, err)
		}
	}
}

// FuzzFile: no file makes it fall, or cost more than it may.
func FuzzFile(f *testing.F) {
	f.Add(zipOf(f, "a", secret, "b/c", "x"))
	f.Add(gzipOf(f, tarOf(f, "a", secret)))
	f.Add([]byte(secret))
	sc, err := disclosure.NewScanner(disclosure.Config{})
	if err != nil {
		f.Fatal(err)
	}
	s := New(sc, Options{Bytes: 1 << 20, Files: 50, Findings: 60, Temp: f.TempDir()})
	f.Fuzz(func(t *testing.T, file []byte) {
		list, err := s.File(t.Context(), "file", bytes.NewReader(file))
		if err != nil || len(list) > 60 {
			t.Errorf("%d found, %v", len(list), err)
		}
	})
}
