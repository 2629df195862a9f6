package register

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/phrasing"
	"roundhouse.example/internal/core/route"
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
	// ReceiptWithin is the time of its hours within which it usually confirms what we send; 1h where empty, none where it
	// confirms nothing.
	ReceiptWithin string `json:"receipt_within,omitempty"`
	// ReopensWithinDays is for how long after closing it reopens one.
	ReopensWithinDays int `json:"reopens_within_days,omitempty"`
	// ReopensBy are the channels by which it takes a reopening; none: any.
	ReopensBy        []route.Kind `json:"reopens_by,omitempty"`
	ReferencePattern string       `json:"reference_pattern,omitempty"`
	// GivesNoReference says that it gives its cases no numbers.
	GivesNoReference bool `json:"gives_no_reference,omitempty"`
	// ReferencePage is the address of its page for a case, with {reference} where the number goes.
	ReferencePage    string        `json:"reference_page,omitempty"`
	AutomaticPattern string        `json:"automatic_pattern,omitempty"`
	Levels           []VendorLevel `json:"levels"`
	StatusWords      []StatusWord  `json:"status_words,omitempty"`
	Ways             []Way         `json:"ways,omitempty"`
	// Limits are what its channels take at once; a channel that is not here takes everything.
	Limits []Limit     `json:"limits,omitempty"`
	People []Contact   `json:"people,omitempty"`
	Ladder []Rung      `json:"ladder,omitempty"`
	Takes  []string    `json:"takes,omitempty"` // kinds of case; none: all
	Forms  []FormField `json:"forms,omitempty"`
	// LeadTimes are how long before it is needed it wants to know, by kind of case.
	LeadTimes []LeadTime `json:"lead_times,omitempty"`
	// Phrases are sentences in its own words, for chasing and escalating.
	Phrases []phrasing.Own `json:"phrases,omitempty"`
	// WantedFiles are the files that it wants with a case.
	WantedFiles []WantedFile `json:"wanted_files,omitempty"`
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
	Label         string       `json:"label"`
	Meaning       string       `json:"meaning,omitempty"`
	Severities    []int        `json:"severities,omitempty"` // ours that point at it
	RoundTheClock bool         `json:"round_the_clock,omitempty"`
	Channels      []route.Kind `json:"channels,omitempty"` // by which it must come; none: any
	Criteria      []string     `json:"criteria,omitempty"`
}

// StatusWord is a word of the vendor's, and what it means for us.
type StatusWord struct {
	Word string `json:"word"`
	// State is what has become of the case: taken-in, fix-offered or ended; empty says nothing.
	State string        `json:"state,omitempty"`
	Move  deadline.Side `json:"move,omitempty"`
}

// Way is one way to reach the vendor.
type Way struct {
	Channel   route.Kind `json:"channel"`
	Address   string     `json:"address"`
	Area      string     `json:"area,omitempty"` // for which country or matter
	Urgent    bool       `json:"urgent,omitempty"`
	Calendar  string     `json:"calendar,omitempty"`
	Languages []string   `json:"languages,omitempty"`
	// MaxMB and FileTypes limit what can be attached.
	MaxMB     int      `json:"max_mb,omitempty"`
	FileTypes []string `json:"file_types,omitempty"`
}

// Limit is what a channel of the vendor's takes at once.
type Limit struct {
	Channel route.Kind `json:"channel"`
	Title   int        `json:"title,omitempty"`   // characters; 0: any number
	Text    int        `json:"text,omitempty"`    // bytes; 0: any number
	Letters string     `json:"letters,omitempty"` // latin-1, ascii, or empty for all
}

// LettersOf are the sets of letters that a channel may be limited to.
var LettersOf = []string{"latin-1", "ascii"}

// LimitOf is what a channel takes at once.
func (v Vendor) LimitOf(channel route.Kind) (l intake.Limit) {
	for _, x := range v.Limits {
		if x.Channel == channel {
			l = intake.Limit{Title: x.Title, Text: x.Text, Letters: x.Letters}
		}
	}
	return l
}

// emailMB is how much an email takes where the vendor says nothing, in MB.
const emailMB = 20

// FilesBy is what a channel takes of files: what its first way that says so takes. By phone and chat no files go.
func (v Vendor) FilesBy(channel route.Kind) (l files.Limit) {
	switch channel {
	case route.Phone, route.Chat:
		return files.Limit{None: true}
	case route.Email:
		l = files.Limit{Together: true, MB: emailMB}
	}
	for _, w := range v.Ways {
		if w.Channel == channel && (w.MaxMB > 0 || len(w.FileTypes) > 0) {
			l.MB, l.Endings = cmp.Or(w.MaxMB, l.MB), w.FileTypes
			break
		}
	}
	return l
}

// WantedFile is a file that the vendor wants with cases of a kind.
type WantedFile struct {
	Kind  string `json:"kind"` // of case, or any
	Name  string `json:"name"`
	How   string `json:"how,omitempty"`   // where it is found, or how it is made
	Where string `json:"where,omitempty"` // where it goes, where not with a message
}

// LeadTime is how many days before a thing is needed the vendor wants to know.
type LeadTime struct {
	Kind string `json:"kind"` // of case
	Days int    `json:"days"`
}

// Lead is how many days before it is needed the vendor wants to know of a case of a kind; 0 where it does not say.
func (v Vendor) Lead(kind string) int {
	for _, x := range v.LeadTimes {
		if x.Kind == kind {
			return x.Days
		}
	}
	return 0
}

// Wants are the files that it wants with a case of a kind.
func (v Vendor) Wants(kind string) (out []WantedFile) {
	for _, x := range v.WantedFiles {
		if x.Kind == kind || x.Kind == "any" {
			out = append(out, x)
		}
	}
	return out
}

// Contact is one of the vendor's people.
type Contact struct {
	Name  string `json:"name"`
	Role  string `json:"role,omitempty"`
	Email string `json:"email,omitempty"`
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
	// Any of the following says when it is due; none: only by a person.
	LateBy        string `json:"late_by,omitempty"`
	FixesRejected int    `json:"fixes_rejected,omitempty"`
	Reopened      int    `json:"reopened,omitempty"`
	OpenLonger    string `json:"open_longer,omitempty"`
	Severity      int    `json:"severity,omitempty"` // with OpenLonger: at this or worse
}

// Called is who it is, as a sentence names them.
func (r Rung) Called() string { return strings.TrimSpace(r.Role + " " + r.Name) }

// FormField is one thing that the vendor must be told for a kind of case. Of the type part it is a part of the
// description, such as steps, as this vendor calls and counts it.
type FormField struct {
	Kind     string   `json:"kind"` // of case; any: for all kinds
	Key      string   `json:"key"`
	Label    string   `json:"label"`
	Type     string   `json:"type"`
	Required bool     `json:"required,omitempty"`
	Weight   int      `json:"weight,omitempty"` // how much it counts for a complete description, 1 to 100; 0: as usual
	Hint     string   `json:"hint,omitempty"`   // why the vendor wants it
	Choices  []string `json:"choices,omitempty"`
	// From names the member of the asset or account that fills it in.
	From string `json:"from,omitempty"`
}

// Access is what one of ours may do there.
type Access struct {
	Person   string   `json:"person"` // email address
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
	FieldTypes = []string{"text", "long", "number", "choice", "date", "region", "version", "component", "asset",
		"account", "file", "amounts", "part"}
	Sources = []string{"asset.serial", "asset.name", "asset.model", "asset.product", "asset.version", "asset.system",
		"asset.resource_id", "asset.region", "asset.site", "asset.address", "asset.site_contact", "asset.site_phone",
		"account.number", "account.name", "contract.number"}
)

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

const partType = "part"

// amountsType is the type of a field that is answered by lines of amounts, as intake.Amounts reads them.
const amountsType = "amounts"

// Asks are the fields that are to be filled in for a kind of case: those of the vendor's form, and where it has none of
// its own for that kind the usual ones.
func (v Vendor) Asks(kind string) (out []FormField) {
	own := false
	for _, x := range v.Forms {
		if x.Type != partType && (x.Kind == "any" || x.Kind == kind) {
			out = append(out, x)
			own = own || x.Kind == kind
		}
	}
	if !own {
		out = append(out, usualForm(kind, out)...)
	}
	return out
}

// Tells is how the form for a kind of case asks for parts of the description.
func (v Vendor) Tells(kind string) (out []intake.Asked) {
	for _, x := range v.Forms {
		if x.Type == partType && (x.Kind == "any" || x.Kind == kind) {
			out = append(out, intake.Asked{Key: x.Key, Label: x.Label, Why: x.Hint, Weight: x.Weight, Required: x.Required})
		}
	}
	return out
}

// IsAmounts says whether a field is answered by lines of amounts.
func (x FormField) IsAmounts() bool { return x.Type == amountsType }

// Amounts are the lines of an answer; false where the field asks for none or they cannot be read.
func (x FormField) Amounts(answer string) ([]intake.Amount, bool) {
	if !x.IsAmounts() || answer == "" {
		return nil, false
	}
	list, err := intake.Amounts(answer)
	return list, err == nil
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
	case amountsType:
		if _, err := intake.Amounts(answer); err != nil {
			return err.Error()
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
		line("EMAIL", escape.Replace(p.Email))
		if p.Phone != "" {
			line("TEL;VALUE=text", escape.Replace(p.Phone))
		}
		line("TZ", v.Zone)
		line("NOTE", escape.Replace(p.Known))
		line("END", "VCARD")
	}
	return b.String()
}
