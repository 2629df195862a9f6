package pack

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"roundhouse.example/internal/core/calendar"
)

// Difference is one thing in which two packs are not alike: a member, with what
// it was and what it will be, in words; empty is not there.
type Difference struct {
	Field string `json:"field"`
	Was   string `json:"was,omitempty"`
	Will  string `json:"will,omitempty"`
}

func (d Difference) String() string {
	switch {
	case d.Was == "":
		return fmt.Sprintf("+ %s: %s", d.Field, d.Will)
	case d.Will == "":
		return fmt.Sprintf("- %s: %s", d.Field, d.Was)
	}
	return fmt.Sprintf("~ %s: %s -> %s", d.Field, d.Was, d.Will)
}

// known says by which members one of a list is known again, wherever it stands.
var known = map[string][]string{"levels": {"label"}, "status_words": {"word"}, "ways": {"channel", "address", "area"},
	"limits": {"channel"},
	"people": {"name"}, "ladder": {"role", "name"},
	"forms": {"kind", "key"}, "wanted_files": {"kind", "name"}, "phrases": {"key"}, "lead_times": {"kind"},
	"usual_terms": {"deadline", "level", "kind", "channel", "country"}}

// Differences are all between two packs, member by member in the order in which
// packs are written; none where they say the same.
func Differences(was, will Pack) ([]Difference, error) {
	var sides [2]map[string]any
	for i, p := range []Pack{was, will} {
		if p.Calendars == nil {
			p.Calendars = map[string]calendar.Definition{}
		}
		raw, err := json.Marshal(p)
		if err != nil {
			return nil, err
		}
		if err := json.Unmarshal(raw, &sides[i]); err != nil {
			return nil, err
		}
		delete(sides[i], "vendor_pack")
	}
	var out []Difference
	tell(&out, nil, "", sides[0], sides[1])
	return out, nil
}

// tell adds in what two values differ. path are the members that lead to them, field names them for people.
func tell(out *[]Difference, path []string, field string, was, will any) {
	if equal(was, will) {
		return
	}
	within := func(member string) string { return strings.TrimSpace(field + " " + member) }
	switch a := was.(type) {
	case map[string]any:
		b, _ := will.(map[string]any)
		if b == nil {
			break
		}
		for _, k := range slices.Sorted(maps.Keys(joined(a, b))) {
			at := within(k)
			if k == "vendor" && len(path) == 0 {
				at = ""
			}
			tell(out, append(slices.Clone(path), k), at, a[k], b[k])
		}
		return
	case []any:
		b, _ := will.([]any)
		if len(path) == 0 || b == nil || known[path[len(path)-1]] == nil {
			break
		}
		by := known[path[len(path)-1]]
		before, order := index(a, by)
		after, next := index(b, by)
		if before == nil || after == nil {
			break
		}
		for _, k := range order {
			tell(out, append(slices.Clone(path), k), within("("+k+")"), before[k], after[k])
		}
		for _, k := range next {
			if _, there := before[k]; !there {
				rest := maps.Clone(after[k].(map[string]any)) // what it is known by is said already
				for _, m := range by {
					delete(rest, m)
				}
				*out = append(*out, Difference{within("(" + k + ")"), "", orElse(inWords(rest), k)})
			}
		}
		stay := func(list []string, other map[string]any) []string {
			return slices.DeleteFunc(slices.Clone(list), func(k string) bool { return other[k] == nil })
		}
		if x, y := stay(order, after), stay(next, before); !slices.Equal(x, y) {
			*out = append(*out, Difference{within("order"), strings.Join(x, ", "), strings.Join(y, ", ")})
		}
		return
	}
	if list, ok := will.([]any); ok && was == nil && len(path) > 0 && known[path[len(path)-1]] != nil {
		tell(out, path, field, []any{}, list)
		return
	}
	if list, ok := was.([]any); ok && will == nil && len(path) > 0 && known[path[len(path)-1]] != nil {
		tell(out, path, field, list, []any{})
		return
	}
	*out = append(*out, Difference{field, inWords(was), inWords(will)})
}

func orElse(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

func joined(a, b map[string]any) map[string]any {
	out := maps.Clone(a)
	maps.Copy(out, b)
	return out
}

// index finds those of a list by what they are known by; nil where two are alike.
func index(list []any, by []string) (map[string]any, []string) {
	out, order := map[string]any{}, []string{}
	for _, x := range list {
		m, _ := x.(map[string]any)
		var parts []string
		for _, k := range by {
			if v := m[k]; v != nil && v != "" {
				parts = append(parts, inWords(v))
			}
		}
		key := strings.Join(parts, ", ")
		if _, twice := out[key]; twice || m == nil {
			return nil, nil
		}
		out[key] = x
		order = append(order, key)
	}
	return out, order
}

func equal(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && string(x) == string(y)
}

// inWords writes a value in one line.
func inWords(v any) string {
	switch x := v.(type) {
	case nil:
		return ""
	case string:
		return strings.ReplaceAll(strings.TrimSpace(x), "\n", " / ")
	case bool:
		if x {
			return "yes"
		}
		return "no"
	case []any:
		var parts []string
		for _, e := range x {
			parts = append(parts, inWords(e))
		}
		return strings.Join(parts, ", ")
	case map[string]any:
		var parts []string
		for _, k := range slices.Sorted(maps.Keys(x)) {
			parts = append(parts, k+" "+inWords(x[k]))
		}
		return strings.Join(parts, "; ")
	}
	return fmt.Sprint(v)
}
