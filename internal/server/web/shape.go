package web

import (
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
)

// maxDepth is how deep a body may be nested: merging a deep one costs the square of it.
const maxDepth = 32

// tooDeep looks at brackets outside of texts alone.
func tooDeep(body []byte) bool {
	depth, text := 0, false
	for i := 0; i < len(body); i++ {
		switch c := body[i]; {
		case text && c == '\\':
			i++
		case c == '"':
			text = !text
		case text:
		case c == '{' || c == '[':
			if depth++; depth > maxDepth {
				return true
			}
		case c == '}' || c == ']':
			depth--
		}
	}
	return false
}

func findNUL(v any, where string) (string, bool) {
	switch x := v.(type) {
	case string:
		return where, strings.ContainsRune(x, 0)
	case map[string]any:
		for k, e := range x {
			if w, ok := findNUL(e, strings.TrimPrefix(where+"."+k, ".")); ok || strings.ContainsRune(k, 0) {
				return w, true
			}
		}
	case []any:
		for i, e := range x {
			if w, ok := findNUL(e, fmt.Sprintf("%s[%d]", where, i)); ok {
				return w, true
			}
		}
	}
	return "", false
}

// defineFormats makes instants demand a zone, which the library's own check does
// not. The library keeps its formats in one place for the whole program.
var defineFormats = sync.OnceFunc(func() {
	openapi3.DefineStringFormatValidator("date-time", openapi3.NewCallbackValidator(func(v string) error {
		t, err := time.Parse(time.RFC3339, v)
		if err == nil && !Known(t) {
			err = errors.New("it is too far away")
		}
		return err
	}))
})

// Known says whether an instant is one that a desk can have to do with: the database and
// JSON know fewer years than there are.
func Known(t time.Time) bool { return t.Year() >= 1900 && t.Year() <= 2500 }
