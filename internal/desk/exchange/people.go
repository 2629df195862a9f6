package exchange

import (
	"cmp"
	"context"
	"errors"
	"io"
	"strings"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/people"
)

// ReadPeople takes a table of our people in. New ones cannot sign in until somebody
// gives them a password.
func (d *Exchange) ReadPeople(ctx context.Context, a desk.Actor, file io.Reader, o Options) (Sum, error) {
	if err := a.May(access.People); err != nil {
		return Sum{}, err
	}
	run := &tableRun{o: o}
	from, err := table.NewReader(file, table.People)
	if err != nil {
		return run.ended(err)
	}
	return run.ended(d.db.Do(ctx, func(tx *db.Tx) error {
		if err := run.read(from, func(rows []table.Row) error {
			emails := make([]string, len(rows))
			for i, r := range rows {
				emails[i] = member(r.Members, "email")
			}
			list, err := peopledb.ByEmails(ctx, tx, emails)
			if err != nil {
				return err
			}
			known := map[string]peopledb.Person{}
			for _, p := range list {
				known[strings.ToLower(p.Email)] = p
			}
			for _, r := range rows {
				what, said, err := d.takePerson(ctx, tx, run, known, r)
				if err == nil {
					err = run.tell(Row{r.Line, what, member(r.Members, "email"), said, false})
				}
				if err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			return err
		}
		return run.settle()
	}))
}

func (d *Exchange) takePerson(ctx context.Context, tx *db.Tx, run *tableRun, known map[string]peopledb.Person,
	r table.Row) (what string, said []string, err error) {
	said = saidOf(r)
	email := member(r.Members, "email")
	if said = append(said, run.again(r.Line, "email", "", email)...); len(said) > 0 {
		return "refused", said, nil
	}
	p, there := known[strings.ToLower(email)]
	fresh := !there
	before := personFacts(p)
	var ch people.Edit
	text := func(name string) *string {
		if _, there := r.Members[name]; !there {
			return nil
		}
		s := member(r.Members, name)
		return &s
	}
	ch.Name, ch.Phone, ch.Zone, ch.Hours, ch.Languages = text("name"), text("phone"), text("zone"), text("hours"),
		text("languages")
	if role := member(r.Members, "role"); role != "" {
		ch.Role = &role
	}
	if active, ok := r.Members["active"].(bool); ok {
		ch.Active = &active
	}
	var wrong *desk.Invalid
	if fresh {
		p, err = d.people.CheckPerson(people.NewPerson{Name: member(r.Members, "name"), Email: email,
			Role: cmp.Or(member(r.Members, "role"), "handler")})
		if err == nil {
			p.PasswordHash = people.NoPassword
			err = peopledb.Add(ctx, tx, &p)
		}
	}
	if err == nil {
		err = d.people.ChangeIn(ctx, tx, &p, ch, "")
	}
	if errors.As(err, &wrong) {
		return "refused", wrong.Lines(), nil
	} else if err != nil {
		return "", nil, err
	}
	if fresh {
		return "added", []string{"cannot sign in until an administrator sets a password"}, nil
	}
	if said, err = table.People.Changes(before, personFacts(p)); err != nil || len(said) == 0 {
		return "same", nil, err
	}
	return "changed", said, nil
}

// personRecord is a person as a table says it.
type personRecord struct {
	Email     string `json:"email"`
	Name      string `json:"name"`
	Role      string `json:"role"`
	Phone     string `json:"phone,omitempty"`
	Zone      string `json:"zone,omitempty"`
	Hours     string `json:"hours,omitempty"`
	Languages string `json:"languages,omitempty"`
	Active    bool   `json:"active"`
}

func personFacts(p peopledb.Person) personRecord {
	return personRecord{p.Email, p.Name, p.Role, p.Phone, p.Zone, p.Hours, p.Languages, p.Active}
}

// WritePeople writes our people as a table.
func (d *Exchange) WritePeople(ctx context.Context, a desk.Actor, w io.Writer, style table.Style) error {
	list, err := d.people.List(ctx, a)
	if err != nil {
		return err
	}
	out, err := table.NewWriter(w, table.People, nil, style)
	if err != nil {
		return err
	}
	for _, p := range list {
		if err := out.Write(personFacts(p)); err != nil {
			return err
		}
	}
	return out.Flush()
}
