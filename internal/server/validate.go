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

const maxBody = 1 << 20

// validate holds every request against the contract: the generated server
// checks neither limits nor enums nor unknown fields.
func validate(router routers.Router) gin.HandlerFunc {
	bodiless := openapi3filter.Options{MultiError: true, AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, ExcludeRequestBody: true}
	opt := &openapi3filter.Options{MultiError: true, AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}
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
		if err := readBody(c, route.Operation); err != nil {
			write(c, err)
			return
		}
		in := &openapi3filter.RequestValidationInput{Request: c.Request, PathParams: params, Route: route, Options: opt}
		if body := route.Operation.RequestBody; body != nil && body.Value.Content[tableType] != nil {
			in.Options = &bodiless
		}
		if err := openapi3filter.ValidateRequest(c.Request.Context(), in); err != nil {
			write(c, refused(err))
		}
	}
}

// readBody checks what the schema cannot: size, encoding, characters that the
// database has no place for.
func readBody(c *gin.Context, op *openapi3.Operation) error {
	if op.RequestBody == nil {
		return nil
	}
	got, _, _ := mime.ParseMediaType(c.GetHeader("Content-Type"))
	want := ""
	for t := range op.RequestBody.Value.Content {
		want = t
	}
	if got != want {
		return newProblem(http.StatusUnsupportedMediaType, "wrong-content-type", "The body is of the wrong type", fmt.Sprintf("Send it as %s.", want))
	}
	if want == tableType { // of any length: it is read as it comes, and checked where it is read
		_ = http.NewResponseController(c.Writer).SetReadDeadline(time.Time{})
		return nil
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, maxBody))
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return newProblem(http.StatusRequestEntityTooLarge, "too-large", "The request is too large", fmt.Sprintf("At most %d bytes are taken.", maxBody))
	} else if err != nil {
		return newProblem(http.StatusBadRequest, "broken-body", "The body broke off", err.Error())
	}
	if !utf8.Valid(body) {
		return newProblem(http.StatusBadRequest, "not-utf-8", "The body is not UTF-8", "Send text as UTF-8.")
	}
	var v any
	if err := json.Unmarshal(body, &v); err != nil {
		return newProblem(http.StatusBadRequest, "not-json", "The body is not JSON", err.Error())
	}
	if where, found := findNUL(v, ""); found {
		p := newProblem(http.StatusUnprocessableEntity, "invalid", "A text holds a NUL character", "Take \\u0000 out.")
		p.Errors = &[]apigen.FieldError{{Field: where, Detail: "holds a NUL character"}}
		return p
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(body))
	c.Request.ContentLength = int64(len(body))
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), bodyKey, body))
	return nil
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
func refused(err error) error {
	fields, inBody := flatten(err, "")
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
			reason = "write an instant with its zone, like 2026-01-02T03:04:05Z"
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
		_, err := time.Parse(time.RFC3339, v)
		return err
	}))
})
