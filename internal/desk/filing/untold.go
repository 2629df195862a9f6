package filing

import (
	"context"
	"maps"
	"slices"

	"roundhouse.example/internal/core/intake"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// Untold are the fields that were changed since the vendor was told last and that no message on its way carries.
func Untold(c *casesdb.Case, open []outboxdb.Delivery) (fields []string) {
	carried := 0
	for _, o := range open {
		if e := o.Effect.V; e != nil && e.Sets != nil {
			carried = max(carried, e.Sets.Told)
		}
	}
	for _, field := range slices.Sorted(maps.Keys(c.Untold.V)) {
		if c.Untold.V[field] > carried {
			fields = append(fields, field)
		}
	}
	return fields
}

// StoryOf is what a case that is filed says now, with what the vendor's form asks and what is known of its things.
func (d *Filing) StoryOf(ctx context.Context, q db.Querier, c *casesdb.Case) (intake.Story, error) {
	f, err := d.Prepare(ctx, q, c)
	if err == nil {
		err = d.Describe(ctx, q, &f, c)
	}
	return f.Story, err
}

// Update tells the vendor of some fields of a case as they are now; empty for none.
func (d *Filing) Update(ctx context.Context, q db.Querier, c *casesdb.Case, fields []string) (string, error) {
	if len(fields) == 0 {
		return "", nil
	}
	s, err := d.StoryOf(ctx, q, c)
	return intake.Update(s, fields), err
}
