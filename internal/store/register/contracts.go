package register

import (
	"context"
	"time"

	"roundhouse.example/internal/core/register"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// covering are the contracts k that cover an asset t, whenever they count: each way
// by its own index.
const covering = `(select t.contract_id as id where t.contract_id is not null
	union select c.contract_id from contract_cover c where c.product_id = t.product_id
	union select c.contract_id from contract_cover c where c.account_id = t.account_id
	union select e.id from contract e where e.vendor_id = t.vendor_id and e.everything) x join contract k on k.id = x.id`

// ContractCovers are what contracts name as covered.
type ContractCovers struct {
	ContractID int64   `db:"contract_id"`
	Product    *string `db:"product"`
	Account    *string `db:"account"`
}

// CoveredBy are what these contracts name, in their order.
func CoveredBy(ctx context.Context, q db.Querier, contracts []int64) (out []ContractCovers, err error) {
	return out, q.SelectContext(ctx, &out, `select c.contract_id, p.name as product, a.number as account
		from contract_cover c
		left join product p on p.id = c.product_id left join account a on a.id = c.account_id
		where c.contract_id = any($1) order by c.contract_id, c.position`, contracts)
}

// SetCovers replaces what a contract names.
func SetCovers(ctx context.Context, q db.Querier, contract int64, products, accounts []int64) error {
	if _, err := q.ExecContext(ctx, "delete from contract_cover where contract_id = $1", contract); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into contract_cover (contract_id, position, product_id, account_id)
		select $1, row_number() over (), p, a from (select unnest(cast($2 as bigint[])) p, null::bigint a union all
		select null, unnest(cast($3 as bigint[]))) x`,
		contract, products, accounts)
	return err
}

// ContractsCovering are the contracts that cover an asset: the one that it names
// first, then those that end last.
func ContractsCovering(ctx context.Context, q db.Querier, asset int64) (out []Contract, err error) {
	return out, q.SelectContext(ctx, &out,
		`select k.id, k.vendor_id, k.number, k.starts_on, k.ends_on from asset t cross join lateral `+covering+`
		where t.id = $1 order by (k.id = t.contract_id) desc nulls last, k.ends_on desc, k.id`, asset)
}

// Stretch is a contract that covers an asset.
type Stretch struct {
	AssetID int64     `db:"asset_id"`
	Number  string    `db:"number"`
	Starts  time.Time `db:"starts_on"`
	Ends    time.Time `db:"ends_on"`
}

// Stretches are the contracts that cover some assets, whenever they count.
func Stretches(ctx context.Context, q db.Querier, assets []int64) (map[int64][]register.Stretch, error) {
	var rows []Stretch
	err := q.SelectContext(ctx, &rows,
		"select t.id as asset_id, k.number, k.starts_on, k.ends_on from asset t cross join lateral "+covering+
			" where t.id = any($1) order by k.id", assets)
	out := map[int64][]register.Stretch{}
	for _, r := range rows {
		out[r.AssetID] = append(out[r.AssetID],
			register.Stretch{Number: r.Number, Starts: r.Starts.Format(time.DateOnly), Ends: r.Ends.Format(time.DateOnly)})
	}
	return out, err
}

// CasesUnder counts what a contract's change can touch.
func CasesUnder(ctx context.Context, q db.Querier, contract int64) (n struct {
	Drafts int `db:"drafts"`
	Live   int `db:"live"`
}, err error) {
	return n, q.GetContext(ctx, &n, `select count(*) filter (where state = 'draft') as drafts, count(*) filter (where `+
		casesdb.LiveCases+`) as live
		from support_case where contract_id = $1`, contract)
}

// Contract is one support contract with a vendor, as far as a case needs it; the
// register has the rest.
type Contract struct {
	ID       int64     `db:"id"`
	VendorID int64     `db:"vendor_id"`
	Number   string    `db:"number"`
	StartsOn time.Time `db:"starts_on"`
	EndsOn   time.Time `db:"ends_on"`
}

const contractColumns = "select id, vendor_id, number, starts_on, ends_on from contract "

// ContractsOf are a vendor's (0: everybody's), those that end last first.
func ContractsOf(ctx context.Context, q db.Querier, vendor int64) (out []Contract, err error) {
	return out, q.SelectContext(ctx, &out, contractColumns+
		"where cast($1 as bigint) in (0, vendor_id) order by ends_on desc, id", vendor)
}

// ContractByID is ErrNotFound where there is none.
func ContractByID(ctx context.Context, q db.Querier, id int64) (c Contract, err error) {
	return c, db.One(q.GetContext(ctx, &c, contractColumns+"where id = $1", id))
}

// ContractsOfAll are those of some vendors, of each those that end last first.
func ContractsOfAll(ctx context.Context, q db.Querier, vendors []int64) (out []Contract, err error) {
	return out, q.SelectContext(ctx, &out, contractColumns+
		"where vendor_id = any($1) order by vendor_id, ends_on desc, id", vendors)
}

// OnlyAccount is the id of the account that a vendor has, where it has exactly one; else nil.
func OnlyAccount(ctx context.Context, q db.Querier, vendor int64) (id *int64, err error) {
	return id, q.GetContext(ctx, &id, "select case count(*) when 1 then min(id) end from account where vendor_id = $1",
		vendor)
}

// AddContract gives the contract an id.
func AddContract(ctx context.Context, q db.Querier, c *Contract) error {
	return q.GetContext(ctx, &c.ID, `insert into contract (vendor_id, number, starts_on, ends_on, facts)
		values ($1, $2, $3, $4, jsonb_build_object('number', cast($2 as text), 'everything', true))
		returning id`, c.VendorID, c.Number, c.StartsOn, c.EndsOn)
}
