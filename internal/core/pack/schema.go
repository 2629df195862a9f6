package pack

import (
	"bytes"
	"encoding/json"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

// Compile makes a schema of its JSON.
func Compile(schema []byte) (*jsonschema.Schema, error) {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(schema))
	if err != nil {
		return nil, err
	}
	const name = "schema.json"
	c := jsonschema.NewCompiler()
	if err := c.AddResource(name, doc); err != nil {
		return nil, err
	}
	return c.Compile(name)
}

// Into reads a file of another format of ours by its schema, within the same bounds as a pack. All that is wrong is
// told at once, in the order of the lines; to is of use only where nothing is found. Where says at which line a field
// stands, for what a schema cannot say.
func Into(file []byte, schema *jsonschema.Schema, to any) (where func(field string) int, findings []Finding) {
	value, t, findings := plain(file)
	if len(findings) == 0 {
		findings = t.into(value, schema, to)
	}
	return t.lineOf, findings
}

// into reads plain values that fit a schema.
func (t *tree) into(value any, schema *jsonschema.Schema, to any) []Finding {
	if err := schema.Validate(value); err != nil {
		t.collect(err)
		return t.sorted()
	}
	raw, err := json.Marshal(value)
	if err == nil {
		err = json.Unmarshal(raw, to)
	}
	if err != nil {
		return []Finding{{Detail: err.Error()}}
	}
	return nil
}
