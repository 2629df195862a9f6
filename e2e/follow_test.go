package e2e

import (
	"bytes"
	"strings"
	"sync"
	"testing"
	"time"
)

// screen is a program in a terminal of its own.
type screen struct {
	mu  sync.Mutex
	out bytes.Buffer
	in  interface{ Write([]byte) (int, error) }
}

func (s *screen) Write(b []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.out.Write(b)
}

// shows says whether a text has been drawn since the last clearing of the screen.
func (s *screen) shows(text string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	drawn := s.out.String()
	return strings.Contains(drawn[strings.LastIndex(drawn, "\x1b[H\x1b[J")+1:], text)
}

// Today is drawn anew as things happen, the step of a line is taken by its key, and q leaves.
func TestTodayIsFollowedInATerminal(t *testing.T) {
	t.Parallel()
	w := still(t)
	ragna, sh := w.as(0), w.shell(0)
	name := ragna.filed("corvane", "Which colour code? [mute]")
	sh.fails(2, words("today --follow"), "--follow needs a terminal")
	cmd := sh.inTerminal("today --follow")
	s := &screen{}
	cmd.Stdout, cmd.Stderr = s, s
	in, err := cmd.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	press := func(keys string) {
		if _, err := in.Write([]byte(keys)); err != nil {
			t.Fatal(err)
		}
	}
	sees := func(text string) { w.until("it shows "+text, func() bool { return s.shows(text) }) }
	sees(name)
	sees(", live")
	ragna.must(201, "POST", "/cases/"+name+"/dates", m{"kind": "callback", "owed": "ours", "text": "Call the pier",
		"due": w.clock.Now().Add(time.Hour).Format(time.RFC3339)})
	sees("Callback: Call the pier")
	w.clock.Move(61 * time.Minute)
	sh.ok([]string{"case", "note", name, "--text", "Nobody answers."})
	sees("Record the call")
	press("1")
	sees("With: ")
	press("Teo\n")
	sees("What was said: ")
	press("They send a patch.\n")
	sees("Press Enter to go back.")
	press("\n")
	w.until("the call is in the record", func() bool { return ragna.said(name, "They send a patch.") == 1 })
	sees("Press a line's key")
	press("q")
	select {
	case err := <-ended:
		if err != nil {
			t.Error(err)
		}
	case <-time.After(time.Minute):
		t.Error("q does not leave")
		_ = cmd.Process.Kill()
	}
}
