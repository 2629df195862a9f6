// Package child starts programs that must not outlive the one that starts them.
package child

import (
	"os/exec"
	"runtime"
	"syscall"
)

// Start starts a program that gets sig when this process dies, however it dies, and waits for
// its end: the channel is closed then, and cmd.ProcessState tells how it ended. The rest of
// cmd.SysProcAttr stays as it was.
func Start(cmd *exec.Cmd, sig syscall.Signal) (ended <-chan struct{}, err error) {
	if cmd.SysProcAttr == nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{}
	}
	cmd.SysProcAttr.Pdeathsig = sig
	started, end := make(chan error), make(chan struct{})
	go func() {
		// The signal is for the death of the thread that forked, so that thread is kept while the
		// child lives. It goes back afterwards: a thread that ends would take with it whatever
		// others have forked from it.
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		err := cmd.Start()
		started <- err
		if err == nil {
			_ = cmd.Wait()
			close(end)
		}
	}()
	return end, <-started
}
