package register

import (
	"slices"
	"testing"

	"roundhouse.example/internal/core/route"
)

func TestRoutes(t *testing.T) {
	v := Vendor{Ways: []Way{{Channel: "api", Address: "their service"}, {Channel: "phone", Address: "+44 1632 960 001"},
		{Channel: "portal", Address: "https://x.example"},
		{Channel: "phone", Address: "+44 1632 960 002", Urgent: true}}}
	one, two := route.Route{Kind: route.API, Link: 1, Name: "north"}, route.Route{Kind: route.API, Link: 2, Name: "south"}
	post := route.Route{Kind: route.Email, Link: 3, Name: "mailbox"}
	phone, portal := route.Route{Kind: route.Phone}, route.Route{Kind: route.Portal}
	for _, x := range []struct {
		links []route.Route
		level []route.Kind
		want  []route.Route
	}{
		{[]route.Route{one}, nil, []route.Route{one, phone, portal}},
		{[]route.Route{two, one}, nil, []route.Route{two, one, phone, portal}},
		{nil, nil, []route.Route{phone, portal}}, // nobody writes to an API by hand
		{[]route.Route{one}, []route.Kind{route.Phone}, []route.Route{phone}},
		{[]route.Route{one, post}, []route.Kind{route.Portal, route.API}, []route.Route{one, portal}},
		{nil, []route.Kind{route.API}, nil},
		{nil, []route.Kind{route.Chat}, nil},
		{[]route.Route{post}, []route.Kind{route.Email}, nil}, // there is nowhere to write to
	} {
		if got := v.Routes(x.links, x.level, false); !slices.Equal(got, x.want) {
			t.Errorf("links %v, level by %v: %v, want %v", x.links, x.level, got, x.want)
		}
	}
	written := Vendor{Ways: append(v.Ways, Way{Channel: "email", Address: "desk@x.example"})}
	if got := written.Routes([]route.Route{post}, []route.Kind{route.Email}, false); !slices.Equal(got,
		[]route.Route{post}) {
		t.Errorf("by email, by itself: %v", got)
	}
	if got := (Vendor{}).Routes(nil, nil, false); len(got) != 0 {
		t.Errorf("a vendor with no way: %v", got)
	}
	// A phone that is for urgent matters only is the last choice for others, and first again where it is urgent or the
	// level demands it.
	night := Vendor{Ways: []Way{{Channel: "phone", Urgent: true}, {Channel: "portal"}}}
	if got := night.Routes(nil, nil, false); !slices.Equal(got, []route.Route{portal, {Kind: route.Phone,
		UrgentOnly: true}}) {
		t.Errorf("a phone for urgent matters, and this is none: %v", got)
	}
	if got := night.Routes(nil, nil, true); !slices.Equal(got, []route.Route{phone, portal}) {
		t.Errorf("a phone for urgent matters: %v", got)
	}
	if got := night.Routes(nil, []route.Kind{route.Phone}, false); !slices.Equal(got, []route.Route{phone}) {
		t.Errorf("a phone for urgent matters that the level demands: %v", got)
	}
	for urgent, first := range map[bool]string{true: "+44 1632 960 002", false: "+44 1632 960 001"} {
		if got := v.WaysBy("phone", urgent); len(got) != 2 || got[0].Address != first {
			t.Errorf("by phone, urgent %v: %+v", urgent, got)
		}
	}
	if got := v.WaysBy("email", true); got != nil {
		t.Errorf("by email: %+v", got)
	}
}

func TestAVendorsWords(t *testing.T) {
	v := Vendor{StatusWords: []StatusWord{{Word: "Waiting on you", Move: "ours"}, {Word: "shut", State: "ended"}},
		AutomaticPattern: `(?i)^we have (received|noted)`}
	for word, want := range map[string]StatusWord{"waiting on YOU ": v.StatusWords[0], "shut": v.StatusWords[1],
		"shut down": {}, "": {}} {
		if got := v.Means(word); got != want {
			t.Errorf("%q means %+v, want %+v", word, got, want)
		}
	}
	for text, want := range map[string]bool{"We have received your words": true, "we have noted it": true,
		"Sorry, we have received nothing": false, "": false} {
		if v.Automatic(text) != want {
			t.Errorf("%q automatic: %v", text, !want)
		}
	}
	if (Vendor{}).Automatic("We have received") || (Vendor{AutomaticPattern: "("}).Automatic("(") {
		t.Error("automatic by no pattern")
	}
}
