package vault

import (
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
)

// Ring is one or more keys, the one that new secrets are meant for first. It is
// safe for use by many at once.
type Ring struct {
	mu      sync.RWMutex
	writing sync.Mutex // one change of the file at a time
	file    string     // empty where it came from elsewhere
	from    string     // what errors call it
	ids     []string
	keys    map[string][]byte
}

const (
	begins  = "roundhouse-vault-key"
	maxFile = 64 << 10
)

// ErrNoFile is returned where the key file is not there.
var ErrNoFile = errors.New("there is no such key file")

// Load reads a key file, which nobody but its owner may be able to read.
func Load(file string) (*Ring, error) {
	r := &Ring{file: file, from: file}
	return r, r.load()
}

// Parse reads keys that came from elsewhere, such as the environment; from names that in errors.
func Parse(text, from string) (*Ring, error) {
	r := &Ring{from: from}
	return r, r.parse(text)
}

// Create makes a key file with a new key; an existing file stays as it is, which is an error.
func Create(file string) (*Ring, error) {
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, fs.ErrExist) {
		return nil, fmt.Errorf("%s already exists and may be the only key to what is encrypted with it; it was not changed",
			file)
	} else if err != nil {
		return nil, err
	}
	key, err := newKey()
	if err != nil {
		return nil, errors.Join(err, f.Close(), os.Remove(file))
	}
	if err := finish(f, text([]string{idOf(key)}, map[string][]byte{idOf(key): key})); err != nil {
		return nil, err
	}
	return Load(file)
}

func newKey() ([]byte, error) {
	key := make([]byte, keySize)
	_, err := rand.Read(key)
	return key, err
}

func text(ids []string, keys map[string][]byte) string {
	var b strings.Builder
	b.WriteString("# The keys of a roundhouse vault, the newest first. Keep a copy, and keep it apart from\n# backups " +
		"of the database. Older keys are for backups that were made with them.\n")
	for _, id := range ids {
		fmt.Fprintf(&b, "%s %s %s\n", begins, id, base64.StdEncoding.EncodeToString(keys[id]))
	}
	return b.String()
}

func finish(f *os.File, text string) error {
	_, err := io.WriteString(f, text)
	return errors.Join(err, f.Sync(), f.Close())
}

func (r *Ring) load() error {
	info, err := os.Stat(r.file)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return fmt.Errorf("%s: %w; roundhouse key new %s makes one", r.file, ErrNoFile, r.file)
	case err != nil:
		return err
	case !info.Mode().IsRegular():
		return fmt.Errorf("%s is not a file", r.file)
	case info.Mode().Perm()&0o077 != 0:
		return fmt.Errorf("%s can be read by people other than its owner (%04o): chmod 600 %s, and rotate the key if "+
			"somebody "+
			"may have read it", r.file, info.Mode().Perm(), r.file)
	case info.Size() > maxFile:
		return fmt.Errorf("%s is too long for a key file", r.file)
	}
	raw, err := os.ReadFile(r.file)
	if err != nil {
		return err
	}
	return r.parse(string(raw))
}

// parse never says what stands in a line: it may be a key.
func (r *Ring) parse(s string) error {
	ids, keys := []string{}, map[string][]byte{}
	number := 0
	for line := range strings.Lines(s) {
		number++
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		parts := strings.Fields(line)
		if len(parts) != 3 || parts[0] != begins {
			return fmt.Errorf("%s, line %d: this is not a vault key; a key is written %s ID KEY", r.from, number, begins)
		}
		key, err := base64.StdEncoding.DecodeString(parts[2])
		if err != nil || len(key) != keySize {
			return fmt.Errorf("%s, line %d: the key is not complete", r.from, number)
		}
		if idOf(key) != parts[1] {
			return fmt.Errorf("%s, line %d: the key does not match its id; it was changed", r.from, number)
		}
		if keys[parts[1]] == nil {
			ids = append(ids, parts[1])
		}
		keys[parts[1]] = key
	}
	if len(ids) == 0 {
		return fmt.Errorf("%s has no key; roundhouse key new FILE makes one", r.from)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.ids, r.keys = ids, keys
	return nil
}

// First is the id of the key that new secrets are meant for.
func (r *Ring) First() string {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return r.ids[0]
}

// IDs are those of all keys, the newest first.
func (r *Ring) IDs() []string {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return slices.Clone(r.ids)
}

// key finds one, in the file too: another service may have written it there.
func (r *Ring) key(id string) ([]byte, error) {
	find := func() []byte {
		r.mu.RLock()
		defer r.mu.RUnlock()
		return r.keys[id]
	}
	if key := find(); key != nil {
		return key, nil
	}
	if r.file != "" {
		if err := r.load(); err != nil {
			return nil, err
		}
		if key := find(); key != nil {
			return key, nil
		}
	}
	return nil, &UnknownKey{id, r.from}
}

// Has says whether the ring holds a key.
func (r *Ring) Has(id string) bool {
	_, err := r.key(id)
	return err == nil
}

// Add makes a new key and writes it to the file as the first.
func (r *Ring) Add() (id string, err error) {
	if r.file == "" {
		return "", fmt.Errorf("%s cannot be written to: put a new key before the others there (roundhouse key new makes "+
			"one), start again, and rotate then", r.from)
	}
	r.writing.Lock()
	defer r.writing.Unlock()
	if err := r.load(); err != nil {
		return "", err
	}
	key, err := newKey()
	if err != nil {
		return "", err
	}
	r.mu.RLock()
	ids, keys := append([]string{idOf(key)}, r.ids...), map[string][]byte{idOf(key): key}
	for id, k := range r.keys {
		keys[id] = k
	}
	r.mu.RUnlock()
	return idOf(key), r.write(ids, keys)
}

// Keep takes all keys but one out of the file, for good.
func (r *Ring) Keep(id string) error {
	key, err := r.key(id)
	if err != nil {
		return err
	}
	if r.file == "" {
		return fmt.Errorf("%s cannot be written to: remove the older keys there", r.from)
	}
	r.writing.Lock()
	defer r.writing.Unlock()
	return r.write([]string{id}, map[string][]byte{id: key})
}

// write replaces the file whole: a crash leaves the old one or the new one.
func (r *Ring) write(ids []string, keys map[string][]byte) error {
	dir := filepath.Dir(r.file)
	f, err := os.CreateTemp(dir, ".vault-*") // 0600
	if err != nil {
		return err
	}
	if err := finish(f, text(ids, keys)); err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	if err := os.Rename(f.Name(), r.file); err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	if err := errors.Join(d.Sync(), d.Close()); err != nil {
		return err
	}
	return r.load()
}
