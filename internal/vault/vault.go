// Package vault seals secrets: each under a key of its own, and that key under one
// of a ring that stands outside the database.
//
//	ring, err := vault.Load("/etc/roundhouse/vault.key")
//	sealed, err := ring.Seal(ring.First(), "secret/7", value)
//	value, err = ring.Open("secret/7", sealed)
//
// Whoever has the database alone has nothing, nor has whoever has the ring alone.
// A ring is changed by wrapping the secrets' own keys anew; the secrets stay as they are.
package vault

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
)

const keySize = 32

// Sealed is a secret as it is kept.
type Sealed struct {
	KeyID   string // which key of the ring
	Wrapped []byte // the secret's own key
	Value   []byte
}

// ErrSpoilt is returned where what is kept does not belong together: it was changed,
// or it is another's.
var ErrSpoilt = errors.New("it cannot be decrypted: what is stored was changed, or belongs elsewhere")

// UnknownKey is returned where the ring lacks the key that something is sealed with.
type UnknownKey struct {
	ID   string
	From string // where the ring was read
}

func (e *UnknownKey) Error() string {
	return fmt.Sprintf("%s does not have the key %s that this is encrypted with", e.From, e.ID)
}

// idOf names a key without giving it away.
func idOf(key []byte) string {
	sum := sha256.Sum256(append([]byte("roundhouse vault key\n"), key...))
	return hex.EncodeToString(sum[:6])
}

// Seal closes a value for a place, such as "secret/7", with a key of the ring.
func (r *Ring) Seal(id, place string, value []byte) (Sealed, error) {
	outer, err := r.key(id)
	if err != nil {
		return Sealed{}, err
	}
	own := make([]byte, keySize)
	if _, err := rand.Read(own); err != nil {
		return Sealed{}, err
	}
	s := Sealed{KeyID: id}
	if s.Wrapped, err = seal(outer, place+"/key", own); err != nil {
		return Sealed{}, err
	}
	s.Value, err = seal(own, place+"/value", value)
	return s, err
}

// Open gives the value back.
func (r *Ring) Open(place string, s Sealed) ([]byte, error) {
	own, err := r.own(place, s)
	if err != nil {
		return nil, err
	}
	return open(own, place+"/value", s.Value)
}

// Rewrap closes the secret's own key with another key of the ring. The value is not touched.
func (r *Ring) Rewrap(place string, s Sealed, id string) (Sealed, error) {
	own, err := r.own(place, s)
	if err != nil {
		return s, err
	}
	outer, err := r.key(id)
	if err != nil {
		return s, err
	}
	s.KeyID = id
	s.Wrapped, err = seal(outer, place+"/key", own)
	return s, err
}

// Digest says of a sealed value which it was, to those alone who can open it: it is
// what the record keeps of a secret that left.
func (r *Ring) Digest(place string, s Sealed) (string, error) {
	own, err := r.own(place, s)
	if err != nil {
		return "", err
	}
	value, err := open(own, place+"/value", s.Value)
	if err != nil {
		return "", err
	}
	mac := hmac.New(sha256.New, own)
	mac.Write([]byte("roundhouse digest\n"))
	mac.Write(value)
	return hex.EncodeToString(mac.Sum(nil)), nil
}

func (r *Ring) own(place string, s Sealed) ([]byte, error) {
	outer, err := r.key(s.KeyID)
	if err != nil {
		return nil, err
	}
	return open(outer, place+"/key", s.Wrapped)
}

// seal is AES-256-GCM with a random nonce before it; where says what it belongs to.
func seal(key []byte, where string, value []byte) ([]byte, error) {
	g, err := gcm(key)
	if err != nil {
		return nil, err
	}
	return g.Seal(nil, nil, value, []byte(where)), nil
}

func open(key []byte, where string, sealed []byte) ([]byte, error) {
	g, err := gcm(key)
	if err != nil {
		return nil, err
	}
	value, err := g.Open(nil, nil, sealed, []byte(where))
	if err != nil {
		return nil, ErrSpoilt
	}
	return value, nil
}

func gcm(key []byte) (cipher.AEAD, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCMWithRandomNonce(block)
}
