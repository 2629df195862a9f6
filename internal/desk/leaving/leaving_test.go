package leaving

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/desk"
)

func TestCheck(t *testing.T) {
	l := New()
	const bad = "card 4539148803436467\npassword: Fog9Horn\nPIN: 4711\nfrom 10.0.0.3, NO93 8601 1117 947"
	var holds *desk.MustNotLeave
	_, err := l.Check(bad, " \n")
	if !errors.As(err, &holds) || holds.What != "a password and a card number" || len(holds.Places) != 3 ||
		holds.Places[1].Detail != "line 2: password: password: ********" {
		t.Fatalf("%v, %+v", err, holds)
	}
	want := []disclosure.Kind{disclosure.Password, disclosure.Card}
	if kinds, err := l.Check(bad, "They need it"); err != nil || !slices.Equal(kinds, want) {
		t.Errorf("with a reason: %v, %v", kinds, err)
	}
	for _, good := range []string{"", "The password has expired.", "NO93 8601 1117 947, 10.0.0.3, {secret pass-word}"} {
		if kinds, err := l.Check(good, ""); err != nil || len(kinds) > 0 {
			t.Errorf("%q: %v, %v", good, kinds, err)
		}
	}
	// What is told of a long text stays short.
	_, err = l.Check(strings.Repeat("password: Fog9Horn\n", 500), "")
	if !errors.As(err, &holds) || len(holds.Places) != 20 {
		t.Errorf("%d places are told", len(holds.Places))
	}
}

func TestScan(t *testing.T) {
	l := New()
	if f := l.Scan("password: Fog9Horn\nfrom 10.0.0.3"); len(f.Findings) != 2 ||
		f.Masked != "password: ********\nfrom 10.0.0.3" {
		t.Errorf("%+v", f)
	}
	if f := l.Scan("from 10.0.0.3"); len(f.Findings) != 1 || f.Masked != "from 10.0.0.3" {
		t.Errorf("%+v", f)
	}
}
