// Package words holds what people read of a value: each value of an enum has one label, written here once, for the
// terminal, the console, errors and what is sent. Programs, packs and flags have the raw value.
package words

import (
	"regexp"
	"slices"
	"strings"
)

// Label is a value and what people read of it.
type Label struct{ Value, Text string }

// Set is an enum: its values in the order in which they are offered.
type Set []Label

// Of is the label of a value; a value that the set does not have is its own label.
func (s Set) Of(value string) string {
	for _, l := range s {
		if l.Value == value {
			return l.Text
		}
	}
	return value
}

// At is the place of a value in its set; -1 for one that it does not have.
func (s Set) At(value string) int {
	return slices.IndexFunc(s, func(l Label) bool { return l.Value == value })
}

// Only are some values of a set, in its order.
func (s Set) Only(values ...string) (out Set) {
	for _, l := range s {
		if slices.Contains(values, l.Value) {
			out = append(out, l)
		}
	}
	return out
}

// Labels are all of them, each by the name of its enum in the API: a schema, or a schema and its field.
var Labels = map[string]Set{
	"Side": Sides, "State": States, "CaseKind": Kinds, "Standing": Standings, "Facts.environment": Environments,
	"Facts.effect": Effects, "Facts.reach": Reaches, "Facts.workaround": Workarounds, "Step.step": Steps,
	"Step.offers": Offers, "Channel": Channels, "Decision.decision": Decisions, "DeliveryState": Deliveries,
	"Entry.kind": EntryKinds, "Entry.direction": Directions, "Need.weight": Weights, "DeadlineKind": Deadlines,
	"Role": Roles, "FindKind": Things, "PaperKind": Things, "TableKind": Tables, "Cover.state": Covers,
	"NextStep":           NextSteps,
	"Contract.on_change": OnChange, "Contract.while_ours": WhileOurs, "SecretFacts.kind": SecretKinds,
	"SecretUse.act": SecretActs, "StatusWord.state": StatusStates, "Access.may": Rights, "FormField.type": FieldTypes,
	"FormField.from": Sources, "CaseSort": Sorts, "Platform.supported": Supported,
	"Allowance.unit": Units, "Severity": Severities, "ContractCover": ContractCovers, "Texts": Parts,
	"Origin": Origins, "ReferenceOwner": ReferenceOwners, "ReferenceRole": ReferenceRoles,
	"Texts.contact_by": ContactWays, "ConsentKind": ConsentKinds,
	"DateKind": Dated, "SetDateKind": SetDates, "DeskPart": DeskParts,
	"CaseColumn": CaseColumns, "CaseExport.format": Formats, "Whom": Whoms, "DateEnd.how": DateEnds,
	"NotificationKind": Notifications, "NotificationWay": Ways, "NotificationReason": Reasons,
	"ChannelLimit.letters": Letters, "FindingLevel": FindingLevels, "FindingKind": FindingKinds,
	"EscalationReason": EscalationReasons,
	"PhraseKey":        Phrases, "ReadinessGap.kind": Gaps, "EventKind": Agenda, "FeedPart": FeedParts,
}

// The sets.
var (
	Sides       = Set{{"ours", "us"}, {"theirs", "vendor"}}
	CaseColumns = Set{{"case", "Case"}, {"title", "Title"}, {"vendor", "Vendor"}, {"reference", "Vendor ref"},
		{"kind", "Kind"}, {"state", "State"}, {"severity", "Severity"}, {"level", "Vendor level"},
		{"waiting", "Waiting on"}, {"waiting_since", "Waiting since"}, {"standing", "Standing"}, {"deadline", "Deadline"},
		{"due", "Due"}, {"next", "Next"}, {"owner", "Owner"}, {"new", "New"}, {"unread", "Unread"},
		{"summary", "Where it stands"}, {"opened", "Opened"}, {"changed", "Last changed"},
		{"last_vendor_reply", "Last vendor reply"}, {"parked_until", "Parked until"}}
	Formats   = Set{{"csv", "CSV"}, {"json", "JSON"}}
	DeskParts = Set{{"desk", "Whole desk"}, {"mine", "Mine"}, {"watched", "Watched"}, {"access", "My vendors"},
		{"person", "A colleague's"}}
	Notifications = Set{{"due-soon", "Due soon"}, {"due", "Due"}, {"still-late", "Still late"},
		{"message", "Message from the vendor"}, {"unread", "Still unread"}, {"hands", "New owner or vendor contact"},
		{"mention", "Mention in a note"}}
	Ways    = Set{{"off", "Off"}, {"console", "In Roundhouse"}, {"email", "In Roundhouse and by email"}}
	Reasons = Set{{"mentioned", "You are mentioned"}, {"owner", "You own the case"}, {"yours", "The date is yours"},
		{"rota", "You are on the rota"}, {"watching", "You watch it"}, {"no-owner", "Nobody owns the case"},
		{"unanswered", "Nobody has reacted"}}
	States = Set{{"live", "Live"}, {"draft", "Draft"}, {"filed", "Filed"}, {"open", "Open"},
		{"fix-offered", "Fix offered"},
		{"resolved", "Resolved"}, {"closed", "Closed"}, {"withdrawn", "Withdrawn"}}
	Sorts = Set{{"newest", "Newest first"}, {"oldest", "Oldest first"}, {"severity", "Most severe first"},
		{"changed", "Last changed first"}, {"next", "Next first"}}
	Origins         = Set{{"us", "Us"}, {"vendor", "Vendor"}, {"partner", "Partner"}, {"colleague", "Colleague"}}
	ReferenceOwners = Set{{"vendor", "Vendor reference"}, {"ours", "Our ticket"}, {"reseller", "Reseller reference"},
		{"other-vendor", "Reference of another vendor"}, {"upload", "Upload number"}}
	ReferenceRoles = Set{{"current", "Current"}, {"former", "Former"}, {"merged-into", "Merged into"}}
	Severities     = Set{{"1", "Stopped"}, {"2", "Impaired"}, {"3", "Hampered"}, {"4", "Minor"}}
	Kinds          = Set{{"fault", "Fault"}, {"question", "Question"}, {"capacity", "More capacity"},
		{"money", "Money matter"},
		{"licence", "Licence"}, {"order", "Order"}, {"wish", "Wish"}, {"work", "Work to be done"},
		{"part", "Part or replacement"}, {"visit", "Visit"}, {"access", "Access"}}
	ConsentKinds = Set{{"recording", "Recording of calls"}, {"diagnostics", "Collecting diagnostics"},
		{"data-copy", "Use of a copy of our data"}, {"remote-session", "Remote session"},
		{"act-for-us", "Acting for us"}}
	Letters     = Set{{"latin-1", "Latin-1 only"}, {"ascii", "ASCII only"}}
	ContactWays = Set{{"", "Any way"}, {"email", "Email"}, {"phone", "Phone"}, {"chat", "Chat"}, {"callback", "Callback"}}
	// Parts are the parts of a description.
	Parts = Set{{"happened", "What happened"}, {"expected", "What was expected"}, {"steps", "Steps to reproduce"},
		{"error", "Error text"}, {"since", "Since"}, {"often", "How often"}, {"changed", "What changed before"},
		{"tried", "Already tried"}, {"workaround", "Workaround used"}, {"hit", "Who and where"}, {"version", "Version"},
		{"system", "System"}, {"browser", "Browser"}, {"role", "Role of the user"}}
	Standings = Set{{"late", "late"}, {"paused", "paused"}, {"due-soon", "due soon"}, {"running", "running"},
		{"met", "met"}, {"met-late", "met late"}, {"missed", "missed"}, {"void", "void"}, {"replaced", "replaced"}}
	Environments = Set{{"production", "Production"}, {"other", "Not production"}}
	Effects      = Set{{"stopped", "Stopped"}, {"degraded", "Degraded"}, {"awkward", "Awkward"}, {"none", "Not affected"}}
	Reaches      = Set{{"everyone", "All users"}, {"many", "Many users"}, {"few", "A few users"}, {"one", "One user"}}
	Workarounds  = Set{{"none", "None"}, {"costly", "Costly"}, {"easy", "Easy"}}
	Steps        = Set{{"file", "File the case"}, {"accept", "Accept the fix"}, {"reject", "Reject the fix"},
		{"reject-workaround", "Reject the workaround"}, {"resolve", "Resolve"}, {"close", "Close"},
		{"withdraw", "Withdraw"}, {"reopen", "Reopen"}, {"level", "Change vendor level"}, {"severity", "Change severity"},
		{"dispute", "Dispute the closing"}, {"park", "Park"}, {"resume", "Resume"}, {"offered", "Mark an offer"},
		{"move", "Change who we wait on"}, {"take", "Take the case"}, {"give", "Give to a colleague"},
		{"confirm", "Confirm a condition"}}
	NextSteps = Set{{"answer", "Answer"}, {"verify", "Verify"}, {"chase", "Chase"}, {"read", "Read"}, {"decide", "Decide"},
		{"send", "Send it yourself"}, {"look", "Look"}, {"resume", "Resume"}, {"agree-or-dispute", "Agree or dispute"},
		{"keep", "Mark as done"}, {"call", "Record the call"}, {"receipt", "Check the receipt"},
		{"reference", "Add the reference"}, {"escalate", "Escalate"}}
	Offers    = Set{{"workaround", "Workaround"}, {"fix", "Fix"}}
	Channels  = Set{{"api", "API"}, {"email", "Email"}, {"portal", "Portal"}, {"phone", "Phone"}, {"chat", "Chat"}}
	Decisions = Set{{"arrived", "It arrived"}, {"send-again", "Send again"}, {"send-yourself", "Send it yourself"},
		{"dont-send", "Don't send"}, {"refused", "The vendor refuses"}}
	Deliveries = Set{{"waiting", "waiting to be sent"}, {"under-way", "being sent"}, {"unsure", "may not have arrived"},
		{"to-send", "to be sent by you"}, {"arrived", "arrived"}, {"refused", "refused"}, {"not-sent", "not sent"}}
	EntryKinds = Set{{"message", "Message"}, {"note", "Note"}, {"call", "Call"}, {"change", "Change"},
		{"file", "File"}, {"briefing", "Briefing"}}
	Directions = Set{{"in", "from vendor"}, {"out", "to vendor"}}
	Weights    = Set{{"required", "required"}, {"later", "later"}, {"optional", "optional"},
		{"warning", "warning"}}
	Deadlines = Set{{"first-response", "First response"}, {"update", "Update"}, {"workaround", "Workaround"},
		{"resolution", "Resolution"}, {"our-answer", "Our answer"}, {"verification", "Verification"}}
	Whoms = Set{{"vendor", "Vendor"}, {"partner", "Partner"}, {"carrier", "Carrier"}, {"desk", "Desk"},
		{"requester", "Requester"}, {"person", "Person whose consent is needed"}}
	DateEnds = Set{{"kept", "Mark as done"}, {"moved", "Move"}, {"dropped", "Drop"}}
	// Dated are the kinds of what is to happen by an instant.
	Dated = Set{{"promise", "Promise"}, {"ask", "Ask"}, {"callback", "Callback"}, {"follow-up", "Follow-up"},
		{"check-in", "Check-in"}, {"part", "Part"}, {"part-return", "Part return"}, {"visit", "Visit"},
		{"remote-session", "Remote session"}, {"consent", "Consent"}, {"receipt", "Receipt"},
		{"escalation", "Answer to an escalation"}, {"needed-by", "Needed by"}, {"closing", "Closing by the vendor"}}
	// DateKept is what is said of one that was kept, after its name.
	DateKept = Set{{"promise", "was kept"}, {"ask", "was answered"}, {"callback", "took place"}, {"follow-up", "is done"},
		{"check-in", "is done"}, {"part", "arrived"}, {"part-return", "is done"}, {"visit", "took place"},
		{"remote-session", "took place"}, {"consent", "was given"}, {"receipt", "was confirmed"}, {"escalation", "came"},
		{"needed-by", "was met"}, {"closing", "was averted"}}
	FeedParts = Set{{"desk", "Whole desk"}, {"person", "A person's"}, {"vendor", "A vendor's"}}
	// Agenda are the kinds of event of a calendar: those of dates, and what is no date of a case.
	Agenda = append(Set{{"deadline", "Deadline"}, {"parked", "End of parking"}, {"shift", "Rota"},
		{"contract-ends", "End of a contract"}, {"contract-notice", "Notice date"}}, Dated...)
	// SetDates are those that people set.
	SetDates = Dated.Only("promise", "ask", "callback", "follow-up", "check-in", "part", "part-return", "visit",
		"remote-session", "consent", "needed-by")
	Roles  = Set{{"handler", "Handler"}, {"lead", "Lead"}, {"auditor", "Auditor"}, {"administrator", "Administrator"}}
	Things = Set{{"case", "Case"}, {"asset", "Asset"}, {"product", "Product"}, {"account", "Account"},
		{"contract", "Contract"}, {"vendor", "Vendor"}, {"person", "Person"}, {"contact", "Vendor contact"}}
	Tables = Set{{"cases", "Cases"}, {"assets", "Assets"}, {"contracts", "Contracts"}, {"accounts", "Accounts"},
		{"products", "Products"}, {"people", "People"}}
	Covers = Set{{"covered", "covered"}, {"twice", "covered twice"}, {"not-yet", "not covered yet"},
		{"ended", "cover ended"}, {"not-covered", "not covered"}}
	ContractCovers = Set{{"in-force", "In force"}, {"ended", "Ended"}}
	Gaps           = Set{{"no-rota", "Rota"}, {"no-way", "Out of hours"}, {"no-ladder", "Ladder"},
		{"no-promise", "Targets"}}
	EscalationReasons = Set{{"unanswered", "Not answered in time"}, {"late", "Vendor late"},
		{"fixes-rejected", "Fixes rejected"}, {"reopened", "Reopened"}, {"open-long", "Open for long"}}
	OnChange    = Set{{"restart", "Restart"}, {"keep", "Keep running"}, {"restart-if-raised", "Restart if raised"}}
	WhileOurs   = Set{{"pause", "Pause"}, {"run", "Keep running"}}
	SecretKinds = Set{{"passphrase", "Passphrase"}, {"password", "Password"}, {"api-key", "API key"}, {"pin", "PIN"},
		{"other", "Other"}}
	SecretActs = Set{{"added", "added"}, {"changed", "changed"}, {"encrypted", "new value"}, {"revealed", "revealed"},
		{"sent", "sent"}, {"removed", "removed"}}
	StatusStates = Set{{"taken-in", "Accepted by vendor"}, {"fix-offered", "Fix offered"}, {"ended", "Closed by vendor"}}
	Rights       = Set{{"open", "open cases"}, {"consent", "give consent"}, {"escalate", "escalate"}}
	FieldTypes   = Set{{"text", "Text"}, {"long", "Long text"}, {"number", "Number"}, {"choice", "Choice"},
		{"date", "Date"}, {"region", "Region"}, {"version", "Version"}, {"component", "Component"}, {"asset", "Asset"},
		{"account", "Account"}, {"file", "File"}, {"amounts", "Amounts by place"}, {"part", "Part of the description"}}
	Sources = Set{{"asset.serial", "Serial number"}, {"asset.name", "Asset name"}, {"asset.model", "Model"},
		{"asset.product", "Product"}, {"asset.version", "Version"}, {"asset.system", "Operating system"},
		{"asset.resource_id", "Resource id"}, {"asset.region", "Region"}, {"asset.site", "Site"},
		{"asset.address", "Address"}, {"asset.site_contact", "Site contact"}, {"asset.site_phone", "Site phone"},
		{"account.number", "Account number"}, {"account.name", "Account name"}, {"contract.number", "Contract number"}}
	FindingLevels = Set{{"stop", "Stop"}, {"warn", "Warning"}, {"tell", "Info"}}
	FindingKinds  = Set{{"private-key", "Private key"}, {"password", "Password"}, {"token", "Token or key"},
		{"card-number", "Card number"}, {"iban", "Bank account number"}, {"random-string", "Random-looking text"},
		{"personal-number", "Personal number"}, {"not-scanned", "Not scanned"}, {"email-address", "Email address"},
		{"private-address", "Private network address"}}
	Supported = Set{{"yes", "Yes"}, {"no", "No"}, {"unknown", "Unknown"}}
	Units     = Set{{"cases", "cases"}, {"hours", "hours"}}
)

// By is how something went through a channel, as it stands in a sentence: by email, on the portal.
func By(channel string) string {
	if channel == "portal" {
		return "on the portal"
	}
	return "by " + Inline(Channels.Of(channel))
}

// Reference is what a number of a case is called, by whose it is and what it is to the case: Former vendor reference,
// Reseller reference (Brackwater). The console does the same.
func Reference(owner, role, of string) string {
	called := ReferenceOwners.Of(owner)
	if role != "current" {
		called = ReferenceRoles.Of(role) + " " + Inline(called)
	}
	if of != "" {
		called += " (" + of + ")"
	}
	return called
}

// Inline is a label within a sentence: small but for what is written large anywhere.
func Inline(label string) string {
	if len(label) > 1 && label[1] >= 'A' && label[1] <= 'Z' { // API, PIN
		return label
	}
	return strings.ToLower(label[:min(1, len(label))]) + label[min(1, len(label)):]
}

var weekdays = Set{{"mon", "Mon"}, {"tue", "Tue"}, {"wed", "Wed"}, {"thu", "Thu"}, {"fri", "Fri"}, {"sat", "Sat"},
	{"sun", "Sun"}}

// Week is a week's windows in a line, days with the same ones together: Mon to Fri 08:00-16:00, Sat 10:00-13:00.
func Week(week map[string][]string) string {
	var parts []string
	for i := 0; i < len(weekdays); {
		first, windows := i, strings.Join(week[weekdays[i].Value], " ")
		for i++; i < len(weekdays) && strings.Join(week[weekdays[i].Value], " ") == windows; {
			i++
		}
		if windows == "" {
			continue
		}
		days := weekdays[first].Text
		if last := weekdays[i-1].Text; i-first == 2 {
			days += " and " + last
		} else if i-first > 2 {
			days += " to " + last
		}
		parts = append(parts, days+" "+windows)
	}
	return strings.Join(parts, ", ")
}

// Target is a target as people read it: 45 minutes, 1 hour 30 minutes, 1 business day. What is no target stays.
func Target(t string) string {
	if t == "none" {
		return "No target"
	}
	var parts []string
	for _, m := range targetPart.FindAllStringSubmatch(t, -1) {
		n, unit := m[1], map[string]string{"m": "minute", "h": "hour", "d": "day", "bd": "business day"}[m[2]]
		if n != "1" {
			unit += "s"
		}
		parts = append(parts, n+" "+unit)
	}
	if len(parts) == 0 || targetPart.ReplaceAllString(t, "") != "" {
		return t
	}
	return strings.Join(parts, " ")
}

var targetPart = regexp.MustCompile(`([0-9]+)(bd|[dhm])`)
