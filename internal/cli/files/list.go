package files

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	corefiles "roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/words"
)

// List is the command case files.
func (a *Commands) List() *cobra.Command {
	return &cobra.Command{Use: "files CASE [FILE]", Short: "List the files of a case, or show one",
		Long: "Lists the files of a case. With the number or the name of a file, shows that file and where in it\n" +
			"something was found.",
		Args: cobra.RangeArgs(1, 2), Example: "  roundhouse case files C-1077\n  roundhouse case files C-1077 1",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			if len(args) == 2 {
				f, err := named(cmd.Context(), c, args[0], args[1])
				if err != nil {
					return err
				}
				return a.show(cmd.Context(), c, args[0], f.Number)
			}
			list, err := listed(cmd.Context(), c, args[0])
			if err != nil {
				return err
			}
			return a.print(cmd.Context(), list)
		}}
}

func listed(ctx context.Context, c *client.Client, name string) (clientgen.Files, error) {
	res, err := c.ListFiles(ctx, name)
	list, _, err := client.Read[clientgen.Files](c, res, err)
	return list, err
}

// named is a file of a case by its number or its name.
func named(ctx context.Context, c *client.Client, caseName, name string) (clientgen.File, error) {
	list, err := listed(ctx, c, caseName)
	if err != nil {
		return clientgen.File{}, err
	}
	f, ok, err := pick(list.Items, name)
	if err == nil && !ok {
		err = &app.Missing{Text: fmt.Sprintf("%s has no file %s: roundhouse case files %s lists them", caseName, name,
			caseName)}
	}
	return f, err
}

// pick is one of some files by its number or its name; a name that several have is an error.
func pick(list []clientgen.File, name string) (f clientgen.File, ok bool, err error) {
	var numbers []string
	number, _ := strconv.Atoi(name)
	for _, x := range list {
		if x.Number == number {
			return x, true, nil
		}
		if x.Name == name {
			f, numbers = x, append(numbers, strconv.Itoa(x.Number))
		}
	}
	if len(numbers) > 1 {
		return f, false, app.Usagef("%d files are called %s: give a number (%s)", len(numbers), name,
			strings.Join(numbers, ", "))
	}
	return f, len(numbers) == 1, nil
}

func (a *Commands) print(ctx context.Context, list clientgen.Files) error {
	p, times := a.Printer(), a.Times(ctx)
	switch a.Format {
	case "json":
		return p.JSON(list)
	case "csv":
		var rows [][]string
		for _, f := range list.Items {
			rows = append(rows, []string{strconv.Itoa(f.Number), f.Name, f.Caption, strconv.FormatInt(f.Bytes, 10),
				app.Deref(f.Type), app.Deref(f.Sha256), strconv.FormatBool(f.Sensitive), f.AddedBy, app.Raw(&f.AddedAt)})
		}
		p.Table(app.Columns("number", "name", "caption", "bytes", "type", "sha256", "sensitive", "added_by", "added_at"),
			rows)
		return nil
	}
	if len(list.Items) == 0 && list.Hidden == 0 {
		p.Line("No files. Add one with roundhouse case attach.")
	}
	if len(list.Items) > 0 {
		p.Line("Times in %s\n", times.Name())
		var rows [][]string
		for _, f := range list.Items {
			rows = append(rows, []string{strconv.Itoa(f.Number), f.Name, corefiles.Bytes(f.Bytes), f.AddedBy,
				times.Short(&f.AddedAt), state(f)})
		}
		p.Table([]out.Column{{Name: "file", Right: true}, {Name: "name", Main: true}, {Name: "size", Right: true},
			{Name: "added by", Shrink: true}, {Name: "added"}, {Name: "state", Shrink: true}}, rows)
	}
	if list.Hidden > 0 {
		p.Line("%s not shown: only those on the case see %s.", app.Number(list.Hidden, "sensitive file"),
			map[bool]string{true: "it", false: "them"}[list.Hidden == 1])
	}
	a.wanted(list.Wanted)
	return nil
}

// wanted prints the files that the vendor wants, and how each stands.
func (a *Commands) wanted(list []clientgen.WantedFile) {
	if len(list) == 0 {
		return
	}
	p := a.Printer()
	p.Line("\nWanted by the vendor")
	for _, w := range list {
		how := ""
		for _, s := range []*string{w.How, w.Where} {
			if s != nil {
				how += "; " + *s
			}
		}
		switch {
		case w.Sent:
			how = ": sent"
		case w.NotNeeded != nil:
			how = fmt.Sprintf(": not needed, %s (%s)", *w.NotNeeded, app.Deref(w.NotNeededBy))
		case len(w.Files) > 0:
			how = fmt.Sprintf(": here as file %s, not sent yet", strings.Trim(strings.ReplaceAll(fmt.Sprint(w.Files), " ", ", "),
				"[]"))
		default:
			how = ": missing" + how
		}
		p.Line("  %s%s", w.Name, how)
	}
}

// NotNeeded is the command case not-needed.
func (a *Commands) NotNeeded() *cobra.Command {
	var text string
	var again bool
	c := &cobra.Command{Use: "not-needed CASE FILE", Short: "Say why the vendor does not get a file that it wants",
		Args: cobra.ExactArgs(2), Example: "  roundhouse case not-needed C-1077 \"Log of the hour around it\" --text " +
			"\"The vendor has it from its own side\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if (strings.TrimSpace(text) == "") != again {
				return app.Usagef("give the reason with --text, or --again if it is needed after all")
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			body := clientgen.FileWaiver{Name: args[1], Reason: app.Some(strings.TrimSpace(text))}
			res, err := c.WaiveFile(cmd.Context(), args[0], body)
			if _, _, err := client.Read[struct{}](c, res, err); err != nil {
				return err
			}
			list, err := listed(cmd.Context(), c, args[0])
			if err == nil && a.Format == "table" {
				a.wanted(list.Wanted)
			}
			return err
		}}
	c.Flags().StringVarP(&text, "text", "t", "", "the reason; recorded on the case")
	c.Flags().BoolVar(&again, "again", false, "it is needed after all")
	return c
}

// Remove is the command case remove-file.
func (a *Commands) Remove() *cobra.Command {
	var text string
	c := &cobra.Command{Use: "remove-file CASE FILE", Short: "Remove the content of a file for good",
		Long: "Removes the content of a file, by its number or its name. The record still says that it\n" +
			"was there, its hash, where it was sent and why it was removed.",
		Args: cobra.ExactArgs(2), Example: "  roundhouse case remove-file C-1077 1 --text \"It shows a password\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if strings.TrimSpace(text) == "" {
				return app.Usagef("give the reason with --text")
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			f, err := named(cmd.Context(), c, args[0], args[1])
			if err != nil {
				return err
			}
			res, err := c.RemoveFile(cmd.Context(), args[0], f.Number,
				&clientgen.RemoveFileParams{IdempotencyKey: client.Key()}, clientgen.FileRemoval{Reason: text})
			if f, _, err = client.Read[clientgen.File](c, res, err); err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(f)
			}
			a.Printer().Line("The content of file %d of %s, %s, was removed.", f.Number, args[0], f.Name)
			return nil
		}}
	c.Flags().StringVarP(&text, "text", "t", "", "the reason; recorded on the case")
	return c
}

// state is what is known of a file, in a few words.
func state(f clientgen.File) string {
	var parts []string
	if f.Sensitive {
		parts = append(parts, "sensitive")
	}
	switch {
	case f.Removed != nil:
		return "content removed"
	case f.Problem != nil:
		parts = append(parts, "not checked: "+*f.Problem)
	case !f.Checked:
		parts = append(parts, "being checked")
	case f.NamedType != nil:
		parts = append(parts, "not "+*f.NamedType)
	}
	if text := foundIn(f); text != "" {
		parts = append(parts, text)
	}
	return strings.Join(append(parts, app.FirstOf(sent(f), "not sent")), "; ")
}

// sent says with which messages a file has gone or is to go to the vendor; empty for none.
func sent(f clientgen.File) string {
	var parts []string
	for _, s := range app.Deref(f.Sent) {
		how := "sent"
		if s.At == nil {
			how = words.Inline(words.Deliveries.Of(string(s.State)))
		}
		parts = append(parts, fmt.Sprintf("%s with entry %d", how, s.Entry))
	}
	return strings.Join(parts, ", ")
}

// foundIn is what was found in a file: 2 passwords or secrets, which must not be sent.
func foundIn(f clientgen.File) string {
	var parts []string
	for _, x := range f.Found {
		if x.Level == "tell" {
			continue
		}
		parts = append(parts, fmt.Sprintf("%s (%s, %d)", words.Inline(words.FindingKinds.Of(string(x.Kind))),
			words.Inline(words.FindingLevels.Of(string(x.Level))), x.Count))
	}
	return strings.Join(parts, ", ")
}

// show prints one file with the places of what was found in it.
func (a *Commands) show(ctx context.Context, c *client.Client, name string, number int) error {
	res, err := c.ShowFile(ctx, name, number)
	f, _, err := client.Read[clientgen.File](c, res, err)
	if err != nil {
		return err
	}
	p, times := a.Printer(), a.Times(ctx)
	if a.Format == "json" {
		return p.JSON(f)
	}
	p.Line("File %d of %s: %s", f.Number, name, f.Name)
	fact := func(label, v string) {
		if v != "" {
			p.Line("  %-12s %s", label, v)
		}
	}
	fact("Caption", f.Caption)
	size := corefiles.Bytes(f.Bytes)
	if exact := fmt.Sprintf("%d bytes", f.Bytes); exact != size {
		size += " (" + exact + ")"
	}
	fact("Size", size)
	fact("Type", app.Deref(f.Type))
	if f.NamedType != nil {
		fact("Beware", "its name says "+*f.NamedType)
	}
	fact("SHA-256", app.Deref(f.Sha256))
	fact("Added", fmt.Sprintf("%s by %s (%s), entry %d", times.Short(&f.AddedAt), f.AddedBy, times.Name(),
		app.Deref(f.Entry)))
	if f.CopyOf != nil {
		fact("Copy of", fmt.Sprintf("file %d", *f.CopyOf))
	}
	if f.Sensitive {
		fact("Sensitive", "only those on the case see it")
	}
	fact("Removed", app.Deref(f.Removed))
	fact("Not checked", app.Deref(f.Problem))
	fact("To vendor", app.FirstOf(sent(f), "not sent"))
	if found := app.Deref(f.Findings); len(found) > 0 {
		p.Line("")
		return a.printPlaces(f.Name, found)
	}
	if f.Checked {
		p.Line("\nNothing was found in it.")
	}
	return nil
}

func (a *Commands) printPlaces(name string, found []clientgen.FileFinding) error {
	list := make([]finding, len(found))
	for i, x := range found {
		list[i] = finding{name, x.Inside, x.Line, string(x.Level), string(x.Kind), x.Excerpt}
	}
	slices.SortStableFunc(list, func(a, b finding) int { return strings.Compare(a.Inside, b.Inside) })
	return a.printFindings(list, 1)
}
