package register

import (
	"context"
	"strconv"
	"strings"

	"roundhouse.example/internal/store/db"
)

// longest is what can be looked for, in bytes; the longest name is shorter.
const longest = 2000

// found is a hit with what it is: a question a kind, each of which is planned on its own.
const found = `select h.kind, h.ref, h.field, h.shown, h.exact, h.rank > 4 as slip, coalesce(x.title, h.shown) as title,
	coalesce(x.detail, '') as detail, coalesce(x.name, '') as name from h cross join lateral (
		select c.title, v.name as detail, 'C-' || c.number as name from support_case c join vendor v on v.id = c.vendor_id
			where h.kind = 'case' and c.id = h.ref and ($4::bigint[] is null or c.vendor_id = any($4))
		union all select s.facts->>'name', v.name, coalesce(s.serial, s.name) from asset s
			join vendor v on v.id = s.vendor_id where h.kind = 'asset' and s.id = h.ref
		union all select p.name, v.name, p.name from product p
			join vendor v on v.id = p.vendor_id where h.kind = 'product' and p.id = h.ref
		union all select coalesce(nullif(o.facts->>'name', ''), o.number), v.name, o.number from account o
			join vendor v on v.id = o.vendor_id where h.kind = 'account' and o.id = h.ref
		union all select nullif(k.facts->>'tier', ''), v.name, k.number from contract k
			join vendor v on v.id = k.vendor_id where h.kind = 'contract' and k.id = h.ref
		union all select v.name, v.does, v.key from vendor v
			where h.kind = 'vendor' and v.id = h.ref and not v.placeholder
		union all select u.name, u.role, u.email from person u where h.kind = 'person' and u.id = h.ref
		union all select null, v.name, v.key from vendor v where h.kind = 'contact' and v.id = h.ref) x
	order by h.rank, h.near desc, h.ref desc`

// begins is the condition that an identifier begins with a text: a range of the
// index, which like cannot be turned into for a text known only later.
func begins(arg string) string {
	return "folded ~>=~ find_fold(" + arg + ") and folded ~<~ (find_fold(" + arg + ") || U&'\\+10FFFF')"
}

// ends is begins for the other end of an identifier.
func ends(arg string) string {
	return "reverse(folded) ~>=~ reverse(find_fold(" + arg + ")) and reverse(folded) ~<~ (reverse(find_fold(" + arg +
		")) || U&'\\+10FFFF')"
}

// Ways to find, from the exact to the tolerant. Each is asked only where those
// before gave less than was wanted: $1 the words, $2 how many, $3 the kind or empty.
var ways = [...]string{
	`select distinct on (kind, ref) kind, ref, field, shown, true as exact, 1 as rank, 1.0::real as near from findable
		where (folded = find_fold($1) and find_fold($1) <> '' or folded = 'c' || find_fold($1) and kind = 'case'
		and field = 'number' or words = find_plain($1)) and ($3 = '' or kind = $3)`,
	`select kind, ref, field, shown, false as exact, 2 as rank, 0.9::real as near from (select * from findable
		where ` + begins("$1") + ` and length(find_fold($1)) > 2 and ($3 = '' or kind = $3) limit $2) x`,
	`select kind, ref, field, shown, false as exact, 3 as rank, 0.8::real as near from (select * from findable
		where to_tsvector('simple', words) @@ (select find_words($1)) and ($3 = '' or kind = $3) limit $2) x`,
	`select kind, ref, field, shown, false as exact, 4 as rank, 0.7::real as near from (select * from findable
		where ` + ends("$1") + ` and length(find_fold($1)) > 3 and ($3 = '' or kind = $3) limit $2) x`,
	`select kind, ref, field, shown, false as exact, 5 as rank, similarity(folded, find_fold($1)) as near
		from find_alike($1, $3, $2)`,
	`select kind, ref, field, shown, false as exact, 6 as rank, 0.5::real as near from (select * from findable
		where to_tsvector('simple', words) @@ (select find_slips($1)) and ($3 = '' or kind = $3) limit $2) x`,
}

// Find looks for an identifier or for words everywhere, exact hits first. Of cases only those
// with some vendors are found; nil: all of them.
func Find(ctx context.Context, q db.Querier, text, kind string, limit int, only []int64) ([]Hit, error) {
	// The database knows neither broken characters nor NUL, and nothing here has them;
	// what is longer than any name is none.
	text = strings.TrimSpace(strings.ToValidUTF8(strings.ReplaceAll(text, "\x00", " "), " "))
	if len(text) > longest {
		return nil, nil
	}
	var out []Hit
	seen := map[string]bool{}
	for i, way := range ways {
		// What is nearly right is only looked for where nothing is right.
		if len(out) >= limit || i >= 4 && len(out) > 0 {
			break
		}
		var hits []Hit
		if err := q.SelectContext(ctx, &hits, "with h as materialized ("+way+") "+found+" limit $2", text, limit, kind,
			only); err != nil {
			return nil, err
		}
		for _, h := range hits {
			key := h.Kind + strconv.FormatInt(h.Ref, 10)
			if !seen[key] && len(out) < limit {
				seen[key] = true
				out = append(out, h)
			}
		}
	}
	return out, nil
}

// Hit is one thing found.
type Hit struct {
	Kind  string `db:"kind"`
	Ref   int64  `db:"ref"`
	Field string `db:"field"`
	Shown string `db:"shown"`
	// Exact is true where a whole identifier or name was given, whatever its marks and case.
	Exact bool `db:"exact"`
	// Slip is true where nothing has what was looked for, and this nearly does.
	Slip bool `db:"slip"`
	// Name is how people call it: C-1042, a serial, a number, a vendor's key.
	Name   string `db:"name"`
	Title  string `db:"title"`
	Detail string `db:"detail"` // the vendor, or what a vendor does
}
