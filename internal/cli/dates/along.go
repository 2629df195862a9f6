package dates

import (
	"context"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client/clientgen"
)

// Along are flags with which a message or a call says what it dates, and which dates it keeps. Use Add.
type Along struct {
	set   []said
	keeps []string
}

// said is one flag, with what it dates.
type said struct {
	flag   string
	kind   clientgen.SetDateKind
	owed   clientgen.Side
	help   string
	values []string
}

var sayings = []said{
	{flag: "promised", kind: "promise", owed: "theirs", help: "what they promised: WHAT by WHEN, like \"A patch by 2d\""},
	{flag: "they-ask", kind: "ask", owed: "ours", help: "what they ask of us: WHAT by WHEN"},
	{flag: "we-ask", kind: "ask", owed: "theirs", help: "what we ask of them: WHAT by WHEN"},
}

// Promises puts the flag of what was promised on a command.
func (x *Along) Promises(c *cobra.Command) {
	x.set = append(x.set, sayings[0])
	c.Flags().StringArrayVar(&x.set[0].values, sayings[0].flag, nil, sayings[0].help)
}

// Add puts the flags on a command: those of sayings by their names, and the one that names what is kept.
func (x *Along) Add(c *cobra.Command, keeps, help string, names ...string) {
	for _, f := range sayings {
		if slices.Contains(names, f.flag) {
			x.set = append(x.set, f)
		}
	}
	for i := range x.set {
		c.Flags().StringArrayVar(&x.set[i].values, x.set[i].flag, nil, x.set[i].help)
	}
	c.Flags().StringSliceVar(&x.keeps, keeps, nil, help+"; case dates lists them")
}

// Kept are the dates that it keeps; nil for none.
func (x *Along) Kept() *[]string {
	if len(x.keeps) == 0 {
		return nil
	}
	return &x.keeps
}

// Dates are what it dates; nil for nothing.
func (x *Along) Dates(ctx context.Context, a *app.App) (*[]clientgen.NewDate, error) {
	var out []clientgen.NewDate
	for _, f := range x.set {
		for _, v := range f.values {
			i := strings.LastIndex(v, " by ")
			if i < 1 {
				return nil, app.Usagef("--%s %q has no date: write it as WHAT by WHEN, like \"A patch by 2d\"", f.flag, v)
			}
			at, day, err := due(ctx, a, "--"+f.flag, strings.TrimSpace(v[i+len(" by "):]))
			if err != nil {
				return nil, err
			}
			out = append(out, clientgen.NewDate{Kind: f.kind, Owed: new(f.owed), Text: new(strings.TrimSpace(v[:i])), Due: at,
				Day: day})
		}
	}
	if len(out) == 0 {
		return nil, nil
	}
	return &out, nil
}
