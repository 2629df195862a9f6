// Command gen writes the labels of package words for the console, which has no others.
package main

import (
	"fmt"
	"log"
	"maps"
	"os"
	"slices"
	"strings"

	"roundhouse.example/internal/core/words"
)

// File is where the console has them.
const File = "console/src/shared/words.gen.ts"

func main() {
	if err := os.WriteFile(File, []byte(typescript()), 0o644); err != nil {
		log.Fatal(err)
	}
}

// typescript is the file: the labels by the names of the API's enums.
func typescript() string {
	var b strings.Builder
	b.WriteString("// Made by internal/wordsgen: what people read of each value of an enum.\nexport const labels = {\n")
	for _, name := range slices.Sorted(maps.Keys(words.Labels)) {
		fmt.Fprintf(&b, "  %s: {\n", quoted(name))
		for _, l := range words.Labels[name] {
			fmt.Fprintf(&b, "    %s: %s,\n", quoted(l.Value), quoted(l.Text))
		}
		b.WriteString("  },\n")
	}
	b.WriteString("} as const\n")
	return b.String()
}

func quoted(s string) string { return "'" + strings.NewReplacer(`\`, `\\`, `'`, `\'`).Replace(s) + "'" }
