package reckon

import (
	"encoding/json"
	"fmt"

	"roundhouse.example/internal/core/dated"
	"roundhouse.example/internal/core/deadline"
)

// members are the keys that each event may have besides at and event.
var members = map[deadline.EventKind][]string{
	deadline.Filed: {"severity", "level"}, deadline.VendorMessage: {"automatic", "offers", "move"},
	deadline.Offered:    {"offers", "of"},
	deadline.OurMessage: {"move"}, deadline.Moved: {"to"}, deadline.Park: {"agreed", "until"}, deadline.Unpark: nil,
	deadline.Severity: {"to"},
	deadline.Level:    {"to"}, deadline.FixAccepted: nil, deadline.FixRejected: nil, deadline.WorkaroundRejected: nil,
	deadline.Resolved: nil,
	deadline.Closed:   nil, deadline.Withdrawn: nil, deadline.Reopened: nil,
	deadline.ItemDated: {"item", "kind", "owed", "due"}, deadline.ItemKept: {"item"}, deadline.ItemMoved: {"item", "due"},
	deadline.ItemDropped: {"item"}, deadline.Raised: {"rung", "due"},
}

func parseEvent(where string, raw json.RawMessage) (e deadline.Event, err error) {
	o, err := parseObject(raw)
	if err != nil {
		return e, fmt.Errorf("%s%w", where, err)
	}
	name, err := get[string](o, where, "event")
	if err != nil {
		return e, err
	}
	e.Kind = deadline.EventKind(name)
	keys, ok := members[e.Kind]
	if !ok {
		return e, fmt.Errorf("%sevent: %.40q is not known", where, name)
	}
	if err := o.only(where, append([]string{"at", "event"}, keys...)...); err != nil {
		return e, err
	}
	if e.At, err = o.instant(where, "at"); err != nil {
		return e, err
	}
	return e, fill(&e, where, o)
}

// fill reads what is the event's own.
func fill(e *deadline.Event, where string, o Object) (err error) {
	switch e.Kind {
	case deadline.Filed:
		if e.Severity, err = o.rank(where, "severity"); err != nil {
			return err
		}
		if e.Level = e.Severity; o.has("level") {
			e.Level, err = o.rank(where, "level")
		}
		return err
	case deadline.Severity, deadline.Level:
		if !o.has("to") {
			return fmt.Errorf("%sto is missing", where)
		}
		if e.To, err = get[int](o, where, "to"); err != nil {
			return err
		}
		if e.To < 1 || e.Kind == deadline.Severity && e.To > 4 {
			return fmt.Errorf("%sto: %d is out of range; severity is 1 to 4, level from 1", where, e.To)
		}
		return nil
	case deadline.Moved:
		to, err := word(o, where, "to", "ours", "theirs")
		if err == nil && to == "" {
			err = fmt.Errorf("%sto is missing; use ours or theirs", where)
		}
		e.Move = deadline.Side(to)
		return err
	case deadline.Park:
		if e.Agreed, err = get[bool](o, where, "agreed"); err == nil && o.has("until") {
			e.Until, err = o.instant(where, "until")
		}
		return err
	case deadline.ItemDated, deadline.ItemKept, deadline.ItemMoved, deadline.ItemDropped, deadline.Raised:
		e.Item = &deadline.Item{}
		return fillItem(e, where, o)
	case deadline.VendorMessage, deadline.OurMessage, deadline.Offered:
		return fillMessage(e, where, o)
	}
	return nil
}

func fillMessage(e *deadline.Event, where string, o Object) (err error) {
	if e.Automatic, err = get[bool](o, where, "automatic"); err != nil {
		return err
	}
	offers, err := word(o, where, "offers", "workaround", "fix")
	if err != nil {
		return err
	}
	move, err := word(o, where, "move", "ours", "theirs")
	if err != nil {
		return err
	}
	e.Offers, e.Move = deadline.Offer(offers), deadline.Side(move)
	if e.Kind != deadline.Offered {
		return nil
	}
	if offers == "" {
		return fmt.Errorf("%soffers is missing; use workaround or fix", where)
	}
	e.Of, err = o.instant(where, "of")
	return err
}

// fillItem reads what an event says of a dated item.
func fillItem(e *deadline.Event, where string, o Object) (err error) {
	if e.Kind == deadline.Raised {
		if e.Item.Rung, err = get[int](o, where, "rung"); err != nil {
			return err
		}
		if e.Item.Rung < 1 {
			return fmt.Errorf("%srung is missing; give a number from 1", where)
		}
		if e.Item.Awaits = o.has("due"); e.Item.Awaits {
			e.Item.Due, err = o.instant(where, "due")
		}
		return err
	}
	if e.Item.Name, err = get[string](o, where, "item"); err != nil {
		return err
	}
	if e.Item.Name == "" {
		return fmt.Errorf("%sitem is missing; give it a name of your own", where)
	}
	if e.Kind == deadline.ItemDated || e.Kind == deadline.ItemMoved {
		if e.Item.Due, err = o.instant(where, "due"); err != nil {
			return err
		}
	}
	if e.Kind != deadline.ItemDated {
		return nil
	}
	kind, err := get[string](o, where, "kind")
	if err != nil {
		return err
	}
	if e.Item.Kind, err = dated.ParseKind(kind); err != nil {
		return fmt.Errorf("%skind: %w", where, err)
	}
	owed, err := word(o, where, "owed", "ours", "theirs")
	if err == nil && owed == "" {
		err = fmt.Errorf("%sowed is missing; use ours or theirs", where)
	}
	e.Item.Owed = deadline.Side(owed)
	return err
}
