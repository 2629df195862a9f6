package e2e

import (
	"encoding/json"
	"maps"
	"os/exec"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/spf13/pflag"

	"roundhouse.example/internal/cli"
	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/server/web"
)

// places are where the members of one kind of record stand, each by its name.
type places map[string][]string

// lacking says which members each place has not, and which it alone has. A place that
// offers only some of them, the others by a file, lacks none.
func (p places) lacking(members []string) map[string][]string {
	out := map[string][]string{}
	for place, has := range p {
		for _, m := range members {
			if !slices.Contains(has, m) && !strings.HasSuffix(place, " (some)") {
				out[place] = append(out[place], m)
			}
		}
		for _, m := range has {
			if !slices.Contains(members, m) {
				out[place] = append(out[place], "not a member: "+m)
			}
		}
	}
	return out
}

// membersOf are the names under which a record's members are written, those of one
// within it as platform.until.
func membersOf(t reflect.Type) (out []string) {
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		if f := t.Field(i).Type; f.Kind() == reflect.Pointer && f.Elem().Kind() == reflect.Struct {
			for _, inner := range membersOf(f.Elem()) {
				out = append(out, name+"."+inner)
			}
			continue
		}
		out = append(out, name)
	}
	return out
}

func schemaMembers(s *openapi3.Schema) (out []string) {
	for name, p := range s.Properties {
		if len(p.Value.Properties) == 0 {
			out = append(out, name)
			continue
		}
		for _, inner := range schemaMembers(p.Value) {
			out = append(out, name+"."+inner)
		}
	}
	return out
}

// consoleForms are the members that the console's forms ask for, by form.
func consoleForms(t *testing.T) map[string][]string {
	t.Helper()
	const script = `const ts = require('typescript'), fs = require('fs'), path = require('path')
const from = dir => name => {
	const at = path.resolve(dir, name) + '.ts', m = { exports: {} }
	const code = ts.transpile(fs.readFileSync(at, 'utf8'), { module: 'commonjs' })
	new Function('module', 'exports', 'require', code)(m, m.exports, from(path.dirname(at)))
	return m.exports
}
const forms = Object.entries(from('src/register')('forms').forms).map(([k, groups]) =>
	[k, groups.flatMap(g => g.fields.map(f => f.key))])
console.log(JSON.stringify(Object.fromEntries(forms)))`
	cmd := exec.Command("node", "-e", script)
	cmd.Dir = "../console"
	raw, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	var out map[string][]string
	if err := json.Unmarshal(raw, &out); err != nil {
		t.Fatal(err)
	}
	return out
}

// flagMembers are the members that the flags of a command set.
func flagMembers(t *testing.T, path ...string) (out []string) {
	t.Helper()
	cmd, rest, err := cli.Root(&app.App{}).Find(path)
	if err != nil || len(rest) > 0 {
		t.Fatal(path, err)
	}
	cmd.Flags().VisitAll(func(f *pflag.Flag) { out = append(out, f.Annotations["member"]...) })
	return out
}

func columnsOf(k table.Kind) (out []string) {
	for _, c := range k.Columns {
		out = append(out, c.Name)
	}
	if k.Pairs != "" {
		out = append(out, k.Pairs)
	}
	return out
}

// What a kind of record consists of is said by its type in the core. The contract, the
// terminal, tables and the console's forms have all of it and nothing else, so that a
// member that is added is not forgotten in one of them.
func TestEveryPlaceKnowsEveryMember(t *testing.T) {
	t.Parallel()
	published, _, err := web.Contract()
	if err != nil {
		t.Fatal(err)
	}
	schema := func(name string) []string { return schemaMembers(published.Components.Schemas[name].Value) }
	forms := consoleForms(t)
	// A form does not ask for what it was opened under: the vendor.
	form := func(name string, under ...string) []string { return append(slices.Clone(forms[name]), under...) }

	type kind struct {
		of any
		in places
	}
	kinds := map[string]kind{}
	for _, k := range []struct {
		name, schema string
		of           any
		table        table.Kind
	}{
		{"asset", "Asset", register.Asset{}, table.Assets}, {"product", "Product", register.Product{}, table.Products},
		{"account", "Account", register.Account{}, table.Accounts},
		{"contract", "Contract", register.Contract{}, table.Contracts},
	} {
		kinds[k.name] = kind{k.of,
			places{"contract": schema(k.schema), "patch": schema(k.schema + "Change"), "console": form(k.name+"s", "vendor"),
				"table": columnsOf(k.table),
				"add":   flagMembers(t, k.name, "add"), "change": flagMembers(t, k.name, "change")}}
	}
	kinds["vendor"] = kind{register.Vendor{},
		places{"contract": schema("VendorFacts"), "patch": schema("VendorChange"), "console": form("vendors", "key"),
			"add (some)": flagMembers(t, "vendor", "add"), "change (some)": flagMembers(t, "vendor", "change")}}
	kinds["policy"] = kind{register.Policy{},
		places{"contract": schema("PolicyFacts"), "patch": schema("PolicyChange"), "console": forms["policy"],
			"change (some)": flagMembers(t, "policy", "change")}}
	kinds["secret"] = kind{register.Secret{},
		places{"contract": schema("SecretFacts"), "patch": slices.DeleteFunc(schema("SecretChange"), func(m string) bool {
			return m == "value"
		}), "add": append(flagMembers(t, "secret", "add"), "name"),
			"change": append(flagMembers(t, "secret", "change"), "name")}}

	for name, k := range kinds {
		of := reflect.TypeOf(k.of)
		for place, wrong := range k.in.lacking(membersOf(of)) {
			t.Errorf("%s, %s: %v", name, place, wrong)
		}
		// One that is made up is missed in every place that has to have all.
		var fields []reflect.StructField
		for i := range of.NumField() {
			fields = append(fields, of.Field(i))
		}
		fields = append(fields, reflect.StructField{Name: "ShoeSize", Type: reflect.TypeFor[int](),
			Tag: `json:"shoe_size,omitempty"`})
		missed := k.in.lacking(membersOf(reflect.StructOf(fields)))
		for place := range maps.Keys(k.in) {
			if !strings.HasSuffix(place, " (some)") && !slices.Contains(missed[place], "shoe_size") {
				t.Errorf("%s, %s: a member that is made up is not missed", name, place)
			}
		}
	}
}

// People are changed through operations of their own; what can be changed is what a
// table of people brings.
func TestATableOfPeopleBringsWhatCanBeChanged(t *testing.T) {
	t.Parallel()
	published, _, err := web.Contract()
	if err != nil {
		t.Fatal(err)
	}
	change := append(schemaMembers(published.Components.Schemas["PersonChange"].Value), "email") // which says who it is
	for place, wrong := range (places{"table": append(columnsOf(table.People), "password")}).lacking(change) {
		t.Errorf("%s: %v", place, wrong)
	}
	cmd, _, err := cli.Root(&app.App{}).Find([]string{"person", "change"})
	if err != nil {
		t.Fatal(err)
	}
	// in the terminal it is who leaves, and the address names the person
	said := map[string]string{"active": "leaves", "email": ""}
	for _, m := range change {
		flag, other := said[m]
		if !other {
			flag = m
		}
		if flag != "" && cmd.Flags().Lookup(flag) == nil {
			t.Errorf("person change cannot set %s", m)
		}
	}
}
