package cli

import (
	"fmt"
	"regexp"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
)

// widest is how wide help is at most: longer lines are hard to read.
const widest = 110

// fitHelp makes the help of a command and of those below it fit a window of so many columns; 0 leaves it as it is
// written. Examples stay on their lines, to be copied.
func fitHelp(root *cobra.Command, width int) {
	if width == 0 {
		return
	}
	width = min(width, widest)
	root.SetUsageTemplate(strings.ReplaceAll(root.UsageTemplate(), ".FlagUsages",
		fmt.Sprintf(".FlagUsagesWrapped %d", width)))
	flow(root, width)
}

// within is an end of line inside a paragraph: what is indented, or follows such a line, is a list.
var within = regexp.MustCompile(`(?m)^(\S.*)\n(\S)`)

// trailing is what wrapping adds to the end of a line.
var trailing = regexp.MustCompile(`(?m) +$`)

// flow puts the lines of a text anew, paragraph by paragraph.
func flow(c *cobra.Command, width int) {
	for before := ""; before != c.Long; {
		before = c.Long
		c.Long = within.ReplaceAllString(c.Long, "$1 $2")
	}
	lines := strings.Split(c.Long, "\n")
	for i, l := range lines {
		if !strings.HasPrefix(l, " ") {
			lines[i] = trailing.ReplaceAllString(text.WrapSoft(l, width), "")
		}
	}
	c.Long = strings.Join(lines, "\n")
	for _, sub := range c.Commands() {
		flow(sub, width)
	}
}
