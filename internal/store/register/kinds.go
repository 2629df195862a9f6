package register

import (
	"cmp"
	"time"

	casesdb "roundhouse.example/internal/store/cases"
)

// ThingKind is one of the register's tables, with the SQL that is its own.
type ThingKind struct {
	Name    string
	columns string
	// counts say how many others have to do with one, and from is where all of that comes from.
	counts counts
	from   string
	Order  string // what a list goes by, with an index behind it
	date   bool   // Order is a date, not a text
	// add and change write as many as there are rows in the arrays of rowsGiven; named finds one of a vendor ($1)
	// by what it is called ($2), in any case.
	add, change, named string
}

// Follows says whether a key is one that a list of the kind goes by.
func (k ThingKind) Follows(key string) bool {
	if !k.date {
		return true
	}
	_, err := time.Parse(time.DateOnly, key)
	return err == nil
}

// counts are SQL for how many assets, live cases, and cases opened while it was in force have to do with a thing; empty
// for what no thing of its kind has.
type counts struct{ assets, live, opened string }

func (k ThingKind) selection() string { return k.selecting(k.counts) }

// uncounted is selection with 0 for every count, for who does not ask: each costs as much as there are cases.
func (k ThingKind) uncounted() string { return k.selecting(counts{}) }

func (k ThingKind) selecting(n counts) string {
	key := k.Order
	if k.date {
		key = "to_char(" + k.Order + ", 'YYYY-MM-DD')"
	}
	return "select " + key + " as list_key, " + k.columns + ", " + cmp.Or(n.assets, "0") + " as assets, " +
		cmp.Or(n.live, "0") + " as live, " + cmp.Or(n.opened, "0") + " as opened " + k.from
}

// rowsGiven are things as arrays, one for each column; see columnsOf.
const rowsGiven = ` from unnest(cast($1 as bigint[]), cast($2 as bigint[]), cast($3 as bigint[]), cast($4 as text[]),
	cast($5 as bigint[]), cast($6 as bigint[]), cast($7 as bigint[]), cast($8 as date[]), cast($9 as date[]),
	cast($10 as date[])) x(id, version, vendor_id, facts, product_id, account_id, contract_id,
	starts_on, ends_on, notice_on)
	`

// whileInForce is the condition that a case c was filed while a contract t was in force.
const whileInForce = "c.filed_at >= t.starts_on and c.filed_at < t.ends_on + 1"

// The register's tables.
var (
	Products = ThingKind{
		Name: "product", Order: "lower(t.name)",
		columns: `t.id, t.vendor_id, t.version, t.facts, v.key as vendor, v.name as vendor_name`,
		counts:  counts{assets: `(select count(*) from asset a where a.product_id = t.id)`},
		from:    `from product t join vendor v on v.id = t.vendor_id`,
		add:     `insert into product (vendor_id, facts) select vendor_id, cast(facts as jsonb)` + rowsGiven,
		change: `update product t set version = t.version + 1, facts = cast(x.facts as jsonb)` + rowsGiven +
			`where t.id = x.id and t.version = x.version`,
		named: `select id from product where vendor_id = $1 and lower(name) = lower($2) order by id limit 1`,
	}
	Accounts = ThingKind{
		Name: "account", Order: "lower(t.number)",
		columns: `t.id, t.vendor_id, t.version, t.facts, v.key as vendor, v.name as vendor_name`,
		counts: counts{assets: `(select count(*) from asset a where a.account_id = t.id)`,
			live: `(select count(*) from support_case c where c.account_id = t.id and c.` + casesdb.LiveCases + `)`},
		from: `from account t join vendor v on v.id = t.vendor_id`,
		add:  `insert into account (vendor_id, facts) select vendor_id, cast(facts as jsonb)` + rowsGiven,
		change: `update account t set version = t.version + 1, facts = cast(x.facts as jsonb)` + rowsGiven +
			`where t.id = x.id and t.version = x.version`,
		named: `select id from account where vendor_id = $1 and lower(number) = lower($2) order by id limit 1`,
	}
	Contracts = ThingKind{
		Name: "contract", Order: "t.ends_on", date: true,
		columns: `t.id, t.vendor_id, t.version, t.facts, t.starts_on, t.ends_on, t.notice_on,
			v.key as vendor, v.name as vendor_name`,
		counts: counts{assets: `(select count(*) from asset a where a.contract_id = t.id)`,
			live:   `(select count(*) from support_case c where c.contract_id = t.id and c.` + casesdb.LiveCases + `)`,
			opened: `(select count(*) from support_case c where c.contract_id = t.id and ` + whileInForce + `)`},
		from: `from contract t join vendor v on v.id = t.vendor_id`,
		add: `insert into contract (vendor_id, number, facts, starts_on, ends_on, notice_on)
			select vendor_id, cast(facts as jsonb)->>'number', cast(facts as jsonb), starts_on, ends_on, notice_on` + rowsGiven,
		change: `update contract t set version = t.version + 1, number = cast(x.facts as jsonb)->>'number',
			facts = cast(x.facts as jsonb), starts_on = x.starts_on, ends_on = x.ends_on, notice_on = x.notice_on` +
			rowsGiven + `where t.id = x.id and t.version = x.version`,
		named: `select id from contract where vendor_id = $1 and lower(number) = lower($2) order by id limit 1`,
	}
	Assets = ThingKind{
		Name: "asset", Order: "lower(t.name)",
		columns: `t.id, t.vendor_id, t.version, t.facts, t.product_id, t.account_id, t.contract_id,
			v.key as vendor, v.name as vendor_name, p.name as product, p.facts->>'number_found' as product_number_found,
			k.number as contract, o.number as account`,
		counts: counts{
			live: `(select count(*) from support_case c where c.asset_id = t.id and c.` + casesdb.LiveCases + `)`},
		from: `from asset t join vendor v on v.id = t.vendor_id left join product p on p.id = t.product_id
			left join contract k on k.id = t.contract_id left join account o on o.id = t.account_id`,
		add: `insert into asset (vendor_id, facts, product_id, account_id, contract_id)
			select vendor_id, cast(facts as jsonb), product_id, account_id, contract_id` + rowsGiven,
		change: `update asset t set version = t.version + 1, facts = cast(x.facts as jsonb),
			product_id = x.product_id, account_id = x.account_id, contract_id = x.contract_id` + rowsGiven +
			`where t.id = x.id and t.version = x.version`,
		named: `select id from asset where vendor_id = $1
			and (lower(name) = lower($2) or lower(serial) = lower($2) or facts->>'resource_id' = $2) order by id limit 1`,
	}
)
