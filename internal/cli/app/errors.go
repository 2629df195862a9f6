package app

import (
	"fmt"
)

// Refused is an error whose exit status is "refused by a rule".
type Refused struct{ Text string }

func (e *Refused) Error() string { return e.Text }

// Usage is an error of how a command was called.
type Usage struct{ error }

// WrongUse makes an error one of how the command was called: exit status 2.
func WrongUse(err error) error { return Usage{err} }

// Usagef says how a command was called wrongly: exit status 2.
func Usagef(format string, args ...any) error { return Usage{fmt.Errorf(format, args...)} }
