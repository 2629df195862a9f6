package table

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"roundhouse.example/internal/core/register"
)

// Type is how a member stands in a cell.
type Type int

// The types. Lists, versions and promises stand one a line in their cell.
const (
	Text Type = iota
	Yes       // yes or no
	Number
	List
	Versions // NAME = SUPPORTED UNTIL = NOTE
	Terms    // DEADLINE LEVEL TARGET CALENDAR kind=… channel=… country=…
)

// Column is one member of a kind of record: "serial", or "platform.until" within one.
type Column struct {
	Name string
	Type Type
	also []string // other headers it goes by
}

// Kind is a kind of record with its columns, in the order in which they are written.
type Kind struct {
	One, Many string
	Columns   []Column
	// Key are the columns without which no row can be told from another.
	Key []string
	// Pairs names the member that has columns of its own, such as attributes.Rack.
	Pairs string
}

func columns(list ...any) (out []Column) {
	for _, x := range list {
		switch x := x.(type) {
		case string:
			for _, name := range strings.Fields(x) {
				out = append(out, Column{Name: name})
			}
		case Column:
			out = append(out, x)
		}
	}
	return out
}

// The kinds of record that stand in tables.
var (
	Assets = Kind{One: "asset", Many: "assets", Key: []string{"vendor", "name"}, Pairs: "attributes",
		Columns: columns("vendor",
			Column{Name: "name", also: []string{"asset", "hostname"}},
			Column{Name: "serial", also: []string{"serial number", "serial no", "s/n"}}, "model product version system",
			Column{Name: "resource_id", also: []string{"resource identifier", "resource"}},
			"account region environment site address country", Column{Name: "site_contact", also: []string{"contact"}},
			Column{Name: "site_phone", also: []string{"phone"}},
			"contract owner start_with number_found platform.supported platform.until platform.source platform.checked note")}
	Products = Kind{One: "product", Many: "products", Key: []string{"vendor", "name"},
		Columns: columns("vendor", Column{Name: "name", also: []string{"product"}}, Column{Name: "our_names", Type: List},
			Column{Name: "versions", Type: Versions}, Column{Name: "components", Type: List}, "number_found note")}
	Accounts = Kind{One: "account", Many: "accounts", Key: []string{"vendor", "number"},
		Columns: columns("vendor", Column{Name: "number", also: []string{"account", "account number", "customer number"}},
			"name called",
			Column{Name: "regions", Type: List}, "country holder note")}
	Contracts = Kind{One: "contract", Many: "contracts", Key: []string{"vendor", "number"},
		Columns: columns("vendor", Column{Name: "number", also: []string{"contract", "contract number"}}, "tier",
			Column{Name: "starts", also: []string{"start", "start date"}},
			Column{Name: "ends", also: []string{"end", "end date"}}, "notice country", Column{Name: "rights", Type: List},
			Column{Name: "kinds", Type: List}, "exclusions",
			Column{Name: "everything", Type: Yes}, Column{Name: "products", Type: List}, Column{Name: "accounts", Type: List},
			"allowance.unit", Column{Name: "allowance.amount", Type: Number}, Column{Name: "allowance.used", Type: Number},
			"on_change while_ours", Column{Name: "terms", Type: Terms, also: []string{"promises"}}, "note")}
	// Cases are those that vendors have already.
	Cases = Kind{One: "case", Many: "cases", Key: []string{"vendor", "title", "filed_at", "last_reply"},
		Columns: columns("vendor", Column{Name: "title", also: []string{"subject", "summary"}},
			Column{Name: "reference", also: []string{"vendor reference", "case number", "number"}}, "kind",
			Column{Name: "filed_at", also: []string{"filed", "opened", "opened at"}},
			Column{Name: "last_reply", also: []string{"last vendor reply"}}, "level", Column{Name: "severity", Type: Number},
			"owner origin opened_by maker asset account contract ticket vendor_status",
			Column{Name: "move", also: []string{"waiting on"}}, Column{Name: "story", also: []string{"description"}})}
	People = Kind{One: "person", Many: "people", Key: []string{"email", "name"},
		Columns: columns(Column{Name: "email", also: []string{"mail", "e-mail", "mail address"}},
			"name role phone zone hours languages", Column{Name: "active", Type: Yes})}
)

var separators = strings.NewReplacer(" ", "_", "-", "_", ".", "_", "/", "_")

func plain(s string) string { return separators.Replace(strings.ToLower(strings.TrimSpace(s))) }

// column is the one that a header names, whatever its case and marks; nil for none.
func (k Kind) column(header string) *Column {
	for i, c := range k.Columns {
		if plain(header) == plain(c.Name) || slices.ContainsFunc(c.also, func(a string) bool {
			return plain(header) == plain(a)
		}) {
			return &k.Columns[i]
		}
	}
	if outer, inner, ok := strings.Cut(header, "."); ok && k.Pairs != "" && plain(outer) == k.Pairs &&
		strings.TrimSpace(inner) != "" {
		return &Column{Name: k.Pairs + "." + strings.TrimSpace(inner)}
	}
	return nil
}

// set puts a value where a column's name leads; nested members make their own map.
func set(members map[string]any, name string, v any) {
	outer, inner, nested := strings.Cut(name, ".")
	if !nested {
		members[name] = v
		return
	}
	m, _ := members[outer].(map[string]any)
	if m == nil {
		m = map[string]any{}
	}
	m[inner], members[outer] = v, m
}

// Apply puts what a row says onto members; a member that is nil goes, and so does one
// that has nothing left in it.
func Apply(members, row map[string]any) {
	for k, v := range row {
		switch v := v.(type) {
		case nil:
			delete(members, k)
		case map[string]any:
			inner, _ := members[k].(map[string]any)
			if inner == nil {
				inner = map[string]any{}
			}
			if Apply(inner, v); len(inner) == 0 {
				delete(members, k)
			} else {
				members[k] = inner
			}
		default:
			members[k] = v
		}
	}
}

// read turns a cell into a member's value; nil for an empty one.
func (c *Column) read(cell string) (any, error) {
	if cell == "" {
		return nil, nil
	}
	switch c.Type {
	case Yes:
		switch strings.ToLower(cell) {
		case "yes", "true", "1", "y":
			return true, nil
		case "no", "false", "0", "n":
			return false, nil
		}
		return nil, fmt.Errorf("%.40q is neither yes nor no", cell)
	case Number:
		n, err := strconv.Atoi(cell)
		if err != nil {
			return nil, fmt.Errorf("%.40q is not a whole number", cell)
		}
		return n, nil
	case List:
		return items(cell), nil
	case Versions:
		out := []any{}
		for _, line := range items(cell) {
			out = append(out, readVersion(line.(string)))
		}
		return out, nil
	case Terms:
		out := []any{}
		var wrong error
		for _, line := range items(cell) {
			t, err := register.ParseTerm(line.(string))
			wrong = errors.Join(wrong, err)
			out = append(out, t)
		}
		return out, wrong
	}
	return cell, nil
}

// items are a cell's lines; one line alone may separate them by semicolons too.
func items(cell string) (out []any) {
	mark := "\n"
	if !strings.Contains(cell, "\n") {
		mark = ";"
	}
	for _, s := range strings.Split(cell, mark) {
		if s = strings.TrimSpace(s); s != "" && s != onlyOne {
			out = append(out, s)
		}
	}
	return out
}

// onlyOne follows a single item that has a semicolon in it, so that it is not taken for two.
const onlyOne = "-"

func written(lines []string) string {
	if len(lines) == 1 && (strings.Contains(lines[0], ";")) {
		return lines[0] + "\n" + onlyOne
	}
	return strings.Join(lines, "\n")
}

const between = " = "

func readVersion(line string) register.Version {
	parts := append(strings.SplitN(line, between, 3), "", "")
	return register.Version{Name: strings.TrimSpace(parts[0]), SupportedUntil: strings.TrimSpace(parts[1]),
		Note: strings.TrimSpace(parts[2])}
}

func writeVersion(v register.Version) string {
	switch {
	case v.Note != "":
		return v.Name + between + v.SupportedUntil + between + v.Note
	case v.SupportedUntil != "":
		return v.Name + between + v.SupportedUntil
	}
	return v.Name
}

// begins says whether what stands at a place of a cell would begin a formula there, were it
// the beginning of a cell: at the cell's own beginning, or behind what another program may
// take for the end of a cell. A dash of a list is none.
func begins(cell string, at int) bool {
	if at >= len(cell) || !strings.ContainsRune("=+-@\t\r", rune(cell[at])) {
		return false
	}
	before := strings.TrimRight(cell[:at], "'")
	switch {
	case before == "":
		return true
	case strings.HasSuffix(before, "\n"):
		return strings.ContainsRune("=+@", rune(cell[at])) || cell[at] == '-' && !strings.HasPrefix(cell[at:], "- ")
	}
	return strings.ContainsRune("=+-@", rune(cell[at])) && strings.ContainsRune(",;\t", rune(before[len(before)-1]))
}

// Guard keeps a cell from being a formula in a spreadsheet, also in one that takes another
// sign for the end of a cell: an apostrophe goes before what would begin one, and before
// what Unguard would else take for guarded.
func Guard(cell string) string {
	var b strings.Builder
	for i := range len(cell) {
		if begins(cell, i) {
			b.WriteByte('\'')
		}
		b.WriteByte(cell[i])
	}
	return b.String()
}

// Unguard takes exactly one apostrophe off what Guard put it before.
func Unguard(cell string) string {
	var b strings.Builder
	for i := range len(cell) {
		if cell[i] == '\'' && i+1 < len(cell) && begins(cell, i+1) {
			continue
		}
		b.WriteByte(cell[i])
	}
	return b.String()
}
