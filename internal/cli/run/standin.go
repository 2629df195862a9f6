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
	c := &cobra.Command{Use: "standin", Short: "Run only the simulated vendors", Args: cobra.NoArgs,
		Long: "Plays the demo's vendors: their API, and engineers who reply. A word in square brackets in " +
			"the title\nchooses how a case is handled: [steady], [detour], [lowers], [hurries], [silent], [mute].",
		Example: "  roundhouse standin --listen 127.0.0.1:8099 --speed 60",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if haste <= 0 {
				return app.Usagef("--speed must be above 0")
			}
			s, err := standin.New(standin.Options{Haste: haste, File: file})
			if err != nil {
				return err
			}
			l, err := net.Listen("tcp", listen)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "The simulated vendors are running at http://%s\n", l.Addr())
			return playVendors(cmd.Context(), s, l)
		}}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8099", "address and port to listen on")
	c.Flags().Float64Var(&haste, "speed", 1, "how many times faster than real time the engineers work")
	c.Flags().StringVar(&file, "file", "", "keep the cases in this file between runs")
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
