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
	for _, x := range records(vendor["forms"]) {
		reword(x, "kind", kindsOfFirst)
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
		if address, there := x["mail"]; there {
			x["email"] = address
			delete(x, "mail")
			at := fmt.Sprintf("vendor.people[%d].", i)
			t.lines[at+"email"] = t.lines[at+"mail"]
		}
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
