package desk

import (
	"bytes"
	"encoding/json"
	"errors"
	"strings"

	jsonpatch "github.com/evanphx/json-patch/v5"
)

// Merge applies an RFC 7396 patch; members that are not known are refused by name.
func Merge[T any](to *T, patch json.RawMessage) error {
	if patch == nil {
		return nil
	}
	now, err := json.Marshal(to)
	if err != nil {
		return err
	}
	whole, err := jsonpatch.MergePatch(now, patch)
	if err != nil {
		return Fault("", "it is not a JSON object: %s", err)
	}
	var out T
	dec := json.NewDecoder(bytes.NewReader(whole))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&out); err != nil {
		return misfit(err)
	}
	*to = out
	return nil
}

func misfit(err error) error {
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		return Fault(kind.Field, "it is a %s, but has to be %s", kind.Value, typeWords(kind.Type.Kind().String()))
	}
	if _, name, ok := strings.Cut(err.Error(), "unknown field "); ok {
		return Fault(strings.Trim(name, `"`), "there is no such field")
	}
	return Fault("", "%s", err)
}

func typeWords(kind string) string {
	if s, ok := map[string]string{"string": "a text", "int": "a whole number", "int64": "a whole number",
		"bool": "true or false", "slice": "a list", "map": "an object", "struct": "an object", "ptr": "an object"}[kind]; ok {
		return s
	}
	return "something else"
}
