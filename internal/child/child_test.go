package child

import (
	"os/exec"
	"runtime"
	"syscall"
	"testing"
)

// The end of one program never ends another: neither one that Start started, nor one that a
// library forked with the same wish from whatever thread it was on.
func TestOneEndsAlone(t *testing.T) {
	type alive struct {
		cmd   *exec.Cmd
		ended <-chan struct{}
	}
	var long []alive
	for range 30 {
		ours := exec.Command("sleep", "600")
		ended, err := Start(ours, syscall.SIGKILL)
		if err != nil {
			t.Fatal(err)
		}
		long = append(long, alive{ours, ended})
		theirs, end := exec.Command("sleep", "600"), make(chan struct{})
		theirs.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
		forked := make(chan error)
		go func() {
			forked <- theirs.Start()
			runtime.Gosched()
		}()
		if err := <-forked; err != nil {
			t.Fatal(err)
		}
		go func() { _ = theirs.Wait(); close(end) }()
		long = append(long, alive{theirs, end})
		for range 4 {
			brief, err := Start(exec.Command("true"), syscall.SIGKILL)
			if err != nil {
				t.Fatal(err)
			}
			<-brief
		}
	}
	for _, one := range long {
		select {
		case <-one.ended:
			t.Errorf("one ended with others: %v", one.cmd.ProcessState)
		default:
		}
		_ = one.cmd.Process.Kill()
		<-one.ended
	}
}

func TestWhatCannotStart(t *testing.T) {
	if _, err := Start(exec.Command("/nowhere/at/all"), syscall.SIGKILL); err == nil {
		t.Error("it started")
	}
}
