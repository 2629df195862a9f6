package cases

import (
	"context"
	"fmt"
	"strings"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
)

// giveMove says on whom a case waits: on which side, and on whom of it exactly.
func (w *Work) giveMove(ctx context.Context, r StepRequest) error {
	on := r.On
	on.Name = strings.TrimSpace(on.Name)
	if on.Whom == "" {
		on.Whom = casework.Usually(r.Move)
	}
	side := on.Whom.Side()
	switch {
	case side == "":
		return desk.Fault("move", "say whose move it is: ours or theirs")
	case r.Move != "" && r.Move != side:
		return desk.Fault("on", "the %s is not on that side", strings.ToLower(words.Whoms.Of(string(on.Whom))))
	case on.Name == "" && (on.Whom == casework.OnPartner || on.Whom == casework.OnCarrier || on.Whom == casework.OnPerson):
		return desk.Fault("on_name", "say who that is")
	case len([]rune(on.Name)) > 200:
		return desk.Fault("on_name", "at most 200 characters are allowed")
	case w.Case.MoveOn == on.Whom && w.Case.MoveOnName == on.Name:
		return nil
	}
	_, err := w.Changed(ctx, strings.TrimSpace(fmt.Sprintf("Waiting on %s. %s", on.Words(), strings.TrimSpace(r.Reason))),
		&casesdb.Effect{Event: deadline.Moved, Move: side, Sets: &casesdb.Sets{On: &on}})
	return err
}
