package vault

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

func fresh(t *testing.T) (*Ring, string) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "vault.key")
	r, err := Create(file)
	if err != nil {
		t.Fatal(err)
	}
	return r, file
}

// What is sealed for one place opens there with its key, and nowhere else.
func TestSealed(t *testing.T) {
	r, _ := fresh(t)
	for _, value := range [][]byte{nil, []byte("x"), []byte("copper-anchor"), bytes.Repeat([]byte("long "), 2000)} {
		s, err := r.Seal(r.First(), "secret/7", value)
		if err != nil {
			t.Fatal(err)
		}
		if len(value) > 4 && (bytes.Contains(s.Value, value) || bytes.Contains(s.Wrapped, value)) {
			t.Fatal("it stands there in clear")
		}
		got, err := r.Open("secret/7", s)
		if err != nil || !bytes.Equal(got, value) {
			t.Errorf("%q: %q, %v", value, got, err)
		}
		if _, err := r.Open("secret/8", s); !errors.Is(err, ErrSpoilt) {
			t.Errorf("elsewhere: %v", err)
		}
		for i := range s.Value {
			spoilt := s
			spoilt.Value = bytes.Clone(s.Value)
			spoilt.Value[i] ^= 1
			if _, err := r.Open("secret/7", spoilt); !errors.Is(err, ErrSpoilt) {
				t.Fatalf("byte %d changed: %v", i, err)
			}
			if i > 40 {
				break
			}
		}
		again, err := r.Seal(r.First(), "secret/7", value)
		if err != nil || bytes.Equal(again.Value, s.Value) || bytes.Equal(again.Wrapped, s.Wrapped) {
			t.Errorf("twice the same: %v", err)
		}
	}
}

// A new key closes what was closed, and the digest of a value outlives it.
func TestAnotherKey(t *testing.T) {
	r, file := fresh(t)
	first := r.First()
	s, err := r.Seal(first, "p", []byte("value"))
	if err != nil {
		t.Fatal(err)
	}
	before, err := r.Digest("p", s)
	if err != nil {
		t.Fatal(err)
	}
	beside, err := Load(file) // another service
	if err != nil {
		t.Fatal(err)
	}
	id, err := r.Add()
	if err != nil || id == first || r.First() != id || len(r.IDs()) != 2 {
		t.Fatalf("%s %v %v", id, r.IDs(), err)
	}
	s2, err := r.Rewrap("p", s, id)
	if err != nil || s2.KeyID != id || !bytes.Equal(s2.Value, s.Value) {
		t.Fatal(err)
	}
	if got, err := beside.Open("p", s2); err != nil || string(got) != "value" {
		t.Errorf("the other service, which reads the file again: %q, %v", got, err)
	}
	if after, err := r.Digest("p", s2); err != nil || after != before {
		t.Errorf("%s is not %s: %v", after, before, err)
	}
	if err := r.Keep(id); err != nil {
		t.Fatal(err)
	}
	var unknown *UnknownKey
	if _, err := r.Open("p", s); !errors.As(err, &unknown) || unknown.ID != first {
		t.Errorf("with a key that was forgotten: %v", err)
	}
	if _, err := r.Seal("nobody", "p", nil); !errors.As(err, &unknown) {
		t.Error(err)
	}
	info, err := os.Stat(file)
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info.Mode(), err)
	}
}

// What is wrong with a key file is said with its line, and nothing of the key.
func TestKeyFiles(t *testing.T) {
	_, file := fresh(t)
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	good := string(raw)
	lines := strings.Split(strings.TrimSpace(good), "\n")
	parts := strings.Fields(lines[2])
	for what, x := range map[string]struct{ text, want string }{
		"empty":           {"", "has no key"},
		"only words":      {"hunter2-is-my-key\n", "line 1: this is not a vault key"},
		"a key cut short": {lines[2][:len(lines[2])-8], "line 1: the key is not complete"},
		"another's name": {strings.Replace(good, parts[1], "abcdefabcdef", 1),
			"line 3: the key does not match its id"},
		"far too long": {good + strings.Repeat("# x\n", 20_000), "too long"},
	} {
		if err := os.WriteFile(file, []byte(x.text), 0o600); err != nil {
			t.Fatal(err)
		}
		_, err := Load(file)
		if err == nil || !strings.Contains(err.Error(), x.want) || !strings.Contains(err.Error(), file) {
			t.Errorf("%s: %v", what, err)
		}
		if err != nil && (strings.Contains(err.Error(), "hunter2") || strings.Contains(err.Error(), parts[2][:20])) {
			t.Errorf("%s: the message gives the key away: %v", what, err)
		}
	}
	if err := os.WriteFile(file, raw, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, mode := range []os.FileMode{0o644, 0o640, 0o604, 0o660} {
		if err := os.Chmod(file, mode); err != nil {
			t.Fatal(err)
		}
		if _, err := Load(file); err == nil || !strings.Contains(err.Error(), "chmod 600") {
			t.Errorf("%o: %v", mode, err)
		}
	}
	if err := os.Chmod(file, 0o400); err != nil {
		t.Fatal(err)
	}
	if _, err := Load(file); err != nil {
		t.Error(err)
	}
	if _, err := Create(file); err == nil || !strings.Contains(err.Error(), "it was not changed") {
		t.Errorf("over one that is there: %v", err)
	}
	if _, err := Load(file + "-none"); !errors.Is(err, ErrNoFile) || !strings.Contains(err.Error(), "roundhouse key new") {
		t.Error(err)
	}
	if _, err := Load(filepath.Dir(file)); err == nil || !strings.Contains(err.Error(), "is not a file") {
		t.Error(err)
	}
	ring, err := Parse(good, "THE_ENV")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := ring.Add(); err == nil || !strings.Contains(err.Error(), "THE_ENV cannot be written to") {
		t.Error(err)
	}
	if err := ring.Keep(ring.First()); err == nil || !strings.Contains(err.Error(), "THE_ENV") {
		t.Error(err)
	}
}

// Many open and close while keys are added.
func TestMany(t *testing.T) {
	r, _ := fresh(t)
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			for n := range 50 {
				place := fmt.Sprintf("s/%d/%d", i, n)
				s, err := r.Seal(r.First(), place, []byte(place))
				if err != nil {
					t.Error(err)
					return
				}
				if got, err := r.Open(place, s); err != nil || string(got) != place {
					t.Errorf("%q, %v", got, err)
				}
			}
		})
	}
	for range 5 {
		if _, err := r.Add(); err != nil {
			t.Error(err)
		}
	}
	all.Wait()
	if len(r.IDs()) != 6 {
		t.Error(r.IDs())
	}
}

// FuzzParse: whatever stands in a key file, reading it ends, and never tells it.
func FuzzParse(f *testing.F) {
	f.Add("roundhouse-vault-key 1234 aGVsbG8gd29ybGQsIHRoaXMgaXMgbm90IGEga2V5\n")
	f.Fuzz(func(t *testing.T, s string) {
		r, err := Parse(s, "here")
		if err == nil && len(r.IDs()) == 0 {
			t.Error("no key, no error")
		}
		if len(s) > 30 && err != nil && strings.Contains(err.Error(), s) {
			t.Errorf("%v tells all", err)
		}
	})
}
