package cases

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/filing"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
)

// Edit changes the head; nil leaves a thing as it is.
type Edit struct {
	Title, Kind *string
	// Asset, Account and Contract are changed where they are set, to nothing where
	// they point to nil.
	Asset, Account, Contract **int64
	// Facts and Texts are merge patches (RFC 7396) in the API's names.
	Facts, Texts   json.RawMessage
	Answers        json.RawMessage
	Severity       **int
	SeverityReason *string
	Ticket         *string
	Reference      *string // the vendor's number, where it came after the filing
}

// Edit changes a draft, or the title and ticket of a case that is filed.
// match is the version that the person saw.
func (d *Cases) Edit(ctx context.Context, a desk.Actor, id, match int64, ch Edit) error {
	if err := a.May(access.Work); err != nil {
		return err
	}
	_, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		return desk.Ref{}, d.Change(ctx, tx, id, &a, func(w *Work) error {
			if err := w.matches(match); err != nil {
				return err
			}
			return w.changeHead(ctx, ch)
		})
	})
	return err
}

func (w *Work) matches(version int64) error {
	if version != w.Case.Version {
		return desk.ErrStale
	}
	return nil
}

func (w *Work) changeHead(ctx context.Context, ch Edit) error {
	c := w.Case
	now, err := w.situation(ctx)
	if err != nil {
		return err
	}
	fixed := ""
	switch {
	case c.State != casework.Draft:
		fixed = "a case that is " + string(c.State) + " keeps what it was filed with; write a message instead"
	case now.OnItsWay != "":
		fixed = "the filing is on its way; what it says stands"
	}
	var wrong []desk.Field
	draftOnly := func(set bool, field string) {
		if set && fixed != "" {
			wrong = append(wrong, desk.Field{Name: field, Detail: fixed})
		}
	}
	draftOnly(ch.Kind != nil, "kind")
	draftOnly(ch.Facts != nil, "facts")
	draftOnly(ch.Texts != nil, "texts")
	draftOnly(ch.Answers != nil, "answers")
	draftOnly(ch.Asset != nil, "asset")
	draftOnly(ch.Account != nil, "account")
	draftOnly(ch.Contract != nil, "contract")
	draftOnly(ch.Severity != nil, "severity")
	draftOnly(ch.SeverityReason != nil, "severity_reason")
	if len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	if ch.Title != nil {
		hide, err := w.hiding(ctx)
		if err != nil {
			return err
		}
		title := hide(strings.TrimSpace(*ch.Title))
		ch.Title = &title
	}
	if ch.Title != nil && *ch.Title != c.Title {
		if strings.TrimSpace(*ch.Title) == "" {
			return desk.Fault("title", "a title is needed by which the case is recognised in a list")
		}
		if fixed != "" {
			if _, err := w.changed(ctx, fmt.Sprintf("Title changed from %q to %q.", c.Title, *ch.Title), &casesdb.Effect{Sets: &casesdb.Sets{Title: ch.Title}}); err != nil {
				return err
			}
		}
		c.Title = *ch.Title
	}
	if ch.Kind != nil {
		c.Kind = *ch.Kind
	}
	if err := desk.Merge(&c.Facts.V, ch.Facts); err != nil {
		return desk.Fault("facts", "%s", err)
	}
	if err := desk.Merge(&c.Texts.V, ch.Texts); err != nil {
		return desk.Fault("texts", "%s", err)
	}
	if err := w.answer(ctx, ch.Answers); err != nil {
		return err
	}
	if ch.Asset != nil || ch.Account != nil || ch.Contract != nil {
		if err := w.belong(ctx, ch); err != nil {
			return err
		}
	}
	if ch.Severity != nil {
		c.SeverityChosen = *ch.Severity
	}
	if ch.SeverityReason != nil {
		c.SeverityBecause = *ch.SeverityReason
	}
	if fixed == "" {
		c.Severity = w.d.severityOf(c)
	}
	if ch.Reference != nil {
		if err := w.bring(ctx, *ch.Reference); err != nil {
			return err
		}
	}
	if ch.Ticket != nil {
		return w.ticket(ctx, strings.TrimSpace(*ch.Ticket))
	}
	return nil
}

// ticket changes our own ticket's number. From the filing on it is in the record.
func (w *Work) ticket(ctx context.Context, number string) error {
	refs, err := w.References(ctx)
	if err != nil {
		return err
	}
	was := ""
	for _, r := range refs {
		if r.Whose == "ours" {
			was = r.Value
		}
	}
	if was == number {
		return nil
	}
	w.renumbered = true
	if err := w.SetReference(ctx, "ours", number); err != nil || w.Case.FiledAt == nil {
		return err
	}
	text := "Our ticket is " + number + "."
	if number == "" {
		text = "Our ticket " + was + " was taken out."
	}
	_, err = w.changed(ctx, text, &casesdb.Effect{Sets: &casesdb.Sets{Ticket: &number}})
	return err
}

// answer merges answers to the vendor's form into those that are there. What the form asked
// for earlier stays until it is taken out.
func (w *Work) answer(ctx context.Context, patch json.RawMessage) error {
	if patch == nil {
		return nil
	}
	var given map[string]*string
	if err := json.Unmarshal(patch, &given); err != nil {
		return desk.Fault("answers", "%s", err)
	}
	fresh := map[string]string{}
	for k, v := range given {
		if _, there := w.Case.Answers.V[k]; v != nil && !there {
			fresh[k] = *v
		}
	}
	v, err := w.Vendor(ctx)
	if err != nil {
		return err
	}
	if wrong := unknownAnswers(v.Profile.V, w.Case.Kind, fresh); len(wrong) > 0 {
		return &desk.Invalid{Fields: wrong}
	}
	if err := desk.Merge(&w.Case.Answers.V, patch); err != nil {
		return desk.Fault("answers", "%s", err)
	}
	return nil
}

// belong changes what a draft is about. What followed from what was there before
// follows anew.
func (w *Work) belong(ctx context.Context, ch Edit) error {
	c := w.Case
	before, err := w.d.filing.BelongingsOf(ctx, w.Tx, c)
	if err != nil {
		return err
	}
	same := func(a, b *int64) bool { return a == b || a != nil && b != nil && *a == *b }
	if ch.Asset != nil && !same(*ch.Asset, c.AssetID) {
		if before.Asset != nil {
			if c.Texts.V.OnWhat == filing.OnWhat(before.Asset.Facts) {
				c.Texts.V.OnWhat = ""
			}
			if before.Asset.AccountID != nil && c.AccountID != nil && *c.AccountID == *before.Asset.AccountID {
				c.AccountID = nil
			}
		}
		c.AssetID, c.ContractID = *ch.Asset, nil
	}
	if ch.Account != nil {
		c.AccountID = *ch.Account
	}
	if ch.Contract != nil {
		c.ContractID = *ch.Contract
	}
	return w.d.filing.Attach(ctx, w.Tx, c)
}
