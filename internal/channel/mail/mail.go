package mail

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	stdmail "net/mail"
	"regexp"
	"strconv"
	"strings"
	"time"

	gomail "github.com/wneessen/go-mail"

	"roundhouse.example/internal/channel"
	"roundhouse.example/internal/core/route"
)

// Send hands a letter to our mail server. The error is *channel.Refused, *channel.NotSent, or any other where the
// server has the whole letter and did not say whether it took it.
func (l *Link) Send(ctx context.Context, letter channel.Letter) (channel.Receipt, error) {
	msg, err := l.message(letter)
	if err != nil {
		return channel.Receipt{}, &channel.Refused{Why: err.Error()}
	}
	for _, f := range letter.Files {
		content, err := f.Open()
		if err != nil {
			return channel.Receipt{}, &channel.NotSent{Why: err.Error()}
		}
		defer content.Close()
		msg.AttachReadSeeker(f.Name, content, gomail.WithFileContentType(gomail.ContentType(f.Type)),
			gomail.WithFileDescription(f.Caption), gomail.WithFileEncoding(gomail.EncodingB64))
	}
	c, err := l.client(letter.Longer())
	if err != nil {
		return channel.Receipt{}, &channel.NotSent{Why: err.Error()}
	}
	ctx, cancel := context.WithTimeout(ctx, l.Timeout()+letter.Longer())
	defer cancel()
	if err := c.DialWithContext(ctx); err != nil {
		return channel.Receipt{}, &channel.NotSent{Why: l.plain(err)}
	}
	defer func() { _ = c.Close() }() // it has the letter, or it does not: leaving without a word changes neither
	if err := c.Send(msg); err != nil && !msg.IsDelivered() {
		return channel.Receipt{}, l.sorted(err)
	}
	return channel.Receipt{MessageID: msg.GetMessageID()}, nil
}

// sorted says what a failed sending means. Before the last line of the letter the server has taken nothing.
func (l *Link) sorted(err error) error {
	var s *gomail.SendError
	if !errors.As(err, &s) {
		return &channel.NotSent{Why: l.plain(err)}
	}
	code := s.ErrorCode()
	said := "the mail server answered " + answer(s)
	switch {
	case code >= 500:
		return &channel.Refused{Why: said}
	case code >= 400:
		return &channel.NotSent{Why: said}
	case s.Reason == gomail.ErrSMTPDataClose:
		return fmt.Errorf("the mail server got the text, but did not say whether it accepted it (%s)", l.plain(err))
	}
	return &channel.NotSent{Why: l.plain(err)}
}

// The library says what the server answered, and for which addresses, only within a text of its own.
var (
	answered = regexp.MustCompile(`\b([45][0-9]{2}) ("(?:[^"\\]|\\.)*")`)
	affected = regexp.MustCompile(`affected recipient\(s\): (.*?)(, affected|$)`)
)

// answer is what the server said, and to which addresses.
func answer(s *gomail.SendError) string {
	m := answered.FindStringSubmatch(s.Error())
	if m == nil {
		return strconv.Itoa(s.ErrorCode())
	}
	said, err := strconv.Unquote(m[2])
	if err != nil {
		said = m[2]
	}
	said = m[1] + " " + strings.Join(strings.Fields(said), " ")
	if m := affected.FindStringSubmatch(s.Error()); m != nil {
		said += " (" + m[1] + ")"
	}
	return said
}

func (l *Link) plain(err error) string {
	switch text := err.Error(); {
	case errors.Is(err, context.DeadlineExceeded) || strings.Contains(text, "i/o timeout"):
		return fmt.Sprintf("no answer within %s", l.Timeout())
	case errors.Is(err, io.EOF) || strings.Contains(text, "EOF") || strings.Contains(text, "connection reset"):
		return "the connection was lost"
	default:
		return text
	}
}

func (l *Link) client(longer time.Duration) (*gomail.Client, error) {
	opts := []gomail.Option{gomail.WithPort(l.port), gomail.WithTimeout(l.Timeout() + longer), gomail.WithoutNoop(),
		gomail.WithTLSConfig(&tls.Config{ServerName: l.host, MinVersion: tls.VersionTLS12, RootCAs: l.pool})}
	switch {
	case l.secure:
		opts = append(opts, gomail.WithSSL())
	case l.Clear:
		opts = append(opts, gomail.WithTLSPolicy(gomail.NoTLS))
	default:
		opts = append(opts, gomail.WithTLSPolicy(gomail.TLSMandatory))
	}
	if l.User != "" {
		how := map[string]gomail.SMTPAuthType{"plain": gomail.SMTPAuthPlain, "login": gomail.SMTPAuthLogin,
			"cram-md5": gomail.SMTPAuthCramMD5, "": gomail.SMTPAuthAutoDiscover}[l.Auth]
		opts = append(opts, gomail.WithSMTPAuth(how), gomail.WithUsername(l.User), gomail.WithPassword(l.password))
	}
	return gomail.NewClient(l.host, opts...)
}

// message is a letter as email: what it belongs to stands in its subject and in its headers.
func (l *Link) message(letter channel.Letter) (*gomail.Msg, error) {
	if len(letter.To) == 0 {
		return nil, errors.New("the vendor has no email address: add a way by email to the vendor")
	}
	m := gomail.NewMsg(gomail.WithCharset(gomail.CharsetUTF8), gomail.WithEncoding(gomail.EncodingQP))
	who := letter.Caller
	if l.Name != "" {
		who = strings.TrimPrefix(who+", "+l.Name, ", ")
	}
	from := stdmail.Address{Name: who, Address: l.From}
	if err := m.From(from.String()); err != nil {
		return nil, err
	}
	if err := m.To(letter.To...); err != nil {
		return nil, fmt.Errorf("an address of the vendor's cannot be used: %w", err)
	}
	if err := m.Cc(letter.Copies...); err != nil {
		return nil, fmt.Errorf("an address to copy cannot be used: %w", err)
	}
	m.Subject(subject(letter))
	m.SetDate()
	_, domain, _ := strings.Cut(l.From, "@")
	m.SetMessageIDWithValue(letter.Marker + "@" + domain)
	if n := len(letter.After); n > 0 {
		m.SetGenHeader(gomail.HeaderInReplyTo, letter.After[n-1])
		m.SetGenHeader(gomail.HeaderReferences, strings.Join(letter.After, " "))
	}
	m.SetUserAgent("Roundhouse")
	m.SetBodyString(gomail.TypeTextPlain, letter.Text)
	if letter.Calendar != "" {
		m.AddAlternativeString(gomail.ContentType("text/calendar; method="+letter.Method), letter.Calendar)
	}
	return m, nil
}

// subject has the vendor's reference where it is known, and always ours.
func subject(l channel.Letter) string {
	s := strings.Join(strings.Fields(l.Subject), " ")
	if len(l.After) > 0 {
		s = "Re: " + s
	}
	for _, ref := range []string{l.Reference, l.Number} {
		if ref != "" {
			s += " [" + ref + "]"
		}
	}
	return s
}

// Try signs in at the server and leaves again.
func (l *Link) Try(ctx context.Context) error {
	c, err := l.client(0)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, l.Timeout())
	defer cancel()
	if err := c.DialWithContext(ctx); err != nil {
		return errors.New(l.plain(err))
	}
	return c.Close()
}

// TakesFiles says that an email has its files in it.
func (l *Link) TakesFiles() bool { return true }

// Collect brings nothing: mail is not read by this link.
func (l *Link) Collect(_ context.Context, cursor string) ([]channel.Incoming, string, error) {
	return nil, cursor, nil
}

// LookUp is channel.ErrNoLookUp: nobody can ask a mail server what became of a letter.
func (l *Link) LookUp(context.Context, route.Action, string, []string, time.Time) (*channel.Receipt, error) {
	return nil, channel.ErrNoLookUp
}
