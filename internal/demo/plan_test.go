package demo

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"
)

// Help and guides name cases by number, so the demo opens the same ones in the same order whatever day it is started.
func TestTheSameCasesInTheSameOrderOnAnyDay(t *testing.T) {
	order := func(present time.Time) []string {
		s := &stage{rnd: rand.New(rand.NewPCG(20, 26))}
		var titles []string
		beats, err := s.plan(present)
		if err != nil {
			t.Fatal(err)
		}
		for _, b := range beats {
			if b.at.After(present) {
				t.Errorf("on %s %q has something in the future", present, b.story.matter.Title)
			}
			if b.act == nil {
				titles = append(titles, b.story.matter.Title)
			}
		}
		return titles
	}
	first := time.Date(2026, 11, 24, 20, 30, 0, 0, time.UTC)
	want := order(first)
	for h := 0; h < 14*24; h += 5 { // every hour of a day and every day of a week
		if got := order(first.Add(time.Duration(h) * time.Hour)); !slices.Equal(got, want) {
			t.Fatalf("%s opens\n%v\nnot\n%v", first.Add(time.Duration(h)*time.Hour).Format("Monday 15:04"), got, want)
		}
	}
}
