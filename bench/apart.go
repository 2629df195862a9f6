package main

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

// apart is the built service in a process of its own.
type apart struct {
	at    string // host:port
	cmd   *exec.Cmd
	ended <-chan struct{}
}

// serve starts the built service and waits until it is ready.
func serve(db string, flags ...string) (*apart, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s := &apart{at: l.Addr().String()}
	if err := l.Close(); err != nil {
		return nil, err
	}
	s.cmd = exec.Command(filepath.Join("bin", "roundhouse"),
		append([]string{"serve", "--database", db, "--listen", s.at}, flags...)...)
	if s.ended, err = child.Start(s.cmd, syscall.SIGKILL); err != nil {
		return nil, err
	}
	for range 400 {
		if res, err := http.Get("http://" + s.at + "/readyz"); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return s, nil
			}
		}
		<-time.After(50 * time.Millisecond)
	}
	s.stop()
	return nil, errors.New("the service does not get ready")
}

func (s *apart) stop() {
	_ = s.cmd.Process.Signal(syscall.SIGINT)
	select {
	case <-s.ended:
	case <-time.After(20 * time.Second):
		_ = s.cmd.Process.Kill()
	}
}

// memory is what the system says of it, in MB: VmRSS is what it holds now, VmHWM the most so far.
func (s *apart) memory(what string) (float64, error) {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
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
