// Command cluster runs another command with a PostgreSQL for tests beside it,
// whose address stands in the file that ROUNDHOUSE_TEST_CLUSTER names.
package main

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"syscall"

	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/testdb"
)

func main() { os.Exit(run(os.Args[1:])) }

func run(args []string) int {
	fast := true
	if len(args) > 0 && args[0] == "--durable" {
		fast, args = false, args[1:]
	}
	if len(args) == 0 {
		fmt.Fprintln(os.Stderr, "cluster [--durable] COMMAND ...")
		return 2
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	dir, err := testdb.Dir(fast)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	pg, err := localpg.Start(ctx, localpg.Options{Dir: dir, Fast: fast})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer pg.Stop()
	cmd := exec.CommandContext(ctx, args[0], args[1:]...)
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	file, forget, err := publish(pg.URL)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer forget()
	cmd.Env = append(os.Environ(), testdb.Env+"="+file)
	err = cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return exit.ExitCode()
	} else if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	return 0
}

// publish writes the address into a file, the same for each run in a directory but for a second one beside it.
func publish(url string) (file string, forget func(), err error) {
	at, err := os.Getwd()
	if err != nil {
		return "", nil, err
	}
	file = filepath.Join(os.TempDir(), fmt.Sprintf("roundhouse-cluster-%x", sha256.Sum256([]byte(at)))[:32])
	f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY, 0o600)
	if err == nil && syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) != nil {
		f.Close()
		f, err = os.CreateTemp("", "roundhouse-cluster-")
	}
	if err != nil {
		return "", nil, err
	}
	forget = func() { os.Remove(f.Name()); f.Close() }
	if err = f.Truncate(0); err == nil {
		_, err = f.WriteString(url)
	}
	if err != nil {
		forget()
	}
	return f.Name(), forget, err
}
