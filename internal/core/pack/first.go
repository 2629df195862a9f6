package pack

import (
	"encoding/json"
	"fmt"
)

// Words of the first format that are others now, by where they stand.
var (
	kindsOfFirst    = map[string]string{"purchase": "order", "task": "work"}
	channelsOfFirst = map[string]string{"mail": "email"}
)

// fromFirst turns a pack of the first format into one of today's. What is not as that format has it stays as it is,
// for the schema to complain of.
func (t *tree) fromFirst(top map[string]any) {
	top["vendor_pack"] = json.Number(fmt.Sprint(Version))
	vendor, _ := top["vendor"].(map[string]any)
	reworded(vendor["takes"], kindsOfFirst)
	for i, x := range records(vendor["forms"]) {
		reword(x, "kind", kindsOfFirst)
		t.renamed(x, "must", "required", fmt.Sprintf("vendor.forms[%d].", i))
	}
	for _, x := range records(vendor["usual_terms"]) {
		reword(x, "kind", kindsOfFirst)
		reword(x, "channel", channelsOfFirst)
	}
	for _, x := range records(vendor["ways"]) {
		reword(x, "channel", channelsOfFirst)
	}
	for _, x := range records(vendor["levels"]) {
		reworded(x["channels"], channelsOfFirst)
	}
	for i, x := range records(vendor["people"]) {
		t.renamed(x, "mail", "email", fmt.Sprintf("vendor.people[%d].", i))
	}
}

// renamed gives a field of x, which stands at a path, its name of today.
func (t *tree) renamed(x map[string]any, was, is, at string) {
	if v, there := x[was]; there {
		x[is] = v
		delete(x, was)
		t.lines[at+is] = t.lines[at+was]
	}
}

// records are the members of a list that have members themselves.
func records(list any) (out []map[string]any) {
	all, _ := list.([]any)
	for _, x := range all {
		if r, ok := x.(map[string]any); ok {
			out = append(out, r)
		}
	}
	return out
}

func reword(x map[string]any, member string, words map[string]string) {
	if s, ok := x[member].(string); ok && words[s] != "" {
		x[member] = words[s]
	}
}

func reworded(list any, words map[string]string) {
	all, _ := list.([]any)
	for i, x := range all {
		if s, ok := x.(string); ok && words[s] != "" {
			all[i] = words[s]
		}
	}
}
