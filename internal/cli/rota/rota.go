package rota

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// Rota is the command group rota.
func (a *Commands) Rota() *cobra.Command {
	return app.Group("rota", "Who can be reached round the clock", a.list(), a.add(), a.plan(), a.change(), a.remove())
}

func (a *Commands) read(ctx context.Context, days int) (*client.Client, clientgen.Rota, error) {
	c, err := a.Client()
	if err != nil {
		return nil, clientgen.Rota{}, err
	}
	res, err := c.ShowRota(ctx, &clientgen.ShowRotaParams{Days: &days})
	r, _, err := client.Read[clientgen.Rota](c, res, err)
	return c, r, err
}

func (a *Commands) list() *cobra.Command {
	var days int
	c := &cobra.Command{Use: "list", Short: "List the shifts from now on, and when nobody can be reached",
		Args: cobra.NoArgs, Example: "  roundhouse rota list\n  roundhouse rota list --days 90 -o csv",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if days < 1 || days > 366 {
				return app.Usagef("--days is 1 to 366, not %d", days)
			}
			_, r, err := a.read(cmd.Context(), days)
			if err != nil {
				return err
			}
			switch a.Format {
			case "json":
				return a.Printer().JSON(r)
			case "csv":
				var rows [][]string
				for _, s := range r.Shifts {
					rows = append(rows, []string{strconv.FormatInt(s.Id, 10), app.Raw(&s.From), app.Raw(&s.Until), s.Person, s.Email,
						s.Phone, app.Deref(s.Note)})
				}
				a.Printer().Table(app.Columns("shift", "from", "until", "person", "email", "phone", "note"), rows)
				return nil
			}
			a.print(cmd.Context(), r)
			return nil
		}}
	c.Flags().IntVar(&days, "days", 28, "how many days ahead")
	return c
}

// print shows shifts and gaps in order of time: a gap is read where it is.
func (a *Commands) print(ctx context.Context, r clientgen.Rota) {
	p, times := a.Printer(), a.Times(ctx)
	on := slices.IndexFunc(r.Shifts, func(s clientgen.Shift) bool { return s.Id == app.Deref(r.Now) })
	if on < 0 {
		p.Line("Nobody can be reached now. Times in %s.", times.Name())
	} else {
		p.Line("%s can be reached now, at %s. Times in %s.", r.Shifts[on].Person, r.Shifts[on].Phone, times.Name())
	}
	if len(r.Cases) > 0 {
		more := ""
		if n := r.Needing - len(r.Cases); n > 0 {
			more = fmt.Sprintf(" and %d more", n)
		}
		p.Line("Needed by %s%s.", strings.Join(r.Cases, ", "), more)
	}
	type line struct {
		from time.Time
		row  []string
	}
	var lines []line
	for _, s := range r.Shifts {
		who := s.Person
		if app.Deref(s.Left) {
			who += " (has left)"
		}
		lines = append(lines, line{s.From, []string{strconv.FormatInt(s.Id, 10), times.Short(&s.From), times.Short(&s.Until),
			who, s.Phone, app.Deref(s.Note)}})
	}
	for _, g := range r.Gaps {
		lines = append(lines, line{g.From, []string{"", times.Short(&g.From), times.Short(g.Until), "Nobody", "", ""}})
	}
	slices.SortStableFunc(lines, func(a, b line) int { return a.from.Compare(b.from) })
	var rows [][]string
	for _, l := range lines {
		rows = append(rows, l.row)
	}
	p.Line("")
	p.Table([]out.Column{{Name: "shift", Right: true}, {Name: "from"}, {Name: "until"}, {Name: "person", Main: true},
		{Name: "phone"}, {Name: "note", Shrink: true, Drop: 1}}, rows)
}

func (a *Commands) add() *cobra.Command {
	var from, until, phone, note string
	c := &cobra.Command{Use: "add EMAIL", Short: "Add a shift", Args: cobra.ExactArgs(1),
		Example: "  roundhouse rota add emil@saltmarsh.example --from 40d --until 41d --phone \"+44 1632 960 099\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			begin, end, err := a.both(cmd.Context(), from, until)
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.AddShift(cmd.Context(), &clientgen.AddShiftParams{IdempotencyKey: client.Key()},
				clientgen.NewShift{From: begin, Until: end, Person: args[0], Phone: app.Some(phone), Note: app.Some(note)})
			s, _, err := client.Read[clientgen.Shift](c, res, err)
			if err != nil {
				return err
			}
			return a.said(cmd.Context(), s)
		}}
	c.Flags().StringVar(&from, "from", "", "when the shift begins, like \"2026-12-01 08:00\" or 2d")
	c.Flags().StringVar(&until, "until", "", "when the next person takes over")
	c.Flags().StringVar(&phone, "phone", "", "the number to call; the person's own if left out")
	c.Flags().StringVar(&note, "note", "", "a note for ourselves")
	return c
}

func (a *Commands) both(ctx context.Context, from, until string) (begin, end time.Time, err error) {
	if from == "" || until == "" {
		return begin, end, app.Usagef("--from and --until are required: say when the shift begins and ends")
	}
	first, err := a.When(ctx, from)
	if err != nil {
		return begin, end, err
	}
	last, err := a.When(ctx, until)
	if err != nil {
		return begin, end, err
	}
	return *first, *last, nil
}

// said tells what a shift is now.
func (a *Commands) said(ctx context.Context, s clientgen.Shift) error {
	if a.Format == "json" {
		return a.Printer().JSON(s)
	}
	times := a.Times(ctx)
	a.Printer().Line("Shift %d: %s from %s to %s (%s), at %s.", s.Id, s.Person, times.Short(&s.From),
		times.Short(&s.Until), times.Name(), s.Phone)
	return nil
}

func (a *Commands) plan() *cobra.Command {
	var from string
	var people []string
	var days, shifts int
	c := &cobra.Command{Use: "plan", Short: "Add several shifts, which people take in turn", Args: cobra.NoArgs,
		Long: "Adds shifts of --days each, one after the other, which the people take in turn. Handovers are at the same\n" +
			"time of day in the desk's time zone. Either all shifts are added or none.",
		Example: "  roundhouse rota plan --from 60d --days 7 --shifts 4 --person ragna@saltmarsh.example " +
			"--person emil@saltmarsh.example",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if from == "" || len(people) == 0 {
				return app.Usagef("--from and --person are required: say when the first shift begins, and who takes part")
			}
			begin, err := a.When(cmd.Context(), from)
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.PlanRota(cmd.Context(), &clientgen.PlanRotaParams{IdempotencyKey: client.Key()},
				clientgen.RotaPlan{From: *begin, Days: days, Shifts: shifts, People: people})
			r, _, err := client.Read[clientgen.Rota](c, res, err)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(r)
			}
			a.Printer().Line("Added %s.\n", app.Number(shifts, "shift"))
			a.print(cmd.Context(), r)
			return nil
		}}
	c.Flags().StringVar(&from, "from", "", "when the first shift begins, like \"2026-12-01 08:00\" or 60d")
	c.Flags().IntVar(&days, "days", 7, "how many days each shift lasts")
	c.Flags().IntVar(&shifts, "shifts", 4, "how many shifts to add")
	c.Flags().StringArrayVar(&people, "person", nil,
		"who takes part, by email address; repeat it in the order of the shifts")
	return c
}

// one reads the rota for a shift that is named by its number.
func (a *Commands) one(ctx context.Context, name string) (*client.Client, clientgen.Shift, error) {
	id, err := strconv.ParseInt(name, 10, 64)
	if err != nil {
		return nil, clientgen.Shift{}, app.Usagef("%q is not the number of a shift; roundhouse rota list shows them", name)
	}
	c, r, err := a.read(ctx, 366)
	if err != nil {
		return nil, clientgen.Shift{}, err
	}
	for _, s := range r.Shifts {
		if s.Id == id {
			return c, s, nil
		}
	}
	return nil, clientgen.Shift{}, &app.Missing{
		Text: fmt.Sprintf("no shift %d from now on; roundhouse rota list shows them", id)}
}

func (a *Commands) change() *cobra.Command {
	var from, until, person, phone, note string
	c := &cobra.Command{Use: "change SHIFT", Short: "Change a shift's times, person, phone or note",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse rota change 5 --phone \"+44 1632 960 099\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			begin, err := a.When(cmd.Context(), from)
			if err != nil {
				return err
			}
			end, err := a.When(cmd.Context(), until)
			if err != nil {
				return err
			}
			ch := clientgen.ShiftChange{From: begin, Until: end, Person: app.Some(person)}
			for name, to := range map[string]**string{"phone": &ch.Phone, "note": &ch.Note} {
				if v, _ := cmd.Flags().GetString(name); cmd.Flags().Changed(name) {
					*to = &v
				}
			}
			if ch == (clientgen.ShiftChange{}) {
				return app.Usagef("nothing to change: give --from, --until, --person, --phone or --note")
			}
			c, s, err := a.one(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := c.ChangeShiftWithApplicationMergePatchPlusJSONBody(cmd.Context(), s.Id,
				&clientgen.ChangeShiftParams{IfMatch: app.Match(s.Version)}, ch)
			if s, _, err = client.Read[clientgen.Shift](c, res, err); err != nil {
				return err
			}
			return a.said(cmd.Context(), s)
		}}
	c.Flags().StringVar(&from, "from", "", "when the shift begins")
	c.Flags().StringVar(&until, "until", "", "when the next person takes over")
	c.Flags().StringVar(&person, "person", "", "who takes it instead, by email address")
	c.Flags().StringVar(&phone, "phone", "", "the number to call; \"\" for the person's own")
	c.Flags().StringVar(&note, "note", "", "a note for ourselves")
	return c
}

func (a *Commands) remove() *cobra.Command {
	return &cobra.Command{Use: "remove SHIFT", Short: "Remove a shift", Args: cobra.ExactArgs(1),
		Example: "  roundhouse rota remove 6",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, s, err := a.one(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := c.RemoveShift(cmd.Context(), s.Id, &clientgen.RemoveShiftParams{IfMatch: app.Match(s.Version)})
			if _, _, err = client.Read[struct{}](c, res, err); err != nil {
				return err
			}
			a.Printer().Line("Removed shift %d of %s.", s.Id, s.Person)
			return nil
		}}
}
