// Package localpg runs a private PostgreSQL on a free loopback port, its data in
// a directory of its own. It dies with the program that started it, and a start
// after a kill cleans up what was left.
package localpg

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"roundhouse.example/internal/child"
)

// ErrInUse is returned where another program holds the directory.
var ErrInUse = errors.New("another roundhouse is running on this directory")

// Options say how a cluster is to be run.
type Options struct {
	// Dir holds everything: data, password, log. Its parents must let the user
	// postgres pass when we are root.
	Dir string
	// Fast gives up durability and the password, for tests.
	Fast bool
	// Port is the port to listen on; 0 takes a free one.
	Port int
}

// Server is a running PostgreSQL.
type Server struct {
	// URL connects to its database "roundhouse".
	URL  string
	port int
	pass string
	lock *os.File
	cmd  *exec.Cmd
	done <-chan struct{} // closed when it has ended
	sig  syscall.Signal
	c    cluster

	mu       sync.Mutex // of what follows, and of a start under way
	stopping bool
}

// Start takes the directory, makes the cluster if it is new, and waits until it answers.
func Start(ctx context.Context, o Options) (*Server, error) {
	bin, err := Find()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o711); err != nil {
		return nil, err
	}
	s := &Server{sig: syscall.SIGINT}
	if o.Fast {
		s.sig = syscall.SIGQUIT
	}
	// The lock comes before any look at the data: a second start must neither
	// stop nor share the first one's server.
	if s.lock, err = lockDir(dir); err != nil {
		return nil, err
	}
	c := cluster{bin: bin, dir: dir, data: filepath.Join(dir, "data"), fast: o.Fast, port: o.Port}
	if err := c.prepare(ctx); err != nil {
		unlock(s.lock)
		return nil, err
	}
	s.pass, s.c = c.pass, c
	if err := s.begin(ctx); err != nil {
		unlock(s.lock)
		return nil, err
	}
	s.URL = fmt.Sprintf("postgres://roundhouse:%s@127.0.0.1:%d/roundhouse?sslmode=disable", s.pass, s.port)
	return s, nil
}

// begin runs the server, as often as it takes.
func (s *Server) begin(ctx context.Context) error {
	for try := 0; ; try++ {
		err := s.run(ctx, s.c)
		// Another program may have taken the port between our look and our use, and
		// the last children of a killed server take a moment to go.
		if err == nil || try == 40 || !passing(err) {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// Watch starts the server again whenever it dies, until ctx ends or Stop is called; say is
// told of it. It returns an error where that does not help, so that nobody goes on without one.
func (s *Server) Watch(ctx context.Context, say func(string)) error {
	for tries := 0; ; {
		began := time.Now()
		s.mu.Lock()
		done := s.done
		s.mu.Unlock()
		select {
		case <-ctx.Done():
			return nil
		case <-done:
		}
		if time.Since(began) > time.Minute {
			tries = 0
		}
		if tries++; tries > 5 {
			return errors.New("the private PostgreSQL keeps crashing; its log is " + filepath.Join(s.c.dir, "postgres.log"))
		}
		again, err := s.again(ctx)
		if err != nil || !again {
			return err
		}
		say("the private PostgreSQL crashed and was started again")
	}
}

// again starts a server that has died, on its own port; false where it is to stay down.
func (s *Server) again(ctx context.Context) (bool, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.stopping || ctx.Err() != nil {
		return false, nil
	}
	s.c.port = s.port
	if err := s.begin(ctx); err != nil {
		if ctx.Err() != nil {
			return false, nil
		}
		return false, fmt.Errorf("the private PostgreSQL crashed and does not start again: %w", err)
	}
	return true, nil
}

// passing says whether a start failed for a reason that goes away by itself.
func passing(err error) bool {
	for _, s := range [...]string{"ddress already in use", "pre-existing shared memory block",
		"lock file \"postmaster.pid\""} {
		if strings.Contains(err.Error(), s) {
			return true
		}
	}
	return false
}

func lockDir(dir string) (*os.File, error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("%w: %s", ErrInUse, dir)
	}
	return f, nil
}

// unlock lets a directory go, also where a program that is just being started still has the file open.
func unlock(f *os.File) error {
	return errors.Join(syscall.Flock(int(f.Fd()), syscall.LOCK_UN), f.Close())
}

// Stop ends the server and lets the directory go.
func (s *Server) Stop() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stopping = true
	_ = s.cmd.Process.Signal(s.sig)
	select {
	case <-s.done:
	case <-time.After(20 * time.Second):
		_ = s.cmd.Process.Signal(syscall.SIGQUIT)
		<-s.done
	}
	return unlock(s.lock)
}

// Running is the URL of the server that another program runs on the directory.
func Running(dir string) (string, error) {
	pass, err := os.ReadFile(filepath.Join(dir, "password"))
	if err != nil {
		return "", err
	}
	pid, err := os.ReadFile(filepath.Join(dir, "data", "postmaster.pid"))
	if err != nil {
		return "", err
	}
	lines := strings.Split(string(pid), "\n")
	if len(lines) < 4 {
		return "", fmt.Errorf("the PostgreSQL in %s is still starting", dir)
	}
	return fmt.Sprintf("postgres://roundhouse:%s@127.0.0.1:%s/roundhouse?sslmode=disable",
		strings.TrimSpace(string(pass)), strings.TrimSpace(lines[3])), nil
}

// Exists says whether there is a cluster in the directory.
func Exists(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, "data", "PG_VERSION"))
	return err == nil
}

// Port is the one it answers on.
func (s *Server) Port() int { return s.port }

func (s *Server) run(ctx context.Context, c cluster) error {
	c.stopLeftover()
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", c.port))
	if err != nil {
		return err
	}
	s.port = l.Addr().(*net.TCPAddr).Port
	l.Close()
	args := []string{"-D", c.data, "-p", strconv.Itoa(s.port), "-c", "listen_addresses=127.0.0.1", "-c",
		"unix_socket_directories=",
		"-c", "log_parameter_max_length_on_error=0", "-c", "max_connections=200", "-c", "jit=off"}
	if c.fast {
		args = append(args, "-F", "-c", "synchronous_commit=off", "-c", "full_page_writes=off", "-c", "autovacuum=off",
			"-c", "wal_level=minimal", "-c", "max_wal_senders=0", "-c", "max_connections=400",
			// Tests are many connections that each ask a few times: what is planned once need not be planned again.
			"-c", "plan_cache_mode=force_generic_plan")
	}
	log, err := os.OpenFile(filepath.Join(c.dir, "postgres.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	from, _ := log.Seek(0, io.SeekEnd)
	// Not the caller's context: the server outlives it, and is ended by Stop.
	s.cmd = c.command(context.Background(), "postgres", args...)
	s.cmd.Stdout, s.cmd.Stderr = log, log
	if s.done, err = child.Start(s.cmd, s.sig); err != nil {
		return err
	}
	if err := s.ready(ctx, c, log.Name(), from); err != nil {
		return err
	}
	return c.createDatabase(ctx, s)
}

func (s *Server) ready(ctx context.Context, c cluster, log string, from int64) error {
	tail := func() string {
		b, _ := os.ReadFile(log)
		return string(b[min(int(from), len(b)):])
	}
	deadline := time.After(60 * time.Second)
	for {
		// One that died leaves its own word that it is ready.
		b, _ := os.ReadFile(filepath.Join(c.data, "postmaster.pid"))
		if pid, _, _ := bytes.Cut(b, []byte("\n")); string(pid) == strconv.Itoa(s.cmd.Process.Pid) &&
			bytes.Contains(b, []byte("\nready")) {
			return nil
		}
		select {
		case <-s.done:
			return fmt.Errorf("postgres did not start: %v: %s", s.cmd.ProcessState, tail())
		case <-ctx.Done():
			_ = s.cmd.Process.Signal(syscall.SIGQUIT)
			return ctx.Err()
		case <-deadline:
			_ = s.cmd.Process.Signal(syscall.SIGQUIT)
			return fmt.Errorf("postgres did not answer in a minute: %s", tail())
		case <-time.After(10 * time.Millisecond):
		}
	}
}

// Remove deletes a cluster's directory, unless it is in use.
func Remove(dir string) error {
	if _, err := os.Stat(dir); os.IsNotExist(err) {
		return nil
	}
	f, err := lockDir(dir)
	if err != nil {
		return err
	}
	defer f.Close()
	c := cluster{dir: dir, data: filepath.Join(dir, "data")}
	c.stopLeftover()
	return os.RemoveAll(dir)
}

// Kill ends the server without letting it finish anything, for tests of what a
// crash leaves behind.
func (s *Server) Kill() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stopping = true
	err := syscall.Kill(-s.cmd.Process.Pid, syscall.SIGKILL)
	<-s.done
	return errors.Join(err, unlock(s.lock))
}
