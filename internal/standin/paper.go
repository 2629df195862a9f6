package standin

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"time"
)

// Paper is a file that a caller sent for a job. A house keeps what it is, not what is in it.
type Paper struct {
	Name   string    `json:"name"`
	Bytes  int64     `json:"bytes"`
	SHA256 string    `json:"sha256"`
	Words  string    `json:"words"`
	At     time.Time `json:"at"`
}

// mostPaper is the size of the largest file that a house takes, in bytes.
const mostPaper = 200 << 20

// read takes what a caller sends: words as JSON, or a form with a file.
func read(w http.ResponseWriter, r *http.Request) (req request, err error) {
	if !strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/form-data") {
		return req, json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<20)).Decode(&req)
	}
	r.Body = http.MaxBytesReader(w, r.Body, mostPaper)
	form, err := r.MultipartReader()
	if err != nil {
		return req, err
	}
	for {
		part, err := form.NextPart()
		if err == io.EOF {
			return req, nil
		} else if err != nil {
			return req, err
		}
		if err := req.take(part); err != nil {
			return req, err
		}
	}
}

func (req *request) take(part *multipart.Part) error {
	if part.FormName() == "paper" {
		hash := sha256.New()
		n, err := io.Copy(hash, part)
		req.paper = &Paper{Name: part.FileName(), Bytes: n, SHA256: hex.EncodeToString(hash.Sum(nil))}
		return err
	}
	raw, err := io.ReadAll(io.LimitReader(part, 64<<10))
	switch part.FormName() {
	case "words":
		req.Words = string(raw)
	case "caller":
		req.Caller = string(raw)
	default:
		return errors.New("no such field: " + part.FormName())
	}
	return err
}

func (s *Standin) paper(h House, no string, r request) result {
	return s.on(h, no, r, "paper", func(j *Job) string {
		if r.paper == nil || r.paper.Name == "" {
			return "a paper needs a file with a name"
		}
		r.paper.Words, r.paper.At = r.Words, s.now().UTC()
		j.Papers = append(j.Papers, *r.paper)
		return ""
	})
}

func (s *Standin) papers(w http.ResponseWriter, r *http.Request) {
	key, no := r.PathValue("house"), r.PathValue("no")
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.houses[key] == nil || s.job(key, no) == nil {
		problem(w, http.StatusNotFound, "no such job")
		return
	}
	var list []Paper
	for _, p := range s.job(key, no).Papers {
		if s.visible(key, p.At) {
			list = append(list, p)
		}
	}
	part, pages := page(r, list)
	answer(w, http.StatusOK, map[string]any{"papers": part, "pages": pages})
}
