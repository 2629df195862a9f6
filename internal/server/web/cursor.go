package web

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"

	"roundhouse.example/internal/server/apigen"
)

// WriteCursor makes a cursor of where a page ended.
func WriteCursor(v any) string {
	raw, _ := json.Marshal(v) // of numbers and texts alone
	return base64.RawURLEncoding.EncodeToString(raw)
}

// ReadCursor takes a cursor that anybody may have made up: what it says is checked by who reads it.
func ReadCursor(s string, into any) error {
	raw, err := base64.RawURLEncoding.DecodeString(s)
	if err == nil && !plainText(string(raw)) {
		err = errors.New("it is not text")
	}
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, into)
}

// BadCursor refuses one that no list gave; do says what helps.
func BadCursor(do string) *Problem {
	p := NewProblem(http.StatusBadRequest, "invalid", "The cursor is not from this list", do)
	p.Errors = &[]apigen.FieldError{{Field: "cursor", Detail: "is not a cursor of this list"}}
	return p
}
