package main

import (
	"context"

	"roundhouse.example/internal/core/casework"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	inboxdb "roundhouse.example/internal/store/inbox"
	listsdb "roundhouse.example/internal/store/lists"
	outboxdb "roundhouse.example/internal/store/outbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/service"
)

func listStatements(ctx context.Context, d *service.Desk) error {
	return statements(ctx, d,
		listsdb.Filter{States: casework.LiveStates, Sort: "newest",
			Limit: 51})
}

func statements(ctx context.Context, d *service.Desk, f listsdb.Filter) error {
	q := d.Store.DB
	if _, err := peopledb.ByID(ctx, q, 1); err != nil {
		return err
	}
	rows, err := listsdb.List(ctx, q, f)
	if err != nil {
		return err
	}
	var ids []int64
	for _, r := range rows {
		ids = append(ids, r.ID)
	}
	return parts(ctx, q, ids)
}

func parts(ctx context.Context, q db.Querier, ids []int64) error {
	if _, err := casesdb.LiveDeadlines(ctx, q, ids); err != nil {
		return err
	}
	if _, err := outboxdb.Open(ctx, q, ids); err != nil {
		return err
	}
	_, err := casesdb.References(ctx, q, ids)
	return err
}

func caseStatements(ctx context.Context, d *service.Desk, name string) error {
	q := d.Store.DB
	for range 2 { // two requests, two looks at who asks and which case it is
		if _, err := peopledb.ByID(ctx, q, 1); err != nil {
			return err
		}
		if _, err := casesdb.Find(ctx, q, name); err != nil {
			return err
		}
	}
	id, err := casesdb.Find(ctx, q, name)
	if err != nil {
		return err
	}
	row, err := headStatements(ctx, q, id)
	if err != nil {
		return err
	}
	if _, err := registerdb.ContractByID(ctx, q, *row.ContractID); err != nil {
		return err
	}
	if _, err := casesdb.Confirmations(ctx, q, id); err != nil {
		return err
	}
	for range 2 {
		if _, err := registerdb.Levels(ctx, q, row.VendorID); err != nil {
			return err
		}
	}
	if _, err := casesdb.References(ctx, q, []int64{id}); err != nil {
		return err
	}
	if _, err := outboxdb.Open(ctx, q, []int64{id}); err != nil {
		return err
	}
	if _, err := casesdb.History(ctx, q, id); err != nil {
		return err
	}
	if _, err := casesdb.ByID(ctx, q, id); err != nil {
		return err
	}
	if _, err := hoursdb.CurrentTerms(ctx, q, nil); err != nil {
		return err
	}
	if _, err := casesdb.Entries(ctx, q, id, 0, 201, []string{}, nil, false); err != nil {
		return err
	}
	_, err = outboxdb.Of(ctx, q, id)
	return err
}

// headStatements read a case's row and what is shown at the head of its page.
func headStatements(ctx context.Context, q db.Querier, id int64) (row casesdb.Row, err error) {
	if row, err = casesdb.RowByID(ctx, q, id); err != nil {
		return row, err
	}
	if err := parts(ctx, q, []int64{id}); err != nil {
		return row, err
	}
	if _, err := registerdb.VendorByID(ctx, q, row.VendorID); err != nil {
		return row, err
	}
	_, err = inboxdb.LinksOf(ctx, q, row.VendorID)
	return row, err
}
