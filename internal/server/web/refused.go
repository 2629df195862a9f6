package web

import (
	"cmp"
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
		if e.Schema != nil {
			reason = cmp.Or(inWords(e.SchemaField, e.Schema), reason)
		}
		return []apigen.FieldError{{Field: field, Detail: reason}}, true
	case *openapi3filter.ParseError:
		if name, ok := strings.CutPrefix(e.Reason, "an invalid "); ok {
			return []apigen.FieldError{{Field: field, Detail: "it has to be " + typesInWords([]string{name})}}, false
		}
	}
	if errors.Is(err, openapi3filter.ErrInvalidRequired) {
		return []apigen.FieldError{{Field: field, Detail: "is missing"}}, false
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

// inWords says what a keyword of the contract asks for; empty for one without words.
func inWords(keyword string, s *openapi3.Schema) string {
	switch keyword {
	case "type":
		if s.Type != nil {
			return "it has to be " + typesInWords(s.Type.Slice())
		}
	case "enum":
		var values []string
		for _, v := range s.Enum {
			if v != nil {
				values = append(values, fmt.Sprint(v))
			}
		}
		return "use one of " + strings.Join(values, ", ")
	case "format":
		switch s.Format {
		case "date-time":
			return "write a time between the years 1900 and 2500 with its zone, like 2026-01-02T03:04:05Z"
		case "date":
			return "write a date that exists, like 2026-12-25"
		}
	case "minLength":
		if s.MinLength == 1 {
			return "it is empty"
		}
		return fmt.Sprintf("it needs at least %d characters", s.MinLength)
	case "maxLength":
		return fmt.Sprintf("it is too long: at most %d characters are allowed", *s.MaxLength)
	case "minItems":
		return fmt.Sprintf("it needs at least %d", s.MinItems)
	case "maxItems":
		return fmt.Sprintf("there are too many: at most %d are allowed", *s.MaxItems)
	case "uniqueItems":
		return "something is listed twice"
	case "minimum":
		return fmt.Sprintf("it has to be at least %.0f", *s.Min)
	case "maximum":
		return fmt.Sprintf("it has to be at most %.0f", *s.Max)
	}
	return ""
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
