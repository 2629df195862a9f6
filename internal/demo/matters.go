package demo

import (
	_ "embed"
	"time"

	"github.com/goccy/go-yaml"
)

// matter is what a case is about.
type matter struct {
	Vendor, Title, Affected, Happened, Expected string
	Effect, Reach, Workaround                   string
	Kind                                        string
}

//go:embed matters.yaml
var mattersFile []byte

// matters are those of matters.yaml.
func matters() (list []matter, err error) { return list, yaml.Unmarshal(mattersFile, &list) }

// act is one thing that happens in a case, so long after it was opened.
type act struct {
	after time.Duration
	// file, auto, vendor, fix, workaround, carries-on, ours, note, accept, reject, resolve, close, park, level,
	// they-close, grade, read
	what string
	text string
}

var texts = map[string]string{
	"auto": "This is an automatic message. We have received your request and will look at it in turn.",
	"vendor": "Could you send us the event log of the hour in which it happened, and tell us whether anything " +
		"was changed that day?",
	"carries-on": "I have what I need. Engineering is looking at it, and I will get back to you.",
	"ours":       "The log of that hour is below. Nothing was changed on our side that day, nor in the week before.",
	"note":       "The contractor was in the cabinet on Thursday and told nobody. Ask him before we blame them.",
	"fix":        "We have applied a correction. Please try it and tell us whether it works for you.",
	"workaround": "Until we have a correction, restart the collector every night; that keeps it running.",
	"grade":      "We have set this to the level that we think fits.",
	"they-close": "No further action is needed on our side. Closing.",
	"reject":     "It failed again twenty minutes after the correction, with the same line in the log.",
}

const (
	minute = time.Minute
	hour   = time.Hour
	day    = 24 * time.Hour
)

// ended are the ways that past cases went.
var ended = [][]act{
	{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {70 * minute, "vendor", ""}, {2 * hour, "ours", ""},
		{5 * hour, "carries-on", ""}, {26 * hour, "fix", ""},
		{29 * hour, "accept", "Tried on the test system and then for a day in production."}, {30 * hour, "close", ""}},
	{{5 * minute, "file", ""}, {6 * minute, "auto", ""}, {27 * hour, "vendor", ""}, {28 * hour, "note", ""},
		{30 * hour, "ours", ""}, {50 * hour, "workaround", ""}, {98 * hour, "fix", ""}, {100 * hour, "reject", ""},
		{146 * hour, "fix", ""}, {170 * hour, "accept", "It has held for two nights."}, {171 * hour, "close", ""}},
	{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {3 * hour, "carries-on", ""},
		{26 * hour, "resolve", "It was our own change of last week; reverted."}, {27 * hour, "close", ""}},
	{{10 * minute, "file", ""}, {11 * minute, "auto", ""}, {4 * hour, "vendor", ""}, {25 * hour, "ours", ""},
		{30 * hour, "grade", ""}, {52 * hour, "they-close", ""}, {54 * hour, "resolve", "It has not come back."},
		{54*hour + 5*minute, "close", ""}},
}

// going are the live ones: how long ago each was opened, at what severity, and
// what has happened since. Together they show every state and standing.
var going = []struct {
	ago    time.Duration
	matter int
	sev    int
	owner  int
	acts   []act
}{
	{100 * minute, 0, 2, 0, []act{{1 * minute, "file", ""}, {2 * minute, "auto", ""}}},
	{200 * minute, 7, 1, 2, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {10 * minute, "carries-on", ""}}},
	{95 * hour, 11, 2, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {20 * hour, "vendor", ""},
		{20*hour + 42*minute, "note", ""}, {21 * hour, "ours", ""}, {27 * hour, "carries-on", ""}}},
	{30 * hour, 6, 2, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {29 * hour, "vendor", ""}}},
	{6 * day, 1, 3, 1, []act{{9 * minute, "file", ""}, {10 * minute, "auto", ""}, {20 * hour, "vendor", ""},
		{72 * hour, "they-close", ""}, {73 * hour, "read", ""}}},
	{5 * day, 3, 3, 0, []act{{9 * minute, "file", ""}, {10 * minute, "auto", ""}, {20 * hour, "carries-on", ""},
		{96 * hour, "fix", ""}, {97 * hour, "read", ""}}},
	{40 * minute, 12, 3, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}}},
	{11 * day, 14, 3, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {30 * hour, "workaround", ""},
		{31 * hour, "ours", ""}, {60 * hour, "park", "Waiting for the change window of the winter timetable."}}},
	{9 * day, 9, 3, 2, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {8 * hour, "vendor", ""},
		{9 * hour, "ours", ""}, {50 * hour, "carries-on", ""}}},
	{26 * hour, 13, 4, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}}},
	{3 * day, 2, 2, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {90 * minute, "vendor", ""},
		{2 * hour, "ours", ""}, {26 * hour, "grade", ""}, {28 * hour, "carries-on", ""}}},
	{12 * day, 10, 4, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {24 * hour, "vendor", ""},
		{25 * hour, "ours", ""}}},
	{4 * day, 15, 2, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {4 * hour, "carries-on", ""},
		{30 * hour, "fix", ""}, {33 * hour, "reject", ""}, {70 * hour, "carries-on", ""}}},
	{55 * minute, 5, 2, 2, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {20 * minute, "vendor", ""},
		{22 * minute, "read", ""}}},
	{2 * day, 8, 4, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {20 * hour, "vendor", ""},
		{21 * hour, "ours", ""}, {22 * hour, "carries-on", ""}}},
	{7 * day, 4, 3, 1, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {6 * hour, "vendor", ""},
		{26 * hour, "ours", ""}, {40 * hour, "vendor", ""}, {50 * hour, "read", ""}}},
	{20 * hour, 14, 3, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {4 * hour, "carries-on", ""}}},
	{25 * minute, 3, 3, 0, nil}, // a draft
	{70 * minute, 7, 1, 1, nil}, // a draft that lacks much
	{15 * day, 12, 3, 0, []act{{2 * minute, "file", ""}, {3 * minute, "auto", ""}, {30 * hour, "carries-on", ""},
		{5 * day, "fix", ""}, {6 * day, "accept", "The tray was replaced."}}},
}
