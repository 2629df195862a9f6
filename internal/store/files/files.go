// Package files keeps what is known of files; their bytes are in a folder, under their keys.
package files

import (
	"context"
	"time"

	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/store/db"
)

// File is a row of file with who added it. Until it has arrived it has no number.
type File struct {
	ID     int64  `db:"id"`
	Key    string `db:"key"`
	CaseID int64  `db:"case_id"` // 0 for a paper
	// Vendor and the others are of a paper what it belongs to; all but one are nil.
	VendorID   *int64     `db:"vendor_id"`
	ContractID *int64     `db:"contract_id"`
	AccountID  *int64     `db:"account_id"`
	AssetID    *int64     `db:"asset_id"`
	Number     *int       `db:"number"`
	EntryID    *int64     `db:"entry_id"`
	Name       string     `db:"name"`
	Caption    string     `db:"caption"`
	Bytes      int64      `db:"bytes"`
	Sensitive  bool       `db:"sensitive"`
	Serves     string     `db:"serves"` // which of the files that the vendor wants it is
	AddedBy    int64      `db:"added_by"`
	BeganAt    time.Time  `db:"began_at"`
	ArrivedAt  *time.Time `db:"arrived_at"`
	MadeFrom   *int64     `db:"made_from"`
	// ExaminedAt is when its content was looked through, LookedAt when somebody last began to. Problem is why that could
	// not be done yet.
	LookedAt   *time.Time `db:"looked_at"`
	ExaminedAt *time.Time `db:"examined_at"`
	Problem    string     `db:"problem"`
	SHA256     []byte     `db:"sha256"`
	// Type is the media type of the content, NamedType the one that the name promises where it is another.
	Type      string            `db:"type"`
	NamedType string            `db:"named_type"`
	Findings  db.JSON[Findings] `db:"findings"`
	// RemovedAt is when its content was removed, by whom and why. Dropped says that the folder no longer has it.
	RemovedAt      *time.Time `db:"removed_at"`
	RemovedBy      *int64     `db:"removed_by"`
	RemovedBecause string     `db:"removed_because"`
	Dropped        bool       `db:"dropped"`
	// Adder, FromNumber and EntryNumber come from other tables.
	Adder       string `db:"adder"`
	FromNumber  *int   `db:"from_number"`
	EntryNumber *int   `db:"entry_number"`
}

// Findings are what must be known before a file leaves: the first of them, and how many there are of each kind.
type Findings struct {
	Count map[disclosure.Kind]int `json:"count,omitempty"`
	First []Finding               `json:"first,omitempty"`
}

// Finding is one place. Inside is where in an archive it is.
type Finding struct {
	Inside  string          `json:"inside,omitempty"`
	Line    int             `json:"line,omitempty"`
	Kind    disclosure.Kind `json:"kind"`
	Excerpt string          `json:"excerpt,omitempty"`
}

const columns = `select f.id, f.key, coalesce(f.case_id, 0) as case_id, f.vendor_id, f.contract_id, f.account_id,
	f.asset_id, f.number, f.entry_id, f.name, f.caption, f.bytes, f.sensitive, f.serves, f.added_by, f.began_at,
	f.arrived_at, f.made_from, f.looked_at, f.examined_at, f.problem, f.sha256, f.type, f.named_type, f.findings,
	f.removed_at, f.removed_by, f.removed_because, f.dropped, p.name as adder, m.number as from_number,
	e.number as entry_number
	from file f join person p on p.id = f.added_by left join file m on m.id = f.made_from
	left join case_entry e on e.id = f.entry_id `

// Add gives a file that is to come its id.
func Add(ctx context.Context, t *db.Tx, f *File) error {
	return t.GetContext(ctx, &f.ID, `insert into file (key, case_id, name, caption, bytes, sensitive, added_by, began_at,
		made_from, serves, vendor_id, contract_id, account_id, asset_id)
		values ($1, nullif($2::bigint, 0), $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14) returning id`,
		f.Key, f.CaseID, f.Name, f.Caption, f.Bytes, f.Sensitive, f.AddedBy, f.BeganAt,
		f.MadeFrom, f.Serves, f.VendorID, f.ContractID, f.AccountID, f.AssetID)
}

// ByKey is db.ErrNotFound where there is none.
func ByKey(ctx context.Context, q db.Querier, key string) (f File, err error) {
	return f, db.One(q.GetContext(ctx, &f, columns+"where f.key = $1", key))
}

// ByID is db.ErrNotFound where there is none.
func ByID(ctx context.Context, q db.Querier, id int64) (f File, err error) {
	return f, db.One(q.GetContext(ctx, &f, columns+"where f.id = $1", id))
}

// ByNumber is a file of a case that has arrived; db.ErrNotFound where there is none.
func ByNumber(ctx context.Context, q db.Querier, caseID int64, number int) (f File, err error) {
	return f, db.One(q.GetContext(ctx, &f, columns+"where f.case_id = $1 and f.number = $2", caseID, number))
}

// OfCase are the files of a case that have arrived, in order.
func OfCase(ctx context.Context, q db.Querier, caseID int64) (out []File, err error) {
	return out, q.SelectContext(ctx, &out, columns+"where f.case_id = $1 and f.number is not null order by f.number",
		caseID)
}

// Coming is how many uploads a person has under way.
func Coming(ctx context.Context, q db.Querier, person int64) (n int, err error) {
	return n, q.GetContext(ctx, &n, "select count(*) from file where arrived_at is null and added_by = $1", person)
}

// Next is the number of the next file of a case. Its case is locked.
func Next(ctx context.Context, t *db.Tx, caseID int64) (n int, err error) {
	return n, t.GetContext(ctx, &n, "select coalesce(max(number), 0) + 1 from file where case_id = $1", caseID)
}

// Arrived gives a file its number and its line of the record.
func Arrived(ctx context.Context, t *db.Tx, f File) error {
	_, err := t.ExecContext(ctx, "update file set arrived_at = $2, number = $3, entry_id = $4 where id = $1", f.ID,
		f.ArrivedAt, f.Number, f.EntryID)
	return err
}

// Forget removes a file that has not arrived; false where it has.
func Forget(ctx context.Context, q db.Querier, id int64) (bool, error) {
	return db.Affected(q.ExecContext(ctx, "delete from file where id = $1 and arrived_at is null", id))
}

// Describe changes what people say of a file.
func Describe(ctx context.Context, t *db.Tx, f File) error {
	_, err := t.ExecContext(ctx, "update file set caption = $2, sensitive = $3, serves = $4 where id = $1", f.ID,
		f.Caption, f.Sensitive, f.Serves)
	return err
}

// Examined writes what the content says. It is done once.
func Examined(ctx context.Context, t *db.Tx, f File) (bool, error) {
	findings, err := f.Findings.Text()
	if err != nil {
		return false, err
	}
	return db.Affected(t.ExecContext(ctx, `update file set examined_at = $2, sha256 = $3, type = $4, named_type = $5,
		findings = cast($6 as jsonb), problem = '' where id = $1 and examined_at is null`, f.ID, f.ExaminedAt, f.SHA256,
		f.Type, f.NamedType, findings))
}

// Failed writes why a file could not be examined.
func Failed(ctx context.Context, q db.Querier, id int64, problem string) error {
	_, err := q.ExecContext(ctx, "update file set problem = $2 where id = $1 and examined_at is null", id, problem)
	return err
}

// Unexamined are those that have arrived and were not examined yet, nor tried since an instant, the oldest first.
func Unexamined(ctx context.Context, q db.Querier, tried time.Time, limit int) (ids []int64, err error) {
	return ids, q.SelectContext(ctx, &ids, `select id from file where arrived_at is not null and examined_at is null
		and removed_at is null and (looked_at is null or looked_at < $1) order by arrived_at limit $2`, tried, limit)
}

// Looked says that somebody begins to examine a file, so that one on which that fails is not tried at once again.
func Looked(ctx context.Context, q db.Querier, id int64, at time.Time) error {
	_, err := q.ExecContext(ctx, "update file set looked_at = $2 where id = $1", id, at)
	return err
}

// Unfinished are those that began before an instant and have not arrived, the oldest first, after one of them.
func Unfinished(ctx context.Context, q db.Querier, before time.Time, after int64, limit int) (out []File, err error) {
	return out, q.SelectContext(ctx, &out, columns+`where f.arrived_at is null and f.began_at < $1 and f.id > $2
		order by f.id limit $3`, before, after, limit)
}

// CopyOf is a masked copy of a file that has arrived; db.ErrNotFound where there is none.
func CopyOf(ctx context.Context, q db.Querier, id int64) (f File, err error) {
	return f, db.One(q.GetContext(ctx, &f, columns+"where f.made_from = $1 and f.number is not null limit 1", id))
}

// ByEntry are the numbers of files by the lines of a case's record that say they were added.
func ByEntry(ctx context.Context, q db.Querier, entries []int64) (map[int64]int, error) {
	var rows []struct {
		Entry  int64 `db:"entry_id"`
		Number int   `db:"number"`
	}
	err := q.SelectContext(ctx, &rows, "select entry_id, number from file where entry_id = any($1)", entries)
	out := make(map[int64]int, len(rows))
	for _, r := range rows {
		out[r.Entry] = r.Number
	}
	return out, err
}

// Remove writes that the content of a file is removed; false where it was before.
func Remove(ctx context.Context, t *db.Tx, id, person int64, because string, at time.Time) (bool, error) {
	return db.Affected(t.ExecContext(ctx, `update file set removed_at = $2, removed_by = $3, removed_because = $4
		where id = $1 and removed_at is null`, id, at, person, because))
}

// ToDrop are removed files that the folder may still have.
func ToDrop(ctx context.Context, q db.Querier, limit int) (out []File, err error) {
	return out, q.SelectContext(ctx, &out, columns+`where f.removed_at is not null and not f.dropped
		order by f.id limit $1`, limit)
}

// Dropped says that the folder no longer has a file.
func Dropped(ctx context.Context, q db.Querier, id int64) error {
	_, err := q.ExecContext(ctx, "update file set dropped = true where id = $1", id)
	return err
}
