package people

import (
	"testing"
	"time"

	"github.com/alexedwards/argon2id"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/hours"
	"roundhouse.example/internal/testdb"
)

// Passwords cost enough to be told from none, and no more.
func TestMain(m *testing.M) {
	PasswordCost = &argon2id.Params{Memory: 32 * 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}
	testdb.Main(m)
}

type wall struct{}

func (wall) Now() time.Time { return time.Now() }

// Nobody learns from the clock who has an account: an unknown address, a wrong password and
// somebody who came in with a table and has no password yet all take as long.
func TestARefusedSignInTakesAsLongForEverybody(t *testing.T) { // not beside others: it looks at the clock
	st := testdb.Store(t)
	k := desk.New(st, wall{}, nil, nil)
	d := New(k, st, hours.New(k, st))
	if _, err := d.Add(t.Context(), nil,
		NewPerson{Name: "Ines Vik", Email: "ines@desk.example", Role: "handler", Password: "a long enough one"}); err != nil {
		t.Fatal(err)
	}
	imported := peopledb.Person{Name: "Bo Lind", Email: "bo@desk.example", Role: "handler", PasswordHash: NoPassword,
		Active: true, CreatedAt: time.Now()}
	if err := st.Do(t.Context(), func(tx *db.Tx) error { return peopledb.Add(t.Context(), tx, &imported) }); err != nil {
		t.Fatal(err)
	}
	quickest := map[string]time.Duration{}
	for range 5 {
		for _, who := range []string{"ines@desk.example", "bo@desk.example", "nobody@desk.example"} {
			began := time.Now()
			if _, err := d.SignIn(t.Context(), who, "not the one"); err != ErrBadSignIn {
				t.Fatalf("%s: %v", who, err)
			}
			if took := time.Since(began); quickest[who] == 0 || took < quickest[who] {
				quickest[who] = took
			}
		}
	}
	for who, took := range quickest {
		if took < quickest["ines@desk.example"]/4 { // no hash at all is ten times quicker
			t.Errorf("%s is refused in %s, with a wrong password it takes %s", who, took, quickest["ines@desk.example"])
		}
	}
}
