package pack

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"roundhouse.example/internal/core/calendar"
)

var compiled = sync.OnceValues(func() (*jsonschema.Schema, error) { return Compile(Schema) })

// plain reads a file as plain values, and remembers where each stood.
func plain(file []byte) (value any, t tree, findings []Finding) {
	whole := func(format string, args ...any) (any, tree, []Finding) {
		return nil, tree{}, []Finding{{Detail: fmt.Sprintf(format, args...)}}
	}
	switch {
	case len(file) > MaxBytes:
		return whole("it is longer than %d KiB: that is too long", MaxBytes>>10)
	case !utf8.Valid(file):
		return whole("it is not UTF-8")
	}
	number := 0
	for line := range bytes.Lines(file) {
		if number++; number > maxLines {
			return whole("it has more than %d lines: that is too many", maxLines)
		} else if len(line) > maxLine {
			return nil, tree{}, []Finding{{Line: number,
				Detail: fmt.Sprintf("the line is longer than %d bytes: write a long text in several lines, after a |", maxLine)}}
		}
	}
	if line := nested(file); line > 0 {
		return nil, tree{}, []Finding{{Line: line, Detail: fmt.Sprintf("it is nested more than %d levels deep", deepest)}}
	}
	doc, err := parser.ParseBytes(file, 0)
	if err != nil {
		return nil, tree{}, []Finding{unreadable(err)}
	}
	if len(doc.Docs) == 0 || len(doc.Docs) == 1 && doc.Docs[0].Body == nil {
		return whole("it is empty")
	}
	if len(doc.Docs) != 1 {
		return whole("it has %d documents: keep one", len(doc.Docs))
	}
	t = tree{lines: map[string]int{}}
	if value = t.value(doc.Docs[0].Body, "", 0); len(t.findings) > 0 {
		return nil, t, t.sorted()
	}
	return value, t, nil
}

// nested is the line at which a file is nested too deep, or 0. It is a rough look, before a
// parser whose cost grows with the square of the depth.
func nested(file []byte) (line int) {
	var indents []int
	flow := 0
	for text := range bytes.Lines(file) {
		line++
		body := bytes.TrimLeft(text, " ")
		if len(bytes.TrimSpace(body)) == 0 {
			continue
		}
		indent := len(text) - len(body)
		for len(indents) > 0 && indents[len(indents)-1] >= indent {
			indents = indents[:len(indents)-1]
		}
		indents = append(indents, indent)
		for bytes.HasPrefix(body, []byte("- ")) || bytes.HasPrefix(body, []byte("? ")) { // a list within a list, on one line
			rest := bytes.TrimLeft(body[1:], " ")
			indent += len(body) - len(rest)
			indents, body = append(indents, indent), rest
		}
		quote := byte(0)
		for _, c := range body {
			switch {
			case quote != 0:
				if c == quote {
					quote = 0
				}
			case c == '"' || c == '\'':
				quote = c
			case c == '[' || c == '{':
				flow++
			case c == ']' || c == '}':
				flow = max(0, flow-1)
			}
			if flow > deepest {
				return line
			}
		}
		if len(indents) > deepest {
			return line
		}
	}
	return 0
}

// Members reads the members of anything from a file of YAML or JSON, within the same
// bounds as a pack and without anchors, so that a small file cannot mean a great one.
func Members(file []byte) (map[string]any, []Finding) {
	value, _, findings := plain(file)
	if len(findings) > 0 {
		return nil, findings
	}
	members, ok := value.(map[string]any)
	if !ok {
		return nil, []Finding{{Detail: "it has no fields: write them as NAME: VALUE, one per line"}}
	}
	return members, nil
}

// Read checks a file and gives its pack. All that is wrong is told at once, in the
// order of the lines; the pack is of use only where nothing but warnings is found.
func Read(file []byte) (Pack, []Finding) {
	whole := func(format string, args ...any) (Pack, []Finding) {
		return Pack{}, []Finding{{Detail: fmt.Sprintf(format, args...)}}
	}
	value, t, findings := plain(file)
	if len(findings) > 0 {
		return Pack{}, findings
	}
	top, ok := value.(map[string]any)
	if ok {
		_, format := top["vendor_pack"]
		_, vendor := top["vendor"]
		ok = format || vendor
	}
	if !ok {
		return whole("it is not a pack: start it with vendor_pack: %d", Version)
	}
	if top["vendor_pack"] == json.Number("1") {
		t.fromFirst(top)
	}
	if n, ok := top["vendor_pack"].(json.Number); ok && n != json.Number(fmt.Sprint(Version)) {
		return Pack{}, []Finding{{t.lines["vendor_pack"], "vendor_pack",
			fmt.Sprintf("it has version %s of the format, but this program knows version %d: use a newer roundhouse, or "+
				"export the pack with this one", n, Version), false}}
	}
	schema, err := compiled()
	if err != nil {
		return whole("the schema itself: %s", err)
	}
	var p Pack
	if findings := t.into(value, schema, &p); len(findings) > 0 {
		return Pack{}, findings
	}
	t.deeper(p)
	return p, t.sorted()
}

// unreadable is what the parser says, with its line.
func unreadable(err error) Finding {
	f := Finding{Detail: err.Error()}
	if e, ok := err.(yaml.Error); ok {
		f.Detail = e.GetMessage()
		if tk := e.GetToken(); tk != nil && tk.Position != nil {
			f.Line = tk.Position.Line
		}
	}
	f.Detail = "it is not YAML: " + f.Detail
	return f
}

// tree turns what was parsed into plain values and remembers where each stood.
type tree struct {
	lines    map[string]int // by path: vendor.levels[0].label
	findings []Finding
}

func (t *tree) add(path, format string, args ...any) {
	t.findings = append(t.findings, Finding{t.lineOf(path), path, fmt.Sprintf(format, args...), false})
}

func (t *tree) doubt(path, format string, args ...any) {
	t.findings = append(t.findings, Finding{t.lineOf(path), path, fmt.Sprintf(format, args...), true})
}

// lineOf is where a path stands, or the nearest thing around it that does.
func (t *tree) lineOf(path string) int {
	for {
		if line, there := t.lines[path]; there || path == "" {
			return line
		}
		path = path[:max(0, strings.LastIndexAny(path, ".["))]
	}
}

func (t *tree) sorted() []Finding {
	slices.SortStableFunc(t.findings, func(a, b Finding) int {
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return strings.Compare(a.Field, b.Field)
	})
	return t.findings
}

const deepest = 40

func (t *tree) value(n ast.Node, path string, depth int) any {
	line := n.GetToken().Position.Line
	if _, there := t.lines[path]; !there {
		t.lines[path] = line
	}
	if depth > deepest {
		t.add(path, "it is nested more than %d levels deep", deepest)
		return nil
	}
	switch n := n.(type) {
	case *ast.MappingNode:
		return t.mapping(n.Values, path, depth)
	case *ast.MappingValueNode:
		return t.mapping([]*ast.MappingValueNode{n}, path, depth)
	case *ast.SequenceNode:
		out := []any{}
		for i, x := range n.Values {
			at := fmt.Sprintf("%s[%d]", path, i)
			t.lines[at] = x.GetToken().Position.Line
			out = append(out, t.value(x, at, depth+1))
		}
		return out
	case *ast.StringNode:
		return n.Value
	case *ast.LiteralNode:
		return n.Value.Value
	case *ast.IntegerNode:
		return json.Number(fmt.Sprint(n.Value))
	case *ast.FloatNode:
		return json.Number(fmt.Sprint(n.Value))
	case *ast.BoolNode:
		return n.Value
	case *ast.NullNode:
		return nil
	case *ast.AnchorNode, *ast.AliasNode, *ast.MergeKeyNode:
		t.findings = append(t.findings,
			Finding{line, path, "anchors and aliases are not supported: write the value out", false})
		return nil
	}
	t.findings = append(t.findings,
		Finding{line, path, "this is not supported: a pack has texts, numbers, yes or no, lists and fields", false})
	return nil
}

func (t *tree) mapping(values []*ast.MappingValueNode, path string, depth int) any {
	out := map[string]any{}
	for _, v := range values {
		line := v.Key.GetToken().Position.Line
		key, ok := t.value(v.Key, path+".?", depth+1).(string)
		if !ok {
			if len(t.findings) == 0 {
				t.findings = append(t.findings, Finding{line, path, "the name of a field is a text: put it in quotes", false})
			}
			continue
		}
		at := key
		if path != "" {
			at = path + "." + key
		}
		if _, twice := out[key]; twice {
			t.findings = append(t.findings, Finding{line, at, "it is listed twice", false})
			continue
		}
		t.lines[at] = line
		out[key] = t.value(v.Value, at, depth+1)
	}
	return out
}

var english = message.NewPrinter(language.English)

// written says how a text is written, by a part of its pattern in the schema.
var written = map[string]string{"24:00": "a window is like 08:00-16:00", "{4}-[0-9]{2}": "a date is like 2026-12-25",
	"bd$":     "a span is like 45m, 4h, 1h30m, 2d or 3bd",
	"a-z0-9-": "small letters, digits and dashes, like harbour-net",
	"a-z0-9_": "small letters, digits and _", "@": "an email address has an @",
	"none|": "a target is like 45m, 4h, 1h30m, 2d, 3bd or none", "[A-Z]{2}": "a country is a code of two capital letters"}

// collect makes findings of what the schema says, the innermost of each.
func (t *tree) collect(err error) {
	e, ok := err.(*jsonschema.ValidationError)
	if !ok {
		t.findings = append(t.findings, Finding{Detail: err.Error()})
		return
	}
	if len(e.Causes) > 0 {
		for _, c := range e.Causes {
			t.collect(c)
		}
		return
	}
	path := ""
	for _, s := range e.InstanceLocation {
		switch {
		case s != "" && strings.Trim(s, "0123456789") == "" && t.lines[path+"["+s+"]"] > 0:
			path += "[" + s + "]"
		case path == "":
			path = s
		default:
			path += "." + s
		}
	}
	listed := func(values []any) string {
		words := make([]string, len(values))
		for i, v := range values {
			words[i] = fmt.Sprint(v)
		}
		return strings.Join(words, ", ")
	}
	switch k := e.ErrorKind.(type) {
	case *kind.AdditionalProperties:
		for _, name := range k.Properties {
			at := strings.TrimPrefix(path+"."+name, ".")
			t.add(at, "there is no such field")
		}
	case *kind.Required:
		for _, name := range k.Missing {
			t.add(path, "%s is missing", name)
		}
	case *kind.Enum:
		t.add(path, "%v is not known; use one of %s", k.Got, listed(k.Want))
	case *kind.Pattern:
		for part, like := range written {
			if strings.Contains(k.Want, part) {
				t.add(path, "%.60q has the wrong form: %s", k.Got, like)
				return
			}
		}
		t.add(path, "%.60q has the wrong form", k.Got)
	case *kind.MaxLength:
		t.add(path, "it has %d characters, at most %d are allowed", k.Got, k.Want)
	case *kind.MinLength:
		t.add(path, "it is empty: fill it in")
	case *kind.Const:
		t.add(path, "it is %v", k.Want)
	default:
		t.add(path, "%s", e.ErrorKind.LocalizedString(english))
	}
}

// deeper says what no schema can: zones, hours, patterns, what refers to what.
func (t *tree) deeper(p Pack) {
	for _, f := range p.Vendor.Check() {
		t.add("vendor."+f.Field, "%s", f.Detail)
	}
	hours := map[string]*calendar.Calendar{}
	for name, def := range p.Calendars {
		c, err := calendar.New(def)
		if err != nil {
			t.add("calendars."+name, "%s", err)
			continue
		}
		hours[name] = c
	}
	names, at := p.Vendor.Calendars()
	for _, name := range names {
		if _, there := p.Calendars[name]; !there {
			t.add("vendor."+at[name], "this pack has no calendar %q", name)
		}
	}
	for name := range p.Calendars {
		if !slices.Contains(names, name) {
			t.doubt("calendars."+name, "nothing in the pack uses it")
		}
	}
	days := func(at, text string, in *calendar.Calendar) {
		target, err := calendar.ParseTarget(text)
		if text == "" || err != nil || in == nil {
			return
		}
		if w := target.Warning(in); w != "" {
			t.doubt(at, "%s", w)
		}
	}
	office := hours[p.Vendor.Hours]
	for i, r := range p.Vendor.Ladder {
		for member, text := range map[string]string{"late_by": r.LateBy, "open_longer": r.OpenLonger, "reply": r.Reply} {
			days(fmt.Sprintf("vendor.ladder[%d].%s", i, member), text, office)
		}
	}
	for i, x := range p.Vendor.UsualTerms {
		days(fmt.Sprintf("vendor.usual_terms[%d].target", i), x.Target, hours[x.Calendar])
	}
}
