package files

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
)

// ErrRemoved is returned where the content of a file was removed.
var ErrRemoved = errors.New("the content of this file was removed")

// Remove removes the content of a file for good: a picture that shows too much, or what the law wants gone. That it was
// there, its hash, and why it was removed stay in the record.
func (d *Files) Remove(ctx context.Context, a desk.Actor, caseName string, number int, because string) (File, error) {
	if err := a.May(access.Work); err != nil {
		return File{}, err
	}
	f, err := d.One(ctx, a, caseName, number)
	if err != nil {
		return f, err
	}
	if because, err = reasonOf(because); err != nil {
		return f, err
	}
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		return d.cases.Change(ctx, tx, f.CaseID, &a, func(w *cases.Work) error {
			goes, err := filesdb.EnclosedOf(ctx, tx, f.CaseID)
			if err != nil {
				return err
			}
			for _, x := range goes {
				if x.Number == number && !x.State.Ended() {
					return &casework.Refusal{Why: fmt.Sprintf("It goes with entry %d, which has not arrived yet: wait for that, or "+
						"choose not to send it.", x.Entry)}
				}
			}
			removed, err := filesdb.Remove(ctx, tx, f.ID, a.ID, because, w.Now)
			if err != nil {
				return err
			}
			if removed {
				said := fmt.Sprintf("The content of file %d was removed. Reason: %s", number, because)
				if f.SHA256 != nil {
					said += fmt.Sprintf("\nIts SHA-256 was %s.", hex.EncodeToString(f.SHA256))
				}
				if _, err = w.Changed(ctx, said, nil); err != nil {
					return err
				}
			}
			f, err = filesdb.ByID(ctx, tx, f.ID)
			return err
		})
	})
	if err == nil {
		d.dropNow(ctx, f)
	}
	return f, err
}

func reasonOf(s string) (string, error) {
	if s = strings.TrimSpace(s); s == "" {
		return "", desk.Fault("reason", "say why")
	}
	return s, nil
}

// dropNow takes a removed file out of the folder at once. Where that fails, the removal stands all the same: the sweep
// tries again, and logs why it cannot.
func (d *Files) dropNow(ctx context.Context, f File) { _ = d.drop(ctx, f) }

// drop takes a removed file out of the folder.
func (d *Files) drop(ctx context.Context, f File) error {
	if d.folder == nil || f.RemovedAt == nil || f.Dropped {
		return nil
	}
	if err := d.folder.Drop(f.Key); err != nil {
		return err
	}
	return filesdb.Dropped(ctx, d.db.DB, f.ID)
}

// dropRemoved drops what could not be dropped when it was removed.
func (d *Files) dropRemoved(ctx context.Context) error {
	list, err := filesdb.ToDrop(ctx, d.db.DB, atOnce)
	for _, f := range list {
		err = errors.Join(err, d.drop(ctx, f))
	}
	return err
}
