package today

import listsdb "roundhouse.example/internal/store/lists"

// CaseFilter narrows and orders a list of cases.
type CaseFilter = listsdb.Filter

// SortKey is where a case is in a list of an order, for the cursor of a page.
func SortKey(sort string, l CaseLine) string { return listsdb.SortKey(sort, l.Row) }
