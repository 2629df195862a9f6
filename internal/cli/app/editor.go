package app

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
)

// Written is the file of what somebody wrote in an editor. The zero value is of nobody who wrote anything.
type Written struct{ file string }

// Kept is an error after which what was written stays in its file; it says where, and how to go on with it.
func (w Written) Kept(err error, repeat string) error {
	if err == nil || w.file == "" {
		return err
	}
	return fmt.Errorf("%w\nWhat you wrote is kept in %s. To go on: %s --from %s", err, w.file, repeat, w.file)
}

// Done removes the file: what was written is kept elsewhere, or is nothing.
func (w Written) Done() {
	if w.file != "" {
		os.Remove(w.file)
	}
}

// WriteDown keeps a text in a new file that nobody else can read.
func WriteDown(pattern, text string) (w Written, err error) {
	f, err := os.CreateTemp("", pattern) // 0600
	if err != nil {
		return w, err
	}
	_, err = f.WriteString(text)
	return Written{f.Name()}, errors.Join(err, f.Close())
}

// Editor opens $EDITOR on a text and gives what was written. otherwise says what to do where there is no editor.
func (a *App) Editor(pattern, text, otherwise string) (w Written, written []byte, err error) {
	editor := os.Getenv("EDITOR")
	if editor == "" {
		return w, nil, Usagef("%s", otherwise)
	}
	if w, err = WriteDown(pattern, text); err != nil {
		return w, nil, err
	}
	cmd := exec.Command("sh", "-c", editor+` "$1"`, "sh", w.file)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	if err := cmd.Run(); err != nil {
		return w, nil, fmt.Errorf("the editor: %w", err)
	}
	written, err = ReadBounded(w.file)
	return w, written, err
}
