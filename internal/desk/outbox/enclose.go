package outbox

import (
	"cmp"
	"context"
	"encoding/hex"
	"fmt"
	"io"
	"strings"
	"time"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/casework"
	corefiles "roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	casesdb "roundhouse.example/internal/store/cases"
	filesdb "roundhouse.example/internal/store/files"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// enclose puts the files of a delivery into its letter. One that is by itself says what it is.
func (w *work) enclose(ctx context.Context, del outboxdb.Delivery, l *channel.Letter) error {
	list, err := filesdb.In(ctx, w.Tx, del.ID)
	if err != nil {
		return err
	}
	for _, f := range list {
		l.Files = append(l.Files, channel.File{Name: f.Name, Caption: f.Caption, Bytes: f.Bytes,
			Type: cmp.Or(f.Type, "application/octet-stream"),
			Open: func() (io.ReadSeekCloser, error) { return w.out.files.Bytes(f.Key) }})
	}
	if del.Action == route.Attach && len(list) > 0 {
		l.Text = cmp.Or(list[0].Caption, list[0].Name)
	}
	return nil
}

// enclosed says which files have left with a delivery, each with its hash; empty for none.
func (w *work) enclosed(ctx context.Context, del *outboxdb.Delivery) (string, error) {
	list, err := filesdb.In(ctx, w.Tx, del.ID)
	var said []string
	for _, f := range list {
		name := f.Name
		if f.Sensitive {
			name = "a sensitive file"
		}
		said = append(said, fmt.Sprintf("File %d sent: %s (%s, SHA-256 %s).", f.Number, name, corefiles.Bytes(f.Bytes),
			hex.EncodeToString(f.SHA256)))
	}
	return strings.Join(said, "\n"), err
}

// arriveAttached writes down that a file has reached the vendor by itself, behind its message.
func (w *work) arriveAttached(ctx context.Context, del *outboxdb.Delivery, at time.Time) error {
	text, err := w.enclosed(ctx, del)
	if err != nil {
		return err
	}
	if _, err := w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber, HappenedAt: at,
		Body: text}); err != nil {
		return err
	}
	return w.WakeNext(ctx, del)
}

// takeAlong lets a person take the files that were to follow a message with it; where none go that way, they are not
// sent.
func (w *work) takeAlong(ctx context.Context, del *outboxdb.Delivery, via route.Kind) error {
	if del.Action == route.Attach {
		return nil
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return err
	}
	none := v.Profile.V.FilesBy(via).None
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return err
	}
	left := 0
	for _, o := range open {
		if o.Action != route.Attach || o.EntryNumber != del.EntryNumber || o.ID < del.ID || !o.State.NotLeft() {
			continue
		}
		if none {
			left++
		} else if err := filesdb.Enclosing(ctx, w.Tx, o.ID, del.ID); err != nil {
			return err
		}
		if err := w.Unsend(ctx, &o); err != nil {
			return err
		}
	}
	if left == 0 {
		return nil
	}
	_, err = w.Add(ctx, casesdb.Entry{Kind: casework.Change, RefersTo: &del.EntryNumber, Body: fmt.Sprintf(
		"The files of entry %d were not sent: no files can be sent %s.", del.EntryNumber, words.By(string(via)))})
	return err
}
