package register

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/core/calendar"
)

// Vendor is how to deal with a vendor: all of it that is not a secret.
type Vendor struct {
	Key       string   `json:"key"`
	Name      string   `json:"name"`
	Kind      string   `json:"kind,omitempty"` // what sort of vendor, in a word or two
	Does      string   `json:"does,omitempty"` // what we buy from it
	Zone      string   `json:"zone"`
	Languages []string `json:"languages,omitempty"`
	Hours     string   `json:"hours"` // the name of the calendar of its support hours
	Site      string   `json:"site,omitempty"`
	// OtherWay is the way in when the site is down.
	OtherWay string `json:"other_way,omitempty"`
	// Through is the key of the vendor to go to first, such as a reseller.
	Through       string `json:"through,omitempty"`
	DirectAllowed bool   `json:"direct_allowed,omitempty"`
	// ClosesAfterDays is after how many days of silence of ours it closes a case by itself.
	ClosesAfterDays int `json:"closes_after_days,omitempty"`
	// ReopensWithinDays is for how long after closing it reopens one.
	ReopensWithinDays int           `json:"reopens_within_days,omitempty"`
	ReferencePattern  string        `json:"reference_pattern,omitempty"`
	AutomaticPattern  string        `json:"automatic_pattern,omitempty"`
	Levels            []VendorLevel `json:"levels"`
	StatusWords       []StatusWord  `json:"status_words,omitempty"`
	Ways              []Way         `json:"ways,omitempty"`
	People            []Contact     `json:"people,omitempty"`
	Ladder            []Rung        `json:"ladder,omitempty"`
	Takes             []string      `json:"takes,omitempty"` // kinds of case; none: all
	Forms             []FormField   `json:"forms,omitempty"`
	// UsualTerms are what its contracts promise, unless one says otherwise; a new contract can begin with them.
	UsualTerms []Term `json:"usual_terms,omitempty"`
	// LoginHow says how one of ours gets a login there, and how long that takes.
	LoginHow string       `json:"login_how,omitempty"`
	Access   []Access     `json:"access,omitempty"`
	Partners []Permission `json:"partners,omitempty"`
	Note     string       `json:"note,omitempty"`
}

// VendorLevel is one level of its severity scheme; the first is the most severe.
type VendorLevel struct {
	Label         string   `json:"label"`
	Meaning       string   `json:"meaning,omitempty"`
	Severities    []int    `json:"severities,omitempty"` // ours that point at it
	RoundTheClock bool     `json:"round_the_clock,omitempty"`
	Channels      []string `json:"channels,omitempty"` // by which it must come; none: any
	Criteria      []string `json:"criteria,omitempty"`
}

// StatusWord is a word of the vendor's, and what it means for us.
type StatusWord struct {
	Word string `json:"word"`
	// State is what has become of the case: taken-in, fix-offered or ended; empty says nothing.
	State string `json:"state,omitempty"`
	Move  string `json:"move,omitempty"`
}

// Way is one way to reach the vendor.
type Way struct {
	Channel   string   `json:"channel"`
	Address   string   `json:"address"`
	Area      string   `json:"area,omitempty"` // for which country or matter
	Urgent    bool     `json:"urgent,omitempty"`
	Calendar  string   `json:"calendar,omitempty"`
	Languages []string `json:"languages,omitempty"`
	// MaxMB and FileTypes limit what can be attached.
	MaxMB     int      `json:"max_mb,omitempty"`
	FileTypes []string `json:"file_types,omitempty"`
}

// Contact is one of the vendor's people.
type Contact struct {
	Name  string `json:"name"`
	Role  string `json:"role,omitempty"`
	Mail  string `json:"mail,omitempty"`
	Phone string `json:"phone,omitempty"`
	// Known is when and how they were last reached.
	Known string `json:"known,omitempty"`
}

// Rung is one step of the escalation ladder, from the bottom.
type Rung struct {
	Role  string `json:"role"`
	Name  string `json:"name,omitempty"`
	How   string `json:"how"`            // how to reach them
	Told  string `json:"told,omitempty"` // what they expect to be told
	Reply string `json:"reply,omitempty"`
	// One of the following says when it is due; none: only by a person.
	LateBy        string `json:"late_by,omitempty"`
	FixesRejected int    `json:"fixes_rejected,omitempty"`
	Reopened      int    `json:"reopened,omitempty"`
	OpenLonger    string `json:"open_longer,omitempty"`
	Severity      int    `json:"severity,omitempty"` // with OpenLonger: at this or worse
}

// FormField is one thing that the vendor must be told for a kind of case.
type FormField struct {
	Kind    string   `json:"kind"` // of case; any: for all kinds
	Key     string   `json:"key"`
	Label   string   `json:"label"`
	Type    string   `json:"type"`
	Must    bool     `json:"must,omitempty"`
	Hint    string   `json:"hint,omitempty"` // why the vendor wants it
	Choices []string `json:"choices,omitempty"`
	// From names the member of the asset or account that fills it in.
	From string `json:"from,omitempty"`
}

// Access is what one of ours may do there.
type Access struct {
	Person   string   `json:"person"` // mail address
	May      []string `json:"may,omitempty"`
	Login    bool     `json:"login,omitempty"`
	Contact  bool     `json:"contact,omitempty"` // a named contact
	Notices  bool     `json:"notices,omitempty"` // gets its notices
	LoginDue string   `json:"login_due,omitempty"`
}

// Permission is what a partner may do for us there.
type Permission struct {
	Partner string `json:"partner"`
	What    string `json:"what"`
	Where   string `json:"where,omitempty"`
	Since   string `json:"since"`
	Until   string `json:"until,omitempty"`
}

// FieldTypes are what an intake form can ask for; Sources what can fill it in.
var (
	FieldTypes = []string{"text", "long", "number", "choice", "date", "region", "version", "asset", "account", "file"}
	Sources    = []string{"asset.serial", "asset.name", "asset.model", "asset.product", "asset.version", "asset.system", "asset.resource_id", "asset.region", "asset.site", "asset.address", "asset.site_contact", "asset.site_phone", "account.number", "account.name", "contract.number"}
)

var vendorKey = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)

// Check says what is wrong with it.
func (v Vendor) Check() []Fault {
	var f faults
	if !vendorKey.MatchString(v.Key) {
		f.add("key", "it is a short word of small letters, digits and dashes, like harbour-net")
	}
	f.name("name", v.Name)
	f.short("kind", v.Kind)
	f.short("does", v.Does)
	if _, err := time.LoadLocation(v.Zone); err != nil || v.Zone == "" || v.Zone == "Local" {
		f.add("zone", "%q is not a known time zone; name one like Europe/Oslo", clip(v.Zone))
	}
	f.names("languages", v.Languages)
	f.name("hours", v.Hours)
	f.short("site", v.Site)
	f.long("other_way", v.OtherWay)
	f.long("login_how", v.LoginHow)
	f.long("note", v.Note)
	if v.Through == v.Key && v.Key != "" {
		f.add("through", "a vendor is not reached through itself")
	}
	f.days("closes_after_days", v.ClosesAfterDays)
	f.days("reopens_within_days", v.ReopensWithinDays)
	f.pattern("reference_pattern", v.ReferencePattern)
	f.pattern("automatic_pattern", v.AutomaticPattern)
	v.checkLevels(&f)
	for i, w := range v.StatusWords {
		at := fmt.Sprintf("status_words[%d]", i)
		f.name(at+".word", w.Word)
		f.oneOf(at+".state", w.State, "taken-in", "fix-offered", "ended")
		f.oneOf(at+".move", w.Move, "ours", "theirs")
		if slices.ContainsFunc(v.StatusWords[:i], func(o StatusWord) bool { return strings.EqualFold(o.Word, w.Word) }) {
			f.add(at+".word", "%s stands there twice", clip(w.Word))
		}
	}
	for i, w := range v.Ways {
		at := fmt.Sprintf("ways[%d]", i)
		f.must(at+".channel", w.Channel, Channels...)
		f.name(at+".address", w.Address)
		f.short(at+".area", w.Area)
		f.names(at+".file_types", w.FileTypes)
		if w.MaxMB < 0 || w.MaxMB > 100_000 {
			f.add(at+".max_mb", "it is 0 to 100000")
		}
	}
	for i, p := range v.People {
		at := fmt.Sprintf("people[%d]", i)
		f.name(at+".name", p.Name)
		f.short(at+".role", p.Role)
		f.short(at+".phone", p.Phone)
		f.short(at+".known", p.Known)
		f.short(at+".mail", p.Mail)
		if p.Mail != "" && !strings.Contains(p.Mail, "@") {
			f.add(at+".mail", "%q is not a mail address", clip(p.Mail))
		}
	}
	for i, k := range v.Takes {
		f.must(fmt.Sprintf("takes[%d]", i), k, Kinds...)
	}
	v.checkLadder(&f)
	v.checkForms(&f)
	v.checkAccess(&f)
	for _, x := range CheckTerms(v.UsualTerms, false) {
		x.Field = "usual_" + x.Field
		f = append(f, x)
	}
	for i, t := range v.UsualTerms {
		if t.Level > len(v.Levels) {
			f.add(fmt.Sprintf("usual_terms[%d].level", i), "the vendor has no level %d", t.Level)
		}
	}
	return f
}

// Calendars are the names of those that it counts in, each once, and where each is named first.
func (v Vendor) Calendars() (names []string, at map[string]string) {
	at = map[string]string{}
	name := func(field, calendar string) {
		if _, known := at[calendar]; calendar != "" && !known {
			names, at[calendar] = append(names, calendar), field
		}
	}
	name("hours", v.Hours)
	for i, w := range v.Ways {
		name(fmt.Sprintf("ways[%d].calendar", i), w.Calendar)
	}
	for i, t := range v.UsualTerms {
		name(fmt.Sprintf("usual_terms[%d].calendar", i), t.Calendar)
	}
	return names, at
}

func (f *faults) must(field, s string, known ...string) {
	if s == "" {
		f.add(field, "say one of %s", strings.Join(known, ", "))
		return
	}
	f.oneOf(field, s, known...)
}

func (f *faults) days(field string, n int) {
	if n < 0 || n > 3650 {
		f.add(field, "it is 0 to 3650 days")
	}
}

func (f *faults) pattern(field, s string) {
	if s == "" {
		return
	}
	if _, err := Pattern(s); err != nil {
		f.add(field, "%s", err)
	}
}

func (v Vendor) checkLevels(f *faults) {
	if len(v.Levels) == 0 {
		f.add("levels", "a vendor has at least one level")
	}
	if len(v.Levels) > 99 {
		f.add("levels", "there are %d, at most 99 are taken", len(v.Levels))
		return
	}
	ours := map[int]int{}
	for i, l := range v.Levels {
		at := fmt.Sprintf("levels[%d]", i)
		f.name(at+".label", l.Label)
		f.long(at+".meaning", l.Meaning)
		f.names(at+".criteria", l.Criteria)
		for j, c := range l.Channels {
			f.oneOf(fmt.Sprintf("%s.channels[%d]", at, j), c, Channels...)
			if !slices.ContainsFunc(v.Ways, func(w Way) bool { return w.Channel == c }) {
				f.add(fmt.Sprintf("%s.channels[%d]", at, j), "nobody can reach this level: there is no way by %s among the ways", clip(c))
			}
		}
		for j, s := range l.Severities {
			where := fmt.Sprintf("%s.severities[%d]", at, j)
			if s < 1 || s > 4 {
				f.add(where, "our severities are 1 to 4, not %d", s)
			} else if other, taken := ours[s]; taken {
				f.add(where, "our severity %d points at levels[%d] already; each points at one", s, other)
			} else {
				ours[s] = i
			}
		}
	}
	for s := 1; s <= 4 && len(v.Levels) > 0; s++ {
		if _, there := ours[s]; !there {
			f.add("levels", "our severity %d points at none of them", s)
		}
	}
}

func (v Vendor) checkLadder(f *faults) {
	byPerson := -1
	for i, r := range v.Ladder {
		at := fmt.Sprintf("ladder[%d]", i)
		f.name(at+".role", r.Role)
		f.short(at+".name", r.Name)
		if strings.TrimSpace(r.How) == "" {
			f.add(at+".how", "the ladder has a gap here: say how to reach them")
		}
		f.short(at+".how", r.How)
		f.long(at+".told", r.Told)
		for _, x := range []struct{ field, target string }{{"reply", r.Reply}, {"late_by", r.LateBy}, {"open_longer", r.OpenLonger}} {
			if x.target == "" {
				continue
			}
			if t, err := calendar.ParseTarget(x.target); err != nil {
				f.add(at+"."+x.field, "%s", err)
			} else if t.None {
				f.add(at+"."+x.field, "leave it out instead of none")
			}
		}
		if r.FixesRejected < 0 || r.Reopened < 0 || r.Severity < 0 || r.Severity > 4 {
			f.add(at, "counts are not negative, and a severity is 1 to 4")
		}
		conditions := 0
		for _, set := range []bool{r.LateBy != "", r.FixesRejected > 0, r.Reopened > 0, r.OpenLonger != ""} {
			if set {
				conditions++
			}
		}
		switch {
		case conditions > 1:
			f.add(at, "one condition says when it is due, not %d", conditions)
		case conditions == 0 && byPerson < 0:
			byPerson = i
		case conditions > 0 && byPerson >= 0:
			f.add(at, "the ladder has a gap: ladder[%d] below it is only raised by a person, so this one never comes due by itself", byPerson)
		}
		if r.Severity != 0 && r.OpenLonger == "" {
			f.add(at+".severity", "it goes with open_longer")
		}
	}
}

var fieldKey = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

func (v Vendor) checkForms(f *faults) {
	for i, x := range v.Forms {
		at := fmt.Sprintf("forms[%d]", i)
		if x.Kind != "any" {
			f.must(at+".kind", x.Kind, append([]string{"any"}, Kinds...)...)
		}
		if !fieldKey.MatchString(x.Key) {
			f.add(at+".key", "it is a short word of small letters, digits and _")
		}
		f.name(at+".label", x.Label)
		f.must(at+".type", x.Type, FieldTypes...)
		f.short(at+".hint", x.Hint)
		f.oneOf(at+".from", x.From, Sources...)
		if x.Type == "choice" && len(x.Choices) == 0 {
			f.add(at+".choices", "say between what")
		}
		f.names(at+".choices", x.Choices)
		if slices.ContainsFunc(v.Forms[:i], func(o FormField) bool {
			return o.Key == x.Key && (o.Kind == x.Kind || o.Kind == "any" || x.Kind == "any")
		}) {
			f.add(at+".key", "%s is asked for twice", clip(x.Key))
		}
	}
}

func (v Vendor) checkAccess(f *faults) {
	for i, a := range v.Access {
		at := fmt.Sprintf("access[%d]", i)
		if !strings.Contains(a.Person, "@") {
			f.add(at+".person", "name one of ours by the mail address")
		}
		for j, m := range a.May {
			f.oneOf(fmt.Sprintf("%s.may[%d]", at, j), m, "open", "consent", "escalate")
		}
		f.date(at+".login_due", a.LoginDue)
	}
	for i, p := range v.Partners {
		at := fmt.Sprintf("partners[%d]", i)
		f.name(at+".partner", p.Partner)
		f.name(at+".what", p.What)
		if p.Since == "" {
			f.add(at+".since", "say from which date")
		}
		if f.date(at+".since", p.Since) && f.date(at+".until", p.Until) && p.Until != "" && p.Until < p.Since {
			f.add(at+".until", "%s is before %s, on which it begins", p.Until, p.Since)
		}
	}
}

// Asks are the fields that the vendor wants filled in for a kind of case.
func (v Vendor) Asks(kind string) (out []FormField) {
	for _, x := range v.Forms {
		if x.Kind == "any" || x.Kind == kind {
			out = append(out, x)
		}
	}
	return out
}

// Wrong says in words what is wrong with an answer; empty where nothing is.
func (x FormField) Wrong(answer string) string {
	switch x.Type {
	case "number":
		if _, err := strconv.ParseFloat(strings.TrimSpace(answer), 64); err != nil {
			return fmt.Sprintf("%q is not a number", clip(answer))
		}
	case "date":
		if _, err := time.Parse(time.DateOnly, answer); err != nil {
			return fmt.Sprintf("%q is not a date; write it like 2026-12-25", clip(answer))
		}
	case "choice":
		if !slices.Contains(x.Choices, answer) {
			return fmt.Sprintf("%q is not one of %s", clip(answer), strings.Join(x.Choices, ", "))
		}
	}
	return ""
}

// Cards are the vendor's people as contact cards (vCard 4.0, RFC 6350).
func (v Vendor) Cards() string {
	var b strings.Builder
	escape := strings.NewReplacer("\\", "\\\\", ",", "\\,", ";", "\\;", "\r\n", "\\n", "\n", "\\n", "\r", "\\n")
	line := func(name, value string) {
		if value == "" {
			return
		}
		s := name + ":" + value
		for n := 75; len(s) > n; n = 74 { // folded at octets, never inside a character
			cut := n
			for cut > 0 && s[cut]&0xC0 == 0x80 {
				cut--
			}
			b.WriteString(s[:cut] + "\r\n ")
			s = s[cut:]
		}
		b.WriteString(s + "\r\n")
	}
	for _, p := range v.People {
		line("BEGIN", "VCARD")
		line("VERSION", "4.0")
		line("FN", escape.Replace(p.Name))
		line("ORG", escape.Replace(v.Name))
		line("ROLE", escape.Replace(p.Role))
		line("EMAIL", escape.Replace(p.Mail))
		if p.Phone != "" {
			line("TEL;VALUE=text", escape.Replace(p.Phone))
		}
		line("TZ", v.Zone)
		line("NOTE", escape.Replace(p.Known))
		line("END", "VCARD")
	}
	return b.String()
}
