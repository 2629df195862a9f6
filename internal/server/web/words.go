package web

import (
	"time"
)

func Ptr[T any](v T) *T { return &v }

// some is a pointer to a value, or nil to the zero value.
func Some[T comparable](v T) *T {
	var zero T
	if v == zero {
		return nil
	}
	return &v
}

func Val[T any](p *T) T {
	if p == nil {
		var zero T
		return zero
	}
	return *p
}

func Each[A, B any](list []A, fn func(A) B) []B {
	out := make([]B, len(list))
	for i, v := range list {
		out[i] = fn(v)
	}
	return out
}

func Unix(s int64) time.Time { return time.Unix(s, 0).UTC() }
