package cases

import (
	"context"

	"roundhouse.example/internal/store/db"
)

// Earlier are the cases of one kind with a vendor that were opened before another one, in its account where it has one,
// newest first. Drafts are not among them.
func Earlier(ctx context.Context, q db.Querier, c *Case, limit int) (out []Case, err error) {
	return out, q.SelectContext(ctx, &out, `select * from support_case where vendor_id = $1 and kind = $2 and number < $3
		and (CAST($4 AS bigint) is null or account_id = $4) and state <> 'draft' order by number desc limit $5`,
		c.VendorID, c.Kind, c.Number, c.AccountID, limit)
}
