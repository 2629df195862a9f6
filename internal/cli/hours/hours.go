package hours

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	cliregister "roundhouse.example/internal/cli/register"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/calendar"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/words"
)

// Calendars is the command group calendar.
func (a *Commands) Calendars() *cobra.Command {
	return app.Group("calendar", "Coverage calendars: the hours in which clocks count", a.calendarList(), a.calendarShow(),
		a.calendarAdd(), a.calendarChange(), a.calendarRemove())
}

func (a *Commands) allCalendars(ctx context.Context) (*client.Client, []clientgen.Calendar, error) {
	c, err := a.Client()
	if err != nil {
		return nil, nil, err
	}
	res, err := c.ListCalendars(ctx)
	list, _, err := client.Read[clientgen.Calendars](c, res, err)
	return c, list.Items, err
}

func (a *Commands) oneCalendar(ctx context.Context, name string) (*client.Client, clientgen.Calendar, error) {
	c, list, err := a.allCalendars(ctx)
	if err != nil {
		return nil, clientgen.Calendar{}, err
	}
	var found []clientgen.Calendar
	for _, k := range list {
		if k.Name == name || app.Deref(k.Vendor)+"/"+k.Name == name {
			found = append(found, k)
		}
	}
	switch len(found) {
	case 0:
		return nil, clientgen.Calendar{},
			&app.Missing{Text: fmt.Sprintf("there is no calendar %q; roundhouse calendar list shows them", name)}
	case 1:
		return c, found[0], nil
	}
	return nil, clientgen.Calendar{}, app.Usagef("several vendors have a calendar %q; write VENDOR/%s", name, name)
}

func (a *Commands) calendarList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List calendars, and what uses them", Args: cobra.NoArgs,
		Example: "  roundhouse calendar list",
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, list, err := a.allCalendars(cmd.Context())
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(list)
			}
			var rows [][]string
			for _, k := range list {
				d := k.Versions[len(k.Versions)-1].Definition
				rows = append(rows, []string{k.Name, app.Deref(k.Vendor), app.FirstOf(app.Deref(d.Zone), "UTC"),
					definitionWords(d), app.Itoa(len(k.Versions)), app.Itoa(k.Vendors), app.Itoa(k.Terms), app.Itoa(k.RunningClocks)})
			}
			p.Table([]out.Column{{Name: "calendar"}, {Name: "vendor", Drop: 4}, {Name: "zone", Drop: 5},
				{Name: "hours", Main: true}, {Name: "versions", Right: true, Drop: 1}, {Name: "vendors", Right: true, Drop: 2},
				{Name: "targets", Right: true, Drop: 2}, {Name: "clocks", Right: true, Drop: 3}}, rows)
			return nil
		}}
}

func definitionWords(d clientgen.HoursDefinition) string {
	return cliregister.HoursWords(clientgen.Hours{Always: app.Deref(d.Always), Week: d.Week, Closed: d.Closed})
}

func (a *Commands) calendarShow() *cobra.Command {
	var target string
	c := &cobra.Command{Use: "show NAME",
		Short:   "Show a calendar with its versions, or when a target would fall due",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse calendar show our-desk --target 2bd",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, k, err := a.oneCalendar(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(k)
			}
			for i, v := range k.Versions {
				from := "from the beginning"
				if i > 0 {
					from = "from " + v.CountsFrom
				}
				p.Line("%s, %s, %s: %s", k.Name, app.FirstOf(app.Deref(v.Definition.Zone), "UTC"), from,
					definitionWords(v.Definition))
				if v.Definition.Closed != nil {
					p.Line("  closed on %s", strings.Join(slices.Sorted(slices.Values(*v.Definition.Closed)), ", "))
				}
				extra := app.Deref(v.Definition.Extra)
				for _, date := range slices.Sorted(maps.Keys(extra)) {
					p.Line("  on %s: %s", date, app.FirstOf(strings.Join(extra[date], ", "), "closed"))
				}
			}
			p.Line("Used by %s as support hours, by %s and by %s", app.Number(k.Vendors, "vendor"),
				app.Number(k.Terms, "target"), app.Number(k.RunningClocks, "running clock"))
			if n := app.Deref(k.Recalculating); n > 0 {
				p.Line("%s still to be recalculated", app.Number(n, "live case"))
			}
			if target == "" {
				return nil
			}
			return a.preview(cmd.Context(), c, k.Versions[len(k.Versions)-1].Definition, target)
		}}
	c.Flags().StringVar(&target, "target", "", "say when this target would fall due from now, like 4h or 2bd")
	return c
}

func (a *Commands) preview(ctx context.Context, c *client.Client, d clientgen.HoursDefinition, target string) error {
	res, err := c.PreviewHours(ctx, clientgen.PreviewRequest{Definition: d, Target: app.Some(target)})
	v, _, err := client.Read[clientgen.Preview](c, res, err)
	if err != nil {
		return err
	}
	p := a.Printer()
	if v.Due != nil {
		times := a.Times(ctx)
		p.Line("%s from now: due %s (%s)", words.Target(target), times.Full(*v.Due), times.Name())
	} else {
		p.Line("%s: %s", target, app.Deref(v.Problem))
	}
	if v.Warning != nil {
		p.Line("Note: %s", *v.Warning)
	}
	return nil
}

func readDefinition(file string) (clientgen.HoursDefinition, error) {
	var out clientgen.HoursDefinition
	if file == "" {
		return out, app.Usagef("name the file with the hours with --from (YAML; docs/examples/office.yaml is one)")
	}
	raw, err := app.ReadBounded(file)
	if err != nil {
		return out, err
	}
	d, err := calendar.ParseYAML(raw)
	if err != nil {
		return out, fmt.Errorf("%s: %w", file, err)
	}
	out = clientgen.HoursDefinition{Zone: app.Some(d.Zone), Always: app.Some(d.Always)}
	if d.Week != nil {
		out.Week = &d.Week
	}
	if d.Closed != nil {
		out.Closed = &d.Closed
	}
	if d.Extra != nil {
		out.Extra = &d.Extra
	}
	return out, nil
}

func (a *Commands) calendarAdd() *cobra.Command {
	var file, vendor string
	c := &cobra.Command{Use: "add NAME", Short: "Add a calendar from a file of hours", Args: cobra.ExactArgs(1),
		Example: "  roundhouse calendar add harbour-office --from office.yaml",
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := readDefinition(file)
			if err != nil {
				return err
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.AddCalendar(cmd.Context(), &clientgen.AddCalendarParams{IdempotencyKey: client.Key()},
				clientgen.NewCalendar{Name: args[0], Vendor: app.Some(vendor), Definition: d})
			k, _, err := client.Read[clientgen.Calendar](c, res, err)
			if err != nil {
				return err
			}
			a.Printer().Line("%s: %s", k.Name, definitionWords(k.Versions[0].Definition))
			return nil
		}}
	c.Flags().StringVar(&file, "from", "", "the file (YAML)")
	c.Flags().StringVar(&vendor, "vendor", "", "the vendor that it belongs to, if any")
	return c
}

func (a *Commands) calendarChange() *cobra.Command {
	var file, on string
	c := &cobra.Command{Use: "change NAME",
		Short: "Change a calendar's hours from a date; running clocks follow, ended ones do not",
		Args:  cobra.ExactArgs(1), Example: "  roundhouse calendar change our-desk --from winter.yaml",
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := readDefinition(file)
			if err != nil {
				return err
			}
			c, k, err := a.oneCalendar(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			res, err := c.AddCalendarVersion(cmd.Context(), k.Id,
				&clientgen.AddCalendarVersionParams{IdempotencyKey: client.Key()},
				clientgen.NewVersion{Definition: d, From: app.Some(on)})
			after, _, err := client.Read[clientgen.Calendar](c, res, err)
			if err != nil {
				return err
			}
			v := after.Versions[len(after.Versions)-1]
			a.Printer().Line("From %s, %s is: %s. Being recalculated: %s.", v.CountsFrom, k.Name, definitionWords(v.Definition),
				app.Number(app.Deref(after.Recalculated), "live case"))
			return nil
		}}
	c.Flags().StringVar(&file, "from", "", "the file (YAML)")
	c.Flags().StringVar(&on, "on", "", "the first date with the new hours; tomorrow if left out")
	return c
}

func (a *Commands) calendarRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a calendar that nothing uses",
		Example: "  roundhouse calendar remove harbour-office",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, k, err := a.oneCalendar(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if _, err := c.Do(cmd.Context(), "DELETE", fmt.Sprintf("/calendars/%d", k.Id), nil, nil, nil); err != nil {
				return err
			}
			a.Printer().Line("Removed.")
			return nil
		}}
}

// Policy is the command group policy.
func (a *Commands) Policy() *cobra.Command {
	show := &cobra.Command{Use: "show",
		Short: "Show our policy: targets by severity, our hours, how long a case may be quiet",
		Args:  cobra.NoArgs, Example: "  roundhouse policy show",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			var r app.Record
			if _, err := c.Do(cmd.Context(), "GET", "/policy", nil, nil, &r); err != nil {
				return err
			}
			return a.showPolicy(r)
		}}
	return app.Group("policy", "Our own targets, hours and limits", show, a.changePolicy())
}

func (a *Commands) changePolicy() *cobra.Command {
	var file string
	var terms []string
	var edit bool
	quiet := make([]string, len(quiets))
	change := &cobra.Command{Use: "change",
		Short: "Change our policy; cases keep the version they were filed under", Args: cobra.NoArgs,
		Example: "  roundhouse policy change --quiet-1 1h\n  roundhouse policy change --edit",
		RunE: func(cmd *cobra.Command, _ []string) error {
			patch := map[string]any{}
			if file != "" {
				if err := a.Members(file, &patch); err != nil {
					return err
				}
			}
			for i, q := range quiet {
				if q != "" {
					patch[quiets[i].field] = q
				}
			}
			if len(terms) > 0 {
				list := []any{}
				for _, s := range terms {
					t, err := register.ParseTerm(s)
					if err != nil {
						return app.Usagef("--term: %s", err)
					}
					list = append(list, t)
				}
				patch["terms"] = list
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			var r app.Record
			tag, err := c.Do(cmd.Context(), "GET", "/policy", nil, nil, &r)
			if err != nil {
				return err
			}
			var w app.Written
			if edit {
				if patch, w, err = a.EditFacts(r.Facts()); err != nil {
					return w.Kept(err, cmd.CommandPath())
				}
			}
			if len(patch) == 0 {
				return app.Usagef("say what to change with flags, --from FILE or --edit")
			}
			if _, err := c.Do(cmd.Context(), "PATCH", "/policy", patch, map[string]string{"If-Match": tag}, &r); err != nil {
				return w.Kept(err, cmd.CommandPath())
			}
			w.Done()
			return a.showPolicy(r)
		}}
	change.Flags().StringVar(&file, "from", "", "read fields from a YAML or JSON file (- for standard input)")
	change.Flags().BoolVar(&edit, "edit", false, "edit it in $EDITOR as YAML")
	change.Flags().StringArrayVar(&terms, "term", nil,
		"a target of ours: DEADLINE SEVERITY TARGET [CALENDAR]; repeat for all of them")
	for i, q := range quiets {
		change.Flags().StringVar(&quiet[i], strings.ReplaceAll(q.field, "_", "-"), "", q.what)
	}
	return change
}

// quiets are the policy's limits for how long a case may be quiet or nobody may react, and by which link people are
// told.
var quiets = []struct{ field, what string }{{"quiet_1", "how long a case of severity 1 may be quiet"},
	{"quiet_2", "how long a case of severity 2 may be quiet"}, {"quiet_3", "how long a case of severity 3 may be quiet"},
	{"quiet_4", "how long a case of severity 4 may be quiet"},
	{"quiet_calm", "how long wishes, requests for capacity and work, at severity 3 and 4, may be quiet"},
	{"react_1", "how long a case of severity 1 may go without a reaction before the leads are told, round the clock"},
	{"react_2", "how long a case of severity 2 may go without a reaction before the leads are told, in our hours"},
	{"react_3", "how long a case of severity 3 may go without a reaction before the leads are told, in our hours"},
	{"react_4", "how long a case of severity 4 may go without a reaction before the leads are told, in our hours"},
	{"email_link", "the email link that sends notifications to our own people"}}

func (a *Commands) showPolicy(r app.Record) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(r)
	}
	f := r.Facts()
	p.Line("%s, version %s; hours: %s; clocks on a severity change: %s", f.Text("desk_name"), r.Text("version"),
		f.Text("calendar"), words.Inline(words.OnChange.Of(f.Text("on_change"))))
	p.Line("Longest time a case may be quiet, severity 1 to 4: %s, %s, %s, %s", words.Target(f.Text("quiet_1")),
		words.Target(f.Text("quiet_2")), words.Target(f.Text("quiet_3")), words.Target(f.Text("quiet_4")))
	if calm := f.Text("quiet_calm"); calm != "" {
		p.Line("Wishes, capacity and work of severity 3 and 4: %s", words.Target(calm))
	}
	p.Line("Time to react before the leads are told, severity 1 (round the clock) to 4: %s, %s, %s, %s",
		words.Target(f.Text("react_1")), words.Target(f.Text("react_2")), words.Target(f.Text("react_3")),
		words.Target(f.Text("react_4")))
	if link := f.Text("email_link"); link != "" {
		p.Line("Our people get email by the link %s", link)
	} else {
		p.Line("Our people get no email: choose a link with roundhouse policy change --email-link NAME")
	}
	p.Line("")
	cliregister.ShowTerms(p, "severity", f)
	return nil
}
