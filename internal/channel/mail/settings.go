// Package mail sends letters as email through an SMTP server of ours.
package mail

import (
	"bytes"
	"crypto/x509"
	"encoding/json"
	"fmt"
	stdmail "net/mail"
	"net/url"
	"slices"
	"strconv"
	"time"

	"roundhouse.example/internal/core/route"
)

// Settings are how our mail server wants to be used. The address of the link is smtps://HOST:PORT for TLS from the
// start, or smtp://HOST:PORT.
type Settings struct {
	From string `json:"from"`           // the desk's address
	Name string `json:"name,omitempty"` // who writes, beside the person, such as our company
	User string `json:"user,omitempty"` // to sign in; empty: without signing in
	// Secret is the name of the secret with the password.
	Secret string `json:"secret,omitempty"`
	// Auth is how to sign in: plain, login or cram-md5; empty: what the server offers.
	Auth string `json:"auth,omitempty"`
	// Clear sends over smtp:// without STARTTLS; allowed to this machine only.
	Clear bool `json:"clear,omitempty"`
	// Authority is a certificate in PEM to trust beside the machine's own, for a server with a private one.
	Authority string `json:"authority,omitempty"`
	// TimeoutSeconds is how long we wait for each answer; 30 where it is 0.
	TimeoutSeconds int `json:"timeout_seconds,omitempty"`
}

// Auths are the ways to sign in.
var Auths = []string{"plain", "login", "cram-md5"}

// Link is one mail server. Use New.
type Link struct {
	Settings
	host     string
	port     int
	secure   bool // TLS from the start
	pool     *x509.CertPool
	password string
}

// New makes a link, and says in words what is wrong with its address or settings.
func New(address string, description []byte) (*Link, error) {
	l := &Link{}
	dec := json.NewDecoder(bytes.NewReader(description))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&l.Settings); err != nil {
		return nil, fmt.Errorf("the link's settings: %w", err)
	}
	if err := l.at(address); err != nil {
		return nil, err
	}
	from, err := stdmail.ParseAddress(l.From)
	switch {
	case err != nil || from.Address != l.From:
		return nil, fmt.Errorf("the link's settings: from: %q is not an email address", l.From)
	case (l.User == "") != (l.Secret == ""):
		return nil, fmt.Errorf("the link's settings: give both the user and the secret with the password, or neither")
	case l.Auth != "" && !slices.Contains(Auths, l.Auth):
		return nil, fmt.Errorf("the link's settings: auth: use plain, login or cram-md5, not %q", l.Auth)
	case l.TimeoutSeconds < 0 || l.TimeoutSeconds > 600:
		return nil, fmt.Errorf("the link's settings: timeout_seconds: give 1 to 600")
	case l.Clear && l.secure:
		return nil, fmt.Errorf("the link's settings: clear: leave it out, because smtps always uses TLS")
	case l.Clear && !route.Here(l.host):
		return nil, fmt.Errorf("the link's settings: clear: only a server on this machine can be used without TLS")
	}
	if l.Authority != "" {
		if l.pool, err = x509.SystemCertPool(); err != nil {
			l.pool = x509.NewCertPool()
		}
		if !l.pool.AppendCertsFromPEM([]byte(l.Authority)) {
			return nil, fmt.Errorf("the link's settings: authority: there is no certificate in PEM in it")
		}
	}
	return l, nil
}

func (l *Link) at(address string) error {
	u, err := url.Parse(address)
	if err != nil || (u.Scheme != "smtp" && u.Scheme != "smtps") || u.Hostname() == "" || u.User != nil || u.Path != "" ||
		u.RawQuery != "" {
		return fmt.Errorf("the link's address: write it like smtps://mail.company.example:465 or " +
			"smtp://mail.company.example:587")
	}
	l.host, l.secure = u.Hostname(), u.Scheme == "smtps"
	if l.port = 587; l.secure {
		l.port = 465
	}
	if u.Port() != "" {
		if l.port, err = strconv.Atoi(u.Port()); err != nil || l.port < 1 || l.port > 65535 {
			return fmt.Errorf("the link's address: %s is not a port", u.Port())
		}
	}
	return nil
}

// Timeout is how long one sending may take.
func (l *Link) Timeout() time.Duration {
	if l.TimeoutSeconds == 0 {
		return 30 * time.Second
	}
	return time.Duration(l.TimeoutSeconds) * time.Second
}

// Settle is nothing: a mail server has taken a letter when it says so, or nobody can know.
func (l *Link) Settle() time.Duration { return 0 }

// SecretName is the name of the secret with the password; empty where there is no signing in.
func (l *Link) SecretName() string { return l.Secret }

// SignIn gives the password.
func (l *Link) SignIn(password string) { l.password = password }
