package docs

import (
	"os"
	"strings"
	"testing"
)

// What git ignores is named by its place. A pattern for a name alone, such as *.log, also takes an example of ours
// with that ending, which is then missing wherever the project is cloned.
func TestIgnoredFilesAreNamedByTheirPlace(t *testing.T) {
	raw, err := os.ReadFile("../.gitignore")
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(raw)) {
		if line = strings.TrimSpace(line); line != "" && !strings.HasPrefix(strings.TrimPrefix(line, "!"), "/") {
			t.Errorf(".gitignore: %q has no place: begin it with /", line)
		}
	}
}
