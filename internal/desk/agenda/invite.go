package agenda

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/agenda"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/words"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/ical"
	agendadb "roundhouse.example/internal/store/agenda"
	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	notifydb "roundhouse.example/internal/store/notify"
)

const (
	mostInvited = 50 // at once
	mostCases   = 100
)

// Invite sends what is to happen on a case to people as an invitation that their calendar programs take. They are told
// again when it moves or will not happen.
func (d *Agenda) Invite(ctx context.Context, a desk.Actor, id int64, item string, to []string) (desk.Ref, error) {
	if err := a.May(access.Work); err != nil {
		return desk.Ref{}, err
	}
	addresses, err := addressed(to)
	if err != nil {
		return desk.Ref{}, err
	}
	return desk.Once(ctx, d.Desk, func(tx *db.Tx) (ref desk.Ref, err error) {
		if from, err := d.organizer(ctx, tx); err != nil {
			return ref, err
		} else if from == "" {
			return ref, &casework.Refusal{Why: "No invitation can be sent: our policy names no email link. Save the event as " +
				"a file instead."}
		}
		err = d.cases.Change(ctx, tx, id, &a, func(w *cases.Work) error {
			live, err := agendadb.Items(ctx, tx, wholeOf(id, w.Now))
			if err != nil {
				return err
			}
			i := slices.IndexFunc(live, func(x agendadb.Item) bool { return x.Name == item })
			if i < 0 {
				return desk.Fault("item", "this case has no date %.40s that is still open", item)
			}
			e, err := w.Changed(ctx, fmt.Sprintf("%s %s: invitation sent to %s.", words.Dated.Of(string(live[i].Kind)), item,
				strings.Join(addresses, ", ")), nil)
			if err != nil {
				return err
			}
			for _, address := range addresses {
				if err := agendadb.Invite(ctx, tx, agendadb.Invitation{CaseID: id, Root: live[i].Root, EntryID: e.ID,
					Address: address}); err != nil {
					return err
				}
			}
			ref = desk.Ref{ID: w.Case.ID, Number: w.Case.Number, Entry: e.Number}
			return nil
		})
		return ref, err
	})
}

// wholeOf is all that a case has dated and is still open.
func wholeOf(id int64, now time.Time) agendadb.Part {
	return agendadb.Part{Case: id, From: now.AddDate(-10, 0, 0), To: now.AddDate(11, 0, 0), Most: mostEvents}
}

// addressed are addresses that can be written to, each once.
func addressed(to []string) (out []string, err error) {
	var wrong []desk.Field
	if len(to) == 0 || len(to) > mostInvited {
		wrong = append(wrong, desk.Field{Name: "to", Detail: fmt.Sprintf("give 1 to %d email addresses", mostInvited)})
	}
	for i, s := range to {
		x, err := mail.ParseAddress(strings.TrimSpace(s))
		if err != nil || x.Name != "" {
			wrong = append(wrong, desk.Field{Name: fmt.Sprintf("to[%d]", i),
				Detail: fmt.Sprintf("%.60q is not an email address", s)})
		} else if !slices.Contains(out, strings.ToLower(x.Address)) {
			out = append(out, strings.ToLower(x.Address))
		}
	}
	if len(wrong) > 0 {
		return nil, &desk.Invalid{Fields: wrong}
	}
	return out, nil
}

// organizer is the address from which our people are told; empty where the policy names no link.
func (d *Agenda) organizer(ctx context.Context, q db.Querier) (string, error) {
	p, err := d.hours.Ours(ctx, q)
	if err != nil || p.EmailLink == "" {
		return "", err
	}
	l, err := inboxdb.ByName(ctx, q, p.EmailLink)
	if errors.Is(err, db.ErrNotFound) {
		return "", nil
	} else if err != nil {
		return "", err
	}
	var settings struct{ From string }
	_ = json.Unmarshal(l.Description.V, &settings) // a link that cannot be used says so itself
	return settings.From, nil
}

// Invitations puts on their way what those who are invited have not been told: the invitation, another time, or that it
// will not happen.
func (d *Agenda) Invitations(ctx context.Context) error {
	from, err := d.organizer(ctx, d.db.DB)
	if err != nil || from == "" {
		return err
	}
	for after := int64(0); ; {
		list, err := agendadb.OpenInvitations(ctx, d.db.DB, after, mostCases)
		if err != nil || len(list) == 0 {
			return err
		}
		for len(list) > 0 {
			after = list[0].CaseID
			n := slices.IndexFunc(list, func(i agendadb.Invitation) bool { return i.CaseID != after })
			if n < 0 {
				n = len(list)
			}
			if err := d.invitationsOf(ctx, from, list[:n]); err != nil {
				return err
			}
			list = list[n:]
		}
	}
}

// invitationsOf puts those of one case on their way.
func (d *Agenda) invitationsOf(ctx context.Context, from string, list []agendadb.Invitation) error {
	ctx = hours.Remember(ctx)
	now := d.Now()
	return d.db.Do(ctx, func(tx *db.Tx) error {
		p := wholeOf(list[0].CaseID, now)
		p.Ended = true
		events, _, err := d.events(ctx, tx, p, now)
		if err != nil {
			return err
		}
		desk, err := agendadb.DeskID(ctx, tx)
		if err != nil {
			return err
		}
		o := ical.Options{Now: now, Desk: desk, Method: ical.Request, Organizer: from}
		for _, i := range list {
			n := slices.IndexFunc(events, func(e agenda.Event) bool {
				return strings.HasSuffix(e.UID, fmt.Sprintf("-item-%d", i.Root))
			})
			if n < 0 {
				continue
			}
			if err := d.invitation(ctx, tx, o, i, events[n]); err != nil {
				return err
			}
		}
		return nil
	})
}

func (d *Agenda) invitation(ctx context.Context, tx *db.Tx, o ical.Options, i agendadb.Invitation,
	e agenda.Event) error {
	now := o.Now
	o.Attendees = []string{i.Address}
	const layout = time.RFC3339
	said := e.Start.UTC().Format(layout) + "/" + e.End.UTC().Format(layout) + "/" + e.Title + "/" + e.Where
	var ended *time.Time
	subject := "Invitation: " + e.Title
	switch {
	case e.Done:
		said, ended = i.Said, &now // it has happened: there is nothing to tell
	case e.Cancelled:
		said, ended, o.Method, subject = "cancelled", &now, ical.Cancel, "Cancelled: "+e.Title
	case i.Said != "" && i.Said != said:
		subject = "Changed: " + e.Title
	}
	nothing := said == i.Said || o.Method == ical.Cancel && i.Said == ""
	if nothing && ended == nil {
		return nil
	}
	told, err := agendadb.Told(ctx, tx, i, said, ended)
	if err != nil || !told || nothing {
		return err
	}
	zone, err := d.hours.Zone(ctx, tx)
	if err != nil {
		return err
	}
	const shown = "Mon 2 January 2006, 15:04"
	text := e.Title + "\n" + e.Start.In(zone).Format(shown) + " to " + e.End.In(zone).Format("15:04 (UTC-07:00)") + "\n"
	if e.Where != "" {
		text += "Where: " + e.Where + "\n"
	}
	text += strings.Join(e.Details, "\n")
	m := notifydb.Email{Address: i.Address, EntryID: &i.EntryID, Marker: channel.NewMarker(), Subject: subject, Body: text,
		MadeAt: now, NextAt: &now, Method: string(o.Method), Calendar: string(ical.Write([]agenda.Event{e}, o))}
	return notifydb.AddEmail(ctx, tx, &m, nil)
}
