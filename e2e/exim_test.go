package e2e

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"
)

// mailServer is Debian's exim, which takes letters with a password over TLS and keeps them.
type mailServer struct {
	dir, address, authority string
}

// exim's configuration: refused@ is refused, later@ is put off, and a subject with refuse-after-data is refused when
// the whole letter is there.
const eximConf = `primary_hostname = mail.saltmarsh.example
spool_directory = DIR/spool
log_file_path = DIR/log-%s
pid_file_path = DIR/pid
exim_user = Debian-exim
exim_group = Debian-exim
never_users =
daemon_smtp_ports = PORT
local_interfaces = 127.0.0.1
tls_advertise_hosts = *
tls_certificate = DIR/cert.pem
tls_privatekey = DIR/key.pem
auth_advertise_hosts = ${if eq{$tls_in_cipher}{}{}{*}}
acl_smtp_rcpt = rcpt
acl_smtp_data = data
message_size_limit = 20M
host_lookup =
rfc1413_query_timeout = 0s
keep_environment =
begin acl
rcpt:
  deny message = no such desk
       local_parts = refused
  defer message = come back later
       local_parts = later
  accept authenticated = *
  deny message = sign in first
data:
  deny message = 554 not after DATA
       condition = ${if match{$h_Subject:}{\Nrefuse-after-data\N}}
  accept
begin routers
all:
  driver = accept
  transport = box
begin transports
box:
  driver = appendfile
  maildir_format
  directory = DIR/mail
  create_directory
  user = Debian-exim
begin authenticators
plain:
  driver = plaintext
  public_name = PLAIN
  server_prompts = :
  server_condition = ${if and{{eq{$auth2}{desk}}{eq{$auth3}{harbour}}}}
  server_set_id = $auth2
login:
  driver = plaintext
  public_name = LOGIN
  server_prompts = Username:: : Password::
  server_condition = ${if and{{eq{$auth1}{desk}}{eq{$auth2}{harbour}}}}
  server_set_id = $auth1
cram:
  driver = cram_md5
  public_name = CRAM-MD5
  server_secret = ${if eq{$auth1}{desk}{harbour}fail}
  server_set_id = $auth1
`

// exim runs it for one test, on a port of its own.
func (w *world) exim() *mailServer {
	t := w.t
	t.Helper()
	const program = "/usr/sbin/exim4"
	if _, err := os.Stat(program); err != nil {
		t.Fatal("exim4 is not there: scripts/setup.sh test installs it")
	}
	dir, err := os.MkdirTemp("", "roundhouse-exim")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := free.Addr().String()
	free.Close()
	_, port, _ := net.SplitHostPort(address)
	m := &mailServer{dir: dir, address: "smtp://" + address, authority: certificate(t, dir)}
	conf := strings.NewReplacer("DIR", dir, "PORT", port).Replace(eximConf)
	if err := os.WriteFile(filepath.Join(dir, "exim.conf"), []byte(conf), 0o644); err != nil {
		t.Fatal(err)
	}
	if os.Getuid() == 0 { // it gives its rights away, and its files have to be its own
		who, err := user.Lookup("Debian-exim")
		if err != nil {
			t.Fatal(err)
		}
		id, _ := strconv.Atoi(who.Uid)
		group, _ := strconv.Atoi(who.Gid)
		for _, f := range []string{"", "cert.pem", "key.pem"} {
			if err := os.Chown(filepath.Join(dir, f), id, group); err != nil {
				t.Fatal(err)
			}
		}
	}
	cmd := exec.Command(program, "-C", filepath.Join(dir, "exim.conf"), "-bdf", "-q1m")
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM}
	cmd.Stdout, cmd.Stderr = os.Stderr, os.Stderr
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = cmd.Process.Signal(syscall.SIGTERM)
		_ = cmd.Wait()
	})
	w.until("exim answers", func() bool {
		c, err := net.Dial("tcp", address)
		return err == nil && c.Close() == nil
	})
	return m
}

// certificate is a private one of 127.0.0.1, in PEM.
func certificate(t *testing.T, dir string) string {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	c := &x509.Certificate{SerialNumber: big.NewInt(1), NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true,
		BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign}
	der, err := x509.CreateCertificate(rand.Reader, c, c, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	private, err := x509.MarshalECPrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	public := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})
	if err := os.WriteFile(filepath.Join(dir, "cert.pem"), public, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "key.pem"),
		pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: private}), 0o600); err != nil {
		t.Fatal(err)
	}
	return string(public)
}

// letters are what has arrived so far.
func (m *mailServer) letters(t *testing.T) (out []string) {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(m.dir, "mail", "new", "*"))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		raw, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, string(raw))
	}
	return out
}

// wait is until a number of letters has arrived.
func (m *mailServer) wait(w *world, n int) []string {
	w.t.Helper()
	w.until(fmt.Sprintf("%d letters are there", n), func() bool { return len(m.letters(w.t)) == n })
	return m.letters(w.t)
}
