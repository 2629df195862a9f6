package cli

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
)

// widest is how wide help is at most: longer lines are hard to read.
const widest = 110

// fitHelp makes help fit a window that is width columns wide, once somebody asks for it. Without a window, which is 0,
// it stays as it is written. Examples stay on their lines, to be copied.
func fitHelp(root *cobra.Command, width int) {
	if width == 0 {
		return
	}
	width = min(width, widest)
	root.SetUsageTemplate(strings.ReplaceAll(root.UsageTemplate(), ".FlagUsages",
		fmt.Sprintf(".FlagUsagesWrapped %d", width)))
	help := root.HelpFunc()
	root.SetHelpFunc(func(c *cobra.Command, args []string) {
		c.Long = flow(c.Long, width)
		help(c, args)
	})
}

// flow puts the lines of a text anew, paragraph by paragraph. What is indented is a list, and stays.
func flow(long string, width int) string {
	var paragraphs []string
	goesOn := false
	for line := range strings.SplitSeq(long, "\n") {
		prose := line != "" && line[0] != ' '
		if prose && goesOn {
			paragraphs[len(paragraphs)-1] += " " + line
		} else {
			paragraphs = append(paragraphs, line)
		}
		goesOn = prose
	}
	for i, p := range paragraphs {
		if strings.HasPrefix(p, " ") {
			continue
		}
		lines := strings.Split(text.WrapSoft(p, width), "\n")
		for k := range lines {
			lines[k] = strings.TrimRight(lines[k], " ") // wrapping fills them up
		}
		paragraphs[i] = strings.Join(lines, "\n")
	}
	return strings.Join(paragraphs, "\n")
}
