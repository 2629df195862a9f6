package standin

import (
	"hash/fnv"
	"strings"
	"time"
)

// line is one thing that an engineer does, so long after the one before. One
// that waits is done when the caller has said something.
type line struct {
	after time.Duration
	waits bool
	words string
	stage string
	fix   string
	grade bool // one level lower, without asking
	auto  bool
	shut  bool
}

var (
	received = line{after: 20 * time.Second, auto: true,
		words: "This is an automatic message. We have received your request and will look at it in turn."}
	looking = line{after: 8 * time.Minute, stage: "in hand",
		words: "I have taken over this case and am looking into it now."}
	askLog = line{after: 12 * time.Minute, stage: "waiting on you",
		words: "Could you send us the event log of the hour in which it happened, and tell us whether anything was " +
			"changed that day?"}
	thanks = line{waits: true, after: 6 * time.Minute, stage: "with engineering",
		words: "Thank you, that helps. I have passed it to engineering and will get back to you."}
	repair = line{after: 35 * time.Minute, stage: "fix out", fix: "repair",
		words: "We have applied a correction. Please try it and tell us whether it works for you."}
	again = line{waits: true, after: 5 * time.Minute, stage: "in hand", words: "Understood. I will look at it again."}
)

// manners are how a house may deal with a job. Each ends by repeating its last
// lines for as long as the caller comes back.
var manners = map[string][]line{
	"steady": {received, looking, askLog, thanks, repair, again, repair},
	"detour": {received, looking, {after: 10 * time.Minute, stage: "in hand", fix: "detour",
		words: "Until we have a correction, restart the collector every night; that keeps it running."},
		{after: 50 * time.Minute, stage: "fix out", fix: "repair",
			words: "The correction is out in the current build. Please try it."}, again, repair},
	"lowers": {received, looking,
		{after: 4 * time.Minute, grade: true, words: "We have set this to the level that we think fits."}, askLog,
		thanks,
		repair, again, repair},
	"hurries": {received, looking,
		{after: 40 * time.Minute, shut: true, words: "No further action is needed on our side. Closing."}, again, repair},
	"patient": {thanks, repair, again, repair}, // does nothing before the caller has spoken
	"mute":    {},                              // does nothing ever: somebody else plays the part
	"silent": {received, {after: 30 * time.Hour, stage: "in hand",
		words: "Sorry for the wait, this was left unattended."}, askLog, thanks, repair, again, repair},
}

var order = [...]string{"steady", "lowers", "detour", "hurries", "steady", "silent"}

// mannerOf picks how a job is dealt with: as its subject asks with a word in
// square brackets, such as [silent], for rehearsals; else by its number, so that
// the same jobs always go the same way.
func mannerOf(subject string, nth int) string {
	if _, rest, ok := strings.Cut(subject, "["); ok {
		if word, _, ok := strings.Cut(rest, "]"); ok && manners[word] != nil {
			return word
		}
	}
	return order[nth%len(order)]
}

// Tick does what has become due at every house.
func (s *Standin) Tick() {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := s.now()
	for _, h := range Houses {
		for _, j := range s.houses[h.Key].Jobs {
			for s.act(h, j, now) {
			}
		}
	}
}

func (s *Standin) act(h House, j *Job, now time.Time) bool {
	script := manners[j.Manner]
	if j.Shut || j.Step < 0 || j.Step >= len(script) {
		return false
	}
	l := script[j.Step]
	if l.waits && !s.callerSpoke(h.Key, j) {
		return false
	}
	if now.Before(j.Since.Add(time.Duration(float64(l.after) / s.haste))) {
		return false
	}
	j.Step++
	j.Since = now
	if j.Step == len(script) { // the last two lines go round
		j.Step = len(script) - 2
	}
	by := By{Side: "house", Name: h.People[nameOf(j.No, len(h.People))]}
	if l.auto {
		by = By{Side: "house", Name: "Service desk", Machine: true}
	}
	if l.stage != "" {
		j.Stage = l.stage
	}
	event := Happening{Job: j.No, What: "remark", By: by, Words: l.words, Stage: j.Stage, Fix: l.fix}
	switch {
	case l.grade:
		lower := lowerGrade(h, j.Grade)
		if lower == j.Grade {
			return true
		}
		j.Grade = lower
		event.What, event.Grade = "grade", lower
	case l.shut:
		j.Shut, j.Stage = true, "shut"
		event.What, event.Stage = "end", "shut"
	}
	s.happen(h.Key, event)
	return true
}

// callerSpoke says whether the caller has said something since the line began to wait;
// after a repair, something else than that it works.
func (s *Standin) callerSpoke(key string, j *Job) bool {
	list := s.houses[key].Happenings
	for i := len(list) - 1; i >= 0 && list[i].At.After(j.Since.Add(-time.Millisecond)); i-- {
		if list[i].Job == j.No && list[i].By.Side == "caller" && list[i].What != "logged" &&
			!(j.Stage == "fix out" && content(list[i].Words)) {
			return true
		}
	}
	return false
}

// content says whether the caller's words say that the matter is settled.
func content(words string) bool {
	words = strings.ToLower(words)
	return strings.Contains(words, "works for us") || strings.Contains(words, "is resolved")
}

func lowerGrade(h House, grade string) string {
	for i, g := range h.Grades {
		if g == grade && i+1 < len(h.Grades) {
			return h.Grades[i+1]
		}
	}
	return grade
}

func nameOf(no string, n int) int {
	f := fnv.New32a()
	f.Write([]byte(no))
	return int(f.Sum32() % uint32(n))
}
