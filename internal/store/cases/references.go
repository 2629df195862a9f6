package cases

import (
	"context"
	"fmt"
	"strings"

	"roundhouse.example/internal/store/db"
)

// Find names a case by its number (C-1042 or 1042) or any reference.
func Find(ctx context.Context, q db.Querier, name string) (id int64, err error) {
	var number int64
	if n, ok := strings.CutPrefix(strings.ToUpper(strings.TrimSpace(name)), "C-"); ok || isDigits(name) {
		if len(n) > 18 || !isDigits(n) {
			n = "0"
		}
		fmt.Sscan(n, &number)
	}
	if number > 0 {
		err = db.One(q.GetContext(ctx, &id, "select id from support_case where number = $1", number))
		if err != db.ErrNotFound {
			return id, err
		}
	}
	return id, db.One(q.GetContext(ctx, &id,
		"select case_id from case_reference where folded = $1 order by id desc limit 1", Fold(name)))
}

func isDigits(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }

// Fold takes spaces, dashes, slashes and case out of a reference, so that it is
// found however it was copied.
func Fold(s string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(" -_/.#\t", r) {
			return -1
		}
		return r
	}, strings.ToLower(s))
}

// ByReference finds the case that a vendor knows by a number.
func ByReference(ctx context.Context, q db.Querier, vendor int64, value string) (id int64, err error) {
	return id, db.One(q.GetContext(ctx, &id,
		"select case_id from case_reference where vendor_id = $1 and whose = 'vendor' and value = $2", vendor, value))
}

// Reference is a number that somebody else gave a case.
type Reference struct {
	CaseID int64  `db:"case_id"`
	Whose  string `db:"whose"`
	Value  string `db:"value"`
}

// References are those of some cases.
func References(ctx context.Context, q db.Querier, cases []int64) (out []Reference, err error) {
	return out, q.SelectContext(ctx, &out,
		"select case_id, whose, value from case_reference where case_id = any($1) order by case_id, id", cases)
}

// SetReference makes a number the one that somebody has for the case, in place of
// another; an empty one takes it out.
func SetReference(ctx context.Context, t *db.Tx, c *Case, whose, value string) error {
	if _, err := t.ExecContext(ctx, "delete from case_reference where case_id = $1 and whose = $2 and value <> $3", c.ID,
		whose, value); err != nil || value == "" {
		return err
	}
	_, err := t.ExecContext(ctx, `insert into case_reference (case_id, vendor_id, whose, value, folded)
		values ($1, $2, $3, $4, $5)
		on conflict (case_id, whose, value) do nothing`, c.ID, c.VendorID, whose, value, Fold(value))
	return err
}
