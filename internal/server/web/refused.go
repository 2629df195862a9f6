package web

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"

	"roundhouse.example/internal/server/apigen"
)

// refused says which fields the contract does not let through.
// A stranger is not told what the contract has.
func refused(err error, stranger bool) error {
	fields, inBody := flatten(err, "")
	if stranger {
		return NewProblem(http.StatusUnprocessableEntity, "invalid", "Something in the request is not right",
			"Send an email address and a password.")
	}
	more := len(fields) - maxFaults
	fields = fields[:min(len(fields), maxFaults)]
	p := NewProblem(http.StatusBadRequest, "invalid", "Something in the request is not right", "")
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
			path, reason = append(path, name), "there is no such field"
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
		if e.SchemaField == "type" && e.Schema != nil && e.Schema.Type != nil {
			reason = "it has to be " + typesInWords(e.Schema.Type.Slice())
		}
		if e.SchemaField == "format" && e.Schema != nil && e.Schema.Format == "date-time" {
			reason = "write a time between the years 1900 and 2500 with its zone, like 2026-01-02T03:04:05Z"
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

func typesInWords(types []string) string {
	words := map[string]string{"string": "a text", "integer": "a whole number", "number": "a number",
		"boolean": "true or false", "array": "a list", "object": "an object", "null": "null"}
	out := make([]string, len(types))
	for i, t := range types {
		out[i] = words[t]
	}
	return strings.Join(out, " or ")
}
