package demo

import (
	"cmp"
	"context"
	_ "embed"
	"fmt"
	"slices"
	"time"

	"github.com/goccy/go-yaml"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/escalations"
	casesdb "roundhouse.example/internal/store/cases"
)

//go:embed dates.yaml
var datesFile []byte

// dating is something that is to happen by a date on a case, as dates.yaml has it.
type dating struct {
	Case   string
	Before time.Duration // the case was opened longer ago than that
	Kind   deadline.ItemKind
	Owed   deadline.Side
	Text   string
	For    string
	Person int
	Ago    time.Duration
	Due    time.Duration
	From   time.Duration
	Sent   time.Duration
	Who    string
	Place  string
	Number string
	LetsIn string `yaml:"lets_in"`
	// Of an escalation: the rung, why it was raised, and what was answered at once.
	Rung   int
	Why    string
	Answer string
	Then   []struct {
		Ago      time.Duration
		How      dates.How
		Text     string
		Due      time.Duration
		Next     deadline.ItemKind
		NextText string `yaml:"next_text"`
	}
}

// turn is one thing that happens to a date, so long before the present.
type turn struct {
	*dating
	ago  time.Duration
	then int // -1 sets it
}

// turns are what happens to the dates of the cases of a title that were opened so long ago, in order of time.
func turns(title string, opened time.Duration) (out []turn, err error) {
	var list []dating
	if err := yaml.Unmarshal(datesFile, &list); err != nil {
		return nil, err
	}
	for i := range list {
		d := &list[i]
		if d.Case != title || d.Ago > opened || opened < d.Before {
			continue
		}
		out = append(out, turn{d, d.Ago, -1})
		for k, t := range d.Then {
			out = append(out, turn{d, t.Ago, k})
		}
	}
	slices.SortStableFunc(out, func(a, b turn) int { return cmp.Compare(b.ago, a.ago) })
	return out, nil
}

// turn lets something happen to a date of a case.
func (s *stage) turn(ctx context.Context, id int64, present time.Time, t turn) error {
	who := s.people[t.Person]
	at := func(in time.Duration) *time.Time {
		if in == 0 {
			return nil
		}
		return new(present.Add(in))
	}
	if t.Rung > 0 {
		_, err := s.d.Escalations.Raise(ctx, who, id, escalations.Raising{Rung: t.Rung, Why: t.Why, Text: t.Text,
			Told: &escalations.Told{At: s.now, Answer: t.Answer}})
		return err
	}
	if t.then < 0 {
		setting := dates.Setting{Kind: t.Kind, Owed: t.Owed, Words: t.Text, For: t.For, Due: dates.Due{At: at(t.Due)},
			Details: dates.Details{From: at(t.From), Who: t.Who, Where: t.Place, Number: t.Number, LetsIn: t.LetsIn}}
		if t.Sent != 0 {
			setting.Details.SentAt = at(-t.Sent)
		}
		_, err := s.d.Dates.Set(ctx, who, id, setting)
		return err
	}
	return s.endDate(ctx, who, id, t, at)
}

func (s *stage) endDate(ctx context.Context, who desk.Actor, id int64, t turn,
	at func(time.Duration) *time.Time) error {
	live, err := casesdb.LiveDated(ctx, s.db.DB, []int64{id})
	if err != nil {
		return err
	}
	i := slices.IndexFunc(live, func(x casesdb.DatedItem) bool { return x.Words == t.Text })
	if i < 0 {
		return fmt.Errorf("the demo has no date %q that is open", t.Text)
	}
	x := t.Then[t.then]
	e := dates.Ending{How: x.How, Text: x.Text}
	switch {
	case x.Next != "":
		e.Then = &dates.Setting{Kind: x.Next, Words: x.NextText, Due: dates.Due{At: at(x.Due)}}
	case x.How == dates.Moved:
		e.Due = dates.Due{At: at(x.Due)}
	}
	_, err = s.d.Dates.End(ctx, who, id, live[i].Name, e)
	return err
}
