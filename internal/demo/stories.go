package demo

import (
	"cmp"
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"time"

	"github.com/goccy/go-yaml"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/consents"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/outbox"
	"roundhouse.example/internal/desk/references"
	casesdb "roundhouse.example/internal/store/cases"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
)

//go:embed needs.yaml
var needsFile []byte

// need is a case with one of the vendors that came in as packs.
type need struct {
	Vendor, Kind, Title, Asset, Happened, Expected string
	Answers                                        map[string]string
	Effect, Reach, Workaround                      string // empty where the kind is not graded by them
	By                                             route.Kind
	Reference                                      string // empty: they have not given it yet
	Ago                                            time.Duration
	Person                                         int
	Unsent                                         bool // nobody has taken it there yet
	With, Heard, Word                              string
	End                                            casework.Step // what we do after that
	Why                                            string
	// Maker is the vendor behind the reseller, by key, with its number and status for the case.
	Maker       string
	MakerNumber string `yaml:"maker_number"`
	MakerStatus string `yaml:"maker_status"`
	// Unsorted is what nobody could name yet: such a case stays a draft.
	Unsorted casesdb.Unsorted
	// Texts are further words of the draft, and Completed words that the vendor has not been told yet.
	Texts, Completed map[string]string
	Consents         []struct {
		Kind  casework.ConsentKind
		For   string
		Hours time.Duration
	}
}

// needs plays those of needs.yaml.
func (s *stage) needs(ctx context.Context, present time.Time) error {
	var list []need
	if err := yaml.Unmarshal(needsFile, &list); err != nil {
		return err
	}
	for _, n := range list {
		if err := s.need(ctx, present, n); err != nil {
			return fmt.Errorf("the demo's case %q: %w", n.Title, err)
		}
	}
	return nil
}

// need plays a case with a vendor to whom a person takes it.
func (s *stage) need(ctx context.Context, present time.Time, n need) error {
	s.now = present.Add(-n.Ago).Truncate(time.Second)
	who := s.people[n.Person]
	d, err := s.draftOf(ctx, n)
	if err != nil {
		return err
	}
	ref, err := s.d.Drafts.Open(ctx, who, d)
	if err != nil || n.By == "" {
		return err
	}
	for _, x := range n.Consents {
		until := s.now.Add(x.Hours)
		if _, err := s.d.Consents.Give(ctx, who, ref.ID,
			consents.Consenting{Kind: x.Kind, For: x.For, Until: &until}); err != nil {
			return err
		}
	}
	step := func(r cases.StepRequest, reference string) error {
		c, err := casesdb.ByID(ctx, s.db.DB, ref.ID)
		if err != nil {
			return err
		}
		if _, err := s.d.Cases.Step(ctx, who, ref.ID, c.Version, r); err != nil {
			return err
		}
		if n.Unsent {
			return nil
		}
		return s.sent(ctx, who, ref.ID, reference)
	}
	if err := step(cases.StepRequest{Step: casework.File, Route: filing.Wanted{Channel: n.By}}, n.Reference); err != nil {
		return err
	}
	if n.Heard != "" {
		s.now = s.now.Add(3 * hour)
		if _, err := s.d.Cases.AddCall(ctx, who, ref.ID,
			cases.Heard{With: n.With, By: n.By, At: s.now, Text: n.Heard, Status: n.Word}); err != nil {
			return err
		}
		if err := s.d.Seen.Mark(ctx, who, ref.ID, 4); err != nil {
			return err
		}
	}
	if err := s.later(ctx, who, ref.ID, n); err != nil {
		return err
	}
	turned, err := turns(n.Title, n.Ago)
	if err != nil {
		return err
	}
	for _, t := range turned {
		s.now = present.Add(-t.ago).Truncate(time.Second)
		if err := s.turn(ctx, ref.ID, present, t); err != nil {
			return err
		}
	}
	if n.End == "" {
		return nil
	}
	s.now = s.now.Add(hour)
	return step(cases.StepRequest{Step: n.End, Reason: n.Why}, "")
}

// draftOf is the draft with which a case begins.
func (s *stage) draftOf(ctx context.Context, n need) (drafts.Draft, error) {
	d := drafts.Draft{Vendor: n.Vendor, Maker: n.Maker, Title: n.Title, Kind: n.Kind, Answers: n.Answers,
		Unsorted: n.Unsorted, Texts: casesdb.Texts{Happened: n.Happened, Expected: n.Expected}}
	d.Texts.Set(n.Texts)
	if n.Effect != "" {
		d.Facts = casesdb.Facts{Environment: "production", Effect: n.Effect, Reach: n.Reach, Workaround: n.Workaround}
	}
	if n.Vendor == "" {
		return d, nil
	}
	v, err := registerdb.VendorByKey(ctx, s.db.DB, cmp.Or(n.Maker, n.Vendor))
	if n.Asset != "" {
		d.Asset = firm.Mentioned(ctx, s.db.DB, v.ID, []string{n.Asset})
	}
	if n.Maker == "" && v.Profile.V.Through != "" {
		d.GoOn = "The reseller asked us to go to the maker with this."
	}
	return d, err
}

// later plays what comes after the vendor has answered.
func (s *stage) later(ctx context.Context, who desk.Actor, id int64, n need) error {
	if n.MakerStatus != "" {
		if _, err := s.d.References.SetNumber(ctx, who, id, references.Numbering{Reference: casework.Reference{
			Owner: casework.Another, Of: n.Maker, Value: n.MakerNumber}}); err != nil {
			return err
		}
		if _, err := s.d.Drafts.SetMakerStatus(ctx, who, id, n.MakerStatus, s.now); err != nil {
			return err
		}
	}
	if len(n.Completed) == 0 {
		return nil
	}
	c, err := casesdb.ByID(ctx, s.db.DB, id)
	if err != nil {
		return err
	}
	patch, err := json.Marshal(n.Completed)
	if err != nil {
		return err
	}
	return s.d.Drafts.Edit(ctx, who, id, c.Version, drafts.Edit{Texts: patch})
}

// sent marks as sent what waits for a person.
func (s *stage) sent(ctx context.Context, who desk.Actor, id int64, reference string) error {
	waiting, err := outboxdb.Open(ctx, s.db.DB, []int64{id})
	if err != nil {
		return err
	}
	s.now = s.now.Add(6 * time.Minute)
	for _, w := range waiting {
		if _, err := s.d.Outbox.Decide(ctx, who, id, w.ID,
			outbox.Decision{What: outbox.Arrived, Reference: reference}); err != nil {
			return err
		}
	}
	return nil
}
