// Package apart runs the built service in a process of its own, for what is measured from outside.
package apart

import (
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"roundhouse.example/internal/child"
)

// Service is the built service in a process of its own. Use Serve.
type Service struct {
	At    string // host:port
	Cmd   *exec.Cmd
	Ended <-chan struct{}
}

// Serve starts the built service and waits until it is ready.
func Serve(db string, flags ...string) (*Service, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s := &Service{At: l.Addr().String()}
	if err := l.Close(); err != nil {
		return nil, err
	}
	s.Cmd = exec.Command(filepath.Join("bin", "roundhouse"),
		append([]string{"serve", "--database", db, "--listen", s.At}, flags...)...)
	if s.Ended, err = child.Start(s.Cmd, syscall.SIGKILL); err != nil {
		return nil, err
	}
	for range 400 {
		if res, err := http.Get("http://" + s.At + "/readyz"); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return s, nil
			}
		}
		<-time.After(50 * time.Millisecond)
	}
	s.Stop()
	return nil, errors.New("the service does not get ready")
}

// Stop ends it.
func (s *Service) Stop() {
	_ = s.Cmd.Process.Signal(syscall.SIGINT)
	select {
	case <-s.Ended:
	case <-time.After(20 * time.Second):
		_ = s.Cmd.Process.Kill()
	}
}

// Memory is what the system says of it, in MB: VmRSS is what it holds now, VmHWM the most so far.
func (s *Service) Memory(what string) (float64, error) {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.Cmd.Process.Pid))
	if err != nil {
		return 0, err
	}
	_, rest, found := strings.Cut(string(status), what+":")
	if !found {
		return 0, fmt.Errorf("the system does not say %s", what)
	}
	kb, err := strconv.ParseFloat(strings.Fields(rest)[0], 64)
	return kb / 1000, err
}
