package web

import (
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
)

// The contract is OpenAPI 3.1, valid, without a key that is a slip of the pen, and its
// schemas say nothing that the checks of a request would pass over.
func TestTheContractIsWhatItSaysItIs(t *testing.T) {
	t.Parallel()
	published, _, err := Contract()
	if err != nil {
		t.Fatal(err)
	}
	if published.OpenAPI != "3.1.0" {
		t.Errorf("it is published as %s", published.OpenAPI)
	}
	if err := published.Validate(t.Context()); err != nil {
		t.Error(err)
	}
	strays := func(where string, extensions map[string]any) {
		for key := range extensions {
			if !strings.HasPrefix(key, "x-") || strings.HasPrefix(key, "x-go-") {
				t.Errorf("%s has a key %q", where, key)
			}
		}
	}
	seen := map[*openapi3.Schema]bool{}
	var schema func(where string, ref *openapi3.SchemaRef)
	schema = func(where string, ref *openapi3.SchemaRef) {
		if ref == nil || ref.Value == nil || seen[ref.Value] {
			return
		}
		s := ref.Value
		seen[s] = true
		strays(where, s.Extensions)
		strays(where, ref.Extensions)
		if s.Const != nil || len(s.PrefixItems) > 0 || s.If != nil || s.Contains != nil || s.PropertyNames != nil ||
			len(s.PatternProperties) > 0 ||
			len(s.DependentSchemas) > 0 || len(s.DependentRequired) > 0 || len(s.Defs) > 0 || s.ExclusiveMin.Value != nil ||
			s.ExclusiveMax.Value != nil || s.Nullable {
			t.Errorf("%s uses a keyword that only one of the two versions knows", where)
		}
		for name, p := range s.Properties {
			schema(where+"."+name, p)
		}
		schema(where+"[]", s.Items)
		schema(where+".*", s.AdditionalProperties.Schema)
		for _, of := range [][]*openapi3.SchemaRef{s.AllOf, s.AnyOf, s.OneOf} {
			for _, one := range of {
				schema(where, one)
			}
		}
	}
	for name, s := range published.Components.Schemas {
		schema(name, s)
	}
	for path, item := range published.Paths.Map() {
		strays(path, item.Extensions)
		for method, op := range item.Operations() {
			where := method + " " + path
			strays(where, op.Extensions)
			for _, p := range op.Parameters {
				strays(where+" "+p.Value.Name, p.Value.Extensions)
				schema(where+" "+p.Value.Name, p.Value.Schema)
			}
			if op.RequestBody != nil {
				for _, m := range op.RequestBody.Value.Content {
					schema(where, m.Schema)
				}
			}
			for status, r := range op.Responses.Map() {
				strays(where+" "+status, r.Value.Extensions)
				for _, m := range r.Value.Content {
					schema(where+" "+status, m.Schema)
				}
			}
		}
	}
	if len(seen) < 200 {
		t.Errorf("only %d schemas were looked at", len(seen))
	}
}
