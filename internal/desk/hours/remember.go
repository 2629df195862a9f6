package hours

import "context"

type rememberedKey struct{}

// remembered is what one reading has found already: the calendars as they are compiled, and our policy in force.
type remembered struct {
	compiled *Compiled
	policy   int64 // the id of its terms
}

// Remember makes a context for one reading, or one change that touches neither calendars nor our policy: both are asked
// for once, and not again by each part of it.
func Remember(ctx context.Context) context.Context {
	return context.WithValue(ctx, rememberedKey{}, &remembered{})
}

// known is what the reading of a context has found; a new one where nobody remembers.
func known(ctx context.Context) *remembered {
	if r, ok := ctx.Value(rememberedKey{}).(*remembered); ok {
		return r
	}
	return &remembered{}
}
