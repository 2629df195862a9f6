package notify

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Webhooks is the command group webhook.
func (a *Commands) Webhooks() *cobra.Command {
	return app.Group("webhook", "Webhooks: send what people are told to other programs", a.listHooks(), a.addHook(),
		a.changeHook(), a.removeHook())
}

func (a *Commands) hooks(ctx context.Context) (*client.Client, []clientgen.Webhook, error) {
	c, err := a.Client()
	if err != nil {
		return nil, nil, err
	}
	res, err := c.ListWebhooks(ctx)
	all, _, err := client.Read[clientgen.Webhooks](c, res, err)
	return c, all.Items, err
}

func (a *Commands) listHooks() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List webhooks, with what is waiting and what failed", Args: cobra.NoArgs,
		Example: "  roundhouse webhook list",
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, all, err := a.hooks(cmd.Context())
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(all)
			}
			if len(all) == 0 && a.Format != "csv" {
				p.Line("There are no webhooks. Add one with roundhouse webhook add NAME --address URL --secret SECRET.")
				return nil
			}
			var rows [][]string
			times := a.Times(cmd.Context())
			for _, w := range all {
				state := "on"
				if !w.Active {
					state = "off"
				}
				rows = append(rows, []string{w.Name, state, w.Address, kindsOf(w.Kinds), app.Raw(&w.Waiting),
					app.Raw(&w.NotSent), times.Short(w.LastSentAt), app.Deref(w.Problem)})
			}
			p.Table([]out.Column{{Name: "webhook"}, {Name: "state"}, {Name: "address", Main: true},
				{Name: "sends", Shrink: true, Drop: 1}, {Name: "waiting", Right: true}, {Name: "not sent", Right: true},
				{Name: "last sent", Drop: 2}, {Name: "problem", Shrink: true, Drop: 1}}, rows)
			return nil
		}}
}

func kindsOf(list []clientgen.NotificationKind) string {
	if len(list) == len(words.Notifications) {
		return "everything"
	}
	out := make([]string, len(list))
	for i, k := range list {
		out[i] = words.Inline(words.Notifications.Of(string(k)))
	}
	return strings.Join(out, ", ")
}

func kinds(list []string) *[]clientgen.NotificationKind {
	if len(list) == 0 {
		return nil
	}
	out := make([]clientgen.NotificationKind, len(list))
	for i, k := range list {
		out[i] = clientgen.NotificationKind(k)
	}
	return &out
}

func (a *Commands) addHook() *cobra.Command {
	b := clientgen.NewWebhook{}
	var told []string
	c := &cobra.Command{Use: "add NAME", Short: "Add a webhook: send what people are told to a program",
		Args: cobra.ExactArgs(1),
		Long: "Sends what your people are told to another program: as CloudEvents, in requests signed as Standard\n" +
			"Webhooks describes. The signing secret comes from the vault: its value is whsec_ followed by 24 to 64\n" +
			"random bytes in base64, and its hosts include the host of the address.",
		Example: "  roundhouse webhook add our-chat --address https://tickets.saltmarsh.example/chat \\\n" +
			"    --secret webhook-key --kind due --kind message",
		RunE: func(cmd *cobra.Command, args []string) error {
			if b.Address == "" || b.Secret == "" {
				return app.Usagef("--address and --secret are required: say where to send, and which secret signs")
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			b.Name, b.Kinds = args[0], kinds(told)
			res, err := c.AddWebhook(cmd.Context(), &clientgen.AddWebhookParams{IdempotencyKey: client.Key()}, b)
			w, _, err := client.Read[clientgen.Webhook](c, res, err)
			if err != nil {
				return err
			}
			return a.saidHook(w)
		}}
	c.Flags().StringVar(&b.Address, "address", "", "the address to send to: https://…")
	c.Flags().StringVar(&b.Secret, "secret", "", "the signing secret; roundhouse secret list shows the secrets")
	c.Flags().StringArrayVar(&told, "kind", nil, "a kind of notification to send; repeat for several; all if left out")
	return c
}

func (a *Commands) saidHook(w clientgen.Webhook) error {
	if a.Format == "json" {
		return a.Printer().JSON(w)
	}
	if !w.Active {
		a.Printer().Line("Webhook %s is off: nothing is sent to %s.", w.Name, w.Address)
		return nil
	}
	a.Printer().Line("Webhook %s sends to %s: %s.", w.Name, w.Address, kindsOf(w.Kinds))
	return nil
}

func (a *Commands) changeHook() *cobra.Command {
	ch := clientgen.WebhookChange{}
	var told []string
	var address, secret string
	var on, off bool
	c := &cobra.Command{Use: "change NAME", Short: "Change a webhook, or switch it on or off", Args: cobra.ExactArgs(1),
		Example: "  roundhouse webhook change our-tickets --off",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, all, err := a.hooks(cmd.Context())
			if err != nil {
				return err
			}
			ch.Address, ch.Secret, ch.Kinds = app.Some(address), app.Some(secret), kinds(told)
			if on || off {
				ch.Active = &on
			}
			for _, w := range all {
				if w.Name != args[0] {
					continue
				}
				res, err := c.ChangeWebhookWithApplicationMergePatchPlusJSONBody(cmd.Context(), w.Name,
					&clientgen.ChangeWebhookParams{IfMatch: app.Match(w.Version)}, ch)
				if w, _, err = client.Read[clientgen.Webhook](c, res, err); err != nil {
					return err
				}
				return a.saidHook(w)
			}
			return missingHook(args[0])
		}}
	c.Flags().StringVar(&address, "address", "", "the new address to send to")
	c.Flags().StringVar(&secret, "secret", "", "the new signing secret")
	c.Flags().StringArrayVar(&told, "kind", nil,
		"a kind of notification to send, instead of those sent now; repeat for several")
	c.Flags().BoolVar(&on, "on", false, "send again")
	c.Flags().BoolVar(&off, "off", false, "send nothing for now")
	app.OnlyOne(c, "on", "off")
	return c
}

func missingHook(name string) error {
	return &app.Missing{Text: fmt.Sprintf("there is no webhook %q; roundhouse webhook list shows them", name)}
}

func (a *Commands) removeHook() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a webhook, and what it has not sent yet",
		Args:    cobra.ExactArgs(1),
		Example: "  roundhouse webhook remove our-tickets",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.RemoveWebhook(cmd.Context(), args[0])
			_, _, err = client.Read[struct{}](c, res, err)
			if p, is := client.IsProblem(err); is && p.Status == 404 {
				return missingHook(args[0])
			} else if err != nil {
				return err
			}
			a.Printer().Line("Webhook %s is removed.", args[0])
			return nil
		}}
}
