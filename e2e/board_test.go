package e2e

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"testing"
	"time"

	"roundhouse.example/internal/core/attention"
	"roundhouse.example/internal/core/deadline"
	labels "roundhouse.example/internal/core/words"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// plainly is Today by the plain computation: every case is asked for, and what its page says
// of it is put in the order of the rules. office are our hours, in which a day has eight.
func (c *caller) plainly(names []string) (lines []attention.Line) {
	c.w.t.Helper()
	now := c.w.clock.Now().Unix()
	for _, name := range names {
		v, _ := c.get(name)
		about := attention.Case{Severity: 4, Parked: v.Parked != nil && *v.Parked, Now: now}
		fmt.Sscanf(name, "C-%d", &about.Number)
		if v.Line.Severity != nil {
			about.Severity = *v.Line.Severity
		}
		live := v.Line.State == "filed" || v.Line.State == "open" || v.Line.State == "fix-offered"
		if !live && !slices.ContainsFunc(v.OnTheWay, func(d apigen.Delivery) bool {
			return d.NeedsPerson != nil && *d.NeedsPerson || d.State == "to-send"
		}) {
			continue
		}
		about.VendorClosed = live && v.VendorClosed != nil && *v.VendorClosed
		if about.Unread = v.Line.Unread > 0; about.Unread {
			unread := v.Line.Unread
			list := c.entries(name)
			for i := len(list) - 1; i >= 0 && unread > 0; i-- {
				if e := list[i]; e.Kind == "message" && *e.Direction == "in" && e.Automatic == nil {
					unread, about.UnreadSince = unread-1, e.HappenedAt.Unix()
				}
			}
		}
		for _, d := range v.OnTheWay {
			switch {
			case d.State == "to-send":
				about.Undelivered, about.ToSend = "To be sent by you, "+labels.By(string(*d.Channel)), true
			case d.NeedsPerson != nil && *d.NeedsPerson:
				about.Undelivered = "Could not be delivered: " + *d.Problem
			}
		}
		known := false
		for _, d := range v.Deadlines {
			standing, ok := map[string]deadline.Standing{"running": deadline.Running, "due-soon": deadline.DueSoon,
				"late": deadline.Late, "paused": deadline.Paused}[string(d.Standing)]
			if !ok {
				continue // it has ended
			}
			kind, err := deadline.ParseKind(string(d.Deadline))
			if err != nil {
				c.w.t.Fatal(err)
			}
			k := attention.Clock{Kind: kind, Standing: standing, Target: d.TargetSeconds, Counted: d.CountedSeconds}
			if d.Due != nil {
				k.Due, k.DueKnown = d.Due.Unix(), true
			}
			if d.LateSeconds != nil {
				k.Over = *d.LateSeconds
			}
			known = known || standing != deadline.Paused
			about.Clocks = append(about.Clocks, k)
		}
		dates := 0
		for _, d := range web.Val(v.Dates) {
			if d.EndedAt != nil {
				continue
			}
			dates++
			about.Items = append(about.Items, attention.Item{Kind: deadline.ItemKind(d.Kind), Owed: d.Owed, What: d.Text,
				Due: d.DueAt.Unix(), Standing: deadline.Standing(d.Standing), Over: web.Val(d.LateSeconds), Day: 8 * 3600})
		}
		about.Unnumbered = live && v.Line.Reference == nil
		switch {
		case !live:
		case v.Line.ParkedUntil != nil:
			about.Items = append(about.Items,
				attention.Item{What: "Parked until its date", Step: attention.Resume, Due: v.Line.ParkedUntil.Unix(),
					Day: 8 * 3600})
		case !known && dates == 0 && v.Line.NextAt != nil:
			about.Items = append(about.Items,
				attention.Item{What: "No date set: check in", Step: attention.LookAt, Due: v.Line.NextAt.Unix(),
					Day: 8 * 3600})
		}
		if l, ok := attention.Of(about); ok {
			lines = append(lines, l)
		}
	}
	attention.Sort(lines)
	return lines
}

// Today is kept in memory and follows the database. On desks of cases that went at random
// it holds, at every instant and in pages, what the plain computation says.
func TestTodayIsWhatThePlainComputationSays(t *testing.T) {
	t.Parallel()
	for seed := range uint64(2) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			w := still(t)
			ragna := w.byHand()
			rng := rand.New(rand.NewPCG(seed, 10))
			vendors := []string{"corvane", "tallow", "ninefathom", "lark"}
			var names []string
			try := func(name string, body m) { // what the rules refuse is refused
				a := ragna.do("POST", "/cases/"+name+"/steps", body, "If-Match", tag(ragna, name))
				if a.status >= 500 {
					t.Fatalf("%v: %d %s", body, a.status, a.body)
				}
			}
			hold := func() {
				want := ragna.plainly(names)
				var got []apigen.TodayLine
				more := ""
				for {
					var page apigen.Today
					ragna.must(200, "GET", "/today?limit=3"+more, nil).into(t, &page)
					got = append(got, page.Lines...)
					if page.Total != len(want) {
						t.Errorf("%d in all, want %d", page.Total, len(want))
					}
					if page.Next == nil {
						break
					}
					more = "&cursor=" + url.QueryEscape(*page.Next)
				}
				if len(got) != len(want) {
					t.Fatalf("%d lines, want %d", len(got), len(want))
				}
				for i, l := range want {
					if got[i].Case.Number != fmt.Sprintf("C-%d", l.Number) || got[i].Why != l.Why() {
						t.Fatalf("line %d at %s is %s (%s), want C-%d (%s, pressure %g)", i, w.clock.Now(), got[i].Case.Number,
							got[i].Why, l.Number, l.Why(), l.Pressure)
					}
				}
			}
			for range 45 {
				if len(names) < 14 && rng.IntN(3) > 0 {
					name := ragna.draft(vendors[rng.IntN(len(vendors))], "At random [mute]")
					names = append(names, name)
					try(name, m{"step": "file"})
				}
				name := names[rng.IntN(len(names))]
				v, _ := ragna.get(name)
				switch rng.IntN(9) {
				case 0:
					try(name, m{"step": "park", "reason": "x", "agreed": rng.IntN(2) == 0,
						"until": w.clock.Now().Add(time.Duration(1+rng.IntN(40)) * time.Hour).Format(time.RFC3339)})
				case 1:
					try(name, m{"step": "severity", "to": 1 + rng.IntN(4), "reason": "x"})
				case 2, 3:
					if v.Line.Reference != nil && v.Line.VendorKey != "lark" {
						w.speak(v.Line.VendorKey, *v.Line.Reference, rng.IntN(4) == 0,
							[]string{"waiting on you", "in hand"}[rng.IntN(2)], "")
						before := v.Line.LastEntry
						w.until("it is heard", func() bool { v, _ = ragna.get(name); return v.Line.LastEntry > before })
					}
				case 4:
					if v.Line.Reference != nil && v.Line.VendorKey == "ninefathom" && v.VendorClosed == nil {
						w.ends(v.Line.VendorKey, *v.Line.Reference)
						before := v.Line.LastEntry
						w.until("it is heard", func() bool { v, _ = ragna.get(name); return v.Line.LastEntry > before })
					}
				case 5:
					ragna.do("POST", "/cases/"+name+"/messages", m{"text": "And?"})
				case 6:
					ragna.do("POST", "/cases/"+name+"/read", m{"entry": v.Line.LastEntry})
				case 7:
					try(name, m{"step": []string{"resume", "withdraw", "resolve", "take"}[rng.IntN(4)], "reason": "x"})
				case 8:
					if len(v.OnTheWay) > 0 && v.OnTheWay[0].State == "to-send" {
						ragna.do("POST", decision(name, v, 0), m{"decision": []string{"arrived", "dont-send"}[rng.IntN(2)]})
					}
				}
				if rng.IntN(3) == 0 {
					w.clock.Move(time.Duration(rng.IntN(600)) * time.Minute)
				}
				// What goes out by itself and what the sweep does have come to rest; what waits behind
				// something that a person must decide rests too.
				w.until("it is at rest", func() bool {
					w.clock.Move(time.Second) // what failed is tried again after a while
					var n int
					err := w.desk.Store.DB.Get(&n, `select (select count(*) from delivery d
						where state in ('waiting', 'under-way', 'unsure') and not needs_person
						and not exists (select from delivery e where e.case_id = d.case_id and e.id < d.id and (e.needs_person
						or e.state in ('refused', 'to-send')))) + (select count(*) from support_case where parked
						and parked_until <= $1)`, w.clock.Now())
					return err == nil && n == 0
				})
				hold()
			}
		})
	}
}
