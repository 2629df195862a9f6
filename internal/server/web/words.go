package web

import (
	"time"
)

// Ptr is a pointer to a value.
func Ptr[T any](v T) *T { return &v }

// Some is a pointer to a value, or nil to the zero value.
func Some[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

// Val is what a pointer points to; the zero value where it points to nothing.
func Val[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

// Each applies a function to a list.
func Each[A, B any](list []A, fn func(A) B) []B {
	out := make([]B, len(list))
	for i, v := range list {
		out[i] = fn(v)
	}
	return out
}

// Unix is an instant of core's, in UTC.
func Unix(s int64) time.Time { return time.Unix(s, 0).UTC() }
