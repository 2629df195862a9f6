// Package docs has the tests that hold the project to what these pages say.
package docs

import (
	"bytes"
	"encoding/json"
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"
)

const module = "roundhouse.example/"

type folder struct {
	ImportPath string
	Imports    []string
}

// layout reads the table of the page.
func layout(t *testing.T) map[string][]string {
	t.Helper()
	page, err := os.ReadFile("architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	rows := map[string][]string{}
	for line := range strings.Lines(string(page)) {
		cells := strings.Split(strings.TrimSpace(line), "|")
		if len(cells) != 5 || strings.HasPrefix(cells[1], "-") || strings.TrimSpace(cells[1]) == "folder" {
			continue
		}
		rows[strings.TrimSpace(cells[1])] = strings.Fields(cells[3])
	}
	return rows
}

// rowOf is what the most closely naming row lets a folder use.
func rowOf(rows map[string][]string, path string) (may []string, found bool) {
	if may, found = rows[path]; found {
		return may, true
	}
	for dir := filepath.Dir(path); dir != "."; dir = filepath.Dir(dir) {
		if may, found = rows[dir+"/*"]; found {
			return may, true
		}
	}
	return nil, false
}

func covers(may []string, path string) bool {
	for _, m := range may {
		if below, all := strings.CutSuffix(m, "/*"); m == "anything" || m == path || all &&
			strings.HasPrefix(path, below+"/") {
			return true
		}
	}
	return false
}

// Nothing imports what the table does not let it, and core touches nothing outside.
func TestWhatMayImportWhat(t *testing.T) {
	t.Parallel()
	cmd := exec.Command("go", "list", "-json=ImportPath,Imports", "./...")
	cmd.Dir = ".."
	raw, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	rows, used := layout(t), 0
	for dec := json.NewDecoder(bytes.NewReader(raw)); ; {
		var p folder
		if err := dec.Decode(&p); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		path := strings.TrimPrefix(p.ImportPath, module)
		may, found := rowOf(rows, path)
		if !found {
			t.Errorf("%s has no row in architecture.md", path)
		}
		for _, imported := range p.Imports {
			if ours, ok := strings.CutPrefix(imported, module); ok {
				used++
				if !covers(may, ours) {
					t.Errorf("%s may not use %s", path, ours)
				}
			}
			for _, outside := range []string{"os", "os/exec", "net", "net/http", "database/sql", "github.com/jmoiron/sqlx",
				"github.com/jackc/pgx/v5", "github.com/gin-gonic/gin", "github.com/spf13/cobra"} {
				if strings.HasPrefix(path, "internal/core/") && imported == outside {
					t.Errorf("%s uses %s, and core touches nothing outside", path, outside)
				}
			}
		}
	}
	if used < 200 {
		t.Errorf("only %d imports were looked at", used)
	}
}

// Files stay short enough to be read, and packages small enough to be known; so do lines and functions. A function
// that is better long says so in its comment.
func TestSizes(t *testing.T) {
	t.Parallel()
	packages, functions := map[string]int{}, 0
	err := filepath.WalkDir("..", func(path string, e os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if e.IsDir() && (e.Name() == "node_modules" || e.Name() == "dist" || strings.HasPrefix(e.Name(), ".") &&
			e.Name() != "..") {
			return filepath.SkipDir
		}
		switch filepath.Ext(path) {
		case ".go", ".ts", ".vue", ".css", ".md":
		default:
			return nil
		}
		if strings.Contains(path, ".gen.") || strings.HasSuffix(path, ".d.ts") {
			return nil
		}
		raw, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		lines := bytes.Count(raw, []byte("\n"))
		if lines > 410 {
			t.Errorf("%s has %d lines", path, lines)
		}
		for i, line := range strings.Split(string(raw), "\n") {
			if long(path, line) {
				t.Errorf("%s:%d has %d characters", path, i+1, utf8.RuneCountInString(line))
			}
			if strings.HasSuffix(path, ".vue") && (strings.Contains(line, ` style="`) || strings.Contains(line, "as never")) {
				t.Errorf("%s:%d has a style or a cast of its own", path, i+1)
			}
		}
		if filepath.Ext(path) == ".go" {
			functions += longFunctions(t, path, raw)
		}
		if filepath.Ext(path) == ".go" && !strings.HasSuffix(path, "_test.go") {
			packages[filepath.Dir(path)] += lines
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if len(packages) < 50 {
		t.Errorf("only %d packages were counted", len(packages))
	}
	if functions < 1000 {
		t.Errorf("only %d functions were measured", functions)
	}
	for dir, lines := range packages {
		if lines > 1650 {
			t.Errorf("%s has %d lines", dir, lines)
		}
	}
}

// long says whether a line is longer than people read with ease; tables, pictures and drawings have no say in it.
func long(path, line string) bool {
	if utf8.RuneCountInString(line) <= 120 {
		return false
	}
	switch filepath.Ext(path) {
	case ".md":
		return !strings.HasPrefix(line, "|") && !strings.HasPrefix(line, "![") && !strings.HasPrefix(line, "    ")
	case ".vue":
		return !strings.Contains(line, ` d="`)
	}
	return true
}

// longFunctions complains of long functions and says how many there are at all. Tests tell stories, which may be long.
func longFunctions(t *testing.T, path string, raw []byte) (n int) {
	t.Helper()
	files := token.NewFileSet()
	f, err := parser.ParseFile(files, path, raw, parser.ParseComments)
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range f.Decls {
		fn, ok := d.(*ast.FuncDecl)
		if !ok || strings.HasSuffix(path, "_test.go") {
			continue
		}
		n++
		lines := files.Position(fn.End()).Line - files.Position(fn.Pos()).Line + 1
		if lines > 70 && !strings.Contains(fn.Doc.Text(), "In one piece") {
			t.Errorf("%s: %s has %d lines", path, fn.Name.Name, lines)
		}
	}
	return n
}

// Comments that name a section of the rules name one that is there.
func TestRulesAreCitedAsTheyStand(t *testing.T) {
	t.Parallel()
	rules, err := os.ReadFile("rules.md")
	if err != nil {
		t.Fatal(err)
	}
	cited := 0
	err = filepath.WalkDir("../internal", func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() || filepath.Ext(path) != ".go" {
			return err
		}
		raw, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		text := regexp.MustCompile(`\n\s*// ?`).ReplaceAllString(string(raw), " ")
		for _, m := range regexp.MustCompile(`(\S*)rules\.md(?:, section (\d+))?`).FindAllStringSubmatch(text, -1) {
			cited++
			if !strings.HasSuffix(m[1], "docs/") || m[2] == "" || !strings.Contains(string(rules), "\n## "+m[2]+". ") {
				t.Errorf("%s cites %q", path, m[0])
			}
		}
		return nil
	})
	if err != nil || cited < 10 {
		t.Errorf("%d citations: %v", cited, err)
	}
}
