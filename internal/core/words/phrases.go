package words

import (
	"fmt"
	"strings"
)

// Phrases are the sentences of package phrasing, in English: what we say to a vendor that is late, with what is filled
// in in braces. A vendor's pack may give its own in place of each.
var Phrases = Set{
	{"affected", "Affected: {asset}"},
	{"asked", "On {set} we asked, by {due}: {what}. We have no answer yet."},
	{"business-day", "1 business day"},
	{"business-days", "{count} business days"},
	{"contract", "Contract: {contract}"},
	{"escalate", "We are escalating this case to you."},
	{"first-response", "First response"},
	{"happens", "On {set} this was agreed, by {due}: {what}. It has not happened."},
	{"last-word", "Your last message to us is from {at}."},
	{"late", "{deadline}: due by {due}. It is promised within {target}; {counted} of your support hours have passed."},
	{"late-paused", "{deadline}: promised within {target}; {counted} of your support hours have passed."},
	{"level", "Severity level: {level}"},
	{"no-answer", "We escalated this to {who} on {at} and asked for an answer by {due}. None has come."},
	{"no-word", "We have not heard from you since we opened this case on {since}."},
	{"open-since", "Open since {since}"},
	{"our-case", "Our case {case}: {title}"},
	{"please", "Please tell us by {by} where this stands."},
	{"please-soon", "Please tell us where this stands."},
	{"promised", "On {set} you promised, by {due}: {what}. That time has passed."},
	{"raised", "We escalated this to {who} on {at}."},
	{"reference", "Reference {reference}: {title}"},
	{"rejected", "Fixes that did not work: {count}"},
	{"reopened", "Times this was reopened: {count}"},
	{"resolution", "Resolution"},
	{"update", "Update"},
	{"who", "Please tell us by {by} who is working on this and when we will hear from you."},
	{"who-soon", "Please tell us who is working on this and when we will hear from you."},
	{"workaround", "Workaround"},
}

// List is a list of things as it stands in a sentence: a password, a PIN and a key.
func List(things []string) string {
	if n := len(things); n > 1 {
		return strings.Join(things[:n-1], ", ") + " and " + things[n-1]
	}
	return strings.Join(things, "")
}

// Times is how often something happened, in words.
func Times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}
