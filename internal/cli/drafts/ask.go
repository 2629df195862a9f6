package drafts

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"roundhouse.example/internal/cli/app"
	clicases "roundhouse.example/internal/cli/cases"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/intake"
	"roundhouse.example/internal/core/words"
)

// asked says whether there is a person to ask.
func (a *Commands) asked() bool {
	f, ok := a.Stdin.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// asker asks for what a case needs, question by question. What is answered is saved at once: from the second answer on
// there is a draft.
type asker struct {
	a  *Commands
	o  *opening
	in *bufio.Reader
	l  clicases.Loaded
	// filed says that the case is on its way to the vendor, or was marked as to be sent.
	filed bool
}

// errEnough ends the questions: there are no more answers.
var errEnough = errors.New("there are no more answers")

func (a *Commands) ask(cmd *cobra.Command, o *opening) error {
	q := &asker{a: a, o: o, in: bufio.NewReader(a.Stdin)}
	if err := q.begin(cmd); err != nil {
		return err
	}
	err := q.rest(cmd)
	if errors.Is(err, errEnough) {
		q.say("")
		err = nil
	}
	if err != nil {
		return a.keptAsDraft(q.l.Case, err)
	}
	if q.filed || a.Format == "json" {
		return a.AfterStep(q.l.Case)
	}
	n := q.l.Line.Number
	q.say("%s stays a draft. Change it with: roundhouse case edit %s --edit", n, n)
	q.say("What it lacks: roundhouse case check %s", n)
	return nil
}

func (q *asker) say(format string, args ...any) { fmt.Fprintf(q.a.Stderr, format+"\n", args...) }

// line is an answer; empty where somebody pressed Enter.
func (q *asker) line(question, known string) (string, error) {
	if known != "" {
		question += " [" + known + "]"
	}
	fmt.Fprint(q.a.Stderr, question+": ")
	s, err := q.in.ReadString('\n')
	if errors.Is(err, io.EOF) && s == "" {
		return "", errEnough
	}
	return strings.TrimSpace(s), nil
}

func (q *asker) yes(question string) (bool, error) {
	s, err := q.line(question+" (yes or no)", "no")
	s = strings.ToLower(s)
	return s == "y" || s == "yes", err
}

// begin asks for the title and whom it concerns, and saves the draft.
func (q *asker) begin(cmd *cobra.Command) (err error) {
	for q.o.title == "" {
		if q.o.title, err = q.line("Title, one line that names the problem", ""); err != nil {
			return err
		}
	}
	for {
		if q.o.vendor == "" && q.o.d.asset == "" {
			if err := q.whom(cmd.Context()); err != nil {
				return err
			}
		}
		q.l, err = q.a.begin(cmd, q.o)
		if p, ok := client.IsProblem(err); !ok || p.Kind() != "invalid" {
			break
		}
		q.say("%s", err)
		q.o.vendor, q.o.d.asset = "", ""
	}
	if err == nil {
		q.say("%s is saved as a draft for %s, and so is each answer. Enter skips a question; Ctrl-C stops.",
			q.l.Line.Number, q.l.Line.Vendor)
	}
	return err
}

// whom asks for a vendor, or for an asset, by any number or name.
func (q *asker) whom(ctx context.Context) error {
	c, err := q.a.Client()
	if err != nil {
		return err
	}
	var vendors clientgen.Vendors
	if _, err := c.Do(ctx, "GET", "/vendors", nil, nil, &vendors); err != nil {
		return err
	}
	if may, err := q.a.whoseIs(ctx, q.o.title); err == nil && len(may) > 0 {
		q.say("It may belong to:")
		for _, x := range may {
			q.say("  %s", whomWords(x))
		}
	}
	for {
		name, err := q.line("Vendor, or the affected asset (? lists the vendors)", "")
		if err != nil {
			return err
		}
		for _, v := range vendors.Items {
			if name == "?" {
				q.say("  %-12s %s", v.Key, v.Name)
			}
			if strings.EqualFold(name, v.Key) || strings.EqualFold(name, v.Name) {
				q.o.vendor = v.Key
				return nil
			}
		}
		if name == "" || name == "?" {
			continue
		}
		if _, err = q.a.Named(ctx, c, "asset", name); err == nil {
			q.o.d.asset = name
			return nil
		}
		q.say("No vendor and no asset: %s.", err)
	}
}

// rest asks for the facts, for what the vendor's form requires, and for its conditions, and files the case if that is
// wanted.
func (q *asker) rest(cmd *cobra.Command) error {
	ctx := cmd.Context()
	if err := q.facts(ctx); err != nil {
		return err
	}
	if err := q.texts(ctx); err != nil {
		return err
	}
	if err := q.conditions(ctx); err != nil {
		return err
	}
	l, err := q.a.Load(ctx, q.l.Line.Number) // with what filing it would start
	if err != nil {
		return err
	}
	q.l = l
	route, err := routeOf(q.o.by, q.l.Case)
	if err != nil {
		return err
	}
	q.a.showReview(q.l.Case, route, q.a.Times(ctx))
	if refused := lacking(q.l.Case); refused != nil {
		q.say("%s.", refused)
		return nil
	}
	file := q.o.file
	if !file {
		if file, err = q.yes("File it now?"); err != nil || !file {
			return err
		}
	}
	after, err := q.l.Take(ctx, clientgen.Step{Step: "file", Channel: q.o.by.Via(), Link: app.Some(q.o.by.Link),
		DiscloseReason: app.Some(q.o.disclose)})
	if err == nil {
		q.l.Case, q.filed = after, true
	}
	return err
}

// save puts one answer into the draft; what is refused is said, and false.
func (q *asker) save(ctx context.Context, patch map[string]any) (bool, error) {
	var after clientgen.Case
	tag, err := q.l.Do(ctx, "PATCH", "/cases/"+q.l.Line.Number, patch, map[string]string{"If-Match": q.l.ETag}, &after)
	if p, ok := client.IsProblem(err); ok && p.Kind() == "invalid" {
		q.say("%s", err)
		return false, nil
	} else if err != nil {
		return false, err
	}
	q.l.Case, q.l.ETag = after, tag
	return true, nil
}

var factQuestions = []struct {
	key, question string
	labels        words.Set
}{
	{"environment", "Where is it", words.Environments}, {"effect", "The service is", words.Effects},
	{"reach", "Who is affected", words.Reaches}, {"workaround", "Workaround", words.Workarounds},
}

// facts asks for what the severity follows from, as far as it is not known and decides anything.
func (q *asker) facts(ctx context.Context) error {
	if q.l.SeveritySupported != nil && !slices.Contains([]string{"fault", "part", "visit", "work", "capacity"},
		string(q.l.Line.Kind)) {
		return nil // graded without them
	}
	known := map[string]string{"environment": string(app.Deref(q.l.Facts.Environment)),
		"effect": string(app.Deref(q.l.Facts.Effect)), "reach": string(app.Deref(q.l.Facts.Reach)),
		"workaround": string(app.Deref(q.l.Facts.Workaround))}
	for _, f := range factQuestions {
		decided := (f.key == "reach" || f.key == "workaround") &&
			(known["environment"] == "other" || known["effect"] == "none")
		if known[f.key] != "" || decided {
			continue
		}
		value, err := q.choice(f.question, f.labels)
		if err != nil {
			return err
		}
		if value == "" {
			continue
		}
		if _, err := q.save(ctx, map[string]any{"facts": map[string]any{f.key: value}}); err != nil {
			return err
		}
		known[f.key] = value
	}
	if s := q.l.Line.Severity; s == nil || *s != 1 {
		open, err := q.yes("Is data being lost or exposed right now?")
		if err != nil {
			return err
		}
		if open {
			if _, err := q.save(ctx, map[string]any{"facts": map[string]any{"exposure": true}}); err != nil {
				return err
			}
		}
	}
	if s := q.l.Line.Severity; s != nil {
		because := ""
		if list := app.Deref(q.l.SeverityReasons); len(list) > 0 {
			because = ", because " + strings.Join(list, "; ")
		}
		q.say("Severity %s%s.", clicases.SeverityText(q.l.Line), because)
	}
	return nil
}

// choice asks for one value of an enum, by its label, its word or the beginning of either.
func (q *asker) choice(question string, of words.Set) (string, error) {
	labels := make([]string, len(of))
	for i, l := range of {
		labels[i] = words.Inline(l.Text)
	}
	for {
		s, err := q.line(question+" ("+strings.Join(labels, ", ")+")", "")
		if err != nil || s == "" {
			return "", err
		}
		var fit []string
		for i, l := range of {
			v := l.Value
			if strings.EqualFold(s, v) || strings.EqualFold(s, labels[i]) {
				return v, nil
			}
			if hasFold(v, s) || hasFold(labels[i], s) {
				fit = append(fit, v)
			}
		}
		if len(fit) == 1 {
			return fit[0], nil
		}
		q.say("Answer with one of: %s.", strings.Join(labels, ", "))
	}
}

func hasFold(s, prefix string) bool {
	return len(s) >= len(prefix) && strings.EqualFold(s[:len(prefix)], prefix)
}

// texts asks for what is missing in words: at severity 1 only for what is required, else for all that the vendor asks.
func (q *asker) texts(ctx context.Context) error {
	asked := map[string]bool{}
	for {
		n := q.next(asked)
		if n == nil {
			return nil
		}
		asked[*n.Field] = true
		group, key, _ := strings.Cut(*n.Field, ".")
		question := n.Text
		if why := app.Deref(n.Why); why != "" && !strings.Contains(question, why) {
			question += " (" + why + ")"
		}
		for {
			s, err := q.answer(question, key)
			if err != nil {
				return err
			}
			if s == "" {
				break
			}
			done, err := q.save(ctx, map[string]any{group: map[string]any{key: s}})
			if err != nil {
				return err
			}
			if done {
				break
			}
		}
	}
}

// answer asks for a text in one line, or for amounts line by line until an empty one.
func (q *asker) answer(question, key string) (string, error) {
	i := slices.IndexFunc(app.Deref(q.l.Asked), func(x clientgen.Question) bool { return x.Key == key })
	if i < 0 || (*q.l.Asked)[i].Type != "amounts" {
		return q.line(question, "")
	}
	var lines []string
	question += ", a line each: " + intake.AmountsWritten + "; an empty line ends it"
	for {
		s, err := q.line(question, "")
		if err != nil || s == "" {
			return strings.Join(lines, "\n"), err
		}
		lines, question = append(lines, s), "Next line"
	}
}

// next is the next thing that is missing and not asked for yet; nil where there is none.
func (q *asker) next(asked map[string]bool) *clientgen.Need {
	quick := q.l.Line.Severity != nil && *q.l.Line.Severity == 1
	for _, n := range q.l.Needs {
		field := app.Deref(n.Field)
		words := strings.HasPrefix(field, "texts.") || strings.HasPrefix(field, "answers.")
		if words && !asked[field] && (!quick || n.Weight != clientgen.NeedWeightOptional) {
			return &n
		}
	}
	return nil
}

// conditions asks who confirms the vendor's conditions for the level, one by one.
func (q *asker) conditions(ctx context.Context) error {
	if q.l.LevelHeld == nil {
		return nil
	}
	for _, c := range q.l.LevelHeld.Criteria {
		if c.ConfirmedBy != nil {
			continue
		}
		ok, err := q.yes(fmt.Sprintf("Do you confirm for level %q: %s?", q.l.LevelHeld.Label, c.Text))
		if err != nil {
			return err
		}
		if !ok {
			continue
		}
		after, err := q.l.Take(ctx, clientgen.Step{Step: "confirm", Criterion: &c.Id})
		if err != nil {
			return err
		}
		q.l.Case = after
	}
	return nil
}
