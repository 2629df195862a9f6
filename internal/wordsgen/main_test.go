package main

import (
	"os"
	"testing"
)

// The console has the labels as they are here.
func TestTheConsoleHasTheLabels(t *testing.T) {
	is, err := os.ReadFile("../../" + File)
	if err != nil {
		t.Fatal(err)
	}
	if string(is) != typescript() {
		t.Errorf("%s is not as the labels are: run make generate", File)
	}
}
