package demo

import (
	"context"
	"time"

	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/agenda"
	"roundhouse.example/internal/desk/webhooks"
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/store/db"
	notifydb "roundhouse.example/internal/store/notify"
	peopledb "roundhouse.example/internal/store/people"
)

// tell lets the desk have told what came due, as if it had run then; what is older than a day was read. Our people get
// email, one has quiet hours and a digest, two follow calendars, and a webhook waits to be switched on.
func tell(ctx context.Context, d *whole.Desk, st *db.Store) error {
	as := func(email string) (desk.Actor, error) {
		p, err := peopledb.ByEmail(ctx, st.DB, email)
		return desk.Actor{Person: p}, err
	}
	ragna, err := as("ragna@saltmarsh.example")
	if err != nil {
		return err
	}
	tuva, err := as("tuva@saltmarsh.example")
	if err != nil {
		return err
	}
	_, version, err := d.Hours.Policy(ctx, tuva)
	if err == nil {
		err = d.Hours.ChangePolicy(ctx, tuva, version, []byte(`{"email_link": "desk-email"}`))
	}
	if err != nil {
		return err
	}
	if _, err := d.Notify.Choose(ctx, ragna, 0, []byte(`{"ways": {"due-soon": "console"}, "quiet_from": "22:00",
		"quiet_to": "06:30", "digest_at": "07:30"}`)); err != nil {
		return err
	}
	solveig, err := as("solveig@saltmarsh.example")
	if err != nil {
		return err
	}
	for _, s := range []agenda.Subscription{{Name: "Screen on the wall"}, {Name: "My phone", Mine: true}} {
		for _, who := range []desk.Actor{solveig, ragna} {
			if _, _, err := d.Agenda.Subscribe(ctx, who, s); err != nil {
				return err
			}
		}
	}
	if _, err := d.Webhooks.Add(ctx, tuva, webhooks.Facts{Name: "our-tickets",
		Address: "https://tickets.saltmarsh.example/roundhouse", Secret: "webhook-key",
		Kinds: []notify.Kind{notify.Due, notify.Message}}); err != nil {
		return err
	}
	off := false
	if _, err := d.Webhooks.Change(ctx, tuva, "our-tickets", 1, webhooks.Edit{Active: &off}); err != nil {
		return err
	}
	if _, err := st.DB.ExecContext(ctx, "update notification_event set again_at = null where made_at < $1",
		d.Now().Add(-48*time.Hour)); err != nil {
		return err
	}
	if err := notifydb.Done(ctx, st.DB, d.Now().AddDate(-1, 0, 0)); err != nil {
		return err
	}
	if _, err := d.Notify.Sweep(ctx); err != nil {
		return err
	}
	_, err = st.DB.ExecContext(ctx, `
		with e as (update notification_event set made_at = least(made_at, happened_at + interval '20 seconds'),
				again_at = null
			where kind in ('due', 'due-soon') returning id, made_at)
		update notification n set email_at = null, read_at = case when e.made_at < $1 then e.made_at end
		from (select id, made_at from e union all
			select id, made_at from notification_event where kind not in ('due', 'due-soon')) e where e.id = n.event_id`,
		d.Now().Add(-20*time.Hour))
	return err
}
