package filing

import (
	"context"
	"slices"
	"strings"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// Routes are the channels by which a case can be filed as it is graded.
func (f *Case) Routes() []string {
	var level []string
	if f.Level != nil {
		level = f.Level.Channels.V
	}
	return f.Vendor.Profile.V.Routes(f.Link != nil, level)
}

// PickRoute is the channel that was asked for, or the usual one; an *desk.Invalid where there is
// none such.
func PickRoute(routes []string, wanted string) (string, error) {
	switch {
	case len(routes) == 0:
		return "", desk.Fault("channel", "the vendor has no way by which this can go; enter one at the vendor, such as its portal or phone")
	case wanted == "":
		return routes[0], nil
	case !slices.Contains(routes, wanted):
		return "", desk.Fault("channel", "this does not go by %s here; it goes by %s", wanted, strings.Join(routes, ", "))
	}
	return wanted, nil
}

// Ways are the channels by which something can go to the vendor of a case that is
// filed, the usual one first: its link where that knows the case, else the one by
// which the last thing went.
func Ways(v registerdb.Vendor, linked bool, refs []casesdb.Reference, sent []outboxdb.Delivery) []string {
	routes := v.Profile.V.Routes(linked, nil)
	if linked && slices.ContainsFunc(refs, func(r casesdb.Reference) bool { return r.Whose == "vendor" }) {
		return routes
	}
	for _, d := range slices.Backward(sent) {
		if i := slices.Index(routes, d.Channel); i >= 0 {
			return append([]string{d.Channel}, slices.Delete(routes, i, i+1)...)
		}
	}
	return routes
}

// Carried is what a person takes to the vendor: the words, and where to.
type Carried struct {
	Text string
	Ways []register.Way
}

// Carried are those of a case's deliveries that wait for a person, by id.
func (d *Filing) Carried(ctx context.Context, q db.Querier, c *casesdb.Case, v registerdb.Vendor, open []outboxdb.Delivery, reference string) (map[int64]Carried, error) {
	out := map[int64]Carried{}
	for _, o := range open {
		if o.State != casework.SendingByHand {
			continue
		}
		e, err := casesdb.EntryByNumber(ctx, q, c.ID, o.EntryNumber)
		if err != nil {
			return nil, err
		}
		urgent := c.Severity != nil && *c.Severity == 1
		out[o.ID] = Carried{intake.ByHand(o.Action == "open", c.Title, reference, e.Body), v.Profile.V.WaysBy(o.Channel, urgent)}
	}
	return out, nil
}
