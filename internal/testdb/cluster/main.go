// Command cluster runs another command with a PostgreSQL for tests beside it,
// named in ROUNDHOUSE_TEST_CLUSTER.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
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
	cmd.Env = append(os.Environ(), testdb.Env+"="+pg.URL)
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
