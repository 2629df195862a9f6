package e2e

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/register"
	labels "roundhouse.example/internal/core/words"
	"roundhouse.example/internal/server/web"
)

// alike are enums of the API whose values are some of another's.
var alike = map[string]string{"StateFilter": "State", "NewCall.by": "Channel", "ToldRung.by": "Channel",
	"Decision.channel":  "Channel",
	"CheckRequest.kind": "FindKind", "assets cover": "Cover.state", "contracts cover": "ContractCover"}

// enums are those of the API, each by its schema, its schema and field, or its path and parameter.
func enums(t *testing.T) map[string][]any {
	t.Helper()
	doc, _, err := web.Contract()
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]any{}
	look := func(name string, s *openapi3.SchemaRef) {
		for s != nil && s.Value != nil && s.Value.Items != nil {
			s = s.Value.Items
		}
		if s != nil && s.Ref == "" && s.Value != nil && len(s.Value.Enum) > 0 && s.Value.Type.Is("string") {
			out[name] = s.Value.Enum
		}
	}
	for name, s := range doc.Components.Schemas {
		look(name, s)
		for field, p := range s.Value.Properties {
			look(name+"."+field, p)
		}
	}
	for path, item := range doc.Paths.Map() {
		if item.Get == nil {
			continue
		}
		for _, p := range item.Get.Parameters {
			look(strings.TrimPrefix(path, "/")+" "+p.Value.Name, p.Value.Schema)
		}
	}
	return out
}

// Every value of every enum, in the API and beside it, has a label of its own that says more than nothing.
func TestEveryValueHasALabel(t *testing.T) {
	t.Parallel()
	all := enums(t)
	if len(all) < 20 {
		t.Fatalf("the API has %d enums", len(all))
	}
	for name, values := range all {
		set := labels.Labels[name]
		if other := alike[name]; other != "" {
			set = labels.Labels[other]
		}
		if len(set) == 0 {
			t.Errorf("nobody has given the values of %s labels", name)
		}
		for _, v := range values {
			if s, _ := v.(string); set.At(s) < 0 || set.Of(s) == "" {
				t.Errorf("%s: %v has no label", name, v)
			}
		}
	}
	has := func(name string, values ...string) {
		for _, v := range values {
			if labels.Labels[name].At(v) < 0 {
				t.Errorf("%s: %s has no label", name, v)
			}
		}
	}
	for _, row := range casework.Table {
		has("Step.step", string(row.Step))
	}
	has("NextStep", string(attention.Answer), string(attention.Verify), string(attention.Chase), string(attention.Read),
		string(attention.Decide), string(attention.Send), string(attention.LookAt), string(attention.Resume),
		string(attention.Respond))
	has("CaseKind", register.Kinds...)
	has("FormField.type", register.FieldTypes...)
	has("FormField.from", register.Sources...)
	has("SecretFacts.kind", register.SecretKinds...)
	for name, set := range labels.Labels {
		var seen []string
		for _, l := range set {
			if slices.Contains(seen, l.Text) && !strings.HasPrefix(name, "FormField.from") {
				t.Errorf("%s: two values read %q", name, l.Text)
			}
			seen = append(seen, l.Text)
		}
	}
}

// A label is written once: no other place pairs a value with words for it.
func TestLabelsAreWrittenOnce(t *testing.T) {
	t.Parallel()
	texts := map[string]map[string]bool{} // by value, in small letters
	for _, set := range labels.Labels {
		for _, l := range set {
			if texts[l.Value] == nil {
				texts[l.Value] = map[string]bool{}
			}
			texts[l.Value][strings.ToLower(l.Text)] = true
		}
	}
	pair := regexp.MustCompile(`['"]?([a-z]+(?:-[a-z]+)*)['"]?: *['"` + "`" + `]([A-Za-z][^'"` + "`" + `]*)['"` + "`" +
		`]`)
	files := 0
	for _, root := range []string{"../internal/cli", "../internal/server", "../internal/desk", "../internal/core",
		"../console/src"} {
		err := filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() || strings.Contains(path, ".gen.") || strings.HasSuffix(path, "_test.go") ||
				strings.HasSuffix(path, "words.go") || !slices.Contains([]string{".go", ".ts", ".vue"}, filepath.Ext(path)) {
				return err
			}
			raw, err := os.ReadFile(path)
			files++
			for _, m := range pair.FindAllStringSubmatch(string(raw), -1) {
				if texts[m[1]][strings.ToLower(m[2])] && m[1] != m[2] {
					t.Errorf("%s has a label of its own for %s: %s", path, m[1], m[0])
				}
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	if files < 200 {
		t.Errorf("looked through %d files", files)
	}
}
