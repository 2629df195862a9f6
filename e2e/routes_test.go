package e2e

import (
	"testing"

	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/standin"
)

// said says how often a case's record has some words.
func (c *caller) said(name, words string) (n int) {
	c.w.t.Helper()
	for _, e := range c.entries(name) {
		if contains(e.Text, words) {
			n++
		}
	}
	return n
}

// serves lets a link serve a vendor too, after the links that the vendor has.
func (w *world) serves(link, vendor string) {
	w.t.Helper()
	if _, err := w.desk.Store.DB.Exec(`insert into vendor_link (vendor_id, link_id, rank) select v.id, l.id, 2
		from vendor v, link l where v.key = $1 and l.name = $2`, vendor, link); err != nil {
		w.t.Fatal(err)
	}
}

// speaks lets a vendor's levels be called as another's, whose system then takes its cases.
func (w *world) speaks(vendor, as string) {
	w.t.Helper()
	if _, err := w.desk.Store.DB.Exec(`update vendor_level x set label = y.label from vendor_level y, vendor v, vendor o
		where v.id = x.vendor_id and o.id = y.vendor_id and v.key = $1 and o.key = $2
		and x.rank = y.rank`, vendor, as); err != nil {
		w.t.Fatal(err)
	}
}

// Two vendors are reached through one system: each one's cases get there, and what it says of a case is
// placed on that case alone, though they come by one link.
func TestOneLinkServesTwoVendors(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	if _, err := w.desk.Store.DB.Exec(`delete from vendor_link where vendor_id = (select id from vendor
		where key = 'tallow')`); err != nil {
		t.Fatal(err)
	}
	w.serves("corvane", "tallow")
	w.speaks("tallow", "corvane")
	one, other := ragna.filed("corvane", "Slow since this morning [mute]"), ragna.filed("tallow", "A drive is gone [mute]")
	v, _ := ragna.get(one)
	x, _ := ragna.get(other)
	if !contains(*v.Line.Reference, "CV-") || !contains(*x.Line.Reference, "CV-") ||
		*v.Line.Reference == *x.Line.Reference {
		t.Fatalf("their numbers: %s and %s", *v.Line.Reference, *x.Line.Reference)
	}
	for name, words := range map[string]string{*v.Line.Reference: "Of the slow one", *x.Line.Reference: "Of the drive"} {
		w.cast.Say("corvane", standin.Happening{Job: name, What: "remark", By: standin.By{Side: "house", Name: "Imke"},
			Words: words, Stage: "in hand"})
	}
	w.until("both are told", func() bool {
		return ragna.said(one, "Of the slow one") == 1 && ragna.said(other, "Of the drive") == 1
	})
	if ragna.said(one, "Of the drive") != 0 || ragna.said(other, "Of the slow one") != 0 {
		t.Error("words were placed on the other vendor's case")
	}
	var vendor apigen.Vendor
	ragna.must(200, "GET", "/vendors/tallow", nil).into(t, &vendor)
	if l := *vendor.Links; len(l) != 1 || l[0].Name != "corvane" || l[0].Channel != "api" {
		t.Errorf("the links of the second vendor: %+v", l)
	}
}

// A vendor with two systems: one says which, what follows stays with the one that has the case, and a ticket of
// the same number at the other is another matter.
func TestAVendorWithTwoLinks(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	w.serves("tallow", "corvane")
	usual := ragna.filed("corvane", "Slow since this morning [mute]")
	w.speaks("corvane", "tallow")
	name := ragna.draft("corvane", "A drive is gone [mute]")
	v, _ := ragna.get(name)
	if r := *v.Routes; len(r) < 2 || r[0].Channel != r[1].Channel || *r[0].Link != "corvane" || *r[1].Link != "tallow" ||
		!r[1].Automatic {
		t.Fatalf("routes %+v", r)
	}
	_, etag := ragna.get(name)
	refused := ragna.must(422, "POST", "/cases/"+name+"/steps", m{"step": "file", "link": "nowhere"}, "If-Match", etag)
	if !contains(string(refused.body), `"link"`, "api (corvane, tallow)") {
		t.Errorf("a link that is none of theirs: %s", refused.body)
	}
	ragna.step(name, m{"step": "file", "channel": "api", "link": "tallow"})
	ragna.untilState(name, "open")
	v, _ = ragna.get(name)
	number := *v.Line.Reference
	if contains(number, "CV-") {
		t.Fatalf("it was filed by the usual link: %s", number)
	}
	if r := *v.Routes; *r[0].Link != "tallow" || len(r) > 1 && r[1].Automatic {
		t.Errorf("once it is filed: routes %+v", r)
	}
	refused = ragna.must(422, "POST", "/cases/"+name+"/messages", m{"text": "Is it on its way?", "link": "corvane"})
	if !contains(string(refused.body), `"link"`) {
		t.Errorf("by the link that does not have it: %s", refused.body)
	}
	ragna.must(201, "POST", "/cases/"+name+"/messages", m{"text": "Is it on its way?"})
	w.until("the message arrived", func() bool { v, _ = ragna.get(name); return len(v.OnTheWay) == 0 })
	w.cast.Say("corvane", standin.Happening{Job: number, What: "remark", By: standin.By{Side: "house", Name: "Imke"},
		Words: "A stranger's", Stage: "in hand"})
	w.cast.Say("tallow", standin.Happening{Job: number, What: "remark", By: standin.By{Side: "house", Name: "Torv"},
		Words: "It is on its way", Stage: "in hand"})
	x, _ := ragna.get(usual)
	w.cast.Say("corvane", standin.Happening{Job: *x.Line.Reference, What: "remark",
		By: standin.By{Side: "house", Name: "Imke"}, Words: "Of the slow one", Stage: "in hand"})
	w.until("both are told", func() bool {
		return ragna.said(name, "It is on its way") == 1 && ragna.said(usual, "Of the slow one") == 1
	})
	if ragna.said(name, "A stranger's") != 0 {
		t.Error("a ticket of the other system was taken for this one")
	}
}

// A mark of ours that a vendor quotes which never had it moves nothing into another vendor's case.
func TestAMarkFromElsewhereProvesNothing(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna := w.as(0)
	name := ragna.filed("tallow", "A drive is gone [mute]")
	var marker string
	if err := w.desk.Store.DB.Get(&marker, "select marker from delivery_attempt limit 1"); err != nil {
		t.Fatal(err)
	}
	w.cast.Say("corvane", standin.Happening{Job: "CV-77777", What: "remark", By: standin.By{Side: "house", Name: "Imke"},
		Words: "You wrote (our mark " + marker + ")", Stage: "in hand"})
	mine := ragna.filed("corvane", "Slow since this morning [mute]")
	v, _ := ragna.get(mine)
	w.cast.Say("corvane", standin.Happening{Job: *v.Line.Reference, What: "remark",
		By: standin.By{Side: "house", Name: "Imke"}, Words: "After it", Stage: "in hand"})
	w.until("what came after it", func() bool { return ragna.said(mine, "After it") == 1 })
	if ragna.said(name, "You wrote") != 0 {
		t.Error("it was placed on the other vendor's case")
	}
}
