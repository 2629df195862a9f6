package e2e

import (
	"testing"

	dp "github.com/chromedp/chromedp"

	"roundhouse.example/internal/server/apigen"
)

// A case has numbers of several owners: it is found by each of them, also by a former one, and the record knows them.
func TestACaseIsFoundByEveryNumber(t *testing.T) {
	t.Parallel()
	w := still(t)
	w.byHand()
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.draft("lark", "Prints blank tickets")
	ragna.step(name, m{"step": "file"})
	sh.ok([]string{"case", "sent", name}, name)
	numbered := func() (out []string) {
		var p apigen.CasePage
		ragna.must(200, "GET", "/cases?no_reference=true", nil).into(t, &p)
		for _, l := range p.Items {
			out = append(out, l.Number)
		}
		return out
	}
	if got := numbered(); len(got) != 1 || got[0] != name {
		t.Errorf("without a reference: %v", got)
	}
	sh.ok([]string{"case", "list", "--no-reference"}, name)
	sh.ok([]string{"case", "reference", name, "FL-00001"}, "Vendor reference: FL-00001")
	sh.ok([]string{"case", "reference", name, "FL-00002", "--keep"}, "Vendor reference: FL-00002",
		"Former vendor reference: FL-00001")
	sh.ok([]string{"case", "reference", name, "BW-5521", "--whose", "reseller", "--of", "Brackwater"},
		"Reseller reference (Brackwater): BW-5521")
	sh.ok([]string{"case", "reference", name, "FL-00007", "--role", "merged-into"},
		"Merged into vendor reference: FL-00007")
	sh.ok([]string{"case", "reference", name, "UP-1", "--whose", "upload"}, "Upload number: UP-1")
	for _, number := range []string{"FL-00001", "fl 00002", "bw5521", "FL-00007", "UP-1"} {
		sh.ok([]string{"case", "show", number}, name)
	}
	sh.fails(4, []string{"case", "reference", name, "12"}, "does not look like a reference", "(they look like ")
	// What a draft lacks is said where it is filed, with how to add it.
	unfit := ragna.draft("corvane", "The gate says no")
	ragna.patched(200, "/cases/"+unfit, m{"facts": m{"environment": nil}})
	sh.fails(4, []string{"case", "file", unfit}, unfit+" cannot be filed yet:\n  Severity: where it happens",
		"--environment", "Add it with: roundhouse case edit "+unfit)
	sh.fails(4, []string{"case", "reference", name, "UP-2", "--whose", "upload", "--remove"}, "no such number")
	sh.fails(4, []string{"case", "reference", name, "FL-00002", "--remove"}, "cannot be removed: correct it")
	sh.fails(4, []string{"case", "reference", name, "FL-00002", "--role", "former"}, "this is the current one")
	sh.ok([]string{"case", "reference", name, "UP-1", "--whose", "upload", "--remove"}, "FL-00002")
	sh.fails(3, []string{"case", "show", "UP-1"}, "Not found")
	// A former one that comes back is the current one again.
	sh.ok([]string{"case", "reference", name, "FL-00001", "--keep"}, "Vendor reference: FL-00001",
		"Former vendor reference: FL-00002")
	ragna.must(200, "PATCH", "/cases/"+name, m{"reference": "FL-00002"}, "If-Match", tag(ragna, name))
	if v, _ := ragna.get(name); *v.Line.Reference != "FL-00002" {
		t.Errorf("a former reference was not made the current one: %s", *v.Line.Reference)
	}
	// What it was merged into is another case's own.
	other := ragna.draft("lark", "Prints them twice")
	ragna.step(other, m{"step": "file"})
	sh.ok([]string{"case", "sent", other, "--reference", "FL-00007"}, other)
	sh.ok([]string{"case", "show", "FL-00007"}, other)
	if sum := w.checked(); len(sum.Findings) > 0 {
		t.Errorf("the record says otherwise: %+v", sum.Findings)
	}
	if got := numbered(); len(got) != 0 {
		t.Errorf("without a reference: %v", got)
	}
	// Each leads to the vendor's page for it, where the vendor says where that is.
	admin := w.as(4)
	if p := admin.patched(422, "/vendors/lark", m{"reference_page": "https://help.lark.example"}).problem(t); !contains(
		*p.Detail, "{reference}") {
		t.Errorf("a page without its number: %s", *p.Detail)
	}
	admin.patched(200, "/vendors/lark", m{"reference_page": "https://help.lark.example/t/{reference}"})
	tab := w.page("light", 1280, 800, 0)
	w.steps(tab, dp.Navigate(w.url+"/cases/"+name), see("change-references"), press("change-references"),
		see("reference-form"), choose("reference-whose", "other-vendor"), write("reference-value", "Q 7"),
		write("reference-of", "Quillgate"), press("keep-reference"))
	w.says(tab, "reference", "FL-00002")
	w.until("the number of another vendor is there", func() bool {
		v, _ := ragna.get(name)
		last := v.References[len(v.References)-1]
		return last.Value == "Q 7" && *last.Of == "Quillgate" &&
			*v.References[0].Page == "https://help.lark.example/t/FL-00002"
	})
}

// A vendor that gives no numbers has open cases all the same.
func TestAVendorThatGivesNoReferences(t *testing.T) {
	t.Parallel()
	w := still(t)
	w.byHand()
	w.as(4).patched(200, "/vendors/lark", m{"gives_no_reference": true})
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.draft("lark", "Prints blank tickets")
	ragna.step(name, m{"step": "file"})
	sh.ok([]string{"case", "sent", name}, "Open")
	var p apigen.CasePage
	if ragna.must(200, "GET", "/cases?no_reference=true", nil).into(t, &p); len(p.Items) != 0 {
		t.Errorf("it is on the list of those without: %+v", p.Items)
	}
	if sum := w.checked(); len(sum.Findings) > 0 {
		t.Errorf("the record says otherwise: %+v", sum.Findings)
	}
}
