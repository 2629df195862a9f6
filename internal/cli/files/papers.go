package files

import (
	"context"
	"fmt"
	"net/url"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	corefiles "roundhouse.example/internal/core/files"
)

// owners are what can have papers.
var owners = []string{"vendor", "contract", "account", "asset"}

// Papers is the command group paper.
func (a *Commands) Papers() *cobra.Command {
	return app.Group("paper", "Papers and pictures of a vendor, contract, account or asset", a.paperList(), a.paperAdd(),
		a.paperFetch(), a.paperRemove())
}

// owned is what has papers, as the API names it: asset/12.
func (a *Commands) owned(ctx context.Context, c *client.Client, kind, name string) (string, error) {
	if !slices.Contains(owners, kind) {
		return "", app.Usagef("a %s has no papers: use %s", kind, strings.Join(owners, ", "))
	}
	if kind == "vendor" {
		return "vendor/" + url.PathEscape(name), nil
	}
	hit, err := a.Named(ctx, c, kind, name)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%s/%d", kind, hit.Id), nil
}

func (a *Commands) papers(ctx context.Context, kind, name string) (c *client.Client, of string, list clientgen.Papers,
	err error) {
	if c, err = a.Client(); err != nil {
		return c, "", list, err
	}
	if of, err = a.owned(ctx, c, kind, name); err != nil {
		return c, "", list, err
	}
	_, err = c.Do(ctx, "GET", "/papers/"+of, nil, nil, &list)
	return c, of, list, err
}

// paperOf is one of some papers by its number or its name.
func paperOf(list clientgen.Papers, name string) (clientgen.File, error) {
	f, ok, err := pick(list.Items, name)
	if err == nil && !ok {
		err = &app.Missing{Text: "there is no paper " + name + " here: roundhouse paper list shows them"}
	}
	return f, err
}

func (a *Commands) paperList() *cobra.Command {
	return &cobra.Command{Use: "list KIND NAME", Short: "List the papers of something in the register",
		Long: "Lists the papers of a vendor, contract, account or asset (KIND), by any number or name it has.",
		Args: cobra.ExactArgs(2), Example: "  roundhouse paper list vendor tallow\n" +
			"  roundhouse paper list contract TW-V-2201",
		RunE: func(cmd *cobra.Command, args []string) error {
			_, _, list, err := a.papers(cmd.Context(), args[0], args[1])
			if err != nil {
				return err
			}
			return a.printPapers(cmd.Context(), list)
		}}
}

func (a *Commands) printPapers(ctx context.Context, list clientgen.Papers) error {
	p, times := a.Printer(), a.Times(ctx)
	if a.Format == "json" {
		return p.JSON(list)
	}
	if len(list.Items) == 0 && a.Format == "table" {
		p.Line("No papers. Add one with roundhouse paper add.")
		return nil
	}
	var rows [][]string
	for _, f := range list.Items {
		at, size := times.Short(&f.AddedAt), corefiles.Bytes(f.Bytes)
		if a.Format == "csv" {
			at, size = app.Raw(&f.AddedAt), strconv.FormatInt(f.Bytes, 10)
		}
		rows = append(rows, []string{strconv.Itoa(f.Number), f.Name, f.Caption, size, f.AddedBy, at})
	}
	if a.Format == "csv" {
		p.Table(app.Columns("number", "name", "caption", "bytes", "added_by", "added_at"), rows)
		return nil
	}
	p.Line("Times in %s\n", times.Name())
	p.Table([]out.Column{{Name: "paper", Right: true}, {Name: "name", Main: true}, {Name: "what it is", Shrink: true},
		{Name: "size", Right: true}, {Name: "added by", Shrink: true}, {Name: "added"}}, rows)
	return nil
}

func (a *Commands) paperAdd() *cobra.Command {
	var o attaching
	c := &cobra.Command{Use: "add KIND NAME FILE...", Short: "Add papers to something in the register",
		Args:    cobra.MinimumNArgs(3),
		Example: "  roundhouse paper add vendor tallow collector.log --caption \"What one of their logs looks like\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			of, err := a.owned(cmd.Context(), c, args[0], args[1])
			if err != nil {
				return err
			}
			for _, path := range args[2:] {
				number, _, err := a.send(cmd.Context(), c, client.Upload{Paper: of, Caption: o.caption}, path, o.name)
				if err != nil {
					return fmt.Errorf("%s: %w", path, err)
				}
				a.Printer().Line("%s is paper %d of %s %s.", filepath.Base(path), number, args[0], args[1])
			}
			return nil
		}}
	c.Flags().StringVar(&o.caption, "caption", "", "what it is")
	c.Flags().StringVar(&o.name, "name", "", "name of the file, if not its own")
	return c
}

func (a *Commands) paperFetch() *cobra.Command {
	var to string
	c := &cobra.Command{Use: "fetch KIND NAME PAPER", Short: "Save a paper",
		Long: "Saves a paper, by its number or its name, in the current directory. No file is overwritten.",
		Args: cobra.ExactArgs(3), Example: "  roundhouse paper fetch vendor tallow 1 --to -",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, of, list, err := a.papers(cmd.Context(), args[0], args[1])
			if err != nil {
				return err
			}
			f, err := paperOf(list, args[2])
			if err != nil {
				return err
			}
			return a.fetch(cmd.Context(), c, fmt.Sprintf("/papers/%s/%d/content", of, f.Number), to, f)
		}}
	c.Flags().StringVar(&to, "to", "", "the new file to write, or - for standard output; if left out, its own name")
	return c
}

func (a *Commands) paperRemove() *cobra.Command {
	var text string
	c := &cobra.Command{Use: "remove KIND NAME PAPER", Short: "Remove the content of a paper for good",
		Args: cobra.ExactArgs(3), Example: "  roundhouse paper remove vendor tallow 1 --text \"It is out of date\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if strings.TrimSpace(text) == "" {
				return app.Usagef("give the reason with --text")
			}
			c, of, list, err := a.papers(cmd.Context(), args[0], args[1])
			if err != nil {
				return err
			}
			f, err := paperOf(list, args[2])
			if err != nil {
				return err
			}
			_, err = c.Do(cmd.Context(), "POST", fmt.Sprintf("/papers/%s/%d/removal", of, f.Number),
				clientgen.FileRemoval{Reason: text}, map[string]string{"Idempotency-Key": *client.Key()}, nil)
			if err == nil {
				a.Printer().Line("The content of paper %d, %s, was removed.", f.Number, f.Name)
			}
			return err
		}}
	c.Flags().StringVarP(&text, "text", "t", "", "the reason; kept with the paper")
	return c
}
