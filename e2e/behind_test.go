package e2e

import (
	"testing"

	dp "github.com/chromedp/chromedp"
)

// A further step goes behind one that waits only for a person, the same way, and is judged as if that had been sent;
// each has its effect in its turn, and what cannot be any more is not sent.
func TestStepsBehindOneThatWaits(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.byHand(), w.shell(0)
	filed := func() string {
		t.Helper()
		name := ragna.draft("lark", "Prints blank tickets")
		ragna.step(name, m{"step": "file", "channel": "phone"})
		return name
	}
	name := filed()
	sh.fails(4, words("case file "+name), "Once you have sent what is waiting, this is a filed case")
	sh.fails(4, words("case resolve "+name+" --by portal --text Reinstalled"), "entry", "comes first", "by phone")
	sh.ok([]string{"case", "resolve", name, "--text", "Reinstalled"}, name)
	sh.ok([]string{"case", "reopen", name, "--text", "It is back"}, name)
	v, _ := ragna.get(name)
	if v.Line.State != "draft" || len(v.OnTheWay) != 3 || *v.OnTheWay[2].Channel != "phone" {
		t.Fatalf("%s, on its way %+v", v.Line.State, v.OnTheWay)
	}
	if p := ragna.must(409, "POST", decision(name, v, 1), m{"decision": "arrived"}).problem(t); !contains(*p.Detail,
		"comes first") {
		t.Errorf("out of turn: %s", *p.Detail)
	}
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), see("comes-after"))
	w.says(tab, "comes-after", "Comes after entry "+itoa(int64(*v.OnTheWay[0].Entry)))
	for i, state := range []string{"filed", "resolved", "open"} {
		sh.ok(words("case sent "+name), name)
		if v, _ = ragna.get(name); string(v.Line.State) != state || len(v.OnTheWay) != 2-i {
			t.Errorf("after %d: %s, on its way %d", i+1, v.Line.State, len(v.OnTheWay))
		}
	}

	// What went behind a filing that is not sent after all is not sent either; the draft can be changed again.
	name = filed()
	ragna.step(name, m{"step": "resolve", "reason": "Reinstalled"})
	v, _ = ragna.get(name)
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "dont-send"}).into(t, &v)
	if v.Line.State != "draft" || len(v.OnTheWay) != 0 {
		t.Errorf("%s, on its way %+v", v.Line.State, v.OnTheWay)
	}
	sh.ok(words("case show "+name), "was not sent: it was to follow entry")
	ragna.must(200, "PATCH", "/cases/"+name, m{"title": "Prints nothing"}, "If-Match", tag(ragna, name))

	// Withdrawing a draft whose filing waits takes all of it back; a parking that waits is taken back by resuming.
	name = filed()
	ragna.step(name, m{"step": "close", "reason": "Not needed"})
	ragna.step(name, m{"step": "withdraw"})
	if v, _ = ragna.get(name); v.Line.State != "withdrawn" || len(v.OnTheWay) != 0 {
		t.Errorf("%s, on its way %+v", v.Line.State, v.OnTheWay)
	}
	name = filed()
	sh.ok(words("case sent "+name), name)
	ragna.step(name, m{"step": "park", "agreed": true, "reason": "Waiting", "until": w.clock.Now().AddDate(0, 0, 3)})
	ragna.step(name, m{"step": "level", "to": 1, "reason": "All printers now"})
	ragna.step(name, m{"step": "resume"})
	if v, _ = ragna.get(name); v.Parked != nil && *v.Parked || len(v.OnTheWay) != 1 || *v.OnTheWay[0].Step != "level" {
		t.Errorf("on its way %+v", v.OnTheWay)
	}
	if sum := w.checked(); len(sum.Findings) > 0 {
		t.Errorf("the record says otherwise: %+v", sum.Findings)
	}
}
