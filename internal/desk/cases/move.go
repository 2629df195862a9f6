package cases

import (
	"context"
	"fmt"
	"strings"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
)

func (w *Work) giveMove(ctx context.Context, r StepRequest) error {
	if r.Move != deadline.Ours && r.Move != deadline.Theirs {
		return desk.Fault("move", "say whose move it is: ours or theirs")
	}
	if w.Case.Move != nil && *w.Case.Move == r.Move {
		return nil
	}
	_, err := w.Changed(ctx,
		strings.TrimSpace(fmt.Sprintf("Waiting on %s. %s", words.Sides.Of(string(r.Move)), strings.TrimSpace(r.Reason))),
		&casesdb.Effect{Event: deadline.Moved, Move: r.Move})
	return err
}
