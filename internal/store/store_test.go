package store_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"roundhouse.example/internal/core/casework"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	hoursdb "roundhouse.example/internal/store/hours"
	outboxdb "roundhouse.example/internal/store/outbox"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func seed(t *testing.T, s *db.Store) casesdb.Case {
	t.Helper()
	ctx, now := context.Background(), time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)
	var c casesdb.Case
	err := s.Do(ctx, func(tx *db.Tx) error {
		p := peopledb.Person{Name: "Ragna Lie", Email: "ragna@saltmarsh.example", Role: "handler", CreatedAt: now}
		cal := hoursdb.Calendar{Name: "always"}
		if err := peopledb.Add(ctx, tx, &p); err != nil {
			return err
		}
		if err := hoursdb.AddCalendar(ctx, tx, &cal); err != nil {
			return err
		}
		v := registerdb.Vendor{Key: "corvane", Name: "Corvane Cloud", Zone: "UTC", HoursID: cal.ID, CreatedAt: now}
		if err := registerdb.AddVendor(ctx, tx, &v); err != nil {
			return err
		}
		c = casesdb.Case{VendorID: v.ID, Title: "Region Ern loses its addresses", Kind: "fault", OpenedBy: p.ID,
			OpenedAt: now}
		return casesdb.Insert(ctx, tx, &c)
	})
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestTheRecordIsAppendOnly(t *testing.T) {
	s := testdb.Store(t)
	c := seed(t, s)
	ctx := context.Background()
	e := casesdb.Entry{Kind: casework.Note, HappenedAt: time.Now(), RecordedAt: time.Now(), Body: "secret remark"}
	if err := s.Do(ctx, func(tx *db.Tx) error { return casesdb.AddEntry(ctx, tx, &c, &e) }); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{"update case_entry set kind = 'message'", "delete from case_entry",
		"truncate case_entry cascade"} {
		if _, err := s.DB.ExecContext(ctx, sql); err == nil || !strings.Contains(err.Error(), "append-only") {
			t.Errorf("%s: %v", sql, err)
		}
	}
	// A note cannot be given to the channels: the key of a delivery says it is a message.
	err := s.Do(ctx, func(tx *db.Tx) error {
		return outboxdb.Add(ctx, tx,
			&outboxdb.Delivery{CaseID: c.ID, EntryID: e.ID, EntryNumber: e.Number, Channel: "api", State: "waiting",
				Action: "comment", MadeAt: time.Now()})
	})
	if err == nil || !strings.Contains(err.Error(), "delivery_entry_id_entry_kind_fkey") {
		t.Errorf("a note was put on its way: %v", err)
	}
}

func TestACaseIsFoundByAnyReference(t *testing.T) {
	s := testdb.Store(t)
	c := seed(t, s)
	ctx := context.Background()
	if err := s.Do(ctx, func(tx *db.Tx) error {
		return casesdb.SetReference(ctx, tx, &c, "vendor", "TW/88-20417")
	}); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"C-1001", "c-1001", "1001", "TW/88-20417", "tw 88 20417", "tw8820417"} {
		if id, err := casesdb.Find(ctx, s.DB, name); err != nil || id != c.ID {
			t.Errorf("%s: %d %v", name, id, err)
		}
	}
	if _, err := casesdb.Find(ctx, s.DB, "C-99999999999999999999"); err != db.ErrNotFound {
		t.Error(err)
	}
}

func TestMigratingTwiceAtOnceAndANewerDatabase(t *testing.T) {
	s := testdb.Store(t)
	ctx := context.Background()
	errs := make(chan error, 3)
	for range 3 {
		go func() { errs <- s.Migrate(ctx) }()
	}
	for range 3 {
		if err := <-errs; err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.DB.Exec("insert into goose_db_version (version_id, is_applied) values (9999, true)"); err != nil {
		t.Fatal(err)
	}
	if err := s.Migrate(ctx); err == nil || !strings.Contains(err.Error(), "newer") {
		t.Errorf("a newer database: %v", err)
	}
}
