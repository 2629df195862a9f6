package drafts

import (
	"context"
	"fmt"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	registerdb "roundhouse.example/internal/store/register"
)

// SetMakerStatus writes down the status word of the maker behind the reseller with which a case is. It moves no clock:
// the case is the reseller's.
func (d *Drafts) SetMakerStatus(ctx context.Context, a desk.Actor, id int64, word string,
	at time.Time) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	word = strings.TrimSpace(word)
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			switch {
			case w.Case.MakerID == nil:
				return desk.Fault("status", "no maker is behind this case: it is with its vendor directly")
			case word == "":
				return desk.Fault("status", "give the maker's status word")
			case at.After(w.Now):
				return desk.Fault("at", "this is in the future: give the time when it got this status")
			case w.Case.State == casework.Draft:
				return desk.Fault("status", "this is a draft: the maker has not heard of it yet")
			}
			maker, err := registerdb.VendorByID(ctx, tx, *w.Case.MakerID)
			if err != nil {
				return err
			}
			_, err = w.Add(ctx, casesdb.Entry{Kind: casework.Change, HappenedAt: at,
				Body:   fmt.Sprintf("Status at %s: %q.", maker.Name, word),
				Effect: db.JSON[*casesdb.Effect]{V: &casesdb.Effect{Sets: &casesdb.Sets{MakerStatus: &word}}}})
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: w.Case.LastEntry}
			return err
		})
		return ref, err
	})
}
