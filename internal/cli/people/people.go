package people

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	clirun "roundhouse.example/internal/cli/run"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/service"
)

// People is the command group person.
func (a *Commands) People() *cobra.Command {
	return app.Group("person", "Our people", a.addPerson(), a.listPeople(), a.changePerson(), a.personHolds(),
		a.TableExport("person", "people"), a.TableImport("person", "people"))
}

func (a *Commands) addPerson() *cobra.Command {
	var name, role, database, data string
	var begin hours.Beginning
	add := &cobra.Command{
		Use: "add EMAIL", Short: "Add a person; the first one directly in the database", Args: cobra.ExactArgs(1),
		Long: "Adds a person; the password is asked for, or read from standard input.\nThe very first person is " +
			"added before anybody can sign in: with --database URL, or with --data DIRECTORY for the\nprivate PostgreSQL " +
			"that serve runs there. That sets up the desk too: office hours in --zone, round-the-clock\nhours, and a policy " +
			"that you can change (see roundhouse policy show).",
		Example: "  roundhouse person add ines@saltmarsh.example --name \"Ines Vik\" --role handler\n" +
			"  roundhouse person add ines@saltmarsh.example --name \"Ines Vik\" --role administrator --data .roundhouse " +
			"--desk \"Saltmarsh Ferries\" --zone Europe/Oslo",
		RunE: func(cmd *cobra.Command, args []string) error {
			if name == "" {
				return app.Usagef("--name is missing: give the person's name")
			}
			password, err := a.Password()
			if err != nil {
				return err
			}
			if n := (people.NewPerson{Name: name, Email: args[0], Role: role, Password: password}); database != "" {
				return a.firstPerson(cmd.Context(), database, n, begin)
			} else if data != "" {
				url, done, err := clirun.Private(cmd.Context(), filepath.Join(data, "postgres"))
				if err != nil {
					return err
				}
				defer done()
				return a.firstPerson(cmd.Context(), url, n, begin)
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.AddPerson(cmd.Context(), &clientgen.AddPersonParams{IdempotencyKey: client.Key()},
				clientgen.NewPerson{Name: name, Email: args[0], Role: clientgen.Role(role), Password: password})
			p, _, err := client.Read[clientgen.Person](c, res, err)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(p)
			}
			a.Printer().Line("%s (%s) can sign in as %s.", p.Name, words.Inline(words.Roles.Of(string(p.Role))), p.Email)
			return nil
		},
	}
	add.Flags().StringVar(&name, "name", "", "the person's name")
	add.Flags().StringVar(&role, "role", "handler", "handler, lead, auditor or administrator")
	add.Flags().StringVar(&database, "database", "", "for the first person: URL of the PostgreSQL")
	add.Flags().StringVar(&data, "data", "", "for the first person: directory of the private PostgreSQL")
	add.Flags().StringVar(&begin.Name, "desk", "", "for the first person: the name of the desk (default \"Our desk\")")
	add.Flags().StringVar(&begin.Zone, "zone", "", "for the first person: the time zone of our office hours (default UTC)")
	return add
}

func (a *Commands) listPeople() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List our people", Args: cobra.NoArgs, Example: "  roundhouse person list",
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, all, err := a.everybody(cmd.Context())
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all)
			}
			var rows [][]string
			for _, x := range all {
				state := "Active"
				if !x.Active {
					state = "Left"
				}
				rows = append(rows, []string{x.Name, x.Email, words.Roles.Of(string(x.Role)), state})
			}
			p.Table([]out.Column{{Name: "name", Shrink: true}, {Name: "email"}, {Name: "role"}, {Name: "state"}}, rows)
			return nil
		}}
}

func (a *Commands) changePerson() *cobra.Command {
	var newRole, newName string
	var leave, back, password bool
	change := &cobra.Command{Use: "change EMAIL", Short: "Change a person's name, role or password, or end their access",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse person change emil@saltmarsh.example --role lead",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, all, err := a.everybody(cmd.Context())
			if err != nil {
				return err
			}
			ch := clientgen.PersonChange{Name: app.Some(newName), Role: app.Some(clientgen.Role(newRole))}
			for name, to := range map[string]**string{"phone": &ch.Phone, "zone": &ch.Zone, "hours": &ch.Hours,
				"languages": &ch.Languages} {
				if v, _ := cmd.Flags().GetString(name); cmd.Flags().Changed(name) {
					*to = &v
				}
			}
			if leave || back {
				ch.Active = &back
			}
			if password {
				s, err := a.Password()
				if err != nil {
					return err
				}
				ch.Password = &s
			}
			for _, x := range all {
				if strings.EqualFold(x.Email, args[0]) {
					res, err := c.ChangePersonWithApplicationMergePatchPlusJSONBody(cmd.Context(), x.Id,
						&clientgen.ChangePersonParams{IfMatch: app.Match(x.Version)}, ch)
					p, _, err := client.Read[clientgen.Person](c, res, err)
					if err == nil {
						a.Printer().Line("%s: %s.", p.Name, words.Inline(words.Roles.Of(string(p.Role))))
					}
					if err == nil && password {
						a.Printer().Line("All sessions and tokens of %s have ended; the new password is needed to sign in.", p.Name)
					}
					if err == nil && leave {
						return a.holds(cmd.Context(), c, x)
					}
					return err
				}
			}
			return nobody(args[0])
		}}
	change.Flags().StringVar(&newName, "name", "", "a new name")
	change.Flags().StringVar(&newRole, "role", "", "handler, lead, auditor or administrator")
	change.Flags().String("phone", "", "the number where vendors can reach this person; filled into cases")
	change.Flags().String("zone", "", "the person's time zone, like Europe/Oslo")
	change.Flags().String("hours", "", "when the person can be reached, in words")
	change.Flags().String("languages", "", "languages, in words")
	change.Flags().BoolVar(&leave, "leaves", false, "end this person's access")
	change.Flags().BoolVar(&back, "returns", false, "give this person access again")
	change.Flags().BoolVar(&password, "password", false, "set a new password, read from standard input")
	return change
}

func (a *Commands) personHolds() *cobra.Command {
	return &cobra.Command{Use: "holds EMAIL",
		Short: "List the logins, rights and contact roles that a person has at vendors",
		Args:  cobra.ExactArgs(1), Example: "  roundhouse person holds ragna@saltmarsh.example",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, all, err := a.everybody(cmd.Context())
			if err != nil {
				return err
			}
			for _, x := range all {
				if strings.EqualFold(x.Email, args[0]) {
					return a.holds(cmd.Context(), c, x)
				}
			}
			return nobody(args[0])
		}}
}

func nobody(email string) error {
	return &app.Missing{Text: fmt.Sprintf("nobody here has the email address %s; roundhouse person list shows everybody",
		email)}
}

// holds prints what has to be given to somebody else when a person leaves.
func (a *Commands) holds(ctx context.Context, c *client.Client, x clientgen.Person) error {
	res, err := c.ListHolds(ctx, x.Id)
	list, _, err := client.Read[clientgen.Holds](c, res, err)
	if err != nil {
		return err
	}
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(list.Items)
	}
	if len(list.Items) == 0 && a.Format == "table" {
		p.Line("Nothing at any vendor depends on %s.", x.Name)
		return nil
	}
	p.Line("To hand over when %s leaves:", x.Name)
	var rows [][]string
	for _, h := range list.Items {
		rows = append(rows, []string{h.Name, h.What})
	}
	p.Table([]out.Column{{Name: "vendor"}, {Name: "what"}}, rows)
	return nil
}

func (a *Commands) everybody(ctx context.Context) (*client.Client, []clientgen.Person, error) {
	c, err := a.Client()
	if err != nil {
		return nil, nil, err
	}
	res, err := c.ListPeople(ctx)
	all, _, err := client.Read[clientgen.People](c, res, err)
	return c, all.Items, err
}

// firstPerson works only while there is nobody: after that, people are added by
// an administrator who has signed in.
func (a *Commands) firstPerson(ctx context.Context, database string, n people.NewPerson, b hours.Beginning) error {
	d, err := service.Open(ctx, database, nil)
	if err != nil {
		return err
	}
	defer d.Close()
	p, err := d.People.Begin(ctx, n, b)
	if errors.Is(err, people.ErrBegun) {
		return fmt.Errorf("%w, without --database and --data", err)
	} else if err != nil {
		return err
	}
	a.Printer().Line("%s (%s) can sign in as %s.", p.Name, words.Inline(words.Roles.Of(p.Role)), p.Email)
	a.Printer().Line("The desk has its hours and a policy: see roundhouse policy show and roundhouse calendar list.")
	return nil
}
