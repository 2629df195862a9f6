package drafts

import (
	"context"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Summarize writes down where a case stands: a few lines that head it, with their date. Empty text clears them.
func (d *Drafts) Summarize(ctx context.Context, a desk.Actor, id int64, text string) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	text = strings.TrimSpace(text)
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			said := "Where it stands: " + text
			if text == "" {
				said = "Where it stands: cleared."
			}
			e, err := w.Changed(ctx, said, &casesdb.Effect{Sets: &casesdb.Sets{Summary: &text, SummaryBy: a.Name}})
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: e.Number}
			return err
		})
		return ref, err
	})
}
