package cases

import (
	"context"
	"errors"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
)

func (w *Work) giveTo(ctx context.Context, email, summary string) error {
	p, err := peopledb.ByEmail(ctx, w.Tx, email)
	if errors.Is(err, db.ErrNotFound) || err == nil && !p.Active {
		return desk.Fault("person", "nobody here has the email address %q", email)
	} else if err != nil {
		return err
	}
	if !access.May(p.Role, access.Work) {
		return desk.Fault("person", "%s is %s and cannot own a case", p.Name, p.Role)
	}
	return w.give(ctx, p, summary)
}

func (w *Work) give(ctx context.Context, p peopledb.Person, summary string) error {
	if w.Case.OwnerID != nil && *w.Case.OwnerID == p.ID {
		return nil
	}
	w.Case.OwnerID = &p.ID
	text, sets := p.Name+" is now the owner.", &casesdb.Sets{Owner: &p.ID}
	if summary = strings.TrimSpace(summary); summary != "" {
		text += "\nWhere it stands: " + summary
		sets.Summary, sets.SummaryBy = &summary, w.actor.Name
	}
	_, err := w.Changed(ctx, text, &casesdb.Effect{Sets: sets})
	return err
}
