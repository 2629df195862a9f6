package web

import (
	"maps"
	"slices"
	"testing"

	"roundhouse.example/internal/access"
)

// Every operation of the contract has a summary and says what it asks of its asker, in words
// that some role knows; what is costly is there.
func TestEveryOperationSaysWhatItAsksFor(t *testing.T) {
	t.Parallel()
	spec, _, err := Contract()
	if err != nil {
		t.Fatal(err)
	}
	acts, err := actsOf(spec)
	if err != nil {
		t.Fatal(err)
	}
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			if op.Summary == "" {
				t.Errorf("%s %s has no summary", method, path)
			}
			a, known := acts[op.OperationID]
			if !known && op.OperationID != "SignIn" && op.OperationID != "FollowFeed" {
				t.Errorf("%s %s is open to strangers", method, path)
			}
			for _, act := range append(slices.Collect(maps.Values(a.byKind)), a.act) {
				if known && act != signedIn && !access.May("administrator", act) {
					t.Errorf("%s %s asks for %q, which not even an administrator may", method, path, act)
				}
			}
		}
	}
	for name := range costly {
		if _, known := acts[name]; !known {
			t.Errorf("there is no operation %s", name)
		}
	}
	// One that says nothing is found out when the service starts.
	silent, err := readContract() // one of its own, to be changed
	if err != nil {
		t.Fatal(err)
	}
	for _, item := range silent.published.Paths.Map() {
		for _, op := range item.Operations() {
			delete(op.Extensions, "x-act")
		}
	}
	if _, err := actsOf(silent.published); err == nil {
		t.Error("a contract that asks nothing is taken")
	}
}
