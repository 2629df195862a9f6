package store_test

import (
	"context"
	"testing"

	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"roundhouse.example/internal/store/db"
	inboxdb "roundhouse.example/internal/store/inbox"
	outboxdb "roundhouse.example/internal/store/outbox"
	registerdb "roundhouse.example/internal/store/register"
	"roundhouse.example/internal/testdb"
)

// before is a desk as it was at an earlier version, with what brings it up.
func before(t *testing.T, version int64) (*db.Store, *goose.Provider) {
	t.Helper()
	s := testdb.Store(t)
	if _, err := s.DB.Exec("drop schema public cascade; create schema public"); err != nil {
		t.Fatal(err)
	}
	s.Pool.Reset()
	dir, err := db.Migrations()
	if err != nil {
		t.Fatal(err)
	}
	at := stdlib.OpenDBFromPool(s.Pool)
	t.Cleanup(func() { at.Close() })
	p, err := goose.NewProvider(goose.DialectPostgres, at, dir)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.UpTo(t.Context(), version); err != nil {
		t.Fatal(err)
	}
	return s, p
}

// A desk of before, when a vendor had one link: the vendor keeps it, what went by it says so, what a person took
// there does not, and the record stays as append-only as it was.
func TestLinksOfBeforeServeTheirVendor(t *testing.T) {
	s, p := before(t, 14)
	ctx := context.Background()
	do := func(sql string) {
		t.Helper()
		if _, err := s.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	do(`insert into person (id, name, email, role, password_hash, created_at) overriding system value
		values (1, 'Ragna Lie', 'ragna@saltmarsh.example', 'handler', '', now());
		insert into calendar (id, name) overriding system value values (1, 'always');
		insert into vendor (id, key, name, does, zone, hours_id, created_at) overriding system value
		select n, 'v'||n, 'Vendor '||n, '', 'UTC', 1, now() from generate_series(1, 2) n;
		insert into link (id, vendor_id, kind, address, description, cursor) overriding system value
		values (7, 2, 'rest', 'http://127.0.0.1:1/v2', '{}', '41');
		insert into support_case (id, number, vendor_id, title, kind, facts, texts, opened_by, opened_at, state, changed_at)
			overriding system value values (1, 1001, 2, 'Slow', 'fault', '{}', '{}', 1, now(), 'draft', now());
		insert into case_entry (id, case_id, number, kind, direction, channel, happened_at, recorded_at, body_hash)
			overriding system value select n, 1, n, 'message', 'out', case n when 1 then 'rest'
			else 'portal' end, now(), now(), '' from generate_series(1, 2) n;
		insert into delivery (id, case_id, entry_id, entry_number, action, effect, params, channel, state, made_at)
			overriding system value select n, 1, n, n, 'comment', 'null', '{}', case n when 1 then 'api'
			else 'portal' end, 'arrived', now() from generate_series(1, 2) n`)
	if _, err := p.Up(ctx); err != nil {
		t.Fatal(err)
	}
	links, err := inboxdb.LinksOf(ctx, s.DB, 1, 2)
	if err != nil || len(links) != 1 || links[0].VendorID != 2 || links[0].ID != 7 || links[0].Name != "v2" ||
		links[0].Kind != "api" || links[0].Cursor != "41" {
		t.Errorf("the link: %+v %v", links, err)
	}
	sent, err := outboxdb.Of(ctx, s.DB, 1)
	if err != nil || len(sent) != 2 || sent[0].Route().Link != 7 || sent[1].Route().Automatic() {
		t.Errorf("what went: %+v %v", sent, err)
	}
	var channels []string
	if err := s.DB.Select(&channels, "select channel from case_entry order by id"); err != nil || channels[0] != "api" ||
		channels[1] != "portal" {
		t.Errorf("the record: %v %v", channels, err)
	}
	if _, err := s.DB.Exec("update case_entry set channel = 'email'"); err == nil {
		t.Error("the record can be rewritten")
	}
}

// A vendor that is taken out takes its link along, with what came by it and was nobody's; one that serves
// another vendor too stays.
func TestALinkStaysWhileItServesSomebody(t *testing.T) {
	s, ctx := testdb.Store(t), context.Background()
	if _, err := s.DB.Exec(`insert into calendar (id, name) overriding system value values (1, 'always');
		insert into vendor (id, key, name, does, zone, hours_id, created_at) overriding system value
		select n, 'v'||n, 'Vendor '||n, '', 'UTC', 1, now() from generate_series(1, 3) n;
		insert into link (id, name, kind, address, description) overriding system value select n, 'l'||n, 'api', '', '{}'
		from generate_series(1, 2) n;
		insert into link_event (link_id, event_key, ticket, event, floor_at, seen_at)
		select n, 'k', 'X-1', '{}', now(), now() from generate_series(1, 2) n;
		insert into vendor_link (vendor_id, link_id) values (1, 1), (2, 1), (3, 2)`); err != nil {
		t.Fatal(err)
	}
	for _, id := range []int64{1, 3} {
		if removed, err := registerdb.RemoveVendor(ctx, s.DB, id, 1); err != nil || !removed {
			t.Fatalf("vendor %d: %v %v", id, removed, err)
		}
	}
	var left []int64
	if err := s.DB.Select(&left, "select link_id from link_event order by 1"); err != nil || len(left) != 1 ||
		left[0] != 1 {
		t.Errorf("events are left of the links %v: %v", left, err)
	}
	if links, err := inboxdb.LinksOf(ctx, s.DB, 1, 2, 3); err != nil || len(links) != 1 || links[0].ID != 1 ||
		links[0].VendorID != 2 {
		t.Errorf("links are left: %+v %v", links, err)
	}
	if _, err := inboxdb.ByID(ctx, s.DB, 2); err != db.ErrNotFound {
		t.Errorf("the link of the vendor that was taken out: %v", err)
	}
}

// somebody is a person and a calendar, as any version has them.
const somebody = `insert into person (id, name, email, role, password_hash, created_at)
	overriding system value values (1, 'Ragna Lie', 'ragna@saltmarsh.example', 'handler', '', now());
	insert into calendar (id, name) overriding system value values (1, 'always');
	insert into calendar_version (id, calendar_id, definition, counts_from, known_at)
	overriding system value values (1, 1, '{"always": true}', '2026-01-01', now());
`

// Words that changed their names are carried along wherever they are kept, and what only looks like one stays.
func TestWordsOfBeforeAreCarriedAlong(t *testing.T) {
	s, p := before(t, 15)
	if _, err := s.DB.Exec(somebody + `
		insert into vendor (id, key, name, does, zone, hours_id, created_at, profile) overriding system value values (1,
			'ferrous', 'Ferrous', 'task', 'UTC', 1, now(), '{"note": "mail", "takes": ["fault", "purchase", "task"],
			"ways": [{"channel": "mail", "address": "a@ferrous.example"}, {"channel": "phone", "address": "1"}],
			"people": [{"name": "Ishaan Rao", "mail": "ishaan@ferrous.example"}, {"name": "Ada"}],
			"forms": [{"kind": "task", "key": "mail", "label": "task"}, {"kind": "any", "key": "b", "label": "B"}],
			"usual_terms": [{"deadline": "update", "level": 1, "target": "1h", "kind": "purchase", "channel": "mail"}]}');
		insert into vendor_level (vendor_id, rank, label, meaning, round_the_clock, channels)
			values (1, 1, 'Dark', '', false, '["phone", "mail"]'), (1, 2, 'Dim', '', false, '[]');
		insert into link (id, name, kind, address, description) overriding system value values (1, 'f', 'mail', '', '{}');
		insert into contract (id, vendor_id, number, facts, starts_on, ends_on) overriding system value values (1, 1, 'K',
			'{"number": "K", "on_change": "by-direction", "note": "by-direction"}', '2026-01-01', '2027-01-01');
		insert into terms (id, contract_id, version, on_change, while_ours, made_at)
			overriding system value values (1, 1, 1, 'by-direction', 'pause', now());
		insert into term (terms_id, deadline, rank, target, calendar_id, kind, channel)
			values (1, 'update', 1, '1h', 1, 'task', 'mail');
		insert into support_case (id, number, vendor_id, title, kind, facts, texts, opened_by, opened_at, state, changed_at)
			overriding system value values (1, 1001, 1, 'Replace it', 'task',
			'{"effect": "inconvenient", "workaround": "acceptable", "reach": "few"}', '{"happened": "acceptable"}', 1, now(),
			'draft', now());
		insert into case_entry
			(id, case_id, number, kind, direction, channel, happened_at, recorded_at, body_hash, effect)
			overriding system value values (1, 1, 1, 'message', 'out', 'mail', now(), now(), '',
			'{"event": "filed", "kind": "task", "channel": "mail"}'),
			(2, 1, 2, 'message', 'out', 'phone', now(), now(), '', null);
		insert into delivery (id, case_id, entry_id, entry_number, action, effect, params, channel, state, made_at)
			overriding system value values
			(1, 1, 1, 1, 'open', '{"event": "filed", "kind": "purchase", "channel": "mail"}', '{}', 'mail', 'by-hand', now()),
			(2, 1, 2, 2, 'comment', 'null', '{}', 'phone', 'given-up', now())`); err != nil {
		t.Fatal(err)
	}
	if _, err := p.Up(t.Context()); err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct{ sql, want string }{
		{"select kind || ' ' || (facts->>'effect') || ' ' || (facts->>'workaround') || ' ' || (texts->>'happened') " +
			"from support_case", "work awkward easy acceptable"},
		{"select channel || ' ' || (effect->>'kind') || ' ' || (effect->>'channel') from case_entry where id = 1",
			"email work email"},
		{"select string_agg(state || ' ' || channel, ', ' order by id) from delivery", "to-send email, not-sent phone"},
		{"select (effect->>'kind') || ' ' || (effect->>'channel') from delivery where id = 1", "order email"},
		{"select on_change from terms", "restart-if-raised"},
		{"select kind || ' ' || channel from term", "work email"},
		{"select kind from link", "email"},
		{"select (facts->>'on_change') || ' ' || (facts->>'note') from contract", "restart-if-raised by-direction"},
		{"select string_agg(cast(channels as text), ' ' order by rank) from vendor_level", `["phone", "email"] []`},
		{"select does || ' ' || (profile->>'note') from vendor", "task mail"},
		{"select cast(profile->'takes' as text) from vendor", `["fault", "order", "work"]`},
		{"select cast(profile->'ways' as text) from vendor",
			`[{"address": "a@ferrous.example", "channel": "email"}, {"address": "1", "channel": "phone"}]`},
		{"select cast(profile->'people' as text) from vendor",
			`[{"name": "Ishaan Rao", "email": "ishaan@ferrous.example"}, {"name": "Ada"}]`},
		{"select cast(profile->'forms' as text) from vendor",
			`[{"key": "mail", "kind": "work", "label": "task"}, {"key": "b", "kind": "any", "label": "B"}]`},
		{"select (profile->'usual_terms'->0->>'kind') || ' ' || (profile->'usual_terms'->0->>'channel') from vendor",
			"order email"},
	} {
		var got string
		if err := s.DB.Get(&got, x.sql); err != nil || got != x.want {
			t.Errorf("%s: %s, want %s (%v)", x.sql, got, x.want, err)
		}
	}
	if _, err := s.DB.Exec("update case_entry set channel = 'phone'"); err == nil {
		t.Error("the record can be rewritten")
	}
}

// A desk of the version before conditions were confirmed and a tier was called so has them under their names of today,
// and a contract is found by its tier.
func TestConfirmedConditionsAndTiersAreCarriedAlong(t *testing.T) {
	s, p := before(t, 16)
	if _, err := s.DB.Exec(somebody + `
		insert into vendor (id, key, name, does, zone, hours_id, created_at, profile) overriding system value values (1,
			'ferrous', 'Ferrous', 'on_what', 'UTC', 1, now(), '{"note": "must",
			"forms": [{"kind": "any", "key": "must", "label": "must", "must": true}, {"kind": "any", "key": "b", "label":
			"B"}]}');
		insert into vendor_level (id, vendor_id, rank, label, meaning, round_the_clock)
			overriding system value values (1, 1, 1, 'Dark', '', false);
		insert into level_criterion (id, level_id, position, text) overriding system value values (1, 1, 0, 'Nothing works');
		insert into contract (id, vendor_id, number, facts, starts_on, ends_on) overriding system value values (1, 1, 'K',
			'{"number": "K", "level": "Brass plate", "note": "level"}', '2026-01-01', '2027-01-01');
		insert into support_case (id, number, vendor_id, title, kind, facts, texts, opened_by, opened_at, state, changed_at,
			next_at, vendor_word, vendor_word_at, holder) overriding system value values (1, 1001, 1, 'Replace it', 'work', '{}',
			'{"on_what": "Gate 3", "happened": "on_what"}', 1, now(), 'open', now(),
			now(), 'with us', '2026-05-01', 'Ishaan Rao');
		insert into attestation (case_id, criterion_id, person_id, attested_at) values (1, 1, 1, '2026-05-02');
		insert into case_entry (id, case_id, number, kind, happened_at, recorded_at, body_hash, effect)
			overriding system value values (1, 1, 1, 'change', now(), now(), '',
			'{"event": "", "sets": {"vendor_word": "with us", "vendor_word_at": "2026-05-01T00:00:00Z", "owner": 1}}'),
			(2, 1, 2, 'message', now(), now(), '', '{"event": "our-message"}');
		insert into delivery (id, case_id, entry_id, entry_number, action, step, effect, params, channel, state, made_at)
			overriding system value values (1, 1, 2, 2, 'comment', 'reject-fix', 'null', '{}', 'phone', 'to-send', now()),
			(2, 1, 2, 2, 'level', 'change-level', 'null', '{}', 'phone', 'arrived', now()),
			(3, 1, 2, 2, 'comment', 'park', 'null', '{}', 'phone', 'arrived', now());
		insert into secret (id, facts, changed_at) overriding system value values (1, '{"name": "pin"}', now());
		insert into secret_use (secret_id, name, act, at) values (1, 'pin', 'sealed', now()), (1, 'pin', 'revealed',
		now())`); err !=
		nil {
		t.Fatal(err)
	}
	if _, err := p.Up(t.Context()); err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct{ sql, want string }{
		{"select to_char(confirmed_at, 'YYYY-MM-DD') from confirmation where criterion_id = 1", "2026-05-02"},
		{"select string_agg(step, ' ' order by id) from delivery", "reject level park"},
		{"select concat_ws(', ', vendor_status, vendor_contact, to_char(vendor_status_at, 'YYYY-MM-DD')) from support_case",
			"with us, Ishaan Rao, 2026-05-01"},
		{"select cast(effect->'sets' as text) from case_entry where id = 1",
			`{"owner": 1, "vendor_status": "with us", "vendor_status_at": "2026-05-01T00:00:00Z"}`},
		{"select cast(texts as text) from support_case", `{"affected": "Gate 3", "happened": "on_what"}`},
		{"select cast(facts as text) from contract", `{"note": "level", "tier": "Brass plate", "number": "K"}`},
		{"select cast(profile->'forms' as text) from vendor", `[{"key": "must", "kind": "any", "label": "must", ` +
			`"required": true}, {"key": "b", "kind": "any", "label": "B"}]`},
		{"select string_agg(act, ' ' order by id) from secret_use", "encrypted revealed"},
		{"select string_agg(shown, ' ' order by shown) from findable where kind = 'contract'", "Brass plate K"},
	} {
		var got string
		if err := s.DB.Get(&got, x.sql); err != nil || got != x.want {
			t.Errorf("%s: %s, want %s (%v)", x.sql, got, x.want, err)
		}
	}
	for _, sql := range []string{"update case_entry set channel = 'phone'", "update secret_use set act = 'sent'"} {
		if _, err := s.DB.Exec(sql); err == nil {
			t.Errorf("%s: the record can be rewritten", sql)
		}
	}
}

// When a case was changed last is what its record says, not when time moved its dates; a draft has no record.
func TestWhenItWasChangedIsCarriedAlong(t *testing.T) {
	s, p := before(t, 46)
	if _, err := s.DB.Exec(somebody + `
		insert into vendor (id, key, name, does, zone, hours_id, created_at, profile) overriding system value values (1,
			'ferrous', 'Ferrous', 'Cranes', 'UTC', 1, now(), '{}');
		insert into support_case (id, number, vendor_id, title, kind, facts, texts, opened_by, opened_at, state, changed_at)
			overriding system value values
			(1, 1001, 1, 'Gate', 'fault', '{}', '{}', 1, '2026-05-01', 'closed', '2026-05-04'),
			(2, 1002, 1, 'Crane', 'fault', '{}', '{}', 1, '2026-05-01', 'draft', '2026-05-04');
		insert into case_entry (id, case_id, number, kind, happened_at, recorded_at, body_hash)
			overriding system value values (1, 1, 1, 'note', '2026-05-01', '2026-05-02', ''),
			(2, 1, 2, 'note', '2026-05-01', '2026-05-03', '')`); err != nil {
		t.Fatal(err)
	}
	if _, err := p.Up(t.Context()); err != nil {
		t.Fatal(err)
	}
	var got string
	if err := s.DB.Get(&got, `select string_agg(to_char(changed_at, 'DD') || ' ' || to_char(derived_at, 'DD'), ', '
		order by id) from support_case`); err != nil || got != "03 04, 04 04" {
		t.Errorf("changed and derived at %s (%v)", got, err)
	}
}
