package today

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"golang.org/x/term"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/cli/lists"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// keys name the lines; q ends it.
const keys = "123456789abcdefghijklmnoprstuvwxyz"

// screen is Today as it is followed in a terminal.
type screen struct {
	*Commands
	c     *client.Client
	whose *lists.WhoseFlags
	in    *os.File
	size  *os.File
	lines []clientgen.TodayLine
	live  bool
	said  string // what came of the last key
}

// follow draws Today anew as things happen, and takes the step of a line by its key, until q.
func (a *Commands) follow(ctx context.Context, c *client.Client, whose *lists.WhoseFlags) error {
	in, reads := a.Stdin.(*os.File)
	to, writes := a.Stdout.(*os.File)
	if !reads || !writes || !term.IsTerminal(int(in.Fd())) || !term.IsTerminal(int(to.Fd())) || a.Format != "table" {
		return app.Usagef("--follow needs a terminal: without one, use roundhouse today")
	}
	s := &screen{Commands: a, c: c, whose: whose, in: in, size: to}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	changed := make(chan bool, 1)
	go s.listen(ctx, changed)
	wanted, pressed := make(chan bool, 1), make(chan byte)
	go s.keys(ctx, wanted, pressed)
	fmt.Fprint(to, "\x1b[?1049h")       // a screen of its own, so that the one before comes back
	defer fmt.Fprint(to, "\x1b[?1049l") //
	tick := time.NewTicker(30 * time.Second)
	defer tick.Stop()
	wanted <- true
	for {
		if err := s.draw(ctx); err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return nil
		case s.live = <-changed:
			time.Sleep(200 * time.Millisecond) // what happens together is drawn once
		case <-tick.C:
		case k := <-pressed:
			if k == 'q' || k == 3 || k == 4 { // Ctrl-C and Ctrl-D come as they are
				return nil
			}
			s.press(ctx, k)
			wanted <- true
		}
	}
}

// listen says when something has happened, and whether it hears at all.
func (s *screen) listen(ctx context.Context, changed chan bool) {
	say := func(live bool) {
		select {
		case changed <- live:
		default:
		}
	}
	for ctx.Err() == nil {
		_ = s.c.Follow(ctx, func(string) { say(true) }) // it is asked again
		say(false)
		select {
		case <-ctx.Done():
		case <-time.After(2 * time.Second):
		}
	}
}

// keys reads one key each time that one is wanted, as it is pressed.
func (s *screen) keys(ctx context.Context, wanted chan bool, pressed chan byte) {
	for range wanted {
		before, err := term.MakeRaw(int(s.in.Fd()))
		if err != nil {
			return
		}
		var b [1]byte
		n, err := s.in.Read(b[:])
		_ = term.Restore(int(s.in.Fd()), before)
		if err != nil || n == 0 {
			b[0] = 'q'
		}
		select {
		case pressed <- b[0]:
		case <-ctx.Done():
			return
		}
	}
}

// draw writes the whole screen.
func (s *screen) draw(ctx context.Context) error {
	width, height, err := term.GetSize(int(s.size.Fd()))
	if err != nil || height < 10 {
		width, height = 80, 24
	}
	most := min(len(keys), height-9)
	t, err := wholeToday(ctx, s.c, s.whose, most, clientgen.GetTodayParams{})
	if err != nil {
		return err
	}
	s.lines = t.Lines
	var b strings.Builder
	p := out.New(&b, "table")
	p.Width = width
	times := s.Times(ctx)
	heard := "not updating"
	if s.live {
		heard = "live"
	}
	p.Line("Today, %s (%s), %s", t.AsOf.In(times.Zone).Format("15:04:05"), times.Name(), heard)
	p.Line("%s", totals(&t))
	p.Line("")
	var rows [][]string
	for i, l := range t.Lines {
		rows = append(rows, []string{keys[i : i+1], clicases.SeverityText(l.Case), l.Case.Number, l.Case.Title, l.Why,
			times.Short(l.Due), out.Move(string(app.Deref(l.Case.Move))), l.StepWords})
	}
	if len(rows) == 0 {
		p.Line("Nothing needs attention.")
	} else {
		p.Table([]out.Column{{Name: "key"}, {Name: "severity"}, {Name: "case"}, {Name: "title", Main: true},
			{Name: "reason", Shrink: true}, {Name: "due", Drop: 2}, {Name: "waiting on", Drop: 1}, {Name: "step"}}, rows)
	}
	if more := t.Total - len(t.Lines); more > 0 {
		p.Line("and %d less pressing", more)
	}
	p.Line("\n%sPress a line's key to take its step, q to leave.", s.said)
	// Lines end as they do where the terminal waits for a key.
	_, err = fmt.Fprint(s.size, "\x1b[H\x1b[J"+strings.ReplaceAll(b.String(), "\n", "\r\n"))
	return err
}

// press takes the step of a key's line: what it needs is asked for, and another command does it.
func (s *screen) press(ctx context.Context, key byte) {
	s.said = ""
	i := strings.IndexByte(keys, key)
	if i < 0 || i >= len(s.lines) {
		return
	}
	l := s.lines[i]
	questions, command := step(l)
	fmt.Fprint(s.size, "\x1b[H\x1b[J")
	fmt.Fprintf(s.size, "%s %s: %s\n\n", l.Case.Number, l.Case.Title, l.StepWords)
	in := bufio.NewReader(s.in)
	answers := make([]string, len(questions))
	for i, q := range questions {
		fmt.Fprintf(s.size, "%s: ", q.text)
		line, err := in.ReadString('\n')
		if answers[i] = strings.TrimSpace(line); err != nil || answers[i] == "" && !q.optional {
			s.said = "Nothing was done. "
			return
		}
	}
	_ = s.Run(ctx, command(answers))
	fmt.Fprint(s.size, "\nPress Enter to go back. ")
	_, _ = in.ReadString('\n')
}

// question is what a step needs to be told.
type question struct {
	text     string
	optional bool
}

// kept are the kinds of date that have a command, with which one of any kind can be kept.
var kept = []string{"promise", "ask", "callback", "follow-up", "check-in", "part", "part-return", "visit",
	"remote-session", "needed-by"}

// step is what the step of a line needs, and the command that takes it. What has no short answer shows the case.
func step(l clientgen.TodayLine) ([]question, func([]string) []string) {
	name, item := l.Case.Number, app.Deref(l.Item)
	kind := string(app.Deref(l.ItemKind))
	with := func(args []string, flag, text string) []string {
		if text != "" {
			args = append(args, flag, text)
		}
		return args
	}
	switch l.Step {
	case "answer", "chase":
		return []question{{"Message to " + l.Case.Vendor + " (leave empty to cancel)", false}}, func(a []string) []string {
			args := []string{"case", "reply", name, "--text", a[0]}
			if l.Step == "answer" && kind == "ask" {
				args = with(args, "--keeps", item)
			}
			return args
		}
	case "call":
		return []question{{"With", false}, {"What was said", false}}, func(a []string) []string {
			return with([]string{"case", "call", name, "--with", a[0], "--text", a[1]}, "--keeps", item)
		}
	case "reference":
		return []question{{words.ReferenceOwners.Of("vendor"), false}}, func(a []string) []string {
			return []string{"case", "reference", name, a[0]}
		}
	}
	if !slices.Contains(kept, kind) { // it has no command of its own
		kind = "promise"
	}
	keeps := l.Step == "keep" || l.Step == "receipt" || l.Step == "look" && kind == "check-in"
	if item != "" && keeps {
		return []question{{"What came of it (optional)", true}}, func(a []string) []string {
			return with([]string{"case", kind, name, "--kept", item}, "--text", a[0])
		}
	}
	return nil, func([]string) []string { return []string{"case", "show", name} }
}
