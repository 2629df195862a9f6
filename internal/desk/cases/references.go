package cases

import (
	"context"

	"roundhouse.example/internal/core/casework"
	casesdb "roundhouse.example/internal/store/cases"
)

// SetFirst makes a number the vendor's current one, or that of our own ticket. Where the case had it as another one, a
// former one, it gives the others without it, for the record; nil where nothing of them changes.
func (w *Work) SetFirst(ctx context.Context, owner casework.Owner, value string) (*[]casework.Reference, error) {
	others, err := casesdb.OtherReferences(ctx, w.Tx, w.Case.ID)
	if err != nil {
		return nil, err
	}
	if err := w.SetReference(ctx, string(owner), value); err != nil {
		return nil, err
	}
	if list := casework.Without(others, owner, value); len(list) < len(others) {
		return &list, nil
	}
	return nil, nil
}

// SetTicket changes our own ticket's number; an empty one removes it. From the filing on it is in the record.
func (w *Work) SetTicket(ctx context.Context, number string) error {
	was, err := w.KnownAs(ctx, casework.OurTicket)
	if err != nil || was == number {
		return err
	}
	w.Renumbered()
	numbers, err := w.SetFirst(ctx, casework.OurTicket, number)
	if err != nil || w.Case.FiledAt == nil && numbers == nil {
		return err
	}
	text := "Our ticket is " + number + "."
	if number == "" {
		text = "Our ticket " + was + " removed."
	}
	_, err = w.Changed(ctx, text, &casesdb.Effect{Sets: &casesdb.Sets{Ticket: &number, Numbers: numbers}})
	return err
}
