package desk

import (
	"fmt"
)

// Count says a number of things in words.
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Deref is what a pointer points to; the zero value where it points to nothing.
func Deref[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

// Put sets a value where another one is given for it; nil leaves it as it is.
func Put[T any](to *T, given *T) {
	if given != nil {
		*to = *given
	}
}
