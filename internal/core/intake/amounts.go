package intake

import (
	"fmt"
	"math/big"
	"regexp"
	"slices"
	"strings"
)

// Amount is one line of a request for capacity: where, of what, how much there is and how much is wanted.
type Amount struct {
	Place, What string
	Now, Wanted *big.Rat
	Unit        string // of both; empty where they are plain numbers
}

// AmountsWritten is how an amount is written, one on a line; the same in API, files and the terminal.
const AmountsWritten = "place; thing; present amount; wanted amount"

// quantity is a number, with a decimal point or thousands set apart by commas, and a unit.
var quantity = regexp.MustCompile(`^([0-9]{1,3}(?:,[0-9]{3})+|[0-9]{1,15})(\.[0-9]{1,6})?` +
	`(?:\s*([\pL%µ°/][^;]{0,29}))?$`)

// Amounts reads the lines of a request for capacity, "Ern; messages a second; 500; 2000" each. The error says in words
// which line is wrong and how to write it.
func Amounts(text string) (out []Amount, err error) {
	n := 0
	for line := range strings.Lines(text) {
		n++
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		a, err := amountOf(line)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", n, err)
		}
		if slices.ContainsFunc(out, func(b Amount) bool {
			return strings.EqualFold(a.Place, b.Place) && strings.EqualFold(a.What, b.What)
		}) {
			return nil, fmt.Errorf("line %d: %s in %s is there twice", n, a.What, a.Place)
		}
		out = append(out, a)
	}
	return out, nil
}

func amountOf(line string) (a Amount, err error) {
	parts := strings.Split(line, ";")
	if len(parts) != 4 {
		return a, fmt.Errorf("write it as %q", AmountsWritten)
	}
	for i, p := range parts {
		if parts[i] = strings.TrimSpace(p); parts[i] == "" {
			return a, fmt.Errorf("the %s is missing: write it as %q",
				[]string{"place", "thing", "present amount", "wanted amount"}[i], AmountsWritten)
		}
	}
	a.Place, a.What = parts[0], parts[1]
	var unit string
	if a.Now, a.Unit, err = quantityOf(parts[2]); err != nil {
		return a, err
	}
	if a.Wanted, unit, err = quantityOf(parts[3]); err != nil {
		return a, err
	}
	switch {
	case a.Unit == "":
		a.Unit = unit
	case unit != "" && unit != a.Unit:
		return a, fmt.Errorf("%s and %s are different units: write both amounts in one", a.Unit, unit)
	}
	if a.Now.Cmp(a.Wanted) == 0 {
		return a, fmt.Errorf("the wanted amount is the same as the present one")
	}
	return a, nil
}

func quantityOf(s string) (*big.Rat, string, error) {
	m := quantity.FindStringSubmatch(s)
	if m == nil {
		return nil, "", fmt.Errorf("%.40q is not an amount: write a number, with its unit if it has one, like 40 TB", s)
	}
	n, _ := new(big.Rat).SetString(strings.ReplaceAll(m[1], ",", "") + m[2])
	return n, strings.TrimSpace(m[3]), nil
}

// OutOfPlace says which places of amounts are none of those that an account has; places empty: any.
func OutOfPlace(amounts []Amount, places []string) (out []string) {
	for _, a := range amounts {
		if len(places) > 0 && !slices.ContainsFunc(places, func(p string) bool { return strings.EqualFold(p, a.Place) }) {
			out = append(out, a.Place)
		}
	}
	return slices.Compact(out)
}

// Told is a request for capacity as a vendor reads it: an amount on a line, then the sum of each thing that is wanted
// in several places.
func Told(amounts []Amount) string {
	var b strings.Builder
	type sum struct {
		what, unit  string
		now, wanted *big.Rat
		n           int
	}
	var sums []*sum
	for _, a := range amounts {
		fmt.Fprintf(&b, "- %s, %s: %s now, %s wanted\n", a.Place, a.What, written(a.Now, a.Unit), written(a.Wanted, a.Unit))
		i := slices.IndexFunc(sums, func(s *sum) bool { return strings.EqualFold(s.what, a.What) && s.unit == a.Unit })
		if i < 0 {
			i = len(sums)
			sums = append(sums, &sum{what: a.What, unit: a.Unit, now: new(big.Rat), wanted: new(big.Rat)})
		}
		sums[i].now.Add(sums[i].now, a.Now)
		sums[i].wanted.Add(sums[i].wanted, a.Wanted)
		sums[i].n++
	}
	for _, s := range sums {
		if s.n > 1 {
			fmt.Fprintf(&b, "Total, %s: %s now, %s wanted\n", s.what, written(s.now, s.unit), written(s.wanted, s.unit))
		}
	}
	return strings.TrimSpace(b.String())
}

// written is a number with thousands set apart, and its unit.
func written(n *big.Rat, unit string) string {
	s := n.FloatString(6)
	s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
	whole, rest, fraction := strings.Cut(s, ".")
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if fraction {
		whole += "." + rest
	}
	return strings.TrimSpace(whole + " " + unit)
}
