package app

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
)

// Refused is an error whose exit status is "refused by a rule".
type Refused struct{ Text string }

func (e *Refused) Error() string { return e.Text }

// Usage is an error of how a command was called.
type Usage struct{ error }

// WrongUse makes an error one of how the command was called: exit status 2.
func WrongUse(err error) error { return Usage{err} }

// OnlyOne makes a command refuse more than one of some flags, as a wrong use. It is called once for a command.
func OnlyOne(c *cobra.Command, names ...string) {
	c.PreRunE = func(c *cobra.Command, _ []string) error {
		given := slices.DeleteFunc(slices.Clone(names), func(n string) bool { return !c.Flags().Changed(n) })
		if len(given) > 1 {
			return Usagef("give only one of --%s", strings.Join(given, " and --"))
		}
		return nil
	}
}

// Usagef says how a command was called wrongly: exit status 2.
func Usagef(format string, args ...any) error { return Usage{fmt.Errorf(format, args...)} }
