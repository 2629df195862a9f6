package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"unicode/utf8"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/pace"
)

const (
	maxBody = 1 << 20
	// maxStranger is what is read of somebody who has not signed in.
	maxStranger = 4 << 10
)

// maxFaults is how many faults of one request are told, and maxListed the size of a body up
// to which they are all looked for; of a larger one only the first is told.
const (
	maxFaults = 20
	maxListed = 64 << 10
)

// costly are the operations whose work grows with what the body says: a few at a time.
var costly = map[string]bool{"PreviewHours": true, "AddCalendar": true, "AddCalendarVersion": true, "ImportPack": true,
	"Check": true, "AddVendor": true, "ChangeVendor": true}

// validate holds every request against the contract: the generated server
// checks neither limits nor enums nor unknown fields. What the asker may not do is refused
// before the body is read.
func (s *Server) validate(router routers.Router) gin.HandlerFunc {
	return func(c *gin.Context) {
		route, params, err := router.FindRoute(c.Request)
		switch {
		case errors.Is(err, routers.ErrMethodNotAllowed):
			write(c, NewProblem(http.StatusMethodNotAllowed, "method-not-allowed", "This method is not allowed here",
				c.Request.Method+" is not available at this path."))
			return
		case err != nil:
			write(c, NewProblem(http.StatusNotFound, "not-found", "Not found",
				"The API has no such path; see /api."))
			return
		}
		if err := s.allowed(c, route.Operation.OperationID, params["kind"]); err != nil {
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
				write(c, NewProblem(http.StatusServiceUnavailable, "busy", "The service is busy",
					"Too many requests of this kind are running: try again in a moment."))
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
	if body := route.Operation.RequestBody; body != nil && asItComes(body.Value) {
		opt.ExcludeRequestBody = true
		// The library reads a body before it asks who sent it, all of it and into memory: it gets none.
		defer func(body io.ReadCloser) { c.Request.Body = body }(c.Request.Body)
		c.Request.Body = http.NoBody
	}
	in := &openapi3filter.RequestValidationInput{Request: c.Request, PathParams: params, Route: route, Options: opt}
	err := openapi3filter.ValidateRequest(c.Request.Context(), in)
	if err == nil || size > maxListed {
		return err
	}
	if raw, ok := c.Request.Context().Value(BodyKey).([]byte); ok { // the first look has read it
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
		return 0, NewProblem(http.StatusUnsupportedMediaType, "wrong-content-type", "The body is of the wrong type",
			fmt.Sprintf("Send it as %s.", want))
	}
	if asItComes(op.RequestBody.Value) { // of any length: it is read as it comes, and checked where it is read
		c.Request.Body = pace.Patient(c.Writer, c.Request.Body)
		return 0, nil
	}
	most := int64(maxBody)
	if c.GetBool("stranger") {
		most = maxStranger
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, most))
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return 0, NewProblem(http.StatusRequestEntityTooLarge, "too-large", "The request is too large",
			fmt.Sprintf("At most %d bytes are allowed.", most))
	} else if err != nil {
		return 0, NewProblem(http.StatusBadRequest, "broken-body", "The body ended early", err.Error())
	}
	if !utf8.Valid(body) {
		return 0, NewProblem(http.StatusBadRequest, "not-utf-8", "The body is not UTF-8", "Send text as UTF-8.")
	}
	if tooDeep(body) {
		return 0, NewProblem(http.StatusUnprocessableEntity, "invalid", "The body is nested too deep",
			fmt.Sprintf("At most %d levels of objects and lists are allowed.", maxDepth))
	}
	var v any
	if err := json.Unmarshal(body, &v); err != nil {
		return 0, NewProblem(http.StatusBadRequest, "not-json", "The body is not JSON", err.Error())
	}
	if where, found := findNUL(v, ""); found {
		p := NewProblem(http.StatusUnprocessableEntity, "invalid", "A text has a NUL character", "Remove \\u0000.")
		p.Errors = &[]apigen.FieldError{{Field: where, Detail: "has a NUL character"}}
		return 0, p
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(body))
	c.Request.ContentLength = int64(len(body))
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), BodyKey, body))
	return len(body), nil
}

// asItComes says whether a body is of any length: it is read as it comes.
func asItComes(body *openapi3.RequestBody) bool {
	return body.Content[TableType] != nil || body.Content[UploadType] != nil
}
