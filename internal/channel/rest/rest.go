package rest

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"mime/multipart"
	"net/http"
	"net/http/httptrace"
	"net/textproto"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/route"
)

const maxAnswer = 8 << 20

// Link is one vendor's API at an address.
type Link struct {
	Address string
	Description
	client *http.Client
}

var transport = &http.Transport{
	Proxy:               http.ProxyFromEnvironment,
	MaxIdleConnsPerHost: 4,
	IdleConnTimeout:     30 * time.Second,
	TLSHandshakeTimeout: 10 * time.Second,
}

// New makes a link. A redirect is never followed: what we send is bound to the
// address that was entered.
func New(address string, d Description) *Link {
	return &Link{Address: strings.TrimRight(address, "/"), Description: d, client: &http.Client{
		Transport:     transport,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}}
}

// Send hands a letter to the vendor. The error is *channel.Refused,
// *channel.NotSent, or any other, which means that nobody can know.
func (l *Link) Send(ctx context.Context, letter channel.Letter) (channel.Receipt, error) {
	a, known := l.Actions[letter.Action]
	if !known {
		return channel.Receipt{}, &channel.Refused{Why: "the vendor's API takes no files"}
	}
	ask, err := l.request(a, letter)
	if err != nil {
		return channel.Receipt{}, &channel.NotSent{Why: err.Error()}
	}
	defer ask.done()
	answer, status, err := l.call(ctx, ask)
	switch {
	case err != nil:
		return channel.Receipt{}, err
	case status == http.StatusTooManyRequests:
		return channel.Receipt{}, &channel.NotSent{Why: "the vendor's API asks us to slow down (429)"}
	case status == http.StatusRequestTimeout || status >= 500:
		return channel.Receipt{}, fmt.Errorf("the vendor's API answered %d %s", status, http.StatusText(status))
	case status >= 300:
		return channel.Receipt{},
			&channel.Refused{Why: fmt.Sprintf("the vendor's API refused it: %d %s%s", status, http.StatusText(status),
				excerpt(answer))}
	}
	v, err := decode(answer)
	if err != nil {
		return channel.Receipt{},
			fmt.Errorf("the vendor's API accepted it (%d), but its answer cannot be read: %w", status, err)
	}
	r := channel.Receipt{Reference: text(v, a.Reference), At: instant(text(v, a.At))}
	if letter.Action == route.Open && r.Reference == "" || a.Proof != "" && at(v, a.Proof) == nil {
		return channel.Receipt{}, fmt.Errorf("the vendor's API answered %d without saying what happened", status)
	}
	return r, nil
}

// asking is a request as it is made.
type asking struct {
	method, path, contentType string
	body                      io.Reader
	length                    int64 // of the body; 0 where it is not known
	longer                    time.Duration
	done                      func()
}

// request is what an action asks for a letter.
func (l *Link) request(a Request, letter channel.Letter) (asking, error) {
	name := ""
	if len(letter.Files) > 0 {
		name = letter.Files[0].Name
	}
	with := strings.NewReplacer("{{reference}}", letter.Reference, "{{subject}}", letter.Subject, "{{text}}",
		channel.Marked(letter.Marker, letter.Text), "{{level}}", letter.Level, "{{caller}}", letter.Caller, "{{name}}", name)
	body := fill(map[string]any(a.Body), with).(map[string]any)
	ask := asking{method: a.Method, path: strings.ReplaceAll(a.Path, "{{reference}}", url.PathEscape(letter.Reference)),
		contentType: "application/json", longer: letter.Longer(), done: func() {}}
	if a.File != "" && len(letter.Files) == 1 {
		return ask, ask.form(a.File, body, letter.Files[0])
	}
	raw, err := json.Marshal(body)
	ask.body, ask.length = bytes.NewReader(raw), int64(len(raw))
	return ask, err
}

// form makes a request a form with a file in it, which is read while it is sent.
func (ask *asking) form(field string, body map[string]any, f channel.File) error {
	var head bytes.Buffer
	w := multipart.NewWriter(&head)
	for _, k := range slices.Sorted(maps.Keys(body)) {
		if err := w.WriteField(k, fmt.Sprint(body[k])); err != nil {
			return err
		}
	}
	h := textproto.MIMEHeader{}
	h.Set("Content-Disposition", multipart.FileContentDisposition(field, f.Name))
	h.Set("Content-Type", f.Type)
	if _, err := w.CreatePart(h); err != nil {
		return err
	}
	begins := head.Len()
	if err := w.Close(); err != nil {
		return err
	}
	tail := bytes.Clone(head.Bytes()[begins:])
	head.Truncate(begins)
	content, err := f.Open()
	if err != nil {
		return err
	}
	ask.done = func() { _ = content.Close() }
	ask.contentType = w.FormDataContentType()
	ask.length = int64(head.Len()) + f.Bytes + int64(len(tail))
	ask.body = io.MultiReader(&head, content, bytes.NewReader(tail))
	return nil
}

// call makes one request. Errors after the request began to leave are plain,
// those before it are *channel.NotSent.
func (l *Link) call(ctx context.Context, ask asking) (answer []byte, status int, err error) {
	ctx, cancel := context.WithTimeout(ctx, l.Timeout()+ask.longer)
	defer cancel()
	var left atomic.Bool // written by the transport's goroutines
	ctx = httptrace.WithClientTrace(ctx, &httptrace.ClientTrace{WroteHeaderField: func(string, []string) {
		left.Store(true)
	}})
	req, err := http.NewRequestWithContext(ctx, ask.method, l.Address+ask.path, ask.body)
	if err != nil {
		return nil, 0, &channel.NotSent{Why: err.Error()}
	}
	req.ContentLength = ask.length
	// The transport repeats a request on a dead connection only if it may; ours
	// must never be repeated behind our back.
	req.GetBody = nil
	if ask.body != nil {
		req.Header.Set("Content-Type", ask.contentType)
	}
	req.Header.Set("Accept", "application/json")
	req.Header.Set("User-Agent", "roundhouse")
	res, err := l.client.Do(req)
	if err != nil {
		why := plain(err, l.Timeout()+ask.longer)
		if !left.Load() {
			return nil, 0, &channel.NotSent{Why: why}
		}
		return nil, 0, errors.New(why)
	}
	defer res.Body.Close()
	answer, err = io.ReadAll(io.LimitReader(res.Body, maxAnswer+1))
	if err == nil && len(answer) > maxAnswer {
		err = fmt.Errorf("the answer is over %d MiB", maxAnswer>>20)
	}
	if err != nil {
		return nil, 0, fmt.Errorf("the answer ended early: %s", plain(err, l.Timeout()))
	}
	return answer, res.StatusCode, nil
}

func plain(err error, timeout time.Duration) string {
	var u *url.Error
	if errors.As(err, &u) {
		err = u.Err
	}
	if errors.Is(err, context.DeadlineExceeded) {
		return fmt.Sprintf("no answer within %s", timeout)
	}
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return "the connection was lost before an answer"
	}
	return err.Error()
}

func excerpt(b []byte) string {
	var v struct {
		Problem string `json:"problem"`
		Detail  string `json:"detail"`
		Message string `json:"message"`
		Error   string `json:"error"`
	}
	if json.Unmarshal(b, &v) != nil {
		return ""
	}
	for _, s := range []string{v.Problem, v.Detail, v.Message, v.Error} {
		if s != "" {
			return ", " + channel.Clean(s, 200)
		}
	}
	return ""
}

func decode(b []byte) (any, error) {
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.UseNumber()
	var v any
	if err := dec.Decode(&v); err != nil {
		return nil, errors.New("it is not JSON")
	}
	return v, nil
}

func instant(s string) time.Time {
	t, err := time.Parse(time.RFC3339Nano, s)
	if err != nil {
		return time.Time{}
	}
	return t.UTC()
}

func (l *Link) get(ctx context.Context, path string) (any, error) {
	answer, status, err := l.call(ctx, asking{method: http.MethodGet, path: path})
	if err != nil {
		return nil, err
	}
	if status != http.StatusOK {
		return nil, fmt.Errorf("the vendor's API answered %d %s", status, http.StatusText(status))
	}
	return decode(answer)
}

// items is the list at a pointer. One that is not there is an error: an answer
// without it must not be taken for an empty one.
func items(v any, pointer string) ([]any, error) {
	list, ok := at(v, pointer).([]any)
	if !ok {
		return nil, fmt.Errorf("the vendor's API answered without a list at %s", pointer)
	}
	return list, nil
}

// Collect fetches the events past a cursor, and the cursor after them. Events
// come again around it; each has a stable key.
func (l *Link) Collect(ctx context.Context, cursor string) (events []channel.Incoming, next string, err error) {
	from := cursor
	if n, err := strconv.ParseInt(cursor, 10, 64); err == nil {
		from = strconv.FormatInt(max(0, n-int64(l.Feed.Overlap)), 10)
	}
	v, err := l.get(ctx, strings.ReplaceAll(l.Feed.Path, "{{cursor}}", url.QueryEscape(from)))
	if err != nil {
		return nil, cursor, err
	}
	list, err := items(v, l.Feed.Items)
	if err != nil {
		return nil, cursor, err
	}
	next = cursor
	for _, item := range list {
		e, ok := l.incoming(item)
		if c := text(item, l.Feed.Cursor); c != "" {
			next = further(next, c)
		}
		if ok {
			events = append(events, e)
		}
	}
	return events, next, nil
}

func further(a, b string) string {
	x, errA := strconv.ParseInt(a, 10, 64)
	y, errB := strconv.ParseInt(b, 10, 64)
	if errA == nil && errB == nil && x > y {
		return a
	}
	return b
}

func (l *Link) incoming(item any) (channel.Incoming, bool) {
	f := l.Feed
	e := channel.Incoming{
		Key: text(item, f.Key), Ticket: text(item, f.Ticket), At: instant(text(item, f.At)), Text: text(item, f.Text),
		Author: text(item, f.Author), Automatic: text(item, f.Automatic) == "true", Offers: f.Offers[text(item, f.Offer)],
		Word: text(item, f.Word), Level: text(item, f.Level),
	}
	e.Move, e.Marker = f.Moves[e.Word], channel.FindMarker(e.Text)
	e.Kind = f.Kinds[text(item, f.Kind)]
	// Ours is what the vendor says our side wrote; where it does not say who wrote, what
	// begins with our mark. Whatever quotes the mark is the vendor's own.
	mark := channel.MarkAtHead(e.Text)
	switch ours := f.Ours != "" && text(item, f.Ours) == f.OursWord; {
	case mark != "" && (ours || f.Ours == ""):
		e.Kind, e.Marker = channel.Echo, mark
	case ours && e.Kind != "":
		e.Kind = channel.Elsewhere
	}
	if e.Key == "" { // an event without an id gets one from its content
		b, _ := json.Marshal(item)
		sum := sha256.Sum256(b)
		e.Key = hex.EncodeToString(sum[:16])
	}
	return e, e.Kind != "" && e.Ticket != ""
}

// TakesFiles says whether the vendor's API was taught to take files.
func (l *Link) TakesFiles() bool {
	_, takes := l.Actions[route.Attach]
	return takes
}

// LookUp searches every page for a letter that carries one of the markers; nil
// where there is none. An answer that cannot be read is an error, not an absence.
func (l *Link) LookUp(ctx context.Context, action route.Action, reference string, markers []string,
	since time.Time) (*channel.Receipt, error) {
	s := l.Said
	switch {
	case action == route.Open:
		s = l.Filings
	case action == route.Attach && l.Attached != nil:
		s = *l.Attached
	}
	for page := 1; ; page++ {
		v, err := l.get(ctx, strings.NewReplacer("{{reference}}", url.PathEscape(reference), "{{page}}", strconv.Itoa(page),
			"{{since}}", url.QueryEscape(since.UTC().Format(time.RFC3339))).Replace(s.Path))
		if err != nil {
			return nil, err
		}
		list, err := items(v, s.Items)
		if err != nil {
			return nil, err
		}
		for _, item := range list {
			for _, m := range markers {
				if strings.Contains(text(item, s.Text), m) {
					return &channel.Receipt{Reference: text(item, s.Reference), At: instant(text(item, s.At))}, nil
				}
			}
		}
		pages, err := strconv.Atoi(text(v, s.Pages))
		if err != nil {
			return nil, fmt.Errorf("the vendor's API answered without the number of pages at %s", s.Pages)
		}
		if page >= pages {
			return nil, nil
		}
	}
}
