package drafts

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/pack"
	"roundhouse.example/internal/core/words"
)

// sheetRow is a field of a draft in the file that a person fills in: its key is that of the flag, and "answers.KEY" for
// an answer to the vendor's form.
type sheetRow struct {
	key, value, note string
	long             bool // a text of several lines
}

// rows are the fields of a draft as it stands, in the order in which one fills them in.
func (a *Commands) rows(cmd *cobra.Command, c clientgen.Case, times out.Times) ([]sheetRow, error) {
	help := func(flag string) string { return cmd.Flags().Lookup(flag).Usage }
	f, severity, ticket := c.Facts, "", ""
	if c.SeveritySupported != nil && c.Line.Severity != nil && *c.SeveritySupported != *c.Line.Severity {
		severity = fmt.Sprint(*c.Line.Severity)
	}
	for _, r := range c.References {
		if r.Whose == "ours" {
			ticket = r.Value
		}
	}
	needed := ""
	if t, err := f.NeededBy.Get(); err == nil {
		needed = t.In(times.Zone).Format("2006-01-02 15:04")
	}
	exposure := "no"
	if app.Deref(f.Exposure) {
		exposure = "yes"
	}
	list := []sheetRow{{key: "title", value: c.Line.Title, note: "one line that names the problem"},
		{key: "kind", value: string(c.Line.Kind)}, {key: "asset", value: app.Deref(c.Asset)},
		{key: "account", value: app.Deref(c.Account)}, {key: "contract", value: app.Deref(c.Contract)},
		{key: "environment", value: string(app.Deref(f.Environment))}, {key: "effect", value: string(app.Deref(f.Effect))},
		{key: "reach", value: string(app.Deref(f.Reach))}, {key: "workaround", value: string(app.Deref(f.Workaround))},
		{key: "exposure", value: exposure, note: "yes if data is being lost or exposed right now"},
		{key: "needed-by", value: needed}, {key: "severity", value: severity},
		{key: "severity-reason", value: app.Deref(c.SeverityChosenBecause)}, {key: "ticket", value: ticket},
		{key: "go-on-reason", value: app.Deref(c.GoOnReason)}}
	texts := map[string]string{}
	if raw, err := json.Marshal(c.Texts); err != nil {
		return nil, err
	} else if err := json.Unmarshal(raw, &texts); err != nil {
		return nil, err
	}
	parts := map[string]clientgen.Part{}
	for _, p := range app.Deref(c.Parts) {
		parts[p.Key] = p
	}
	for _, x := range clicases.TextFlags {
		row := sheetRow{key: x.Flag, value: texts[x.Member], long: intake.IsPart(x.Member) && !intake.IsLine(x.Member)}
		if t, err := time.Parse(time.RFC3339, row.value); err == nil && clicases.IsTime(x.Member) {
			row.value = t.In(times.Zone).Format("2006-01-02 15:04")
		}
		if p, there := parts[x.Member]; there {
			row.note = p.Label
			if why := app.Deref(p.Why); why != "" {
				row.note += ": " + why
			}
			if p.Points == 0 && row.value == "" {
				continue // nobody asks for it
			}
		}
		list = append(list, row)
	}
	for i := range list {
		if list[i].note == "" {
			list[i].note = help(list[i].key)
		}
	}
	for _, q := range app.Deref(c.Asked) {
		list = append(list, sheetRow{key: "answers." + q.Key, value: q.Answer, note: asks(q),
			long: q.Type == "long" || q.Type == "amounts"})
	}
	return list, nil
}

// asks is a question of the vendor's form in one line.
func asks(q clientgen.Question) string {
	s := q.Label
	if q.Required {
		s += ", required"
	}
	if hint := app.Deref(q.Hint); hint != "" {
		s += ": " + hint
	}
	if q.Type == "amounts" {
		s += ", a line each: " + intake.AmountsWritten
	}
	if list := app.Deref(q.Choices); len(list) > 0 {
		s += " (" + strings.Join(list, ", ") + ")"
	}
	if q.Answer != "" && !app.Deref(q.Given) {
		s += "; known from the register"
	}
	return s
}

// sheet writes a draft as a file to fill in, with what is asked, what is known and what is required beside each field.
func sheet(c clientgen.Case, rows []sheetRow) (string, error) {
	var b strings.Builder
	b.WriteString(comment(fmt.Sprintf("%s, a draft for %s. Lines that start with # are ignored. Save and close to apply: "+
		"an empty value clears a field, and a line that you remove changes nothing. After a |, write on the next lines, "+
		"indented by two spaces.", c.Line.Number, c.Line.Vendor), ""))
	for _, n := range c.Needs {
		if n.Weight != clientgen.NeedWeightOptional {
			b.WriteString(comment(words.Weights.Of(string(n.Weight))+": "+n.Text, ""))
		}
	}
	answers := false
	for _, r := range rows {
		key, indent := r.key, ""
		if name, ok := strings.CutPrefix(r.key, "answers."); ok {
			if !answers {
				b.WriteString("\nanswers:\n")
			}
			answers, key, indent = true, name, "  "
		}
		b.WriteString(comment(r.note, indent))
		switch {
		case r.value == "" && r.long: // a block, so that what is written there can have colons
			fmt.Fprintf(&b, "%s%s: |\n", indent, key)
		case r.value == "", r.value == "yes", r.value == "no":
			b.WriteString(strings.TrimRight(indent+key+": "+r.value, " ") + "\n")
		default:
			raw, err := yaml.MarshalWithOptions(map[string]string{key: r.value}, yaml.UseLiteralStyleIfMultiline(true))
			if err != nil {
				return "", err
			}
			for line := range strings.Lines(string(raw)) {
				b.WriteString(indent + line)
			}
		}
	}
	return b.String(), nil
}

// comment is a text as lines of comment.
func comment(text, indent string) string {
	var b strings.Builder
	line := indent + "#"
	for _, w := range strings.Fields(text) {
		if len(line)+1+len(w) > 100 {
			b.WriteString(line + "\n")
			line = indent + "#"
		}
		line += " " + w
	}
	return b.String() + line + "\n"
}

// readSheet gives the fields of a file, in the keys of its rows. name is how the file is called in what is wrong.
func readSheet(name string, raw []byte) (map[string]string, error) {
	members, findings := pack.Members(raw)
	if len(findings) > 0 {
		return nil, fmt.Errorf("%s:%s", name, findings[0])
	}
	fields := map[string]string{}
	for k, v := range members {
		if inner, ok := v.(map[string]any); ok && k == "answers" {
			for key, x := range inner {
				fields["answers."+key] = plain(x)
			}
			continue
		}
		if _, list := v.([]any); list {
			return nil, fmt.Errorf("%s:%d: %s is a list; write one text", name, lineOf(raw, k), k)
		}
		if k != "answers" {
			fields[k] = plain(v)
		}
	}
	return fields, nil
}

func plain(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case bool:
		if v {
			return "yes"
		}
		return "no"
	}
	return strings.TrimSpace(fmt.Sprint(v))
}

// lineOf is the line on which a field of a file stands, from 1.
func lineOf(raw []byte, key string) int {
	at := regexp.MustCompile(`(?m)^["']?` + regexp.QuoteMeta(key) + `["']?\s*:`).FindIndex(raw)
	if at == nil {
		return 1
	}
	return bytes.Count(raw[:at[0]], []byte("\n")) + 1
}

// take sets the flags of a command from the fields of a file, but for those that were given: a flag goes before the
// file. more are fields that no flag has.
func (d *draftFlags) take(cmd *cobra.Command, name string, raw []byte, before map[string]string,
	more map[string]*string) error {
	fields, err := readSheet(name, raw)
	if err != nil {
		return err
	}
	flags := cmd.Flags()
	for _, key := range slices.Sorted(maps.Keys(fields)) {
		value := fields[key]
		if was, there := before[key]; there && strings.TrimSpace(was) == value {
			continue
		}
		if answer, ok := strings.CutPrefix(key, "answers."); ok {
			d.answers = append([]string{answer + "=" + value}, d.answers...)
			flags.Lookup("answer").Changed = true
			continue
		}
		if to, ok := more[key]; ok {
			if *to == "" {
				*to = value
			}
			continue
		}
		f := flags.Lookup(key)
		if f == nil || !d.names[key] {
			return app.Usagef("%s:%d: %q is not a field of a case; the fields are %s", name, lineOf(raw, key), key,
				strings.Join(d.known(more), ", "))
		}
		if f.Changed {
			continue
		}
		switch {
		case f.Value.Type() == "bool":
			value = map[string]string{"yes": "true", "no": "false", "": "false"}[value]
		case f.Value.Type() == "int" && value == "":
			value = "0"
		}
		if err := flags.Set(key, value); err != nil {
			return app.Usagef("%s:%d: %s: %q is not allowed here", name, lineOf(raw, key), key, fields[key])
		}
	}
	return nil
}

// known are the fields that a file can have.
func (d *draftFlags) known(more map[string]*string) []string {
	list := slices.Collect(maps.Keys(more))
	for name := range d.names {
		list = append(list, name)
	}
	list = append(list, "answers")
	slices.Sort(list)
	return list
}

// readFile is a file's content, or that of standard input.
func (a *Commands) readFile(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(io.LimitReader(a.Stdin, app.Most))
	}
	return app.ReadBounded(name)
}
