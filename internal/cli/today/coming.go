package today

import (
	"context"
	"slices"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/lists"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
)

// coming lists what is due within a time, what is late first.
func (a *Commands) coming(ctx context.Context, c *client.Client, whose *lists.WhoseFlags, within string) error {
	until, err := a.When(ctx, within)
	if err != nil {
		return err
	}
	p := clientgen.GetLanesParams{To: until}
	p.Whose, p.Person = whose.Part()
	res, err := c.GetLanes(ctx, &p)
	lanes, _, err := client.Read[clientgen.Lanes](c, res, err)
	if err != nil {
		return err
	}
	type mark struct {
		clientgen.Mark
		Vendor string `json:"vendor"`
	}
	marks, left := []mark{}, 0
	for _, l := range lanes.Lanes {
		left += l.LeftOut
		for _, m := range l.Marks {
			marks = append(marks, mark{m, l.Vendor})
		}
	}
	slices.SortStableFunc(marks, func(a, b mark) int { return a.At.Compare(b.At) })
	pr, times := a.Printer(), a.Times(ctx)
	if a.Format == "json" {
		return pr.JSON(marks)
	}
	var rows [][]string
	for _, m := range marks {
		if a.Format == "csv" {
			rows = append(rows, []string{app.Raw(&m.At), m.Case, m.Title, m.Vendor, m.What, string(m.Owed),
				string(m.Standing)})
			continue
		}
		rows = append(rows, []string{times.Short(&m.At), m.Case, m.Title, m.Vendor, m.What, out.Move(string(m.Owed)),
			pr.Standing(string(m.Standing))})
	}
	if a.Format == "csv" {
		pr.Table(app.Columns("due", "case", "title", "vendor", "what", "owed", "standing"), rows)
		return nil
	}
	if len(rows) == 0 {
		pr.Line("Nothing is late, and nothing is due by %s.", times.Short(until))
		return nil
	}
	pr.Line("What is late, and what is due by %s; times in %s\n", times.Short(until), times.Name())
	pr.Table([]out.Column{{Name: "due"}, {Name: "case"}, {Name: "title", Main: true},
		{Name: "vendor", Shrink: true, Drop: 2}, {Name: "what", Shrink: true}, {Name: "owed by", Drop: 1},
		{Name: "standing"}}, rows)
	if left > 0 {
		pr.Line("and %d more, farther from now", left)
	}
	return nil
}
