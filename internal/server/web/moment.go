package web

import (
	"time"

	"roundhouse.example/internal/desk/record"
)

// Moment is the past instant that a request asks about, in whole seconds; past is false where it asks about now.
func Moment(at *time.Time, known *bool) (m record.Moment, past bool) {
	if at == nil {
		return m, false
	}
	return record.Moment{At: at.UTC().Truncate(time.Second), Known: Val(known)}, true
}
