package cases

import (
	"context"
	"slices"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	outboxdb "roundhouse.example/internal/store/outbox"
)

// route is how something goes to the vendor of a case that is filed.
func (w *Work) route(ctx context.Context, wanted filing.Wanted) (route.Route, error) {
	return w.routeFor(ctx, wanted, nil)
}

// routeFor is route for something that the vendor takes by some channels only; none: by any.
func (w *Work) routeFor(ctx context.Context, wanted filing.Wanted, only []route.Kind) (none route.Route, err error) {
	v, err := w.Vendor(ctx)
	if err != nil {
		return none, err
	}
	links, err := w.Links(ctx)
	if err != nil {
		return none, err
	}
	refs, err := w.References(ctx)
	if err != nil {
		return none, err
	}
	sent, err := outboxdb.Of(ctx, w.Tx, w.Case.ID)
	if err != nil {
		return none, err
	}
	routes := filing.Ways(w.Case.Urgent(), v, links, refs, sent)
	if len(only) > 0 {
		routes = slices.DeleteFunc(routes, func(r route.Route) bool { return !slices.Contains(only, r.Kind) })
	}
	return filing.PickRoute(routes, wanted)
}

// behind is the route of a step: the usual one, or behind a step that waits for a person the same way as that.
func (w *Work) behind(ctx context.Context, wanted filing.Wanted, only []route.Kind) (none route.Route, err error) {
	open, err := outboxdb.Open(ctx, w.Tx, []int64{w.Case.ID})
	if err != nil {
		return none, err
	}
	for _, o := range slices.Backward(open) {
		if o.Step == "" || o.State != casework.SendingToSend {
			continue
		}
		via := o.Route()
		if wanted.Channel != "" && wanted.Channel != via.Kind || len(only) > 0 && !slices.Contains(only, via.Kind) {
			return none, desk.Fault("channel", "entry %d, which you send %s, comes first: mark it as sent, or send this one "+
				"the same way", o.EntryNumber, words.By(string(via.Kind)))
		}
		return via, nil
	}
	return w.routeFor(ctx, wanted, only)
}
