package standin

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"net/mail"
	"os"
	"path/filepath"
	"regexp"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// maxLetter is the longest email that is taken, in bytes.
const maxLetter = 25 << 20

// Mail is a mail server that delivers nothing: it keeps every letter as a file, for people to read. Use NewMail.
type Mail struct {
	dir    string
	server *smtp.Server
	mu     sync.Mutex
	taken  int
}

// NewMail keeps letters in a directory, which it makes.
func NewMail(dir string) (*Mail, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	m := &Mail{dir: dir}
	m.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &visit{m: m}, nil }))
	m.server.Domain = "mail.standin.example"
	m.server.MaxMessageBytes = maxLetter
	m.server.ReadTimeout, m.server.WriteTimeout = time.Minute, time.Minute
	m.server.ErrorLog = silent{} // who hangs up is no news
	return m, nil
}

type silent struct{}

func (silent) Printf(string, ...any) {}
func (silent) Println(...any)        {}

// Serve takes letters until Close.
func (m *Mail) Serve(l net.Listener) error { return m.server.Serve(l) }

// Close ends it.
func (m *Mail) Close() error { return m.server.Close() }

// visit is one connection.
type visit struct{ m *Mail }

func (*visit) Mail(string, *smtp.MailOptions) error { return nil }
func (*visit) Rcpt(string, *smtp.RcptOptions) error { return nil }
func (*visit) Reset()                               {}
func (*visit) Logout() error                        { return nil }

// Data keeps a letter under its Message-ID: whole, or not at all.
func (v *visit) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	msg, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil {
		return &smtp.SMTPError{Code: 554, EnhancedCode: smtp.EnhancedCode{5, 6, 0}, Message: "this is not an email"}
	}
	return v.m.keep(raw, msg.Header.Get("Message-Id"))
}

var unfit = regexp.MustCompile(`[^A-Za-z0-9@.-]+`)

func (m *Mail) keep(raw []byte, id string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.taken++
	name := fmt.Sprintf("%s-%03d-%.60s.eml", time.Now().UTC().Format("20060102-150405"), m.taken,
		unfit.ReplaceAllString(id, ""))
	part := filepath.Join(m.dir, name+".part")
	if err := os.WriteFile(part, raw, 0o600); err != nil {
		return err
	}
	return os.Rename(part, filepath.Join(m.dir, name))
}
