package today

import casesdb "roundhouse.example/internal/store/cases"

// CaseFilter narrows and orders a list of cases.
type CaseFilter = casesdb.Filter

// SortKey is where a case is in a list of an order, for the cursor of a page.
func SortKey(sort string, l CaseLine) string { return casesdb.SortKey(sort, l.Row) }
