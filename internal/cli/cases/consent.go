package cases

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// caseConsent records a consent, or its withdrawal.
func (a *Commands) caseConsent() *cobra.Command {
	var kind, scope, by, until, reason string
	var withdraw int
	c := &cobra.Command{Use: "consent CASE", Short: "Record a consent that somebody gave, or withdraw one",
		Args: cobra.ExactArgs(1),
		Long: "Records that somebody consents to what a vendor asked: a recording of calls, collecting diagnostics,\n" +
			"use of a copy of our data, a remote session, or acting for us. The text of the filing says so; once the\n" +
			"case is filed, tell the vendor with roundhouse case reply --untold.",
		Example: "  roundhouse case consent C-1090 --kind diagnostics --for \"the gates at Marrowby\" --until 2d\n" +
			"  roundhouse case consent C-1090 --withdraw 1 --reason \"It is no longer needed\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if (withdraw > 0) == (kind != "") {
				return app.Usagef("say what was consented to with --kind, or which consent is withdrawn with --withdraw")
			}
			l, err := a.Load(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			e, err := a.consented(cmd, l, withdraw, reason, kind, scope, by, until)
			if err != nil {
				return err
			}
			if a.Format == "json" {
				return a.Printer().JSON(e)
			}
			a.Printer().Line("%s: %s", l.Line.Number, e.Text)
			if e.Warning != nil {
				a.Printer().Line("Warning: %s", *e.Warning)
			}
			if l.Line.State != "draft" {
				a.Printer().Line("The vendor has not been told yet: roundhouse case reply %s --untold", l.Line.Number)
			}
			return nil
		}}
	f := c.Flags()
	f.StringVar(&kind, "kind", "", "recording, diagnostics, data-copy, remote-session or act-for-us")
	f.StringVar(&scope, "for", "", "what it is for")
	f.StringVar(&by, "by", "", "who gives it, by email address or name; you if left out")
	f.StringVar(&until, "until", "", "when it ends, like 2d; if left out, it lasts until it is withdrawn")
	f.IntVar(&withdraw, "withdraw", 0, "withdraw the consent of this number")
	f.StringVar(&reason, "reason", "", "why it is withdrawn")
	return c
}

func (a *Commands) consented(cmd *cobra.Command, l Loaded, withdraw int, reason, kind, scope, by,
	until string) (clientgen.Entry, error) {
	if withdraw > 0 {
		res, err := l.WithdrawConsent(cmd.Context(), l.Line.Number, withdraw,
			&clientgen.WithdrawConsentParams{IdempotencyKey: client.Key()},
			clientgen.ConsentWithdrawal{Reason: app.Some(reason)})
		e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
		return e, err
	}
	at, err := a.When(cmd.Context(), until)
	if err != nil {
		return clientgen.Entry{}, err
	}
	res, err := l.GiveConsent(cmd.Context(), l.Line.Number, &clientgen.GiveConsentParams{IdempotencyKey: client.Key()},
		clientgen.NewConsent{Kind: clientgen.ConsentKind(kind), For: app.Some(scope), By: app.Some(by), Until: at})
	e, _, err := client.Read[clientgen.Entry](l.Client, res, err)
	return e, err
}

// consentWords is a consent in one line.
func consentWords(c clientgen.Consent, times out.Times) string {
	text := words.ConsentKinds.Of(string(c.Kind))
	if scope := app.Deref(c.For); scope != "" {
		text += ", for " + scope
	}
	text += "; given by " + c.By + " " + times.Short(&c.Given)
	switch {
	case c.Withdrawn != nil:
		return text + "; withdrawn by " + app.Deref(c.WithdrawnBy) + " " + times.Short(c.Withdrawn)
	case c.Until != nil && !c.Holds:
		return text + "; ended " + times.Short(c.Until)
	case c.Until != nil:
		return text + "; until " + times.Short(c.Until)
	}
	return text
}

// Untold says what the vendor has not been told of a live case.
func (a *Commands) Untold(c clientgen.Case) {
	var labels []string
	for _, u := range app.Deref(c.Untold) {
		labels = append(labels, u.Label)
	}
	if len(labels) > 0 {
		a.Printer().Line("Not told to the vendor yet: %s. Tell it with: roundhouse case reply %s --untold",
			strings.Join(labels, ", "), c.Line.Number)
	}
}

// Consents is the command group consent.
func (a *Commands) Consents() *cobra.Command {
	return app.Group("consent", "Consents given to vendors", a.consentList())
}

func (a *Commands) consentList() *cobra.Command {
	var all bool
	c := &cobra.Command{Use: "list", Short: "List the consents in force now, the latest first", Args: cobra.NoArgs,
		Example: "  roundhouse consent list\n  roundhouse consent list --all",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ListConsents(cmd.Context(), &clientgen.ListConsentsParams{Holds: new(!all)})
			list, _, err := client.Read[clientgen.Consents](c, res, err)
			if err != nil {
				return err
			}
			return a.showConsents(cmd, list.Items)
		}}
	c.Flags().BoolVar(&all, "all", false, "those that were withdrawn or have ended too")
	return c
}

func (a *Commands) showConsents(cmd *cobra.Command, list []clientgen.CaseConsent) error {
	p := a.Printer()
	switch a.Format {
	case "json":
		return p.JSON(list)
	case "csv":
		var rows [][]string
		for _, x := range list {
			rows = append(rows, []string{x.Case, fmt.Sprint(x.Consent.Number), string(x.Consent.Kind), x.Vendor,
				app.Deref(x.Consent.For), x.Consent.By, app.Raw(&x.Consent.Given), app.Raw(x.Consent.Until),
				app.Raw(x.Consent.Withdrawn)})
		}
		p.Table(app.Columns("case", "consent", "kind", "vendor", "for", "by", "given", "until", "withdrawn"), rows)
		return nil
	}
	if len(list) == 0 {
		p.Line("No consents. Record one with roundhouse case consent.")
		return nil
	}
	times := a.Times(cmd.Context())
	p.Line("Times in %s\n", times.Name())
	var rows [][]string
	for _, x := range list {
		until := "withdrawn"
		if x.Consent.Withdrawn == nil {
			until = app.FirstOf(times.Short(x.Consent.Until), "no end")
		}
		what := words.ConsentKinds.Of(string(x.Consent.Kind))
		if scope := app.Deref(x.Consent.For); scope != "" {
			what += ", for " + scope
		}
		rows = append(rows, []string{x.Case, fmt.Sprint(x.Consent.Number), x.Vendor, what, x.Consent.By, until})
	}
	p.Table([]out.Column{{Name: "case"}, {Name: "consent", Right: true}, {Name: "vendor", Shrink: true},
		{Name: "what", Main: true}, {Name: "by", Shrink: true}, {Name: "until"}}, rows)
	return nil
}
