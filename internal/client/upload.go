package client

import (
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/client/clientgen"
)

// Upload is a file to be added to a case, or a paper to be added to the register.
type Upload struct {
	Case, Name, Caption string
	Paper               string // what it belongs to in place of a case, as asset/12 or vendor/tallow
	For                 string // which of the files that the vendor wants it is; empty for none
	Sensitive           bool
	Bytes               int64
	// Progress is told how many bytes have been sent; nil is told nothing.
	Progress func(sent int64)
	// Unfit is told, before any of it is sent, why none of the vendor's channels takes the file.
	Unfit func(why string)
	// Broken is told that the connection broke, before the upload goes on.
	Broken func(error)
}

// tries is how often an upload is taken up again without a byte more being taken, and pause how long it waits then.
const tries = 8

func pause(try int) time.Duration { return min(time.Second<<try/2, 15*time.Second) }

// Send uploads a file by the open tus protocol and gives its number within the case. Where the connection breaks, it
// goes on from what has arrived. A caller who gives up, by ctx, leaves nothing there.
func (c *Client) Send(ctx context.Context, u Upload, from io.ReaderAt) (number int, err error) {
	meta := []string{"case " + encoded(u.Case), "filename " + encoded(u.Name)}
	if u.Paper != "" {
		meta[0] = "paper " + encoded(u.Paper)
	}
	if u.Caption != "" {
		meta = append(meta, "caption "+encoded(u.Caption))
	}
	if u.For != "" {
		meta = append(meta, "for "+encoded(u.For))
	}
	if u.Sensitive {
		meta = append(meta, "sensitive "+encoded("true"))
	}
	res, err := c.tus(ctx, http.MethodPost, strings.TrimRight(c.Server, "/")+"/uploads", nil, http.Header{
		"Upload-Length": {strconv.FormatInt(u.Bytes, 10)}, "Upload-Metadata": {strings.Join(meta, ",")}})
	if err != nil {
		return 0, err
	}
	res.Body.Close()
	if why, _ := new(mime.WordDecoder).DecodeHeader(res.Header.Get("Roundhouse-Unfit")); why != "" && u.Unfit != nil {
		u.Unfit(why)
	}
	at, err := res.Request.URL.Parse(res.Header.Get("Location"))
	if err != nil {
		return 0, err
	}
	number, err = c.pieces(ctx, u, at, from)
	if err != nil && ctx.Err() != nil {
		within, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if res, gone := c.tus(within, http.MethodDelete, at.String(), nil, nil); gone == nil {
			res.Body.Close()
		}
	}
	return number, err
}

func encoded(s string) string { return base64.StdEncoding.EncodeToString([]byte(s)) }

// pieces sends what the service does not have yet, until it has all.
func (c *Client) pieces(ctx context.Context, u Upload, at *url.URL, from io.ReaderAt) (number int, err error) {
	var have int64
	for try := 0; ; {
		took, number, err := c.piece(ctx, u, at, from, have)
		if err == nil && number > 0 {
			return number, nil
		}
		if err != nil && (ctx.Err() != nil || final(err)) {
			return 0, errors.Join(ctx.Err(), err)
		}
		if err != nil && u.Broken != nil {
			u.Broken(err)
		}
		if took > 0 {
			try = 0
		}
		if try++; try > tries {
			return 0, fmt.Errorf("the upload stopped at %d of %d bytes: %w", have, u.Bytes, errors.Join(err, errNotTaken))
		}
		select {
		case <-ctx.Done():
			return 0, ctx.Err()
		case <-time.After(pause(try)):
		}
		if now, number, err := c.arrived(ctx, at); err == nil {
			if number > 0 {
				return number, nil // only the answer that said so was lost
			}
			if now > have {
				try = 0
			}
			have = now
		} else if final(err) {
			return 0, err
		}
	}
}

var errNotTaken = errors.New("the service does not take it")

// final says whether an error stays, however often one tries: the service answered, and not that it is busy.
func final(err error) bool {
	p, ok := IsProblem(err)
	return ok && p.Status < 500 && p.Status != http.StatusConflict && p.Status != http.StatusLocked &&
		p.Status != http.StatusTooManyRequests || ok && p.Status == http.StatusInsufficientStorage
}

// piece sends all that is left, and says how much of that was taken.
func (c *Client) piece(ctx context.Context, u Upload, at *url.URL, from io.ReaderAt, have int64) (took int64,
	number int, err error) {
	body := &sending{Reader: io.NewSectionReader(from, have, u.Bytes-have), had: have, told: u.Progress}
	res, err := c.tus(ctx, http.MethodPatch, at.String(), body, http.Header{
		"Upload-Offset": {strconv.FormatInt(have, 10)}, "Content-Type": {"application/offset+octet-stream"},
		"Content-Length": {strconv.FormatInt(u.Bytes-have, 10)}})
	if err != nil {
		return 0, 0, err
	}
	res.Body.Close()
	now, _ := strconv.ParseInt(res.Header.Get("Upload-Offset"), 10, 64)
	number, _ = strconv.Atoi(res.Header.Get("Roundhouse-File"))
	return now - have, number, nil
}

// arrived asks how much has arrived, and once that is all of it, for the file's number.
func (c *Client) arrived(ctx context.Context, at *url.URL) (have int64, number int, err error) {
	res, err := c.tus(ctx, http.MethodHead, at.String(), nil, nil)
	if err != nil {
		return 0, 0, err
	}
	res.Body.Close()
	for pair := range strings.SplitSeq(res.Header.Get("Upload-Metadata"), ",") {
		if name, value, _ := strings.Cut(pair, " "); name == "file" {
			raw, _ := base64.StdEncoding.DecodeString(value)
			number, _ = strconv.Atoi(string(raw))
		}
	}
	have, err = strconv.ParseInt(res.Header.Get("Upload-Offset"), 10, 64)
	return have, number, err
}

// tus makes one request of the protocol; an answer other than 2xx is an error.
func (c *Client) tus(ctx context.Context, method, at string, body io.Reader, header http.Header) (*http.Response,
	error) {
	r, err := http.NewRequestWithContext(ctx, method, at, body)
	if err != nil {
		return nil, err
	}
	for k, v := range header {
		r.Header[k] = v
	}
	if n := header.Get("Content-Length"); n != "" {
		r.ContentLength, _ = strconv.ParseInt(n, 10, 64)
		r.Header.Del("Content-Length")
	}
	r.Header.Set("Tus-Resumable", "1.0.0")
	res, err := c.signed(r, http.DefaultTransport.RoundTrip)
	if err == nil && method == http.MethodHead && res.StatusCode >= 300 { // it has no body
		res.Body.Close()
		return nil, &Problem{clientgen.Problem{Status: res.StatusCode, Title: "The upload is no longer there"}}
	}
	return fine(res, err)
}

// sending tells how far it has come.
type sending struct {
	io.Reader
	had, sent int64
	told      func(int64)
}

// Read counts what is sent.
func (s *sending) Read(p []byte) (int, error) {
	n, err := s.Reader.Read(p)
	if s.sent += int64(n); s.told != nil {
		s.told(s.had + s.sent)
	}
	return n, err
}
