package web

import (
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
)

// Each limit that the contract sets is refused in words of ours, never in those of the library that found it.
func TestEveryLimitHasWords(t *testing.T) {
	t.Parallel()
	published, _, err := Contract()
	if err != nil {
		t.Fatal(err)
	}
	seen, found := map[*openapi3.Schema]bool{}, map[string]int{}
	var look func(ref *openapi3.SchemaRef)
	look = func(ref *openapi3.SchemaRef) {
		if ref == nil || ref.Value == nil || seen[ref.Value] {
			return
		}
		s := ref.Value
		seen[s] = true
		for keyword, set := range map[string]bool{"enum": s.Enum != nil, "type": s.Type != nil,
			"minLength": s.MinLength > 0, "maxLength": s.MaxLength != nil, "minItems": s.MinItems > 0,
			"maxItems":    s.MaxItems != nil,
			"uniqueItems": s.UniqueItems, "minimum": s.Min != nil, "maximum": s.Max != nil, "pattern": s.Pattern != "",
			"format": s.Format != "" && s.Format != "int64", "minProperties": s.MinProps > 0,
			"maxProperties": s.MaxProps != nil, "multipleOf": s.MultipleOf != nil} {
			if !set {
				continue
			}
			found[keyword]++
			if words := inWords(keyword, s); words == "" || strings.ContainsAny(words, "[]%") {
				t.Errorf("%s of %v: %q", keyword, s.Title, words)
			}
		}
		for _, p := range s.Properties {
			look(p)
		}
		look(s.Items)
		look(s.AdditionalProperties.Schema)
	}
	for _, s := range published.Components.Schemas {
		look(s)
	}
	for _, item := range published.Paths.Map() {
		for _, op := range item.Operations() {
			for _, p := range op.Parameters {
				look(p.Value.Schema)
			}
			if op.RequestBody != nil {
				for _, m := range op.RequestBody.Value.Content {
					look(m.Schema)
				}
			}
		}
	}
	for _, keyword := range []string{"enum", "type", "format", "minLength", "maxLength", "maxItems", "minimum",
		"maximum"} {
		if found[keyword] == 0 {
			t.Errorf("nothing in the contract has %s, or it was not looked at", keyword)
		}
	}
}

func TestRefusalsAreInWords(t *testing.T) {
	t.Parallel()
	text := func() *openapi3.Schema { return openapi3.NewStringSchema() }
	for _, x := range []struct {
		schema *openapi3.Schema
		value  any
		want   string
	}{
		{text().WithEnum("phone", "chat"), "fax", "use one of phone, chat"},
		{text().WithFormat("date"), "tomorrow", "write a date that exists, like 2026-12-25"},
		{text().WithMinLength(1), "", "it is empty"},
		{text().WithMaxLength(3), "four", "it is too long: at most 3 characters are allowed"},
		{openapi3.NewIntegerSchema().WithMin(1), 0.0, "it has to be at least 1"},
		{openapi3.NewIntegerSchema().WithMax(4), 9.0, "it has to be at most 4"},
		{openapi3.NewIntegerSchema(), "seven", "it has to be a whole number"},
		{openapi3.NewArraySchema().WithItems(text()).WithMaxItems(2), []any{"a", "b", "c"},
			"there are too many: at most 2 are allowed"},
	} {
		fields, _ := flatten(x.schema.VisitJSON(x.value, openapi3.EnableFormatValidation()), "field")
		if len(fields) != 1 || fields[0].Detail != x.want || fields[0].Field != "field" {
			t.Errorf("%v: %+v, want %q", x.value, fields, x.want)
		}
	}
}
