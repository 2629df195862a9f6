package cases

import (
	"context"
	"fmt"
	"strings"

	"roundhouse.example/internal/core/casework"
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

// ByReference finds the case that a vendor knows by a number, or knew by it.
func ByReference(ctx context.Context, q db.Querier, vendor int64, value string) (id int64, err error) {
	return id, db.One(q.GetContext(ctx, &id, `select case_id from case_reference
		where vendor_id = $1 and whose = 'vendor' and value = $2 order by role = 'current' desc, id desc limit 1`, vendor,
		value))
}

// CurrentReference finds the case whose number at a vendor this is now; db.ErrNotFound where there is none.
func CurrentReference(ctx context.Context, q db.Querier, vendor int64, value string) (id int64, err error) {
	return id, db.One(q.GetContext(ctx, &id, `select case_id from case_reference
		where vendor_id = $1 and whose = 'vendor' and value = $2 and role = 'current'`, vendor, value))
}

// Reference is a number that somebody else gave a case.
type Reference struct {
	CaseID int64            `db:"case_id"`
	Whose  string           `db:"whose"`
	Role   casework.RefRole `db:"role"`
	Of     string           `db:"party"`
	Value  string           `db:"value"`
}

// first is what a case has one of at most: the vendor's current number, and our own ticket's.
const first = "role = 'current' and whose in ('vendor', 'ours')"

// References are the first ones of some cases: the vendor's current number, and our own ticket's.
func References(ctx context.Context, q db.Querier, cases []int64) (out []Reference, err error) {
	return out, q.SelectContext(ctx, &out, `select case_id, whose, role, party, value from case_reference
		where case_id = any($1) and `+first+" order by case_id, id", cases)
}

// OtherReferences are all others of a case, in the order in which they came.
func OtherReferences(ctx context.Context, q db.Querier, caseID int64) (out []casework.Reference, err error) {
	return out, q.SelectContext(ctx, &out, `select whose as owner, role, party, value from case_reference
		where case_id = $1 and not (`+first+") order by id", caseID)
}

// SetReference makes a number the one that the vendor has for the case, or our own ticket's, in place of another; an
// empty one takes it out.
func SetReference(ctx context.Context, t *db.Tx, c *Case, whose, value string) error {
	if _, err := t.ExecContext(ctx,
		"delete from case_reference where case_id = $1 and whose = $2 and value <> $3 and role = 'current'", c.ID, whose,
		value); err != nil || value == "" {
		return err
	}
	_, err := t.ExecContext(ctx, `insert into case_reference (case_id, vendor_id, whose, value, folded)
		values ($1, $2, $3, $4, $5)
		on conflict (case_id, whose, value) do update set role = 'current', party = ''`, c.ID, c.VendorID, whose, value,
		Fold(value))
	return err
}

// NumberOf is the number among some of one case's references by which somebody knows it; empty for none.
func NumberOf(refs []Reference, owner casework.Owner) string {
	for _, r := range refs {
		if r.Whose == string(owner) {
			return r.Value
		}
	}
	return ""
}

// MoveReferences has a draft's numbers follow it to another vendor.
func MoveReferences(ctx context.Context, t *db.Tx, c *Case) error {
	_, err := t.ExecContext(ctx, "update case_reference set vendor_id = $2 where case_id = $1", c.ID, c.VendorID)
	return err
}

// SetOtherReferences makes these the other numbers of a case.
func SetOtherReferences(ctx context.Context, t *db.Tx, c *Case, list []casework.Reference) error {
	if _, err := t.ExecContext(ctx, "delete from case_reference where case_id = $1 and not ("+first+")",
		c.ID); err != nil {
		return err
	}
	for _, r := range list {
		if _, err := t.ExecContext(ctx, `insert into case_reference (case_id, vendor_id, whose, role, party, value, folded)
			values ($1, $2, $3, $4, $5, $6, $7)`, c.ID, c.VendorID, r.Owner, r.Role, r.Of, r.Value, Fold(r.Value)); err != nil {
			return err
		}
	}
	return nil
}
