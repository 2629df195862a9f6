// Package server is the HTTP side of the service: each subject answers its own operations of
// the contract, and web has what all of them need.
package server

import (
	"context"

	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/agenda"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/cases"
	"roundhouse.example/internal/server/exchange"
	"roundhouse.example/internal/server/files"
	"roundhouse.example/internal/server/hours"
	"roundhouse.example/internal/server/links"
	"roundhouse.example/internal/server/live"
	"roundhouse.example/internal/server/notify"
	"roundhouse.example/internal/server/outages"
	"roundhouse.example/internal/server/people"
	"roundhouse.example/internal/server/ready"
	"roundhouse.example/internal/server/register"
	"roundhouse.example/internal/server/rota"
	"roundhouse.example/internal/server/secrets"
	"roundhouse.example/internal/server/today"
	"roundhouse.example/internal/server/web"
)

// Server answers for a desk over HTTP. Use New.
type Server struct {
	*web.Server
	live *live.Live
}

// operations are all of the contract's, by subject.
type operations struct {
	*cases.Cases
	*today.Today
	*register.Register
	*hours.Hours
	*secrets.Secrets
	*rota.Rota
	*links.Links
	*outages.Outages
	*ready.Ready
	*agenda.Agenda
	*people.People
	*exchange.Exchange
	*files.Files
	*notify.Notify
	*live.Live
}

// New puts the server together. Run must be called for live events.
func New(d *whole.Desk, o web.Options) (*Server, error) {
	var out Server
	var err error
	out.Server, err = web.New(d, o, func(s *web.Server) apigen.StrictServerInterface {
		out.live = live.New(s)
		return operations{cases.New(s), today.New(s), register.New(s), hours.New(s), secrets.New(s), rota.New(s),
			links.New(s), outages.New(s), ready.New(s), agenda.New(s), people.New(s), exchange.New(s), files.New(s),
			notify.New(s), out.live}
	}, files.Uploads)
	return &out, err
}

// Run feeds live events to the streams until ctx ends.
func (s *Server) Run(ctx context.Context) { s.live.Run(ctx) }

// CloseStreams ends the event streams, which would otherwise hold a shutdown up.
func (s *Server) CloseStreams() { s.live.Close() }
