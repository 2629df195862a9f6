package register

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// CoverState is whether an asset is covered on a date.
type CoverState string

// The states of cover.
const (
	Covered      CoverState = "covered"
	CoveredTwice CoverState = "twice"
	NotYet       CoverState = "not-yet"
	CoverEnded   CoverState = "ended"
	NotCovered   CoverState = "not-covered"
)

// Cover is whether an asset is covered, by what, until when.
type Cover struct {
	State CoverState
	// By are the numbers of the contracts: those in force, else the one that comes
	// next, else the one that ended last.
	By []string
	// Until is the last covered date without a break; of one not yet covered, the
	// first covered date; of one no longer covered, the last.
	Until string
}

// Words say it in a sentence.
func (c Cover) Words() string {
	by := strings.Join(c.By, " and ")
	switch c.State {
	case Covered:
		return fmt.Sprintf("Covered by %s until %s", by, c.Until)
	case CoveredTwice:
		return fmt.Sprintf("Covered twice, by %s, until %s", by, c.Until)
	case NotYet:
		return fmt.Sprintf("Covered by %s from %s", by, c.Until)
	case CoverEnded:
		return fmt.Sprintf("No longer covered: %s ended on %s", by, c.Until)
	}
	return "Not covered by any contract"
}

// Stretch is one contract that covers an asset, from its first date to its last.
type Stretch struct{ Number, Starts, Ends string }

// CoverOf joins the contracts that cover an asset as of a date.
func CoverOf(contracts []Stretch, today string) Cover {
	if len(contracts) == 0 {
		return Cover{State: NotCovered}
	}
	list := slices.Clone(contracts)
	slices.SortStableFunc(list, func(a, b Stretch) int { return strings.Compare(a.Starts, b.Starts) })
	c := Cover{}
	for _, k := range list {
		if k.Starts <= today && today <= k.Ends {
			c.By = append(c.By, k.Number)
			c.Until = max(c.Until, k.Ends)
		}
	}
	switch {
	case len(c.By) > 0:
		c.State = Covered
		if len(c.By) > 1 {
			c.State = CoveredTwice
		}
		for _, k := range list { // one that follows without a break carries it on
			if k.Starts <= nextDay(c.Until) && k.Ends > c.Until {
				c.Until = k.Ends
			}
		}
		return c
	case slices.ContainsFunc(list, func(k Stretch) bool { return k.Starts > today }):
		for _, k := range list {
			if k.Starts > today {
				return Cover{NotYet, []string{k.Number}, k.Starts}
			}
		}
	}
	last := slices.MaxFunc(list, func(a, b Stretch) int { return strings.Compare(a.Ends, b.Ends) })
	return Cover{CoverEnded, []string{last.Number}, last.Ends}
}

func nextDay(date string) string {
	t, err := time.Parse(time.DateOnly, date)
	if err != nil {
		return date
	}
	return t.AddDate(0, 0, 1).Format(time.DateOnly)
}

// Days is how many days lie from one date to another; negative when it has passed.
func Days(from, to string) int {
	a, errA := time.Parse(time.DateOnly, from)
	b, errB := time.Parse(time.DateOnly, to)
	if errA != nil || errB != nil {
		return 0
	}
	return int(b.Sub(a).Hours() / 24)
}

// Warnings say what of a contract asks for attention on a date: it ends, or its
// notice date comes, within 90, 60 or 30 days. step is the nearest of these.
func (c Contract) Warnings(today string) (words []string, step int) {
	near := func(date, coming string) {
		if date == "" || c.Ends < today {
			return
		}
		n := Days(today, date)
		if n < 0 || n > 90 {
			return
		}
		at := 90
		for _, s := range []int{60, 30} {
			if n <= s {
				at = s
			}
		}
		if step == 0 || at < step {
			step = at
		}
		in := fmt.Sprintf("in %d days", n)
		switch n {
		case 0:
			in = "today"
		case 1:
			in = "tomorrow"
		}
		words = append(words, fmt.Sprintf(coming, in, date))
	}
	near(c.Notice, "Last date to give notice %s, on %s")
	near(c.Ends, "Ends %s, on %s")
	return words, step
}
