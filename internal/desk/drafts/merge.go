package drafts

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"strconv"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
)

// fields are what a person can change in a draft, by the API's names: texts.happened, answers.tenant.
// ticket asks for our ticket too, which is kept elsewhere.
func (w *work) fields(ctx context.Context, ticket bool) (map[string]string, error) {
	c := w.Case
	out := map[string]string{"title": c.Title, "kind": c.Kind, "severity_reason": c.SeverityBecause,
		"vendor": numbered(&c.VendorID), "maker": numbered(c.MakerID), "go_on_reason": c.GoOnBecause,
		"unsorted.vendor": c.Unsorted.V.Vendor, "unsorted.product": c.Unsorted.V.Product,
		"unsorted.kind": c.Unsorted.V.Kind,
		"asset":         numbered(c.AssetID), "account": numbered(c.AccountID), "contract": numbered(c.ContractID)}
	if c.SeverityChosen != nil {
		out["severity"] = strconv.Itoa(*c.SeverityChosen)
	}
	for k, v := range c.Answers.V {
		out["answers."+k] = v
	}
	for _, part := range []struct {
		name string
		of   any
	}{{"facts.", c.Facts.V}, {"texts.", c.Texts.V}} {
		raw, err := json.Marshal(part.of)
		if err != nil {
			return nil, err
		}
		var members map[string]json.RawMessage
		if err := json.Unmarshal(raw, &members); err != nil {
			return nil, err
		}
		for k, v := range members {
			out[part.name+k] = string(v)
		}
	}
	if !ticket {
		return out, nil
	}
	var err error
	out["ticket"], err = w.KnownAs(ctx, casework.OurTicket)
	return out, err
}

func numbered(id *int64) string {
	if id == nil {
		return ""
	}
	return strconv.FormatInt(*id, 10)
}

// merge notes which fields a change touches. It is a *desk.Stale where somebody else has changed one of them since the
// version that the person saw.
func (w *work) merge(before, after map[string]string, match int64) error {
	whole := maps.Clone(before)
	maps.Copy(whole, after)
	versions, clash := w.Case.FieldVersions.V, &desk.Stale{What: "draft"}
	if versions == nil {
		versions = map[string]int64{}
	}
	for _, field := range slices.Sorted(maps.Keys(whole)) {
		if before[field] == after[field] {
			continue
		}
		last, named := versions[field]
		if !named {
			last = versions["*"]
		}
		if last > match {
			clash.Fields = append(clash.Fields,
				desk.Field{Name: field, Detail: "somebody else has changed it since you read it"})
		}
		versions[field] = w.Case.Version + 1
	}
	if len(clash.Fields) > 0 {
		return clash
	}
	w.Case.FieldVersions.V = versions
	return nil
}
