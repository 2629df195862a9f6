package cli

import (
	"io"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
)

// In a window, no line of any help is wider than it, but for examples and the names of flags themselves.
func TestHelpFits(t *testing.T) {
	root := Root(&app.App{Stdin: strings.NewReader(""), Stdout: io.Discard, Stderr: io.Discard})
	root.SetOut(io.Discard)
	const width = 80
	fitHelp(root, width)
	var look func(c *cobra.Command)
	look = func(c *cobra.Command) {
		if err := c.Help(); err != nil {
			t.Fatal(err)
		}
		help := c.Long + "\n" + c.LocalFlags().FlagUsagesWrapped(width) + "\n" + c.Short
		if usage := c.UsageString(); !strings.Contains(usage, strings.TrimSpace(c.LocalFlags().FlagUsagesWrapped(width))) {
			t.Errorf("%s: its flags are not wrapped:\n%s", c.CommandPath(), usage)
		}
		for line := range strings.SplitSeq(help, "\n") {
			if utf8.RuneCountInString(line) > width {
				t.Errorf("%s: %d columns: %s", c.CommandPath(), utf8.RuneCountInString(line), line)
			}
		}
		for _, sub := range c.Commands() {
			look(sub)
		}
	}
	look(root)
	settings, _, err := root.Find([]string{"notifications", "settings"})
	if err != nil || !strings.Contains(settings.Long, "Kinds for --way:\n  due-soon (due soon)\n  due (due)\n") ||
		!strings.Contains(settings.Long, ")\nA way is off") {
		t.Errorf("%v\n%s", err, settings.Long)
	}
}
