package register

import (
	"context"

	"roundhouse.example/internal/core/whom"
	"roundhouse.example/internal/store/db"
)

// Signs are the things whose names have some of the words of a text, those with most of them first; words of less than
// four letters are passed over. only are the vendors whose cases may be seen; nil: all.
func Signs(ctx context.Context, q db.Querier, text string, only []int64, limit int) (out []whom.Sign, err error) {
	var rows []struct {
		Vendor int64  `db:"vendor_id"`
		Kind   string `db:"kind"`
		Name   string `db:"name"`
		Words  int    `db:"words"`
	}
	err = q.SelectContext(ctx, &rows, `with asked as materialized (
			select distinct word from unnest(tsvector_to_array(to_tsvector('simple', $1))) word
			where length(word) > 3 limit 12),
		hit as materialized (
			select f.kind, f.ref, count(*) as words, max(f.shown) as shown from asked a
			cross join lateral (select f.kind, f.ref, f.shown from findable f
				where to_tsvector('simple', f.words) @@ to_tsquery('simple', quote_literal(a.word))
				and f.kind in ('asset', 'product', 'account', 'vendor', 'case') limit 60) f
			group by f.kind, f.ref)
		select coalesce(s.vendor_id, p.vendor_id, o.vendor_id, v.id, c.vendor_id) as vendor_id, h.kind, h.words,
			case h.kind when 'case' then 'C-' || c.number || ', ' || c.title else h.shown end as name from hit h
		left join asset s on h.kind = 'asset' and s.id = h.ref left join product p on h.kind = 'product' and p.id = h.ref
		left join account o on h.kind = 'account' and o.id = h.ref
		left join vendor v on h.kind = 'vendor' and v.id = h.ref and not v.placeholder
		left join support_case c on h.kind = 'case' and c.id = h.ref and ($2::bigint[] is null or c.vendor_id = any($2))
			and not exists (select from vendor x where x.id = c.vendor_id and x.placeholder)
		where coalesce(s.vendor_id, p.vendor_id, o.vendor_id, v.id, c.vendor_id) is not null
		order by h.words desc, h.kind, h.ref desc limit $3`, text, only, limit)
	for _, r := range rows {
		out = append(out, whom.Sign{Vendor: r.Vendor, Kind: r.Kind, Name: r.Name, Words: r.Words})
	}
	return out, err
}
