package cases

import (
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/casework"
)

// Every step of the table is a command, a value of the contract, and has its place in the
// console; and none of the three has one that the table does not know.
func TestEveryStepIsEverywhere(t *testing.T) {
	t.Parallel()
	commands := map[string]bool{}
	for _, s := range steps {
		commands[string(s.step)] = true
	}
	page, err := os.ReadFile("../../../console/src/cases/CasePage.vue")
	if err != nil {
		t.Fatal(err)
	}
	dialog, err := os.ReadFile("../../../console/src/cases/StepDialog.vue")
	if err != nil {
		t.Fatal(err)
	}
	_, list, _ := strings.Cut(string(page), "const elsewhere = [")
	list, _, _ = strings.Cut(list, "]")
	console := map[string]bool{"take": true} // at once, without a dialog
	for _, m := range regexp.MustCompile(`'([a-z-]+)'`).FindAllStringSubmatch(list, -1) {
		console[m[1]] = true
	}
	for _, m := range regexp.MustCompile(`(?m)^  '?([a-z-]+)'?: \{\s+will:`).FindAllStringSubmatch(string(dialog), -1) {
		console[m[1]] = true
	}
	var table []string
	for _, row := range casework.Table {
		table = append(table, string(row.Step))
		if !commands[string(row.Step)] {
			t.Errorf("the terminal has no command for %s", row.Step)
		}
		if !console[string(row.Step)] {
			t.Errorf("the console has no place for %s", row.Step)
		}
		if !clientgen.StepStep(row.Step).Valid() {
			t.Errorf("the contract does not know %s", row.Step)
		}
	}
	for _, known := range []map[string]bool{commands, console} {
		for step := range known {
			if !slices.Contains(table, step) {
				t.Errorf("%s is not in the table", step)
			}
		}
	}
}
