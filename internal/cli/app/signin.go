package app

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/term"
)

// Kept is what login leaves on the disk, readable by its owner alone.
type Kept struct {
	URL   string `json:"url"`
	Token string `json:"token"`
}

func loginFile() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "roundhouse", "login.json"), err
}

func loadLogin() (k Kept, err error) {
	file, err := loginFile()
	if err != nil {
		return k, err
	}
	b, err := os.ReadFile(file)
	if err != nil {
		return k, err
	}
	return k, json.Unmarshal(b, &k)
}

// SaveLogin keeps a sign-in in a file that nobody else can read, and says where.
func SaveLogin(k Kept) (string, error) {
	file, err := loginFile()
	if err != nil {
		return "", err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return "", err
	}
	b, err := json.Marshal(k)
	if err != nil {
		return "", err
	}
	return file, os.WriteFile(file, b, 0o600)
}

// Unseen asks for what must not be seen; where nobody can be asked it is a line of standard input.
func (a *App) Unseen(question string) (string, error) {
	if f, ok := a.Stdin.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.Stderr, question)
		b, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.Stderr)
		return string(b), err
	}
	line, err := bufio.NewReader(a.Stdin).ReadString('\n')
	if line == "" && err != nil {
		return "", Usagef("%s is read from standard input, and there was none",
			strings.ToLower(strings.TrimSuffix(question, ": ")))
	}
	return strings.TrimRight(line, "\r\n"), nil
}
