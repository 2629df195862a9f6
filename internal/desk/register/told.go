package register

import (
	"context"

	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// ToldOf are things with all that a table says of them.
func (k *Kind[T]) ToldOf(ctx context.Context, d *Register, q db.Querier,
	rows []registerdb.Thing[T]) ([]Thing[T], error) {
	list := k.fromRows(rows)
	if k.told == nil {
		return list, nil
	}
	return list, k.told(ctx, d, q, list)
}

// told of assets, and of contracts, is what stands in other tables and in a table's cells.
func toldAssets(_ context.Context, _ *Register, _ db.Querier, list []Thing[register.Asset]) error {
	for i := range list {
		t := &list[i]
		t.Facts.Product, t.Facts.Account, t.Facts.Contract = desk.Deref(t.Product), desk.Deref(t.Account),
			desk.Deref(t.Contract)
	}
	return nil
}

func toldContracts(ctx context.Context, d *Register, q db.Querier, list []Thing[register.Contract]) error {
	if len(list) == 0 {
		return nil
	}
	if err := completeContracts(ctx, q, list, "9999-12-31"); err != nil {
		return err
	}
	at := make([]*Thing[register.Contract], len(list))
	for i := range list {
		at[i] = &list[i]
	}
	return contractTerms(ctx, d, q, at)
}
