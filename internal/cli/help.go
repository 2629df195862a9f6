package cli

import (
	"fmt"
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

// flow puts the lines of a text anew, paragraph by paragraph.
func flow(c *cobra.Command, width int) {
	paragraphs := strings.Split(c.Long, "\n\n")
	for i, p := range paragraphs {
		paragraphs[i] = text.WrapSoft(strings.ReplaceAll(p, "\n", " "), width)
	}
	c.Long = strings.Join(paragraphs, "\n\n")
	for _, sub := range c.Commands() {
		flow(sub, width)
	}
}
