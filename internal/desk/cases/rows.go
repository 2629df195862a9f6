package cases

import (
	casesdb "roundhouse.example/internal/store/cases"
)

// What is written of a case, as the store keeps it and those who ask see it.
type (
	// Facts say how bad it is.
	Facts = casesdb.Facts
	// Unsorted are names of what the desk does not have.
	Unsorted = casesdb.Unsorted
)
