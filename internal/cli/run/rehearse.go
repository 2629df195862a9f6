package run

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/rehearse"
	"roundhouse.example/internal/server/web"
	"roundhouse.example/internal/service"
)

// rehearsing is what rehearse was told.
type rehearsing struct {
	speed         float64
	port          int
	portFixed     bool
	readyFile     string
	list, print   bool
	schema, check bool
}

// Rehearse is the command rehearse.
func (a *Commands) Rehearse() *cobra.Command {
	var o rehearsing
	c := &cobra.Command{Use: "rehearse [NAME | FILE]", Short: "Practise with a vendor that is late, silent or wrong on " +
		"purpose", Args: cobra.MaximumNArgs(1),
		Long: "Plays a scenario on a desk, a database and a clock of its own: your desk is not touched.\nYou handle " +
			"the case in the console or the terminal. At the end it says what was missed and\nwhat was done well, going by " +
			"the record. Without a name it plays the one for newcomers.\n\nWhile it runs, Enter jumps to when something " +
			"happens next, and typing end finishes it.",
		Example: "  roundhouse rehearse --list\n  roundhouse rehearse late --speed 120\n " +
			" roundhouse rehearse silent --print > mine.yaml\n  roundhouse rehearse mine.yaml",
		RunE: func(cmd *cobra.Command, args []string) error {
			o.portFixed = cmd.Flags().Changed("port")
			return a.rehearse(cmd.Context(), o, strings.Join(args, ""))
		}}
	f := c.Flags()
	f.Float64Var(&o.speed, "speed", 60, "how many times faster than real time the clock runs, from 1 to 3600")
	f.IntVar(&o.port, "port", 8090, "port of the console and the API; if left out, 8090 or the next free one")
	f.StringVar(&o.readyFile, "ready-file", "", "write the address and the people as JSON to this file once it is running")
	f.BoolVar(&o.list, "list", false, "list the scenarios that come with the program")
	f.BoolVar(&o.print, "print", false, "print the scenario's file, to make your own from it")
	f.BoolVar(&o.schema, "schema", false, "print the JSON Schema of scenario files")
	f.BoolVar(&o.check, "check", false, "only check the file")
	return c
}

func (a *Commands) rehearse(ctx context.Context, o rehearsing, name string) error {
	instead := 0
	for _, is := range []bool{o.list, o.print, o.schema, o.check} {
		if is {
			instead++
		}
	}
	switch {
	case instead > 1:
		return app.Usagef("--list, --print, --schema and --check do not go together: give one")
	case o.schema:
		_, err := a.Stdout.Write(rehearse.Schema)
		return err
	case o.list:
		return a.scenarios()
	case o.speed < 1 || o.speed > 3600:
		return app.Usagef("--speed is a number from 1 to 3600")
	}
	if name == "" {
		name = rehearse.First
	}
	file, err := scenarioFile(name)
	if err != nil {
		return err
	}
	if o.print {
		_, err := a.Stdout.Write(file)
		return err
	}
	s, findings := rehearse.Read(file)
	if len(findings) > 0 {
		lines := []string{name + " cannot be played:"}
		for _, f := range findings {
			lines = append(lines, "  "+f.String())
		}
		return app.Usagef("%s", strings.Join(lines, "\n"))
	}
	if o.check {
		fmt.Fprintf(a.Stdout, "%s can be played: %s\n", name, s.Title)
		return nil
	}
	return a.play(ctx, o, s)
}

// scenarioFile is a shipped scenario's, by its name, or one on the disk.
func scenarioFile(name string) ([]byte, error) {
	if file, ok := rehearse.File(name); ok {
		return file, nil
	}
	file, err := os.ReadFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, &app.Missing{Text: fmt.Sprintf("%q is neither a scenario nor a file: roundhouse rehearse --list shows "+
			"the scenarios", name)}
	}
	return file, err
}

func (a *Commands) scenarios() error {
	type row struct {
		Name    string `json:"name"`
		Title   string `json:"title"`
		Teaches string `json:"teaches"`
	}
	var list []row
	for _, name := range rehearse.Shipped() {
		file, _ := rehearse.File(name)
		s, _ := rehearse.Read(file)
		list = append(list, row{name, s.Title, s.Teaches})
	}
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(list)
	}
	for _, r := range list {
		p.Line("%-14s %s\n%-14s %s", r.Name, r.Title, "", r.Teaches)
	}
	return nil
}

// play runs a scenario until it is over, and says how it went.
func (a *Commands) play(ctx context.Context, o rehearsing, s rehearse.Scenario) (err error) {
	dir, err := os.MkdirTemp("", "roundhouse-rehearsal-")
	if err == nil {
		err = os.Chmod(dir, 0o711) // the user postgres must pass
	}
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	l, err := listenNear(o.port, !o.portFixed)
	if err != nil {
		return fmt.Errorf("port %d cannot be used: %w; leave --port out to take the next free one", o.port, err)
	}
	defer l.Close()
	fmt.Fprintln(a.Stderr, "Setting the stage ...")
	pg, err := localpg.Start(ctx, localpg.Options{Dir: filepath.Join(dir, "postgres")})
	if err != nil {
		return err
	}
	defer pg.Stop()
	clock := rehearse.NewClock(s.Begins.AddDate(0, 0, -180), o.speed)
	d, err := service.Open(ctx, pg.URL, clock)
	if err != nil {
		return err
	}
	defer d.Close()
	vendors, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer vendors.Close()
	cast, err := rehearse.Cast(clock)
	if err != nil {
		return err
	}
	defer played(ctx, cast, vendors)()
	x, err := rehearse.Set(ctx, s, clock, cast, vendors.Addr().String(), d.Desk, d.Store)
	if err != nil {
		return err
	}
	running, finish := context.WithCancel(ctx)
	defer finish()
	var acting error
	acted := make(chan struct{})
	begun := false // where the service does not start, nobody acts
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	err = service.RunDesk(running, d, service.Options{Listener: l, Look: 500 * time.Millisecond,
		Sweep: 100 * time.Millisecond, Log: log, Files: filepath.Join(dir, "files"),
		Rehearsal: &web.Rehearsal{Title: s.Title, Speed: o.speed}}, func(url string) {
		clock.Start()
		begun = true
		go func() {
			defer close(acted)
			defer finish()
			acting = errors.Join(a.onStage(running, o, x, url), a.told(context.WithoutCancel(ctx), x))
		}()
	})
	finish()
	if begun {
		<-acted
	}
	return errors.Join(err, acting)
}

// onStage plays the script, and does what is asked on standard input, until the rehearsal is over.
func (a *Commands) onStage(ctx context.Context, o rehearsing, x *rehearse.Stage, url string) error {
	if err := a.opening(ctx, o, x, url); err != nil {
		return err
	}
	asked := make(chan string)
	go lines(ctx, a.Stdin, asked)
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		over, err := x.Act(ctx)
		if over || ctx.Err() != nil {
			return nil
		}
		if err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		case line := <-asked:
			switch strings.TrimSpace(line) {
			case "end":
				return nil
			case "":
				over, err := x.Skip(ctx)
				if over || err != nil {
					return err
				}
				unread := ""
				if n := x.Unread(ctx); n > 0 {
					unread = " Unread: " + app.Itoa(n) + "."
				}
				fmt.Fprintln(a.Stderr, a.clock(x, x.Clock.Now())+unread)
			default:
				fmt.Fprintln(a.Stderr, "Enter jumps to when something happens next; end finishes.")
			}
		}
	}
}

// lines hands on what is typed, a line each, until there is no more: the rehearsal goes on without.
func lines(ctx context.Context, from io.Reader, to chan<- string) {
	for in := bufio.NewScanner(from); in.Scan(); {
		select {
		case to <- in.Text():
		case <-ctx.Done():
			return
		}
	}
}

func (a *Commands) opening(ctx context.Context, o rehearsing, x *rehearse.Stage, url string) error {
	s, p := x.Scenario, x.People[0]
	fmt.Fprintf(a.Stderr, "\n%s\n", s.Title)
	if s.Teaches != "" {
		fmt.Fprintf(a.Stderr, "Practises: %s\n", s.Teaches)
	}
	fmt.Fprintf(a.Stderr, "\n%s\n", strings.TrimSpace(s.About))
	if name := x.Case(ctx); name != "" {
		fmt.Fprintf(a.Stderr, "\nThe case is %s: %s.\n", name, s.Case.Title)
	}
	fmt.Fprintf(a.Stderr, `
  Console: %s
  Sign in as %s with the password %s

  Or in another terminal:
  export ROUNDHOUSE_URL=%s ROUNDHOUSE_TOKEN=%s
  roundhouse today

%s It runs %s.
Enter jumps to when something happens next; end finishes.
It ends by itself on %s.
`, url, p.Email, p.Password, url, p.Token, a.clock(x, s.Begins), pace(o.speed), a.at(x, s.Over()))
	if o.readyFile == "" {
		return nil
	}
	raw, err := json.Marshal(map[string]any{"url": url, "people": x.People, "case": x.Case(ctx)})
	if err != nil {
		return err
	}
	tmp := o.readyFile + ".tmp"
	return errors.Join(os.WriteFile(tmp, raw, 0o600), os.Rename(tmp, o.readyFile))
}

func pace(speed float64) string {
	if speed == 1 {
		return "in real time"
	}
	return fmt.Sprintf("%g times faster than real time", speed)
}

// clock says what the clock of the rehearsal shows.
func (a *Commands) clock(x *rehearse.Stage, at time.Time) string { return "It is " + a.at(x, at) + "." }
