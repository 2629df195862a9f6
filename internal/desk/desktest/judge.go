package desktest

import (
	"errors"
	"sync"
	"testing"
	"time"

	"roundhouse.example/internal/desk"
)

// Patience is how long anything may take before a test says what it waited for in vain. The machine may be several
// times slower for minutes, so nothing has a smaller limit of its own.
const Patience = 6 * time.Minute

// Until waits until something is so.
func Until(t testing.TB, what string, is func() bool) {
	t.Helper()
	pause := 10 * time.Millisecond // longer each time: asking may cost more than what is waited for
	for end := time.Now().Add(Patience); !is(); <-time.After(pause) {
		if time.Now().After(end) {
			t.Fatalf("waited in vain: %s", what)
		}
		pause = min(pause*3/2, 200*time.Millisecond)
	}
}

// Fields are the names of the fields that an error says are wrong, in its order; nil where it is no such error.
func Fields(err error) (names []string) {
	if wrong := (*desk.Invalid)(nil); errors.As(err, &wrong) {
		for _, f := range wrong.Fields {
			names = append(names, f.Name)
		}
	}
	return names
}

// Detail is what an error says of one field; empty where it says nothing of it.
func Detail(err error, name string) string {
	if wrong := (*desk.Invalid)(nil); errors.As(err, &wrong) {
		for _, f := range wrong.Fields {
			if f.Name == name {
				return f.Detail
			}
		}
	}
	return ""
}

// AtOnce does n things at once of which one can be done, and gives which that was: the test fails unless each of the
// others is told that what it saw is over.
func AtOnce(t testing.TB, n int, do func(i int) error) (won int) {
	t.Helper()
	errs := make([]error, n)
	var all sync.WaitGroup
	for i := range errs {
		all.Go(func() { errs[i] = do(i) })
	}
	all.Wait()
	won = -1
	for i, err := range errs {
		if err == nil && won < 0 {
			won = i
		} else if stale := (*desk.Stale)(nil); !errors.Is(err, desk.ErrStale) && !errors.As(err, &stale) {
			t.Errorf("%d beside %d: %v", i, won, err)
		}
	}
	if won < 0 {
		t.Fatal("none of them was done")
	}
	return won
}
