package files

import (
	"context"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/store/db"
)

// Enclosed is a file that goes with a message, and how that stands.
type Enclosed struct {
	DeliveryID int64            `db:"delivery_id"`
	Entry      int              `db:"entry_number"` // the message
	Action     route.Action     `db:"action"`
	Channel    route.Kind       `db:"channel"`
	State      casework.Sending `db:"state"`
	LeftAt     *time.Time       `db:"left_at"`
	FileID     int64            `db:"file_id"`
	Number     int              `db:"number"`
	Key        string           `db:"key"`
	Name       string           `db:"name"`
	Caption    string           `db:"caption"`
	Bytes      int64            `db:"bytes"`
	Type       string           `db:"type"`
	SHA256     []byte           `db:"sha256"`
	Sensitive  bool             `db:"sensitive"`
	AddedBy    int64            `db:"added_by"`
}

const enclosed = `select x.delivery_id, d.entry_number, d.action, d.channel, d.state, d.left_at, x.file_id, f.number,
	f.key, f.name, f.caption, f.bytes, f.type, f.sha256, f.sensitive, f.added_by from delivery_file x
	join delivery d on d.id = x.delivery_id join file f on f.id = x.file_id `

// EnclosedOf are the files that go with messages of a case, in the order in which they go.
func EnclosedOf(ctx context.Context, q db.Querier, caseID int64) (out []Enclosed, err error) {
	return out, q.SelectContext(ctx, &out, enclosed+"where d.case_id = $1 order by d.entry_number, d.id, x.position",
		caseID)
}

// In are those that go with one delivery, in order.
func In(ctx context.Context, q db.Querier, delivery int64) (out []Enclosed, err error) {
	return out, q.SelectContext(ctx, &out, enclosed+"where d.id = $1 order by x.position", delivery)
}

// Enclose lets files go with a delivery, behind those that do already.
func Enclose(ctx context.Context, t *db.Tx, delivery int64, files ...int64) error {
	for _, id := range files {
		if _, err := t.ExecContext(ctx, `insert into delivery_file (delivery_id, position, file_id)
			select $1, coalesce(max(position), 0) + 1, $2 from delivery_file where delivery_id = $1`, delivery, id); err != nil {
			return err
		}
	}
	return nil
}

// Enclosing hands the files of one delivery to another, behind those that go with it already.
func Enclosing(ctx context.Context, t *db.Tx, from, to int64) error {
	_, err := t.ExecContext(ctx, `update delivery_file set delivery_id = $2, position = position +
		(select coalesce(max(position), 0) from delivery_file where delivery_id = $2) where delivery_id = $1`, from, to)
	return err
}
