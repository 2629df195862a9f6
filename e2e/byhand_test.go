package e2e

import (
	"testing"
	"time"

	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/standin"
)

// byHand enters a vendor that nobody linked: its portal and its phone are watched
// and written to by a person.
func (w *world) byHand() *caller {
	w.t.Helper()
	admin := w.as(4)
	admin.added("/vendors", m{"key": "lark", "name": "Lark Printing", "zone": "UTC", "hours": "round-the-clock",
		"reference_pattern": `FL-\d{5}`, "automatic_pattern": "^We have received", "closes_after_days": 14,
		"reopens_within_days": 30,
		"levels": []m{{"label": "Halt", "severities": []int{1}, "channels": []string{"phone"}},
			{"label": "Slow", "severities": []int{2, 3, 4}}},
		"ways": []m{{"channel": "api", "address": "their service, which nobody linked"},
			{"channel": "portal", "address": "https://help.lark.example"},
			{"channel": "phone", "address": "+44 1632 960 170"},
			{"channel": "phone", "address": "+44 1632 960 171", "urgent": true}},
		"status_words": []m{{"word": "with the customer", "move": "ours"}, {"word": "with us", "move": "theirs"},
			{"word": "answered", "state": "fix-offered"}, {"word": "shut", "state": "ended"}}})
	w.as(2).added("/contracts",
		m{"vendor": "lark", "number": "FLP-77", "starts": "2026-01-01", "ends": "2027-12-31", "everything": true,
			"terms": []m{
				{"deadline": "first-response", "level": 2, "target": "4h", "calendar": "round-the-clock"},
				{"deadline": "first-response", "level": 2, "target": "2h", "calendar": "round-the-clock", "channel": "phone"},
				{"deadline": "resolution", "level": 2, "target": "3d", "calendar": "round-the-clock"},
				{"deadline": "first-response", "level": 1, "target": "30m", "calendar": "round-the-clock"}}})
	return w.as(0)
}

func decision(name string, v apigen.Case, i int) string {
	return "/cases/" + name + "/deliveries/" + itoa(v.OnTheWay[i].Id) + "/decision"
}

// What goes to a vendor by hand counts from the instant that a person says it went.
func TestFiledByHand(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.byHand()
	name := ragna.draft("lark", "Prints blank tickets")
	v, _ := ragna.get(name)
	if len(*v.Routes) != 2 || (*v.Routes)[0].Channel != "portal" || (*v.Routes)[1].Channel != "phone" {
		t.Errorf("routes %v: the usual first, and no API by hand", *v.Routes)
	}
	if p := ragna.do("POST", "/cases/"+name+"/steps", m{"step": "file", "channel": "email"}, "If-Match",
		tag(ragna, name)).problem(t); p.Status != 422 ||
		!contains(*p.Detail, "cannot be sent by email, only by portal, phone") {
		t.Errorf("by a channel that there is not: %+v", p)
	}
	v = ragna.step(name, m{"step": "file"})
	d := v.OnTheWay[0]
	if v.Line.State != "draft" || v.Line.Move != nil || len(v.Deadlines) != 0 || d.State != "to-send" ||
		*d.Channel != "portal" || (*d.Ways)[0].Address != "https://help.lark.example" ||
		!contains(*d.Text, "Prints blank tickets\n\nContract: FLP-77\n", "Since this morning it answers slowly.") {
		t.Errorf("waiting to be taken there: %+v %s", v.Line, *d.Text)
	}
	var today apigen.Today
	if ragna.must(200, "GET", "/today", nil).into(t, &today); len(today.Lines) != 1 ||
		today.Lines[0].Why != "To be sent by you, on the portal" || today.Live != 0 || today.OnTheWay != 1 {
		t.Errorf("today: %+v", today)
	}
	path := decision(name, v, 0)
	if p := ragna.must(409, "POST", path, m{"decision": "send-again"}).problem(t); !contains(*p.Detail,
		"You send this one yourself") {
		t.Errorf("sent again: %+v", p)
	}
	for _, bad := range []m{{"decision": "arrived", "reference": "12345"},
		{"decision": "arrived", "at": monday.Add(-time.Minute)}, {"decision": "arrived", "at": monday.Add(time.Hour)}} {
		if p := ragna.must(422, "POST", path, bad).problem(t); !contains(*p.Detail, "FL-") &&
			!contains(*p.Detail, "between") {
			t.Errorf("%v: %+v", bad, p)
		}
	}
	w.clock.Move(20 * time.Minute)
	ragna.must(200, "POST", path, m{"decision": "arrived", "at": monday.Add(5 * time.Minute)}).into(t, &v)
	first := find(v, "first-response")
	if v.Line.State != "filed" || *v.Line.Move != "theirs" || !first.Started.Equal(monday.Add(5*time.Minute)) ||
		first.Target != "4h" || !first.Due.Equal(monday.Add(4*time.Hour+5*time.Minute)) {
		t.Errorf("it has gone: %+v %+v", v.Line, first)
	}

	// The number comes later; it opens the case, once, and finds it.
	other := ragna.draft("lark", "Another")
	number := func(status int, name, value string) answer {
		return ragna.must(status, "PATCH", "/cases/"+name, m{"reference": value}, "If-Match", tag(ragna, name))
	}
	number(422, name, "20417")
	number(200, name, "FL-20417").into(t, &v)
	if v.Line.State != "open" || *v.Line.Reference != "FL-20417" {
		t.Errorf("with its number: %+v", v.Line)
	}
	if p := number(422, other, "FL-20417").problem(t); !contains(*p.Detail, "comes with the filing") {
		t.Errorf("a draft's number: %+v", p)
	}
	ragna.must(200, "GET", "/cases/fl20417", nil)

	// Their words come in by hand too: an automatic one counts as none, a status word means what we wrote down of it.
	heard := func(by, text, word string) {
		w.clock.Move(10 * time.Minute)
		ragna.must(201, "POST", "/cases/"+name+"/calls",
			m{"with": "Asmita Rawal", "at": w.clock.Now(), "by": by, "text": text, "status": word})
		v, _ = ragna.get(name)
	}
	heard("email", "We have received your words and will look at them.", "")
	if list := ragna.entries(name); list[len(list)-1].Automatic == nil || *v.Line.Move != "theirs" ||
		find(v, "first-response").Standing != "running" {
		t.Errorf("an automatic email: %+v, %s", v.Line, find(v, "first-response").Standing)
	}
	heard("portal", "Which paper is it?", "With the customer")
	if find(v, "first-response").Standing != "met" || *v.Line.Move != "ours" || *v.VendorStatus != "With the customer" {
		t.Errorf("asked on the portal: %+v", v.Line)
	}
	heard("phone", "We look at it.", "with us")
	if *v.Line.Move != "theirs" {
		t.Errorf("their word says that they carry on: %+v", v.Line)
	}

	// A message is taken there as the filing was; given up, it leaves no trace in the clocks.
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "Grade 4 paper"})
	v, _ = ragna.get(name)
	if *v.OnTheWay[0].Channel != "portal" ||
		!contains(*v.OnTheWay[0].Text, "FL-20417: Prints blank tickets\n\nGrade 4 paper") || *v.Line.Move != "theirs" {
		t.Errorf("a message by hand: %+v", v.OnTheWay)
	}
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "dont-send"})
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "Grade 5 paper", "channel": "phone"})
	v, _ = ragna.get(name)
	if len(v.OnTheWay) != 1 || *v.OnTheWay[0].Channel != "phone" || len(*v.OnTheWay[0].Ways) != 2 {
		t.Errorf("a message by phone: %+v", v.OnTheWay)
	}
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "arrived"})
	heard("portal", "Use the new rollers.", "answered")
	if v.Line.State != "fix-offered" || *v.Line.Move != "ours" || find(v, "resolution").Standing != "met" {
		t.Errorf("their word offers a fix: %+v", v.Line)
	}
	heard("portal", "Closing.", "shut")
	if !*v.VendorClosed || v.Line.State != "fix-offered" {
		t.Errorf("their word ends their side: %+v", v.Line)
	}
	v = ragna.step(name, m{"step": "accept", "reason": "Holds"})
	if v.Line.State != "fix-offered" || v.OnTheWay[0].State != "to-send" {
		t.Errorf("the acceptance waits to be taken there: %+v", v.Line)
	}
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "arrived"}).into(t, &v)
	if v.Line.State != "resolved" {
		t.Errorf("accepted: %s", v.Line.State)
	}
	w.replayed()
}

// A level that is taken by phone alone goes by phone, under the promises of that channel;
// a vendor with no way in cannot be filed with, and says so.
func TestTheChannelThatALevelDemands(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.byHand()
	name := ragna.draft("lark", "Nothing prints anywhere")
	ragna.must(200, "PATCH", "/cases/"+name,
		m{"facts": m{"effect": "stopped", "reach": "everyone", "workaround": "none"}}, "If-Match", tag(ragna, name))
	v := ragna.step(name, m{"step": "file"})
	if d := v.OnTheWay[0]; *d.Channel != "phone" || (*d.Ways)[0].Address != "+44 1632 960 171" {
		t.Errorf("filed at Halt: %+v", d)
	}
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "arrived", "reference": "FL-20418"}).into(t, &v)
	if first := find(v, "first-response"); first.Target != "30m" {
		t.Errorf("promised at Halt: %+v", first)
	}
	slow := ragna.draft("lark", "Prints slowly")
	v = ragna.step(slow, m{"step": "file", "channel": "phone"})
	ragna.must(200, "POST", decision(slow, v, 0), m{"decision": "arrived"}).into(t, &v)
	if first := find(v, "first-response"); first.Target != "2h" {
		t.Errorf("promised by phone: %+v", first)
	}
	w.as(4).added("/vendors",
		m{"key": "mute", "name": "Mute", "zone": "UTC", "hours": "round-the-clock",
			"levels": []m{{"label": "Any", "severities": []int{1, 2, 3, 4}}}})
	none := ragna.draft("mute", "Nobody can be told")
	p := ragna.do("POST", "/cases/"+none+"/steps", m{"step": "file"}, "If-Match", tag(ragna, none)).problem(t)
	if p.Status != 422 || !contains(*p.Detail, "A way to reach the vendor") {
		t.Errorf("a vendor with no way in: %+v", p)
	}
	w.replayed()
}

// While a vendor's system is away, a person takes what waits to it by another way.
func TestTakenByHandWhileTheLinkIsAway(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	w.as(4).patched(200, "/vendors/tallow",
		m{"ways": []m{{"channel": "portal", "address": "https://works.tallow.example"}}})
	if _, err := w.desk.Store.DB.Exec("update link set address = 'http://127.0.0.1:1/away'"); err != nil {
		t.Fatal(err)
	}
	name := ragna.draft("tallow", "Drive 14 failed")
	v := ragna.step(name, m{"step": "file"})
	w.until("the reason is shown", func() bool { v, _ = ragna.get(name); return v.OnTheWay[0].Problem != nil })
	ragna.must(422, "POST", decision(name, v, 0), m{"decision": "send-yourself", "channel": "chat"})
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "send-yourself"})
	v, _ = ragna.get(name)
	if d := v.OnTheWay[0]; d.State != "to-send" || *d.Channel != "portal" || d.Problem != nil {
		t.Errorf("%+v", d)
	}
	ragna.must(200, "POST", decision(name, v, 0), m{"decision": "arrived", "reference": "TW/88-7"}).into(t, &v)
	if v.Line.State != "open" || *v.Line.Reference != "TW/88-7" {
		t.Errorf("%+v", v.Line)
	}
	// The link knows the case now, and is the usual way again.
	if (*v.Routes)[0].Channel != "api" {
		t.Errorf("routes %v", *v.Routes)
	}
	w.replayed()
}

// A vendor's status words mean what was written down of them, also when its link
// brings them; repeated with every message they offer nothing anew.
func TestAVendorsWordsByItsLink(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	w.as(4).patched(200, "/vendors/tallow",
		m{"automatic_pattern": "^Words of",
			"status_words": []m{{"word": "on the bench", "move": "ours"}, {"word": "sent back", "state": "fix-offered"},
				{"word": "put away", "state": "ended"}}})
	name := ragna.filed("tallow", "Shelf lamp is dark [mute]")
	v, _ := ragna.get(name)
	job := *v.Line.Reference
	stage := func(word string, done func() bool) {
		w.clock.Move(time.Minute)
		w.cast.Say("tallow", standin.Happening{Job: job, What: "stage",
			By: standin.By{Side: "house", Name: "Imke Vandersloot"}, Stage: word})
		w.until(word, func() bool {
			v, _ = ragna.get(name)
			return v.VendorStatus != nil && *v.VendorStatus == word && done()
		})
	}
	stage("on the bench", func() bool { return *v.Line.Move == "ours" })
	if v.Line.State != "open" || find(v, "first-response").Standing != "running" &&
		find(v, "first-response").Standing != "paused" {
		t.Errorf("a word alone answers nothing: %+v", find(v, "first-response"))
	}
	w.clock.Move(time.Minute)
	w.speak("tallow", job, false, "on the bench", "")
	ragna.hears(name, "automatic")
	stage("sent back", func() bool { return v.Line.State == "fix-offered" })
	ragna.step(name, m{"step": "reject", "reason": "The same again"})
	ragna.untilState(name, "open")
	w.clock.Move(time.Minute)
	w.cast.Say("tallow", standin.Happening{Job: job, What: "remark",
		By: standin.By{Side: "house", Name: "Imke Vandersloot"}, Words: "Sorry, we look again.", Stage: "sent back"})
	ragna.hears(name, "vendor-message")
	if v, _ = ragna.get(name); v.Line.State != "open" {
		t.Errorf("the word of before offered a fix again: %s", v.Line.State)
	}
	stage("put away", func() bool { return v.VendorClosed != nil })
	if v.Line.State != "open" || *v.Line.Move != "ours" {
		t.Errorf("their word closed their side: %+v", v.Line)
	}
	w.replayed()
}

// The list of cases narrows to one thing of the register, and a vendor says what kinds it takes.
func TestCasesOfOneThing(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.byHand()
	asset := ragna.added("/assets", m{"vendor": "lark", "name": "Printer 4"})
	var a apigen.AssetRecord
	ragna.must(200, "GET", asset, nil).into(t, &a)
	ragna.draft("lark", "About nothing")
	var about, other apigen.Case
	ragna.must(201, "POST", "/cases", m{"title": "About the printer", "asset": a.Id}).into(t, &about)
	var page apigen.CasePage
	for filter, n := range map[string]int{"asset=" + itoa(a.Id): 1, "contract=" + itoa(*about.ContractId): 2,
		"account=1": 0, "asset=999": 0} {
		page = apigen.CasePage{}
		if ragna.must(200, "GET", "/cases?"+filter, nil).into(t, &page); len(page.Items) != n {
			t.Errorf("%s: %d cases, want %d", filter, len(page.Items), n)
		}
	}
	w.as(4).patched(200, "/vendors/lark", m{"takes": []string{"fault", "part"}})
	if p := w.as(4).do("PATCH", "/vendors/lark", m{"takes": []string{"miracle"}}, "If-Match",
		w.as(4).must(200, "GET", "/vendors/lark", nil).header.Get("ETag")).problem(t); p.Status != 422 ||
		!contains(*p.Detail, "takes[0]") {
		t.Errorf("a kind that there is not: %+v", p)
	}
	ragna.must(201, "POST", "/cases", m{"vendor": "lark", "title": "A visit", "kind": "visit"}).into(t, &other)
	said := false
	for _, n := range other.Needs {
		said = said || n.Text == "This vendor does not take this kind of case, only: fault, part or replacement"
	}
	if !said {
		t.Errorf("a kind that they do not take: %+v", other.Needs)
	}
	sh := w.shell(0)
	if out := sh.ok([]string{"case", "list", "--asset", "printer 4", "--all", "-o", "csv"},
		"About the printer"); contains(out, "About nothing") {
		t.Errorf("of one asset:\n%s", out)
	}
}
