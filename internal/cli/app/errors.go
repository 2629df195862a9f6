package app

import (
	"fmt"
)

// refused is an error whose exit status is "refused by a rule".
type Refused struct{ Text string }

func (e *Refused) Error() string { return e.Text }

// usage is an error of how a command was called.
type Usage struct{ error }

func WrongUse(err error) error { return Usage{err} }

func Usagef(format string, args ...any) error { return Usage{fmt.Errorf(format, args...)} }
