package web

import (
	"net/http"
	"reflect"
	"testing"

	"roundhouse.example/internal/server/apigen"
)

// Every operation of the contract that changes something says what it asks of its asker.
func TestEveryChangeSaysWhatItAsksFor(t *testing.T) {
	t.Parallel()
	spec, err := apigen.GetSpec()
	if err != nil {
		t.Fatal(err)
	}
	named := map[string]bool{}
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			named[op.OperationID] = true
			if op.Summary == "" {
				t.Errorf("%s %s has no summary", method, path)
			}
			if _, ok := acts[op.OperationID]; method != http.MethodGet && !ok && op.OperationID != "SignIn" {
				t.Errorf("%s %s (%s) is open to every role", method, path, op.OperationID)
			}
		}
	}
	for _, list := range []any{acts, costly} {
		for _, name := range reflect.ValueOf(list).MapKeys() {
			if !named[name.String()] {
				t.Errorf("there is no operation %s", name)
			}
		}
	}
}
