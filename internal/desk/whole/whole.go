// Package whole is the desk with all its subjects, put together.
package whole

import (
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/agenda"
	"roundhouse.example/internal/desk/briefings"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/consents"
	"roundhouse.example/internal/desk/dates"
	"roundhouse.example/internal/desk/digest"
	"roundhouse.example/internal/desk/drafts"
	"roundhouse.example/internal/desk/escalations"
	"roundhouse.example/internal/desk/exchange"
	"roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/desk/filing"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/desk/inbox"
	"roundhouse.example/internal/desk/leaving"
	"roundhouse.example/internal/desk/links"
	"roundhouse.example/internal/desk/mailing"
	"roundhouse.example/internal/desk/notify"
	"roundhouse.example/internal/desk/outages"
	"roundhouse.example/internal/desk/outbox"
	"roundhouse.example/internal/desk/pages"
	"roundhouse.example/internal/desk/people"
	"roundhouse.example/internal/desk/ready"
	"roundhouse.example/internal/desk/record"
	"roundhouse.example/internal/desk/references"
	"roundhouse.example/internal/desk/register"
	"roundhouse.example/internal/desk/rota"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/desk/seen"
	"roundhouse.example/internal/desk/today"
	"roundhouse.example/internal/desk/views"
	"roundhouse.example/internal/desk/waking"
	"roundhouse.example/internal/desk/watch"
	"roundhouse.example/internal/desk/webhooks"
	"roundhouse.example/internal/store/db"
)

// Desk is everything that can be done at a desk, by subject. Use New.
type Desk struct {
	*desk.Desk
	Hours       *hours.Hours
	Secrets     *secrets.Secrets
	Leaving     *leaving.Leaving
	Register    *register.Register
	People      *people.People
	Rota        *rota.Rota
	Links       *links.Links
	Outages     *outages.Outages
	Consents    *consents.Consents
	Dates       *dates.Dates
	Agenda      *agenda.Agenda
	Briefings   *briefings.Briefings
	Readiness   *ready.Ready
	Escalations *escalations.Escalations
	Seen        *seen.Seen
	Watches     *watch.Watches
	Views       *views.Views
	Digests     *digest.Digests
	Notify      *notify.Notify
	Mailing     *mailing.Mailing
	Webhooks    *webhooks.Webhooks
	Waking      *waking.Waking
	Filing      *filing.Filing
	Today       *today.Today
	Record      *record.Record
	Cases       *cases.Cases
	Drafts      *drafts.Drafts
	Pages       *pages.Pages
	Outbox      *outbox.Outbox
	Inbox       *inbox.Inbox
	Exchange    *exchange.Exchange
	Files       *files.Files
	// References are the numbers of cases.
	References *references.References
}

// New puts a desk together over a database.
func New(s *db.Store, c desk.Clock, q desk.Queue, ch desk.Channels) *Desk {
	d := &Desk{Desk: desk.New(s, c, q, ch), Leaving: leaving.New()}
	d.Hours = hours.New(d.Desk, s)
	d.Secrets = secrets.New(d.Desk, s)
	d.Register = register.New(d.Desk, s, d.Hours)
	d.People = people.New(d.Desk, s, d.Hours)
	d.Rota = rota.New(d.Desk, s, d.Hours)
	d.Links = links.New(d.Desk, s, d.Secrets)
	d.Filing = filing.New(d.Desk, s, d.Hours, d.Register, d.Rota)
	d.Record = record.New(d.Desk, s, d.Hours)
	d.Today = today.New(d.Desk, s, d.Hours, d.Register, d.Rota, d.Record)
	d.Notify = notify.New(d.Desk, s, d.Hours)
	d.Cases = cases.New(d.Desk, s, d.Hours, d.Secrets, d.Leaving, d.Filing, d.Today, d.Record, d.Notify)
	d.Waking = waking.New(d.Desk, s, d.Cases, d.Record, d.Notify)
	d.Drafts = drafts.New(d.Desk, d.Cases, d.Filing)
	d.Outages = outages.New(d.Desk, s, d.Cases)
	d.Consents = consents.New(d.Desk, s, d.Cases)
	d.Dates = dates.New(d.Desk, s, d.Cases, d.Hours)
	d.Seen = seen.New(d.Desk, s, d.Cases, d.Notify)
	d.Watches = watch.New(d.Desk, s)
	d.Views = views.New(d.Desk, s)
	d.Digests = digest.New(d.Desk, s, d.Hours, d.Today)
	d.Mailing = mailing.New(d.Desk, s, d.Hours, d.Secrets, d.Digests)
	d.Webhooks = webhooks.New(d.Desk, s, d.Secrets)
	d.Pages = pages.New(d.Desk, s, d.Hours, d.Filing, d.Today, d.Record, d.Leaving)
	d.Agenda = agenda.New(d.Desk, s, d.Cases, d.Hours, d.Rota)
	d.Briefings = briefings.New(d.Desk, s, d.Cases, d.Hours, d.Pages, d.Leaving)
	d.Readiness = ready.New(d.Desk, s, d.Hours, d.Rota)
	d.Escalations = escalations.New(d.Desk, s, d.Cases, d.Dates, d.Hours, d.Pages)
	d.Files = files.New(d.Desk, s, d.Cases, d.Leaving)
	d.Outbox = outbox.New(d.Desk, s, d.Cases, d.Secrets, d.Files, d.Dates)
	d.Inbox = inbox.New(d.Desk, s, d.Cases, d.Outbox, d.Secrets)
	d.Exchange = exchange.New(d.Desk, s, d.Hours, d.Register, d.People, d.Drafts)
	d.References = references.New(d.Desk, d.Cases)
	return d
}
