package demo

import (
	"context"
	"fmt"
	"time"

	"roundhouse.example/internal/core/route"
	inboxdb "roundhouse.example/internal/store/inbox"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/standin"
)

// player is the channel of a vendor on the stage.
type player struct {
	s    *stage
	link inboxdb.Link
}

func (p *player) house() string {
	for key, id := range p.s.links {
		if id == p.link.ID {
			return key
		}
	}
	return ""
}

// Send takes every letter.
func (p *player) Send(_ context.Context, l channel.Letter) (channel.Receipt, error) {
	r := channel.Receipt{At: p.s.now}
	if l.Action == route.Open {
		key := p.house()
		h := standin.Houses[houseIndex(key)]
		p.s.seq["number "+key]++
		r.Reference = fmt.Sprintf("%s%d", h.Prefix, h.First-200+int(p.s.seq["number "+key])*3)
	}
	return r, nil
}

// Collect gives what the vendor has said since.
func (p *player) Collect(_ context.Context, cursor string) ([]channel.Incoming, string, error) {
	key := p.house()
	list := p.s.feed[key]
	p.s.feed[key] = nil
	return list, cursor, nil
}

// LookUp finds nothing: on the stage every letter arrives.
func (p *player) LookUp(context.Context, route.Action, string, []string, time.Time) (*channel.Receipt, error) {
	return nil, nil
}

// Timeout and Settle play no part.
func (p *player) Timeout() time.Duration { return time.Minute }

// Settle plays no part.
func (p *player) Settle() time.Duration { return time.Minute }

// TakesFiles plays no part.
func (p *player) TakesFiles() bool { return true }
