// Package client is the API's client: the generated one, wrapped once so that
// an answer other than 2xx is an error, requests have time-outs, and reads and
// keyed writes are tried again when the service was not reached.
package client

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"roundhouse.example/internal/client/clientgen"
)

// Client talks to one service.
type Client struct {
	*clientgen.Client
	URL string
}

// Problem is a problem document that the service answered.
type Problem struct{ clientgen.Problem }

func (p *Problem) Error() string {
	if p.Detail != nil && *p.Detail != "" {
		return p.Title + ": " + *p.Detail
	}
	return p.Title
}

// Kind is the last part of the problem's type.
func (p *Problem) Kind() string { return p.Type[strings.LastIndex(p.Type, "/")+1:] }

// Unreachable is returned where no answer came at all.
type Unreachable struct {
	URL string
	Err error
}

func (e *Unreachable) Error() string {
	return fmt.Sprintf("the service at %s cannot be reached: %v", e.URL, e.Err)
}

// Unwrap is the cause.
func (e *Unreachable) Unwrap() error { return e.Err }

// New makes a client of a service at an address, such as http://127.0.0.1:8080.
// The token may be empty for sign-in.
func New(url, token string) (*Client, error) {
	url = strings.TrimRight(url, "/")
	if !strings.HasPrefix(url, "http://") && !strings.HasPrefix(url, "https://") {
		return nil, fmt.Errorf("%q is not an address like http://127.0.0.1:8080", url)
	}
	hc := &http.Client{Timeout: 30 * time.Second, Transport: newRetrying()}
	c, err := clientgen.NewClient(url+"/api/v1", clientgen.WithHTTPClient(hc),
		clientgen.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
			if token != "" {
				r.Header.Set("Authorization", "Bearer "+token)
			}
			return nil
		}))
	return &Client{c, url}, err
}

// Key makes an Idempotency-Key.
func Key() *string {
	k := rand.Text()
	return &k
}

// retrying repeats what cannot do harm twice: reads, and posts that name a key.
type retrying struct{ once, again http.RoundTripper }

func newRetrying() retrying {
	c := retryablehttp.NewClient()
	c.Logger, c.RetryMax, c.RetryWaitMin, c.RetryWaitMax = nil, 2, 200*time.Millisecond, 400*time.Millisecond
	c.HTTPClient = &http.Client{Transport: http.DefaultTransport}
	c.Backoff = retryablehttp.LinearJitterBackoff
	c.ErrorHandler = retryablehttp.PassthroughErrorHandler
	c.CheckRetry = func(_ context.Context, res *http.Response, err error) (bool, error) { // it looks at ctx itself
		return err != nil || res.StatusCode == http.StatusServiceUnavailable, nil
	}
	return retrying{http.DefaultTransport, &retryablehttp.RoundTripper{Client: c}}
}

// RoundTrip sends a request as often as it may.
func (t retrying) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.Method == http.MethodGet || r.Header.Get("Idempotency-Key") != "" {
		return t.again.RoundTrip(r)
	}
	return t.once.RoundTrip(r)
}

// Do asks for a path of the API (with its query) and reads the answer into out,
// which may be nil; it gives the ETag. body is sent as JSON, a PATCH as a merge patch.
func (c *Client) Do(ctx context.Context, method, path string, body any, header map[string]string,
	out any) (etag string, err error) {
	var sent io.Reader
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			return "", err
		}
		sent = bytes.NewReader(raw)
	}
	r, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(c.Server, "/")+path, sent)
	if err != nil {
		return "", err
	}
	if body != nil {
		r.Header.Set("Content-Type",
			map[bool]string{true: "application/merge-patch+json", false: "application/json"}[method == http.MethodPatch])
	}
	for k, v := range header {
		r.Header.Set(k, v)
	}
	res, err := c.send(r)
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	if out == nil || res.StatusCode == http.StatusNoContent {
		return res.Header.Get("ETag"), nil
	}
	d := json.NewDecoder(res.Body)
	d.UseNumber()
	if err := d.Decode(out); err != nil {
		return "", fmt.Errorf("the service at %s gave an answer that cannot be read: %w", c.URL, err)
	}
	return res.Header.Get("ETag"), nil
}

// send signs a request and makes it; an answer other than 2xx is an error.
func (c *Client) send(r *http.Request) (*http.Response, error) {
	return fine(c.signed(r, c.Client.Client.Do))
}

// signed signs a request and lets do make it.
func (c *Client) signed(r *http.Request, do func(*http.Request) (*http.Response, error)) (*http.Response, error) {
	for _, edit := range c.RequestEditors {
		if err := edit(r.Context(), r); err != nil {
			return nil, err
		}
	}
	res, err := do(r)
	if err != nil {
		return nil, &Unreachable{c.URL, err}
	}
	return res, nil
}

// fine makes an answer other than 2xx an error.
func fine(res *http.Response, err error) (*http.Response, error) {
	if err == nil && res.StatusCode >= 300 {
		defer res.Body.Close()
		return nil, problemOf(res)
	}
	return res, err
}

// Text is what a path of the API answers with, as it is.
func (c *Client) Text(ctx context.Context, path string) (string, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.TrimRight(c.Server, "/")+path, nil)
	if err != nil {
		return "", err
	}
	res, err := c.send(r)
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	b, err := io.ReadAll(io.LimitReader(res.Body, 16<<20))
	return string(b), err
}

// Copy writes what a path of the API answers with, however long it is.
func (c *Client) Copy(ctx context.Context, path string, to io.Writer) error {
	body, err := c.Stream(ctx, http.MethodGet, path, "", nil)
	if err != nil {
		return err
	}
	defer body.Close()
	_, err = io.Copy(to, body)
	return err
}

// Stream sends a body as it is read, and gives the answer as it comes. It takes as
// long as it takes, and is never repeated.
func (c *Client) Stream(ctx context.Context, method, path, contentType string, body io.Reader) (io.ReadCloser, error) {
	if body != nil { // the caller closes it
		body = struct{ io.Reader }{body}
	}
	r, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(c.Server, "/")+path, body)
	if err != nil {
		return nil, err
	}
	if contentType != "" {
		r.Header.Set("Content-Type", contentType)
	}
	res, err := fine(c.signed(r, http.DefaultTransport.RoundTrip))
	if err != nil {
		return nil, err
	}
	return res.Body, nil
}

// Read turns an answer into T, and gives its ETag.
func Read[T any](c *Client, res *http.Response, err error) (out T, etag string, _ error) {
	if err != nil {
		return out, "", &Unreachable{c.URL, err}
	}
	defer res.Body.Close()
	if res.StatusCode >= 300 {
		return out, "", problemOf(res)
	}
	if res.StatusCode == http.StatusNoContent {
		return out, "", nil
	}
	err = json.NewDecoder(res.Body).Decode(&out)
	if err != nil {
		err = fmt.Errorf("the service at %s gave an answer that cannot be read: %w", c.URL, err)
	}
	return out, res.Header.Get("ETag"), err
}

func problemOf(res *http.Response) error {
	p := &Problem{}
	b, _ := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	if json.Unmarshal(b, &p.Problem) != nil || p.Title == "" {
		return fmt.Errorf("the service answered %s", res.Status)
	}
	return p
}

// IsProblem finds a problem document in an error.
func IsProblem(err error) (*Problem, bool) {
	var p *Problem
	ok := errors.As(err, &p)
	return p, ok
}
