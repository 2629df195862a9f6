package e2e

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"roundhouse.example/internal/server/apigen"
)

// noise is content that no packing makes smaller.
func noise(n int) []byte {
	b := make([]byte, n)
	r := rand.NewChaCha8([32]byte{7})
	_, _ = r.Read(b)
	return b
}

// cutting lets a service be reached at another address, where the first upload's connection breaks after as many bytes.
func cutting(t *testing.T, to string, after int64) (address string, cut *atomic.Int64) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	cut = &atomic.Int64{}
	var left atomic.Int64
	left.Store(after)
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			out, err := net.Dial("tcp", to)
			if err != nil {
				in.Close()
				continue
			}
			go func() {
				defer in.Close()
				_, _ = io.Copy(in, out)
			}()
			go func() {
				defer out.Close()
				defer in.Close()
				buf := make([]byte, 32<<10)
				for {
					n, err := in.Read(buf)
					if err != nil {
						return
					}
					if now := left.Add(-int64(n)); now < 0 && now+int64(n) >= 0 {
						cut.Add(1)
						return
					}
					if _, err := out.Write(buf[:n]); err != nil {
						return
					}
				}
			}()
		}
	}()
	return l.Addr().String(), cut
}

// fetched is the content of a file of a case.
func (c *caller) fetched(name string, number int) []byte {
	c.w.t.Helper()
	a := c.must(200, "GET", fmt.Sprintf("/cases/%s/files/%d/content", name, number), nil)
	return a.body
}

func (c *caller) file(name string, number int) (f apigen.File) {
	c.w.t.Helper()
	c.must(200, "GET", fmt.Sprintf("/cases/%s/files/%d", name, number), nil).into(c.w.t, &f)
	return f
}

// looked is a file once it was looked through, which a job does after it has come.
func (c *caller) looked(name string, number int) (f apigen.File) {
	c.w.t.Helper()
	c.w.until("the file is looked through", func() bool { f = c.file(name, number); return f.Type != nil })
	return f
}

// An upload by a client of the open protocol that is not ours, unmodified, breaks off at nine tenths and goes on.
func TestAForeignClientUploads(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Which colour code?")
	content := noise(3 << 20)
	path := filepath.Join(t.TempDir(), "bundle.bin")
	if err := os.WriteFile(path, content, 0o600); err != nil {
		t.Fatal(err)
	}
	address, cut := cutting(t, strings.TrimPrefix(w.url, "http://"), 9*(3<<20)/10)
	modules, err := filepath.Abs("../console/node_modules")
	if err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("node", "testdata/upload.mjs", modules, "http://"+address+"/api/v1/uploads",
		w.people[0].Token, name, path).Output()
	var said struct {
		URL   string
		Broke int
	}
	// It may come back before the service has seen that the connection broke, and is told to wait.
	if err != nil || json.Unmarshal(out, &said) != nil || said.Broke < 1 || cut.Load() != 1 {
		t.Fatalf("%v: %s; cut %d times", err, out, cut.Load())
	}
	f := ragna.file(name, 1)
	sum := sha256.Sum256(content)
	if f.Name != "bundle.bin" || f.Bytes != int64(len(content)) || f.Sha256 == nil ||
		*f.Sha256 != hex.EncodeToString(sum[:]) || !bytes.Equal(ragna.fetched(name, 1), content) {
		t.Errorf("it arrived as %+v", f)
	}
	if e := ragna.entries(name); e[len(e)-1].Kind != "file" || e[len(e)-1].File == nil || *e[len(e)-1].File != 1 {
		t.Errorf("its entry: %+v", e[len(e)-1])
	}
}

// begun makes an upload, and gives where its pieces go.
func (c *caller) begun(status, size int, meta map[string]string) (string, answer) {
	c.w.t.Helper()
	var pairs []string
	for k, v := range meta {
		pairs = append(pairs, k+" "+base64.StdEncoding.EncodeToString([]byte(v)))
	}
	a := c.must(status, "POST", "/uploads", nil, "Tus-Resumable", "1.0.0", "Upload-Length", strconv.Itoa(size),
		"Upload-Metadata", strings.Join(pairs, ","))
	at := a.header.Get("Location")
	return strings.TrimPrefix(at, c.w.url+"/api/v1"), a
}

func (c *caller) piece(status int, at string, offset int, content []byte) answer {
	c.w.t.Helper()
	a := c.raw("PATCH", at, "application/offset+octet-stream", bytes.NewReader(content), "Tus-Resumable", "1.0.0",
		"Upload-Offset", strconv.Itoa(offset))
	if a.status != status {
		c.w.t.Fatalf("PATCH %s at %d: %d, want %d: %s", at, offset, a.status, status, a.body)
	}
	return a
}

// What comes is written as it comes, and never gathered in memory first: half a body is on the disk before the rest of
// it is there.
func TestAnUploadIsWrittenAsItComes(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	at, _ := ragna.begun(201, 2<<20, map[string]string{"case": ragna.draft("corvane", "Which colour code?"),
		"filename": "a.bin"})
	body, rest := io.Pipe()
	r, err := http.NewRequest("PATCH", w.url+"/api/v1"+at, body)
	if err != nil {
		t.Fatal(err)
	}
	for k, v := range map[string]string{"Authorization": "Bearer " + w.people[0].Token, "Tus-Resumable": "1.0.0",
		"Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"} {
		r.Header.Set(k, v)
	}
	done := make(chan error, 1)
	go func() {
		res, err := http.DefaultClient.Do(r)
		if err == nil {
			res.Body.Close()
			if res.StatusCode != 204 {
				err = fmt.Errorf("answered %d", res.StatusCode)
			}
		}
		done <- err
	}()
	_, _ = rest.Write(noise(1 << 20))
	w.until("half of it is on the disk", func() bool {
		st, err := os.Stat(filepath.Join(w.filesAt(), "parts", filepath.Base(at)))
		return err == nil && st.Size() == 1<<20
	})
	_, _ = rest.Write(noise(1 << 20))
	rest.Close()
	if err := <-done; err != nil {
		t.Error(err)
	}
}

// The same file is sent twice at once, as two uploads and as one upload from two places: each upload is one file of the
// case, whole, and no byte of it stands twice.
func TestTwoUploadsAtOnce(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Which colour code?")
	content := noise(2 << 20)
	meta := map[string]string{"case": name, "filename": "a.bin"}
	first, _ := ragna.begun(201, len(content), meta)
	second, _ := ragna.begun(201, len(content), meta)
	var all sync.WaitGroup
	for _, at := range []string{first, second, second} {
		all.Go(func() { // whoever comes to a place that is taken by then asks again, as clients do
			for {
				have, err := strconv.Atoi(ragna.do("HEAD", at, nil).header.Get("Upload-Offset"))
				if err != nil || have == len(content) {
					return
				}
				ragna.raw("PATCH", at, "application/offset+octet-stream", bytes.NewReader(content[have:]), "Tus-Resumable",
					"1.0.0", "Upload-Offset", strconv.Itoa(have))
			}
		})
	}
	all.Wait()
	var list apigen.Files
	ragna.must(200, "GET", "/cases/"+name+"/files", nil).into(t, &list)
	if len(list.Items) != 2 {
		t.Fatalf("there are %d files", len(list.Items))
	}
	for _, f := range list.Items {
		if !bytes.Equal(ragna.fetched(name, f.Number), content) {
			t.Errorf("file %d is not what was sent", f.Number)
		}
	}
}

// Who may, what may come, and who sees what came.
func TestFilesAndWhoSeesThem(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, arne := w.as(0), w.as(1)
	auditor := w.as(3)
	name := ragna.draft("corvane", "Which colour code?")
	meta := func(more ...string) map[string]string {
		m := map[string]string{"case": name, "filename": "a.log"}
		for i := 0; i < len(more); i += 2 {
			m[more[i]] = more[i+1]
		}
		return m
	}
	auditor.begun(403, 5, meta())
	ragna.begun(404, 5, meta("case", "C-9999"))
	for _, bad := range []struct {
		size int
		meta map[string]string
		says string
	}{{0, meta(), "the file is empty"}, {5, meta("filename", "../.."), "give the file a name"},
		{5, meta("caption", strings.Repeat("x", 1001)), "at most 1000 characters"}} {
		if _, a := ragna.begun(422, bad.size, bad.meta); !contains(string(a.body), bad.says) {
			t.Errorf("%v: %s", bad.meta, a.body)
		}
	}
	ragna.begun(413, 2<<30+1, meta())

	// Only who sends it goes on with it; what is not where it ended is refused, and nobody sees it before it is whole.
	at, _ := ragna.begun(201, 10, meta("filename", `..\..\logs/a.log`, "caption", "The log"))
	ragna.piece(204, at, 0, []byte("01234"))
	ragna.piece(409, at, 3, []byte("34"))
	arne.piece(404, at, 5, []byte("56789"))
	if a := ragna.piece(413, at, 5, []byte("5678901")); a.header.Get("Roundhouse-File") != "" {
		t.Error("more than its size was taken")
	}
	var list apigen.Files
	ragna.must(200, "GET", "/cases/"+name+"/files", nil).into(t, &list)
	if len(list.Items) != 0 {
		t.Errorf("half a file is listed: %+v", list)
	}
	if a := ragna.piece(204, at, 5, []byte("56789")); a.header.Get("Roundhouse-File") != "1" {
		t.Errorf("its number: %v", a.header)
	}
	if f := ragna.file(name, 1); f.Name != "a.log" || f.Caption != "The log" ||
		string(ragna.fetched(name, 1)) != "0123456789" {
		t.Errorf("the file: %+v", f)
	}
	// A sensitive one is seen by who is on the case.
	at, _ = ragna.begun(201, 4, meta("filename", "payroll.csv", "sensitive", "true"))
	ragna.piece(204, at, 0, []byte("1;2\n"))
	for _, other := range []*caller{arne, auditor} {
		other.must(200, "GET", "/cases/"+name+"/files", nil).into(t, &list)
		if len(list.Items) != 1 || list.Hidden != 1 {
			t.Errorf("others see %+v", list)
		}
		other.must(404, "GET", "/cases/"+name+"/files/2", nil)
		other.must(404, "GET", "/cases/"+name+"/files/2/content", nil)
	}
	if n := arne.said(name, "payroll"); n != 0 {
		t.Error("the record tells its name")
	}
	arne.must(404, "PATCH", "/cases/"+name+"/files/2", m{"sensitive": false})
	ragna.patched(200, "/cases/"+name+"/files/2", m{"sensitive": false, "caption": "Two numbers"})
	if arne.file(name, 2).Caption != "Two numbers" || ragna.said(name, "File 2 is no longer sensitive") != 1 {
		t.Error("who sees it was not changed")
	}
	auditor.must(403, "PATCH", "/cases/"+name+"/files/1", m{"caption": "x"})
	auditor.must(403, "POST", "/cases/"+name+"/files/1/masked", nil)

	// What breaks off is cancelled, and then gone.
	at, _ = ragna.begun(201, 10, meta())
	ragna.piece(204, at, 0, []byte("012"))
	arne.must(404, "DELETE", at, nil, "Tus-Resumable", "1.0.0")
	ragna.must(204, "DELETE", at, nil, "Tus-Resumable", "1.0.0")
	ragna.must(404, "HEAD", at, nil)
	if left, _ := filepath.Glob(filepath.Join(w.filesAt(), "parts", "*")); len(left) != 0 {
		t.Errorf("left behind: %v", left)
	}
}

// The service is killed at nine tenths of an upload, and between keeping the file and recording it: the upload goes on,
// or is finished without its sender.
func TestUploadsOutliveTheService(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.draft("corvane", "Which colour code?")
	s := &served{t: t, db: w.db, listen: freeAddress(t), token: w.people[0].Token, files: w.filesAt()}
	content := noise(1 << 20)
	send := func(method, at string, offset int, body []byte, header ...string) (*http.Response, error) {
		r, _ := http.NewRequest(method, at, bytes.NewReader(body))
		r.Header.Set("Authorization", "Bearer "+s.token)
		r.Header.Set("Tus-Resumable", "1.0.0")
		r.Header.Set("Upload-Offset", strconv.Itoa(offset))
		r.Header.Set("Content-Type", "application/offset+octet-stream")
		for i := 0; i < len(header); i += 2 {
			r.Header.Set(header[i], header[i+1])
		}
		res, err := http.DefaultClient.Do(r)
		if err == nil {
			res.Body.Close()
		}
		return res, err
	}
	begin := func(file string) string {
		s.ask("GET", "/me", "", "", nil, nil) // it answers
		res, err := send("POST", "http://"+s.listen+"/api/v1/uploads", 0, nil, "Content-Type", "", "Upload-Length",
			strconv.Itoa(len(content)), "Upload-Metadata", "case "+base64.StdEncoding.EncodeToString([]byte(name))+",filename "+
				base64.StdEncoding.EncodeToString([]byte(file)))
		if err != nil || res.StatusCode != 201 {
			t.Fatalf("beginning: %v, %v", res, err)
		}
		return res.Header.Get("Location")
	}
	s.start("")
	defer s.kill()
	at := begin("first.bin")
	most := len(content) * 9 / 10
	if res, err := send("PATCH", at, 0, content[:most]); err != nil || res.StatusCode != 204 {
		t.Fatalf("nine tenths: %v, %v", res, err)
	}
	s.kill()
	s.start("file.kept")
	s.ask("GET", "/me", "", "", nil, nil)
	res, err := send("HEAD", at, 0, nil)
	if err != nil || res.Header.Get("Upload-Offset") != strconv.Itoa(most) {
		t.Fatalf("after a kill: %v, %v", res, err)
	}
	if res, err := send("PATCH", at, most, content[most:]); err == nil {
		t.Errorf("the service was not killed: %v", res)
	}
	<-s.ended
	s.start("")
	s.ask("GET", "/me", "", "", nil, nil)
	if res, err := send("HEAD", at, 0, nil); err != nil || res.Header.Get("Upload-Offset") != strconv.Itoa(len(content)) {
		t.Fatalf("asked again: %v, %v", res, err)
	}
	var f apigen.File
	if code, _ := s.ask("GET", "/cases/"+name+"/files/1", "", "", nil, &f); code != 200 || f.Bytes != int64(len(content)) {
		t.Errorf("the file: %d %+v", code, f)
	}
	if n := ragna.said(name, "File 1: first.bin"); n != 1 {
		t.Errorf("it is in the record %d times", n)
	}
}
