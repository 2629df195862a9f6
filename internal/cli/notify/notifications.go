package notify

import (
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// Notifications is the command group notifications.
func (a *Commands) Notifications() *cobra.Command {
	return app.Group("notifications", "Your notifications: what fell due, what vendors wrote, who mentioned you",
		a.list(),
		a.read(), a.settings())
}

func (a *Commands) list() *cobra.Command {
	var unread bool
	var limit int
	c := &cobra.Command{Use: "list", Short: "List what you were told of, the newest first", Args: cobra.NoArgs,
		Example: "  roundhouse notifications list\n  roundhouse notifications list --unread",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ListNotifications(cmd.Context(), &clientgen.ListNotificationsParams{Unread: app.Some(unread),
				Limit: app.Some(limit)})
			l, _, err := client.Read[clientgen.Notifications](c, res, err)
			if err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(l)
			}
			a.print(l, a.Times(cmd.Context()), unread)
			return nil
		}}
	c.Flags().BoolVar(&unread, "unread", false, "only what you have not read")
	c.Flags().IntVar(&limit, "limit", 50, "maximum number of notifications")
	return c
}

func (a *Commands) print(l clientgen.Notifications, times out.Times, unread bool) {
	p := a.Printer()
	if a.Format != "csv" {
		p.Line("%s; times in %s", unreadWords(l.Unread), times.Name())
	}
	if len(l.Items) == 0 {
		if a.Format != "csv" && !unread {
			p.Line("You are told what comes due and what vendors write on cases that you own or watch: roundhouse watch CASE")
		}
		return
	}
	var rows [][]string
	for _, n := range l.Items {
		mark := ""
		if n.ReadAt == nil {
			mark = "new"
		}
		rows = append(rows, []string{app.Raw(&n.Id), mark, times.Short(&n.At), n.Case,
			words.Notifications.Of(string(n.Kind)), what(n), n.Vendor, words.Reasons.Of(string(n.Because))})
	}
	p.Table([]out.Column{{Name: "number"}, {Name: "new"}, {Name: "at"}, {Name: "case"}, {Name: "kind", Shrink: true},
		{Name: "what", Main: true}, {Name: "vendor", Shrink: true, Drop: 1}, {Name: "because", Shrink: true, Drop: 2}}, rows)
	if l.Next != nil && a.Format != "csv" {
		p.Line("There are more; raise --limit to see them.")
	}
}

func unreadWords(n int) string {
	switch {
	case n == 0:
		return "Nothing is unread"
	case n >= 1000:
		return "1000 or more are unread"
	}
	return strconv.Itoa(n) + " unread"
}

// what is what a notification is about, and that it was told late.
func what(n clientgen.Notification) string {
	text := n.What
	if n.LateSeconds != nil {
		text += " (told " + words.Span(*n.LateSeconds) + " later)"
	}
	return text
}

func (a *Commands) read() *cobra.Command {
	var all bool
	c := &cobra.Command{Use: "read [NUMBER...]", Short: "Mark notifications as read; opening a case does that too",
		Example: "  roundhouse notifications read --all",
		RunE: func(cmd *cobra.Command, args []string) error {
			if all == (len(args) > 0) {
				return app.Usagef("give the numbers of what to mark as read, or --all")
			}
			b := clientgen.ReadNotifications{}
			for _, s := range args {
				id, err := strconv.ParseInt(s, 10, 64)
				if err != nil || id < 1 {
					return app.Usagef("%q is not the number of a notification: roundhouse notifications list shows them", s)
				}
				b.Ids = new(append(app.Deref(b.Ids), id))
			}
			c, err := a.Client()
			if err != nil {
				return err
			}
			res, err := c.ReadNotifications(cmd.Context(), &clientgen.ReadNotificationsParams{IdempotencyKey: client.Key()}, b)
			if _, _, err := client.Read[struct{}](c, res, err); err != nil {
				return err
			}
			if all {
				a.Printer().Line("All notifications are read.")
			} else {
				a.Printer().Line("%s read.", app.Number(len(args), "notification"))
			}
			return nil
		}}
	c.Flags().BoolVar(&all, "all", false, "all of them")
	return c
}

func (a *Commands) settings() *cobra.Command {
	var ways []string
	var quiet, digest string
	var always bool
	kinds := []string{}
	for _, l := range words.Notifications {
		kinds = append(kinds, l.Value+" ("+words.Inline(l.Text)+")")
	}
	c := &cobra.Command{Use: "settings", Short: "Show or change what you are told, and how", Args: cobra.NoArgs,
		Long: "Shows what you are told, and how; flags change it. Kinds for --way:\n  " + strings.Join(kinds, "\n  ") +
			"\nA way is off, console or email. In quiet hours no email is sent, except for severity 1.",
		Example: "  roundhouse notifications settings\n" +
			"  roundhouse notifications settings --way due-soon=console --way due=email\n" +
			"  roundhouse notifications settings --quiet 22:00-07:00 --digest 07:30",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			ch, err := choices(cmd, ways, quiet, digest, always)
			if err != nil {
				return err
			}
			res, err := c.GetNotificationSettings(cmd.Context())
			s, _, err := client.Read[clientgen.NotificationSettings](c, res, err)
			if err != nil {
				return err
			}
			if ch != nil {
				res, err := c.ChangeNotificationSettingsWithApplicationMergePatchPlusJSONBody(cmd.Context(),
					&clientgen.ChangeNotificationSettingsParams{IfMatch: app.Match(s.Version)}, *ch)
				if s, _, err = client.Read[clientgen.NotificationSettings](c, res, err); err != nil {
					return err
				}
			}
			if a.Format == "json" {
				return a.Printer().JSON(s)
			}
			a.printSettings(s, a.Times(cmd.Context()))
			return nil
		}}
	c.Flags().StringArrayVar(&ways, "way", nil, "how to be told of a kind: KIND=WAY; repeat for several")
	c.Flags().StringVar(&quiet, "quiet", "", "quiet hours in your zone, like 22:00-07:00; none for no quiet hours")
	c.Flags().BoolVar(&always, "quiet-always", false, "no email of severity 1 in quiet hours either")
	c.Flags().StringVar(&digest, "digest", "", "when a digest is emailed each day, like 07:30; none for no digest")
	return c
}

// choices are what flags change; nil where they change nothing.
func choices(cmd *cobra.Command, ways []string, quiet, digest string, always bool) (*clientgen.NotificationChoices,
	error) {
	ch := clientgen.NotificationChoices{}
	for _, w := range ways {
		kind, way, ok := strings.Cut(w, "=")
		if !ok {
			return nil, app.Usagef("write --way KIND=WAY, like --way due-soon=console, not %q", w)
		}
		if ch.Ways == nil {
			ch.Ways = &map[string]clientgen.NotificationWay{}
		}
		(*ch.Ways)[kind] = clientgen.NotificationWay(way)
	}
	if quiet != "" {
		from, to, ok := strings.Cut(quiet, "-")
		if quiet == "none" {
			from, to, ok = "", "", true
		}
		if !ok {
			return nil, app.Usagef("write --quiet FROM-TO, like 22:00-07:00, not %q", quiet)
		}
		ch.QuietFrom, ch.QuietTo = &from, &to
	}
	if cmd.Flags().Changed("quiet-always") {
		ch.QuietAlways = &always
	}
	if digest == "none" {
		ch.DigestAt = new("")
	} else if digest != "" {
		ch.DigestAt = &digest
	}
	if ch == (clientgen.NotificationChoices{}) {
		return nil, nil
	}
	return &ch, nil
}

func (a *Commands) printSettings(s clientgen.NotificationSettings, times out.Times) {
	p := a.Printer()
	var rows [][]string
	for _, l := range words.Notifications {
		rows = append(rows, []string{l.Text, words.Ways.Of(string(s.Ways[l.Value]))})
	}
	p.Table([]out.Column{{Name: "what"}, {Name: "how", Main: true}}, rows)
	if s.NoEmail {
		p.Line("Nobody here is told by email: the policy of the desk names no email link.")
	}
	switch {
	case s.QuietFrom == "":
		p.Line("No quiet hours.")
	case s.QuietAlways:
		p.Line("Quiet hours: %s to %s (%s), no email at all.", s.QuietFrom, s.QuietTo, s.Zone)
	default:
		p.Line("Quiet hours: %s to %s (%s), no email except for severity 1.", s.QuietFrom, s.QuietTo, s.Zone)
	}
	if zone, err := time.LoadLocation(s.Zone); err == nil {
		times.Zone = zone // that of the hour which was chosen
	}
	if s.DigestAt == "" {
		p.Line("No digest by email; roundhouse digest shows one.")
	} else {
		p.Line("Digest by email each day at %s (%s); next: %s.", s.DigestAt, s.Zone, times.Short(s.NextDigest))
	}
}
