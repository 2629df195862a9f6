package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/server/apigen"
)

const (
	maxBody = 1 << 20
	// maxStranger is what is read of somebody who has not signed in.
	maxStranger = 4 << 10
	// stall is how long a body that is read as it comes may pause.
	stall = 30 * time.Second
)

// maxFaults is how many faults of one request are told, and maxListed the size of a body up
// to which they are all looked for; of a larger one only the first is told.
const (
	maxFaults = 20
	maxListed = 64 << 10
)

// costly are the operations whose work grows with what the body says: a few at a time.
var costly = map[string]bool{"PreviewHours": true, "AddCalendar": true, "AddCalendarVersion": true, "ReadPack": true, "Check": true, "AddVendor": true, "ChangeVendor": true}

// validate holds every request against the contract: the generated server
// checks neither limits nor enums nor unknown fields. What the asker may not do is refused
// before the body is read.
func (s *Server) validate(router routers.Router) gin.HandlerFunc {
	return func(c *gin.Context) {
		route, params, err := router.FindRoute(c.Request)
		switch {
		case errors.Is(err, routers.ErrMethodNotAllowed):
			write(c, newProblem(http.StatusMethodNotAllowed, "method-not-allowed", "That cannot be done to this", c.Request.Method+" is not in the contract here."))
			return
		case err != nil:
			write(c, newProblem(http.StatusNotFound, "not-found", "There is no such thing", "The API has no such path; see api/openapi.yaml."))
			return
		}
		if err := allowed(c, route.Operation.OperationID, params["kind"]); err != nil {
			write(c, err)
			return
		}
		size, err := s.readBody(c, route.Operation)
		if err != nil {
			write(c, err)
			return
		}
		if costly[route.Operation.OperationID] || size > maxListed {
			select {
			case s.heavy <- struct{}{}:
				defer func() { <-s.heavy }()
			case <-c.Request.Context().Done():
				write(c, newProblem(http.StatusServiceUnavailable, "busy", "The service is busy", "Too much of this kind is being worked on: try again in a moment."))
				return
			}
		}
		if err := held(c, route, params, size); err != nil {
			write(c, refused(err, c.GetBool("stranger")))
			return
		}
		c.Next()
	}
}

// held says what of a request is not as the contract says: the first fault alone, and all
// of them where looking for them is cheap.
func held(c *gin.Context, route *routers.Route, params map[string]string, size int) error {
	opt := &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}
	if body := route.Operation.RequestBody; body != nil && body.Value.Content[tableType] != nil {
		opt.ExcludeRequestBody = true
	}
	in := &openapi3filter.RequestValidationInput{Request: c.Request, PathParams: params, Route: route, Options: opt}
	err := openapi3filter.ValidateRequest(c.Request.Context(), in)
	if err == nil || size > maxListed {
		return err
	}
	if raw, ok := c.Request.Context().Value(bodyKey).([]byte); ok { // the first look has read it
		c.Request.Body = io.NopCloser(bytes.NewReader(raw))
	}
	opt.MultiError = true
	return openapi3filter.ValidateRequest(c.Request.Context(), in)
}

// readBody checks what the schema cannot: size, encoding, characters that the
// database has no place for.
func (s *Server) readBody(c *gin.Context, op *openapi3.Operation) (size int, err error) {
	if op.RequestBody == nil {
		return 0, nil
	}
	got, _, _ := mime.ParseMediaType(c.GetHeader("Content-Type"))
	want := ""
	for t := range op.RequestBody.Value.Content {
		want = t
	}
	if got != want {
		return 0, newProblem(http.StatusUnsupportedMediaType, "wrong-content-type", "The body is of the wrong type", fmt.Sprintf("Send it as %s.", want))
	}
	if want == tableType { // of any length: it is read as it comes, and checked where it is read
		c.Request.Body = patient{c.Request.Body, http.NewResponseController(c.Writer)}
		return 0, nil
	}
	most := int64(maxBody)
	if c.GetBool("stranger") {
		most = maxStranger
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, most))
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return 0, newProblem(http.StatusRequestEntityTooLarge, "too-large", "The request is too large", fmt.Sprintf("At most %d bytes are taken.", most))
	} else if err != nil {
		return 0, newProblem(http.StatusBadRequest, "broken-body", "The body broke off", err.Error())
	}
	if !utf8.Valid(body) {
		return 0, newProblem(http.StatusBadRequest, "not-utf-8", "The body is not UTF-8", "Send text as UTF-8.")
	}
	if tooDeep(body) {
		return 0, newProblem(http.StatusUnprocessableEntity, "invalid", "The body is nested too deep", fmt.Sprintf("At most %d objects or lists stand within each other.", maxDepth))
	}
	var v any
	if err := json.Unmarshal(body, &v); err != nil {
		return 0, newProblem(http.StatusBadRequest, "not-json", "The body is not JSON", err.Error())
	}
	if where, found := findNUL(v, ""); found {
		p := newProblem(http.StatusUnprocessableEntity, "invalid", "A text holds a NUL character", "Take \\u0000 out.")
		p.Errors = &[]apigen.FieldError{{Field: where, Detail: "holds a NUL character"}}
		return 0, p
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(body))
	c.Request.ContentLength = int64(len(body))
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), bodyKey, body))
	return len(body), nil
}

// patient reads a body of any length for as long as something comes: a sender that stalls
// is given up.
type patient struct {
	io.ReadCloser
	rc *http.ResponseController
}

func (p patient) Read(b []byte) (int, error) {
	_ = p.rc.SetReadDeadline(time.Now().Add(stall))
	return p.ReadCloser.Read(b)
}

// maxDepth is how deep a body may be nested: merging a deep one costs the square of it.
const maxDepth = 32

// tooDeep looks at brackets outside of texts alone.
func tooDeep(body []byte) bool {
	depth, text := 0, false
	for i := 0; i < len(body); i++ {
		switch c := body[i]; {
		case text && c == '\\':
			i++
		case c == '"':
			text = !text
		case text:
		case c == '{' || c == '[':
			if depth++; depth > maxDepth {
				return true
			}
		case c == '}' || c == ']':
			depth--
		}
	}
	return false
}

func findNUL(v any, where string) (string, bool) {
	switch x := v.(type) {
	case string:
		return where, strings.ContainsRune(x, 0)
	case map[string]any:
		for k, e := range x {
			if w, ok := findNUL(e, strings.TrimPrefix(where+"."+k, ".")); ok || strings.ContainsRune(k, 0) {
				return w, true
			}
		}
	case []any:
		for i, e := range x {
			if w, ok := findNUL(e, fmt.Sprintf("%s[%d]", where, i)); ok {
				return w, true
			}
		}
	}
	return "", false
}

// refused says which fields the contract does not let through.
// A stranger is not told what the contract has.
func refused(err error, stranger bool) error {
	fields, inBody := flatten(err, "")
	if stranger {
		return newProblem(http.StatusUnprocessableEntity, "invalid", "Something in the request is not as the contract says", "Send an email address and a password.")
	}
	more := len(fields) - maxFaults
	fields = fields[:min(len(fields), maxFaults)]
	p := newProblem(http.StatusBadRequest, "invalid", "Something in the request is not as the contract says", "")
	if inBody {
		p.Status = http.StatusUnprocessableEntity
	}
	p.Errors = &fields
	var words []string
	for _, f := range fields {
		words = append(words, f.Field+": "+f.Detail)
	}
	d := strings.Join(words, "; ")
	if more > 0 {
		d += fmt.Sprintf("; and %d more", more)
	}
	p.Detail = &d
	return p
}

func flatten(err error, field string) (out []apigen.FieldError, inBody bool) {
	var many openapi3.MultiError
	var request *openapi3filter.RequestError
	var schema *openapi3.SchemaError
	add := func(list []apigen.FieldError, body bool) {
		out, inBody = append(out, list...), inBody || body
	}
	switch e := err.(type) {
	case openapi3.MultiError:
		for _, x := range e {
			add(flatten(x, field))
		}
		return out, inBody
	case *openapi3filter.RequestError:
		if e.Parameter != nil {
			field = e.Parameter.Name
		}
		if e.Err == nil {
			return []apigen.FieldError{{Field: field, Detail: e.Reason}}, e.Parameter == nil
		}
		list, _ := flatten(e.Err, field)
		return list, e.Parameter == nil
	case *openapi3.SchemaError:
		path := e.JSONPointer()
		reason := e.Reason
		if _, name, ok := strings.Cut(reason, `property "`); ok && strings.HasSuffix(reason, "is unsupported") {
			name, _, _ = strings.Cut(name, `"`)
			path, reason = append(path, name), "is not known here"
		}
		if _, name, ok := strings.Cut(reason, `property "`); ok && strings.HasSuffix(reason, "is missing") {
			name, _, _ = strings.Cut(name, `"`)
			if len(path) == 0 || path[len(path)-1] != name {
				path = append(path, name)
			}
			reason = "is missing"
		}
		if len(path) > 0 && field == "" {
			field = strings.Join(path, ".")
		}
		if e.SchemaField == "format" && e.Schema != nil && e.Schema.Format == "date-time" {
			reason = "write an instant of the years 1900 to 2500 with its zone, like 2026-01-02T03:04:05Z"
		}
		return []apigen.FieldError{{Field: field, Detail: reason}}, true
	}
	switch {
	case errors.As(err, &many):
		return flatten(many, field)
	case errors.As(err, &request):
		return flatten(request, field)
	case errors.As(err, &schema):
		return flatten(schema, field)
	}
	return []apigen.FieldError{{Field: field, Detail: err.Error()}}, false
}

// defineFormats makes instants demand a zone, which the library's own check does
// not. The library keeps its formats in one place for the whole program.
var defineFormats = sync.OnceFunc(func() {
	openapi3.DefineStringFormatValidator("date-time", openapi3.NewCallbackValidator(func(v string) error {
		t, err := time.Parse(time.RFC3339, v)
		if err == nil && !known(t) {
			err = errors.New("it is too far away")
		}
		return err
	}))
})

// known says whether an instant is one that a desk can have to do with: the database and
// JSON know fewer years than there are.
func known(t time.Time) bool { return t.Year() >= 1900 && t.Year() <= 2500 }
