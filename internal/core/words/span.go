package words

import "fmt"

// Span writes covered seconds in the two largest units that say something.
func Span(s int64) string {
	switch {
	case s < 60:
		return fmt.Sprintf("%d s", s)
	case s < 3600:
		return fmt.Sprintf("%d min", s/60)
	case s%3600 < 60 || s >= 100*3600:
		return fmt.Sprintf("%d h", s/3600)
	}
	return fmt.Sprintf("%d h %d min", s/3600, s%3600/60)
}

// Took writes how many covered seconds something took at most: a minute at least, as an answer outside the hours took
// none at all.
func Took(s int64) string { return Span(max(s, 60)) }
