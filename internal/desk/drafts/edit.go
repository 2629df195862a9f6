package drafts

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/references"
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
	// Vendor is another vendor for a draft, by key, and Maker the one behind a reseller; an empty maker is none.
	Vendor, Maker *string
	// Unsorted is a merge patch of what could not be named; GoOn is why one goes on although something speaks against it.
	Unsorted json.RawMessage
	GoOn     *string
}

// Edit changes a draft, or the title and ticket of a case that is filed. match is the version that the person saw: a
// *desk.Stale names the fields of a draft that somebody else has changed since.
func (d *Drafts) Edit(ctx context.Context, a desk.Actor, id, match int64, ch Edit) error {
	if err := a.May(access.Work); err != nil {
		return err
	}
	ctx = hours.Remember(ctx)
	_, err := desk.Once(ctx, d.Desk, func(tx *db.Tx) (desk.Ref, error) {
		return desk.Ref{}, d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			return (&work{w, d}).edit(ctx, match, ch)
		})
	})
	return err
}

// work is a change of a case with what drafts do in it.
type work struct {
	*cases.Work
	d *Drafts
}

// edit changes the head as a person does who saw one version of it. A draft that others have changed since takes what
// touches none of their fields.
func (w *work) edit(ctx context.Context, match int64, ch Edit) error {
	draft := w.Case.State == casework.Draft
	if err := w.Matches(match); err != nil && !(draft && match >= 1 && match < w.Case.Version) {
		return err
	}
	if !draft {
		return w.changeHead(ctx, ch)
	}
	before, err := w.fields(ctx, ch.Ticket != nil)
	if err != nil {
		return err
	}
	if err := w.changeHead(ctx, ch); err != nil {
		return err
	}
	after, err := w.fields(ctx, ch.Ticket != nil)
	if err != nil {
		return err
	}
	return w.merge(before, after, match)
}

func (w *work) changeHead(ctx context.Context, ch Edit) error {
	fixed, err := w.fixed(ctx)
	if err != nil {
		return err
	}
	if fixed != "" {
		var wrong []desk.Field
		for _, field := range ch.draftOnly(w.Case.State.Live()) {
			wrong = append(wrong, desk.Field{Name: field, Detail: fixed})
		}
		if len(wrong) > 0 {
			return &desk.Invalid{Fields: wrong}
		}
	}
	if err := w.retitle(ctx, ch.Title, fixed != ""); err != nil {
		return err
	}
	if fixed != "" {
		if err := w.complete(ctx, ch); err != nil {
			return err
		}
	} else {
		if err := w.rewrite(ctx, ch); err != nil {
			return err
		}
		w.Case.Severity = w.d.severityOf(w.Case)
	}
	if ch.Reference != nil {
		if err := references.Bring(ctx, w.Work, *ch.Reference); err != nil {
			return err
		}
	}
	if ch.Ticket != nil {
		return w.SetTicket(ctx, strings.TrimSpace(*ch.Ticket))
	}
	return nil
}

// fixed is why a case keeps what it says; empty for a draft that can be changed.
func (w *work) fixed(ctx context.Context) (string, error) {
	now, err := w.Situation(ctx)
	switch {
	case err != nil:
		return "", err
	case w.Case.State != casework.Draft:
		return "this is " + w.Case.State.Called() + ": it keeps what was filed", nil
	case now.Leaving():
		return "the case is being filed and can no longer be changed", nil
	}
	return "", nil
}

// draftOnly are the fields set that can be changed in a draft alone; what the vendor is told in words can be completed
// while the case is live.
func (ch Edit) draftOnly(live bool) (fields []string) {
	for _, x := range []struct {
		set   bool
		field string
	}{
		{ch.Kind != nil, "kind"}, {ch.Facts != nil, "facts"}, {ch.Texts != nil && !live, "texts"},
		{ch.Answers != nil && !live, "answers"},
		{ch.Asset != nil, "asset"}, {ch.Account != nil, "account"}, {ch.Contract != nil, "contract"},
		{ch.Severity != nil, "severity"}, {ch.SeverityReason != nil, "severity_reason"},
		{ch.Vendor != nil, "vendor"}, {ch.Maker != nil, "maker"}, {ch.Unsorted != nil, "unsorted"},
		{ch.GoOn != nil, "go_on_reason"},
	} {
		if x.set {
			fields = append(fields, x.field)
		}
	}
	return fields
}

// retitle changes the title; recorded says that the record tells of it.
func (w *work) retitle(ctx context.Context, to *string, recorded bool) error {
	if to == nil {
		return nil
	}
	hide, err := w.Hiding(ctx)
	if err != nil {
		return err
	}
	title := hide(strings.TrimSpace(*to))
	if title == w.Case.Title {
		return nil
	}
	if title == "" {
		return desk.Fault("title", "the title is empty: write one line that names the problem")
	}
	if recorded {
		if _, err := w.Changed(ctx, fmt.Sprintf("Title changed from %q to %q.", w.Case.Title, title),
			&casesdb.Effect{Sets: &casesdb.Sets{Title: &title}}); err != nil {
			return err
		}
	}
	w.Case.Title = title
	return nil
}

// rewrite changes what a draft says and what it is about.
func (w *work) rewrite(ctx context.Context, ch Edit) error {
	c := w.Case
	if ch.Kind != nil {
		c.Kind = *ch.Kind
	}
	if ch.GoOn != nil {
		c.GoOnBecause = *ch.GoOn
	}
	if err := desk.Merge(&c.Unsorted.V, ch.Unsorted); err != nil {
		return desk.Fault("unsorted", "%s", err)
	}
	if ch.Kind != nil {
		c.Unsorted.V.Kind = ""
	}
	if ch.Asset != nil && *ch.Asset != nil {
		c.Unsorted.V.Product = ""
	}
	if err := w.moveTo(ctx, ch); err != nil {
		return err
	}
	if err := desk.Merge(&c.Facts.V, ch.Facts); err != nil {
		return desk.Fault("facts", "%s", err)
	}
	if err := w.retell(ctx, ch); err != nil {
		return err
	}
	if ch.Asset != nil || ch.Account != nil || ch.Contract != nil || ch.Vendor != nil {
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
	return nil
}

// retell changes what the vendor is told in words.
func (w *work) retell(ctx context.Context, ch Edit) error {
	if err := desk.Merge(&w.Case.Texts.V, ch.Texts); err != nil {
		return desk.Fault("texts", "%s", err)
	}
	return w.answer(ctx, ch.Answers)
}

// answer merges answers to the vendor's form into those that are there. What the form asked
// for earlier stays until it is taken out.
func (w *work) answer(ctx context.Context, patch json.RawMessage) error {
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
func (w *work) belong(ctx context.Context, ch Edit) error {
	c := w.Case
	before, err := w.d.filing.BelongingsOf(ctx, w.Tx, c)
	if err != nil {
		return err
	}
	var was *int64
	same := func(a, b *int64) bool { return a == b || a != nil && b != nil && *a == *b }
	if ch.Asset != nil && !same(*ch.Asset, c.AssetID) {
		if before.Asset != nil {
			if c.Texts.V.Affected == filing.Affected(before.Asset.Facts) {
				c.Texts.V.Affected = ""
			}
			if before.Asset.AccountID != nil && c.AccountID != nil && *c.AccountID == *before.Asset.AccountID {
				c.AccountID = nil
			}
		}
		was = c.ContractID
		c.AssetID, c.ContractID = *ch.Asset, nil
	}
	if ch.Account != nil {
		c.AccountID = *ch.Account
	}
	if ch.Contract != nil {
		c.ContractID = *ch.Contract
	}
	return w.d.filing.Attach(ctx, w.Tx, c, was)
}
