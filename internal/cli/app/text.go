package app

import (
	"fmt"
	"io"
	"strings"
)

// KeepText keeps what somebody wrote for a flag and was refused, and says where.
func KeepText(flag, text string, err error) error {
	w, kept := WriteDown("roundhouse-kept-*.txt", text)
	if kept != nil {
		return fmt.Errorf("%w\nYour text could not be kept in a file (%v); here it is:\n%s", err, kept, text)
	}
	return fmt.Errorf("%w\nYour text is kept in %s: repeat the command with --%s - < %s", err, w.file, flag, w.file)
}

// ReadText takes a text from --text, from standard input where it is "-", or from
// the editor, beginning with a template.
func (a *App) ReadText(given, template string) (string, error) {
	return a.EditText(given, "", template)
}

// EditText is ReadText for a text that somebody has begun.
func (a *App) EditText(given, begun, template string) (string, error) {
	switch {
	case given == "-":
		b, err := io.ReadAll(io.LimitReader(a.Stdin, 1<<20))
		return strings.TrimSpace(string(b)), err
	case given != "":
		return given, nil
	}
	w, b, err := a.Editor("roundhouse-*.txt", fmt.Sprintf("%s\n%s\n%s", begun, scissors, template),
		"say it with --text, pipe it in with --text -, or set EDITOR")
	defer w.Done()
	if err != nil {
		return "", err
	}
	body, _, _ := strings.Cut(string(b), scissors)
	if body = strings.TrimSpace(body); body == "" {
		return "", fmt.Errorf("nothing was written, so nothing was done")
	}
	return body, nil
}

const scissors = "---- anything below this line is ignored ----"
