package run

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/standin"
)

// Standin is the command standin.
func (a *Commands) Standin() *cobra.Command {
	var listen, file string
	var haste float64
	c := &cobra.Command{Use: "standin", Short: "Run the simulated vendors alone", Args: cobra.NoArgs,
		Long: "Plays the demo's vendors: their API, and engineers who answer by themselves. A word in " +
			"square\nbrackets in a subject picks how a job is dealt with: [steady], [detour], [lowers], [hurries], " +
			"[silent], [mute].",
		Example: "  roundhouse standin --listen 127.0.0.1:8099 --haste 60",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if haste <= 0 {
				return app.Usagef("--haste is above 0")
			}
			s, err := standin.New(standin.Options{Haste: haste, File: file})
			if err != nil {
				return err
			}
			l, err := net.Listen("tcp", listen)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "The stand-ins answer at http://%s\n", l.Addr())
			return playVendors(cmd.Context(), s, l)
		}}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8099", "address and port to answer on")
	c.Flags().Float64Var(&haste, "haste", 1, "divides every delay of the engineers")
	c.Flags().StringVar(&file, "file", "", "keep the jobs in this file across starts")
	return c
}

// playVendors serves a stand-in until ctx ends.
func playVendors(ctx context.Context, s *standin.Standin, l net.Listener) error {
	hs := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second}
	go s.Run(ctx)
	failed := make(chan error, 1)
	go func() { failed <- hs.Serve(l) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
	defer cancel()
	if hs.Shutdown(grace) != nil {
		_ = hs.Close()
	}
	return nil
}
