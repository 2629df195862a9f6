package cases

import (
	"fmt"
	"maps"
	"slices"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// head is what If-Match guards: what a person decides by. What a channel does
// meanwhile does not make it stale.
type head struct {
	state                                         casework.State
	title, kind, because, cause, outcome, answers string
	facts                                         casesdb.Facts
	texts                                         casesdb.Texts
	severity, chosen, level                       int
	owner, asset, account, contract, neededBy     int64
	outage, vendor, maker                         int64
	goOn                                          string
	unsorted                                      casesdb.Unsorted
	parked, agreed, vendorClosed, workaround      bool
}

func headOf(c *casesdb.Case) head {
	h := head{
		title: c.Title, kind: c.Kind, state: c.State, because: c.SeverityBecause, cause: c.Cause, outcome: c.Outcome,
		facts: c.Facts.V,
		texts: c.Texts.V, severity: desk.Deref(c.Severity), chosen: desk.Deref(c.SeverityChosen),
		level: desk.Deref(c.LevelRank), parked: c.Parked,
		agreed: c.ParkedAgreed, vendorClosed: c.VendorClosedAt != nil, workaround: c.WorkaroundOffered,
		owner: desk.Deref(c.OwnerID), asset: desk.Deref(c.AssetID), account: desk.Deref(c.AccountID),
		contract: desk.Deref(c.ContractID), outage: desk.Deref(c.OutageID), vendor: c.VendorID,
		maker: desk.Deref(c.MakerID), goOn: c.GoOnBecause, unsorted: c.Unsorted.V,
	}
	for _, k := range slices.Sorted(maps.Keys(c.Answers.V)) {
		h.answers += fmt.Sprintf("%q=%q,", k, c.Answers.V[k])
	}
	// Two pointers to one instant are one fact.
	h.neededBy, h.facts.NeededBy = db.Unix(c.Facts.V.NeededBy), nil
	return h
}

// hideIn puts placeholders where a case's own texts write out a secret of its vendor's.
func hideIn(hide func(string) string, c *casesdb.Case) {
	for _, s := range append(c.Texts.V.All(), &c.Title, &c.SeverityBecause, &c.Cause, &c.Outcome, &c.GoOnBecause,
		&c.Unsorted.V.Vendor, &c.Unsorted.V.Product, &c.Unsorted.V.Kind) {
		*s = hide(*s)
	}
	for k, v := range c.Answers.V {
		c.Answers.V[k] = hide(v)
	}
}

// hideSets is hideIn for what an entry sets.
func hideSets(hide func(string) string, e *casesdb.Effect) {
	if e != nil && e.Item != nil {
		for _, s := range e.Item.Texts() {
			*s = hide(*s)
		}
	}
	if e == nil || e.Sets == nil {
		return
	}
	for _, s := range e.Sets.Words() {
		*s = hide(*s)
	}
	for _, texts := range []map[string]string{e.Sets.Texts, e.Sets.Answers} {
		for k, v := range texts {
			texts[k] = hide(v)
		}
	}
}
