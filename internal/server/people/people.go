package people

import (
	"context"

	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// ListPeople lists our people.
func (h *People) ListPeople(ctx context.Context,
	_ apigen.ListPeopleRequestObject) (apigen.ListPeopleResponseObject, error) {
	list, err := h.desk().People.List(ctx, web.Actor(ctx))
	if err != nil {
		return nil, err
	}
	return apigen.ListPeople200JSONResponse{Items: web.Each(list, person)}, nil
}

// AddPerson adds one of our people.
func (h *People) AddPerson(ctx context.Context,
	r apigen.AddPersonRequestObject) (apigen.AddPersonResponseObject, error) {
	a := web.Actor(ctx)
	p, err := h.desk().People.Add(ctx, &a,
		people.NewPerson{Name: r.Body.Name, Email: r.Body.Email, Role: string(r.Body.Role), Password: r.Body.Password})
	if err != nil {
		return nil, err
	}
	return apigen.AddPerson201JSONResponse(person(p)), nil
}

// ChangePerson changes one of our people.
func (h *People) ChangePerson(ctx context.Context,
	r apigen.ChangePersonRequestObject) (apigen.ChangePersonResponseObject, error) {
	version, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	ch := people.Edit{Name: r.Body.Name, Password: r.Body.Password, Active: r.Body.Active, Role: (*string)(r.Body.Role),
		Phone: r.Body.Phone, Zone: r.Body.Zone, Hours: r.Body.Hours, Languages: r.Body.Languages}
	p, err := h.desk().People.Change(ctx, web.Actor(ctx), r.Person, version, ch)
	if err != nil {
		return nil, err
	}
	return apigen.ChangePerson200JSONResponse(person(p)), nil
}

// ListHolds says what hangs on a person at the vendors.
func (h *People) ListHolds(ctx context.Context,
	r apigen.ListHoldsRequestObject) (apigen.ListHoldsResponseObject, error) {
	list, err := h.desk().People.Holds(ctx, web.Actor(ctx), r.Person)
	if err != nil {
		return nil, err
	}
	return apigen.ListHolds200JSONResponse{Items: web.Each(list, func(x people.Hold) apigen.Hold {
		return apigen.Hold{Vendor: x.Vendor, Name: x.Name, What: x.What}
	})}, nil
}

func person(p people.Person) apigen.Person {
	return apigen.Person{Id: p.ID, Version: p.Version, Name: p.Name, Email: p.Email, Role: apigen.Role(p.Role),
		Active: p.Active,
		Phone:  web.Some(p.Phone), Zone: web.Some(p.Zone), Hours: web.Some(p.Hours), Languages: web.Some(p.Languages)}
}
