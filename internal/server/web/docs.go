package web

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"slices"
	"sort"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"
)

//go:embed docs.html
var docsTemplate string

// docGroup, docCall and the rest are the contract as the page shows it.
type docGroup struct {
	Name  string
	Calls []docCall
}

type docCall struct {
	ID, Method, Path, Words string
	Params                  []docMember
	Body, BodyType          string
	Answers                 []docAnswer
}

type docMember struct {
	Name, Where, Type, Words string
	Must                     bool
}

type docAnswer struct{ Status, Words, Schema string }

type docSchema struct {
	Name, Type, Words string
	Members           []docMember
}

// docsOf renders the contract once: it does not change while the service runs.
func docsOf(spec *openapi3.T) ([]byte, error) {
	byTag := map[string][]docCall{}
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			c := docCall{ID: op.OperationID, Method: method, Path: path, Words: op.Description}
			for _, p := range op.Parameters {
				c.Params = append(c.Params,
					docMember{p.Value.Name, p.Value.In, typeOf(p.Value.Schema), p.Value.Description, p.Value.Required})
			}
			if op.RequestBody != nil {
				for kind, media := range op.RequestBody.Value.Content {
					if c.BodyType = kind; media.Schema != nil && media.Schema.Ref != "" {
						c.Body = typeOf(media.Schema)
					}
				}
			}
			for status, r := range op.Responses.Map() {
				a := docAnswer{Status: status, Words: *r.Value.Description}
				for _, media := range r.Value.Content {
					if media.Schema.Ref != "" {
						a.Schema = typeOf(media.Schema)
					}
				}
				if status == "default" {
					a.Words = "Anything else is a problem document (RFC 9457)"
				}
				c.Answers = append(c.Answers, a)
			}
			sort.Slice(c.Answers, func(i, j int) bool { return c.Answers[i].Status < c.Answers[j].Status })
			byTag[op.Tags[0]] = append(byTag[op.Tags[0]], c)
		}
	}
	var groups []docGroup
	for _, t := range spec.Tags {
		calls := byTag[t.Name]
		sort.Slice(calls, func(i, j int) bool {
			if calls[i].Path != calls[j].Path {
				return calls[i].Path < calls[j].Path
			}
			return calls[i].Method < calls[j].Method
		})
		groups = append(groups, docGroup{t.Name, calls})
	}
	var schemas []docSchema
	for _, name := range slices.Sorted(maps.Keys(spec.Components.Schemas)) {
		s := spec.Components.Schemas[name].Value
		d := docSchema{Name: name, Type: typeOf(&openapi3.SchemaRef{Value: s}), Words: s.Description}
		for _, m := range slices.Sorted(maps.Keys(s.Properties)) {
			p := s.Properties[m]
			d.Members = append(d.Members,
				docMember{Name: m, Type: typeOf(p), Words: p.Value.Description, Must: slices.Contains(s.Required, m)})
		}
		schemas = append(schemas, d)
	}
	t, err := template.New("docs").Parse(docsTemplate)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = t.Execute(&out, map[string]any{"Title": spec.Info.Title, "Words": strings.TrimSpace(spec.Info.Description),
		"Base": spec.Servers[0].URL, "Groups": groups, "Schemas": schemas})
	return out.Bytes(), err
}

// typeOf names a schema, or says its type and bounds.
func typeOf(r *openapi3.SchemaRef) string {
	if r == nil || r.Value == nil {
		return ""
	}
	if r.Ref != "" {
		return r.Ref[strings.LastIndex(r.Ref, "/")+1:]
	}
	s := r.Value
	var parts []string
	switch {
	case s.Type.Is("array"):
		return "list of " + typeOf(s.Items)
	case len(s.Enum) > 0:
		for _, e := range s.Enum {
			parts = append(parts, fmt.Sprint(e))
		}
		return strings.Join(parts, " | ")
	case s.Type != nil && len(*s.Type) > 0:
		parts = append(parts, (*s.Type)[0])
	}
	if s.Format != "" {
		parts = append(parts, s.Format)
	}
	if s.MaxLength != nil {
		parts = append(parts, fmt.Sprintf("at most %d", *s.MaxLength))
	}
	if s.Min != nil {
		parts = append(parts, fmt.Sprintf("from %g", *s.Min))
	}
	if s.Max != nil {
		parts = append(parts, fmt.Sprintf("to %g", *s.Max))
	}
	if s.Type.IncludesNull() {
		parts = append(parts, "or null")
	}
	return strings.Join(parts, ", ")
}

// The contract as people read it and as programs do, each made when it is first asked for.
var (
	docsPage = given("text/html; charset=utf-8", docsOf)
	docsJSON = given("application/json", func(spec *openapi3.T) ([]byte, error) { return spec.MarshalJSON() })
)

func given(kind string, form func(*openapi3.T) ([]byte, error)) gin.HandlerFunc {
	once := sync.OnceValues(func() ([]byte, error) {
		spec, _, err := Contract()
		if err != nil {
			return nil, err
		}
		return form(spec)
	})
	return func(c *gin.Context) {
		body, err := once()
		if err != nil {
			write(c, err)
			return
		}
		c.Data(http.StatusOK, kind, body)
	}
}
