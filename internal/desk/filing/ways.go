package filing

import (
	"context"
	"slices"
	"strings"

	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
)

// Routes are the ways by which a case can be filed as it is graded.
func (f *Case) Routes() []route.Route {
	var level []route.Kind
	if f.Level != nil {
		level = f.Level.Channels.V
	}
	return f.Vendor.Profile.V.Routes(inboxdb.Routes(f.Links), level, f.about.Urgent())
}

// Wanted is the route that somebody asks for; its zero value is the usual one.
type Wanted struct {
	Channel route.Kind
	Link    string // a link's name, where the vendor has several
}

// PickRoute is the route that was asked for, or the usual one; an *desk.Invalid where there is
// none such.
func PickRoute(routes []route.Route, wanted Wanted) (route.Route, error) {
	if len(routes) == 0 {
		return route.Route{}, desk.Fault("channel",
			"this cannot be sent: the vendor has no channel for it. Add a way to reach the vendor, such as its portal or phone")
	}
	i := slices.IndexFunc(routes, func(r route.Route) bool {
		return (wanted.Channel == "" || r.Kind == wanted.Channel) && (wanted.Link == "" || r.Name == wanted.Link)
	})
	switch {
	case i >= 0:
		return routes[i], nil
	case wanted.Link != "":
		return route.Route{}, desk.Fault("link", "it cannot be sent by a link %.60q, only by %s", wanted.Link,
			namesOf(routes))
	}
	return route.Route{}, desk.Fault("channel", "it cannot be sent by %s, only by %s", wanted.Channel,
		namesOf(routes))
}

// namesOf lists routes by their kinds, and links by name where several are of one kind.
func namesOf(routes []route.Route) string {
	var out []string
	for _, k := range route.ByKind(routes) {
		var links []string
		for _, r := range routes {
			if r.Kind == k && r.Name != "" {
				links = append(links, r.Name)
			}
		}
		name := string(k)
		if len(links) > 1 {
			name += " (" + strings.Join(links, ", ") + ")"
		}
		out = append(out, name)
	}
	return strings.Join(out, ", ")
}

// Ways are the routes by which something can go to the vendor of a case that is filed, the usual one first:
// the link by which it was filed, or any where its number was brought later, else the route by which the last
// thing went. A link that the case is not at is no way.
func Ways(urgent bool, v registerdb.Vendor, links []inboxdb.VendorLink, refs []casesdb.Reference,
	sent []outboxdb.Delivery) []route.Route {
	links = LinksAt(links, sent)
	routes := v.Profile.V.Routes(inboxdb.Routes(links), nil, urgent)
	if len(links) > 0 && casesdb.NumberOf(refs, casework.Vendors) != "" {
		return routes
	}
	for _, d := range slices.Backward(sent) {
		went := d.Route()
		i := slices.IndexFunc(routes, func(r route.Route) bool { return r.Kind == went.Kind && r.Link == went.Link })
		if i >= 0 {
			usual := routes[i]
			return slices.Insert(slices.Delete(routes, i, i+1), 0, usual)
		}
	}
	return routes
}

// LinksAt are those of a vendor's links at which a case can be: the one by which it was filed, or all where it
// was filed by person.
func LinksAt(links []inboxdb.VendorLink, sent []outboxdb.Delivery) []inboxdb.VendorLink {
	at := int64(0)
	for _, d := range sent {
		if d.LinkID != nil && d.Action == route.Open && d.State != casework.SendingNotSent {
			at = *d.LinkID
		}
	}
	if at == 0 {
		return links
	}
	return slices.DeleteFunc(slices.Clone(links), func(l inboxdb.VendorLink) bool { return l.ID != at })
}

// Carried is what a person takes to the vendor: the words (for the phone with numbers spelled), and where to.
type Carried struct {
	Text string
	Ways []register.Way
}

// Carried are those of a case's deliveries that wait for a person, by id.
func (d *Filing) Carried(ctx context.Context, q db.Querier, c *casesdb.Case, v registerdb.Vendor,
	open []outboxdb.Delivery, reference string) (map[int64]Carried, error) {
	out := map[int64]Carried{}
	for _, o := range open {
		if o.State != casework.SendingToSend {
			continue
		}
		e, err := casesdb.EntryByNumber(ctx, q, c.ID, o.EntryNumber)
		if err != nil {
			return nil, err
		}
		title := intake.Fit(v.Profile.V.LimitOf(o.Channel), c.Title, "").Title
		text := intake.Pasted(o.Action == route.Open, title, reference, e.Body)
		if o.Action == route.Attach { // its message has gone before
			text = intake.Pasted(false, title, reference, "")
		}
		if o.Channel == route.Phone {
			text = intake.Spoken(text)
		}
		out[o.ID] = Carried{text, v.Profile.V.WaysBy(o.Channel, c.Urgent())}
	}
	return out, nil
}

// FilesBy is what a way takes of files.
func (d *Filing) FilesBy(ctx context.Context, q db.Querier, v registerdb.Vendor, via route.Route) (files.Limit, error) {
	limit := v.Profile.V.FilesBy(via.Kind)
	if via.Kind != route.API || limit.None {
		return limit, nil
	}
	link, err := inboxdb.ByID(ctx, q, via.Link)
	if err != nil {
		return limit, err
	}
	ch, err := d.Channels(link)
	if err == nil {
		limit.None = !ch.TakesFiles()
	}
	return limit, err
}
