package register

import (
	"context"
	"strings"
	"time"

	"roundhouse.example/internal/desk/hours"

	registry "roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ListVendors lists all vendors.
func (h *Register) ListVendors(ctx context.Context,
	r apigen.ListVendorsRequestObject) (apigen.ListVendorsResponseObject, error) {
	list, err := h.desk().Register.Vendors(ctx, web.Actor(ctx), web.Val(r.Params.Brief))
	if err != nil {
		return nil, err
	}
	return apigen.ListVendors200JSONResponse{Items: web.Each(list, vendor)}, nil
}

// GetVendor is one vendor by key or name, with all that is known of it.
func (h *Register) GetVendor(ctx context.Context,
	r apigen.GetVendorRequestObject) (apigen.GetVendorResponseObject, error) {
	v, tag, err := h.wholeVendor(ctx, r.Vendor)
	return apigen.GetVendor200JSONResponse{Body: v, Headers: apigen.GetVendor200ResponseHeaders{ETag: tag}}, err
}

func (h *Register) wholeVendor(ctx context.Context, key string) (out apigen.Vendor, tag *string, err error) {
	v, err := h.desk().Register.Vendor(ctx, web.Actor(ctx), key)
	if err != nil {
		return out, nil, err
	}
	out = vendor(v)
	out.Facts = v.Facts
	if len(v.Waits) > 0 {
		out.Waits = web.Ptr(web.Each(v.Waits, func(x registry.Wait) apigen.Wait {
			return apigen.Wait{Channel: apigen.Channel(x.Channel), Deadline: apigen.DeadlineKind(x.Deadline), Cases: x.Cases,
				PromisedSeconds: x.Promised, RealSeconds: x.Real, SlowestSeconds: x.Slowest, Late: x.Late}
		}))
	}
	return out, web.VersionTag(v.Version), nil
}

// AddVendor adds a vendor.
func (h *Register) AddVendor(ctx context.Context,
	r apigen.AddVendorRequestObject) (apigen.AddVendorResponseObject, error) {
	key, err := h.desk().Register.AddVendor(ctx, web.Actor(ctx), *r.Body)
	if err != nil {
		return nil, err
	}
	v, tag, err := h.wholeVendor(ctx, key)
	return apigen.AddVendor201JSONResponse{Body: v,
		Headers: apigen.AddVendor201ResponseHeaders{ETag: tag, Location: web.Ptr("/api/v1/vendors/" + key)}}, err
}

// ChangeVendor applies a merge patch to what is known of a vendor.
func (h *Register) ChangeVendor(ctx context.Context,
	r apigen.ChangeVendorRequestObject) (apigen.ChangeVendorResponseObject, error) {
	version, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	patch, _ := ctx.Value(web.BodyKey).([]byte)
	if err := h.desk().Register.ChangeVendor(ctx, web.Actor(ctx), r.Vendor, version, patch); err != nil {
		return nil, err
	}
	v, tag, err := h.wholeVendor(ctx, r.Vendor)
	return apigen.ChangeVendor200JSONResponse{Body: v, Headers: apigen.ChangeVendor200ResponseHeaders{ETag: tag}}, err
}

// RemoveVendor takes one out that nothing refers to.
func (h *Register) RemoveVendor(ctx context.Context,
	r apigen.RemoveVendorRequestObject) (apigen.RemoveVendorResponseObject, error) {
	version, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	return apigen.RemoveVendor204Response{}, h.desk().Register.RemoveVendor(ctx, web.Actor(ctx), r.Vendor, version)
}

// ListVendorPeople gives the vendor's people as contact cards.
func (h *Register) ListVendorPeople(ctx context.Context,
	r apigen.ListVendorPeopleRequestObject) (apigen.ListVendorPeopleResponseObject, error) {
	facts, _, err := h.desk().Register.VendorFacts(ctx, web.Actor(ctx), r.Vendor)
	if err != nil {
		return nil, err
	}
	cards := facts.Cards()
	return apigen.ListVendorPeople200TextvcardResponse{Body: strings.NewReader(cards), ContentLength: int64(len(cards))},
		nil
}

// Level is a vendor's level in the contract's form.
func Level(l registry.Level) apigen.Level {
	out := apigen.Level{Rank: l.Rank, Label: l.Label, Meaning: web.Some(l.Meaning), RoundTheClock: l.RoundTheClock,
		Severities: l.Severities, Criteria: []apigen.Criterion{}}
	if out.Severities == nil {
		out.Severities = []int{}
	}
	if len(l.Channels.V) > 0 {
		out.Channels = &l.Channels.V
	}
	for _, c := range l.Criteria {
		out.Criteria = append(out.Criteria, apigen.Criterion{Id: c.ID, Text: c.Text})
	}
	return out
}

func vendor(v registry.VendorView) apigen.Vendor {
	out := apigen.Vendor{Key: v.Key, Name: v.Name, Zone: v.Zone, Does: v.Does, Open: v.Open, Until: v.Until,
		LiveCases: v.Live,
		Levels:    web.Each(v.Levels, Level), Contracts: []apigen.VendorContract{}, Hours: web.Each(v.Hours, hoursOf)}
	labels := map[int]string{}
	for _, l := range v.Levels {
		labels[l.Rank] = l.Label
	}
	for _, k := range v.Contracts {
		c := apigen.VendorContract{Number: k.Number, StartsOn: k.StartsOn.Format(time.DateOnly),
			EndsOn: k.EndsOn.Format(time.DateOnly),
			Id:     k.ID, OnChange: k.Terms.OnChange, WhileOurs: k.Terms.WhileOurs, Terms: []apigen.Term{}}
		for _, r := range k.Rows {
			c.Terms = append(c.Terms,
				apigen.Term{Deadline: apigen.DeadlineKind(r.Deadline), Rank: r.Rank, Label: web.Some(labels[r.Rank]),
					Target: r.Target, Calendar: k.Names[web.Val(r.CalendarID)],
					Kind: web.Some(r.Kind), Channel: web.Some(string(r.Channel)), Country: web.Some(r.Country)})
		}
		out.Contracts = append(out.Contracts, c)
	}
	if len(v.Links) > 0 {
		out.Links = web.Ptr(web.Each(v.Links, link))
	}
	return out
}

func link(l registry.LinkView) apigen.Link {
	return apigen.Link{Name: l.Name, Channel: l.Kind, Address: l.Address, LastLookAt: l.LookedAt,
		FailingSince: l.FailingSince,
		Failures:     l.Failures, Problem: web.Some(l.Problem), NotPlaced: web.Some(l.NotPlaced)}
}

func hoursOf(c hours.CalendarVersion) apigen.Hours {
	d := c.Definition.V
	h := apigen.Hours{Name: c.Name, Zone: d.Zone, Always: d.Always}
	if h.Zone == "" {
		h.Zone = "UTC"
	}
	if len(d.Week) > 0 {
		h.Week = &d.Week
	}
	if len(d.Closed) > 0 {
		h.Closed = &d.Closed
	}
	if len(d.Extra) > 0 {
		h.Extra = &d.Extra
	}
	return h
}
