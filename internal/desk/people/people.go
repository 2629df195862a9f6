package people

import (
	"context"
	"fmt"
	"strings"
	"time"
	"unicode"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
)

// NewPerson is somebody to add.
type NewPerson struct{ Name, Email, Role, Password string }

// Add adds one of our people. actor nil is the demo's, which fills a desk.
func (d *People) Add(ctx context.Context, actor *desk.Actor, n NewPerson) (peopledb.Person, error) {
	if actor != nil {
		if err := actor.May(access.People); err != nil {
			return peopledb.Person{}, err
		}
	}
	fresh, err := d.newPerson(n)
	if err != nil {
		return fresh, err
	}
	p, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (peopledb.Person, error) {
		p := fresh
		return p, peopledb.Add(ctx, tx, &p)
	})
	if db.Unique(err, "person_email") {
		return p, desk.Fault("email", "somebody already has the email address %s", fresh.Email)
	}
	return p, err
}

// newPerson is the row of somebody who can be added.
func (d *People) newPerson(n NewPerson) (peopledb.Person, error) {
	p, err := d.CheckPerson(n)
	switch {
	case err != nil:
		return p, err
	}
	if err := checkPassword(n.Password); err != nil {
		return peopledb.Person{}, err
	}
	p.PasswordHash, err = hashPassword(n.Password)
	return p, err
}

func checkPassword(s string) error {
	if len(strings.TrimSpace(s)) < 10 {
		return desk.Fault("password", "a password needs at least ten characters, not counting spaces at its start and end")
	}
	return nil
}

// CheckPerson is the row of somebody new, but for the password.
func (d *People) CheckPerson(n NewPerson) (peopledb.Person, error) {
	n.Name, n.Email = strings.TrimSpace(n.Name), strings.TrimSpace(n.Email)
	wrong := checkName(n.Name, n.Role)
	if strings.Index(n.Email, "@") < 1 || strings.HasSuffix(n.Email, "@") || strings.ContainsFunc(n.Email, odd) {
		wrong = append(wrong, desk.Field{Name: "email", Detail: fmt.Sprintf("%.80q is not an email address", n.Email)})
	}
	if len(wrong) > 0 {
		return peopledb.Person{}, &desk.Invalid{Fields: wrong}
	}
	return peopledb.Person{Name: n.Name, Email: n.Email, Role: n.Role, Active: true, CreatedAt: d.Now()}, nil
}

// odd is a character that has no place in a single line.
func odd(r rune) bool { return unicode.IsControl(r) || r == '\u2028' || r == '\u2029' }

func checkName(name, role string) (wrong []desk.Field) {
	switch {
	case name == "":
		wrong = append(wrong, desk.Field{Name: "name", Detail: "the name is empty"})
	case strings.ContainsFunc(name, odd):
		wrong = append(wrong, desk.Field{Name: "name",
			Detail: "it has an invisible character, such as a line break: remove it"})
	}
	if len(access.Acts(role)) == 0 {
		wrong = append(wrong, desk.Field{Name: "role", Detail: "the role is handler, lead, auditor or administrator"})
	}
	return wrong
}

// Edit changes a person; nil leaves a thing as it is.
type Edit struct {
	Name, Role, Password          *string
	Active                        *bool
	Phone, Zone, Hours, Languages *string
}

// Change changes one of our people; match is the version that was read. The last
// administrator stays one. A new password, or leaving, ends sessions and tokens.
func (d *People) Change(ctx context.Context, a desk.Actor, id, match int64, ch Edit) (peopledb.Person, error) {
	if err := a.May(access.People); err != nil {
		return peopledb.Person{}, err
	}
	var hash string
	if ch.Password != nil {
		if err := checkPassword(*ch.Password); err != nil {
			return peopledb.Person{}, err
		}
		var err error
		if hash, err = hashPassword(*ch.Password); err != nil {
			return peopledb.Person{}, err
		}
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (peopledb.Person, error) {
		p, err := peopledb.ByID(ctx, tx, id)
		if err != nil {
			return p, err
		}
		if p.Version != match {
			return p, &desk.Stale{What: "person"}
		}
		return p, d.ChangeIn(ctx, tx, &p, ch, hash)
	})
}

// ChangeIn changes a person within a transaction; hash is of a new password, or empty.
func (d *People) ChangeIn(ctx context.Context, tx *db.Tx, p *peopledb.Person, ch Edit, hash string) error {
	was := *p
	if ch.Name != nil {
		p.Name = strings.TrimSpace(*ch.Name)
	}
	if ch.Role != nil {
		p.Role = *ch.Role
	}
	if ch.Active != nil {
		p.Active = *ch.Active
	}
	wrong := checkName(p.Name, p.Role)
	for _, x := range []struct {
		field string
		from  *string
		to    *string
	}{{"phone", ch.Phone, &p.Phone}, {"hours", ch.Hours, &p.Hours}, {"languages", ch.Languages, &p.Languages},
		{"zone", ch.Zone, &p.Zone}} {
		if x.from == nil {
			continue
		}
		if *x.to = strings.TrimSpace(*x.from); strings.ContainsFunc(*x.to, odd) {
			wrong = append(wrong, desk.Field{Name: x.field, Detail: "it has to be one line"})
		}
	}
	if _, err := time.LoadLocation(p.Zone); err != nil || p.Zone == "Local" {
		wrong = append(wrong, desk.Field{Name: "zone",
			Detail: fmt.Sprintf("%.60q is not a known time zone; name one like Europe/Oslo", p.Zone)})
	}
	if len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	if hash != "" {
		p.PasswordHash = hash
	}
	if hash != "" || was.Active && !p.Active {
		p.Credential++
		if err := peopledb.RevokeTokens(ctx, tx, p.ID, d.Now()); err != nil {
			return err
		}
		if err := tx.Tell(ctx, desk.AccessTold, fmt.Sprint(p.ID)); err != nil {
			return err
		}
	}
	if was.Role == "administrator" && was.Active && (p.Role != was.Role || !p.Active) {
		// Two of them at once must not each count the other.
		if err := peopledb.LockAdministrators(ctx, tx); err != nil {
			return err
		}
		n, err := peopledb.ActiveAdministrators(ctx, tx, p.ID)
		if err != nil {
			return err
		}
		if n == 0 {
			return desk.Fault("role", "%s is the last administrator; make somebody else an administrator first", p.Name)
		}
	}
	if *p == was {
		return nil
	}
	changed, err := peopledb.Change(ctx, tx, p)
	if err == nil && !changed {
		err = &desk.Stale{What: "person"}
	}
	return err
}

// List are all of ours.
func (d *People) List(ctx context.Context, a desk.Actor) ([]peopledb.Person, error) {
	if err := a.May(access.Read); err != nil {
		return nil, err
	}
	return peopledb.All(ctx, d.db.DB)
}
