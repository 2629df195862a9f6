package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	clisecrets "roundhouse.example/internal/cli/secrets"
	"roundhouse.example/internal/localpg"
	"roundhouse.example/internal/service"
)

func (a *Commands) logger(format string, level slog.Level) (*slog.Logger, error) {
	o := &slog.HandlerOptions{Level: level}
	switch format {
	case "text":
		return slog.New(slog.NewTextHandler(a.Stderr, o)), nil
	case "json":
		return slog.New(slog.NewJSONHandler(a.Stderr, o)), nil
	}
	return nil, app.Usagef("--log must be text or json, not %q", format)
}

// serving is what serve was told.
type serving struct {
	listen, database, data, files, cert, key, origin, log, keyFile, rules string
	proxies                                                               []string
	poll                                                                  time.Duration
}

// Serve is the command serve.
func (a *Commands) Serve() *cobra.Command {
	var o serving
	c := &cobra.Command{Use: "serve", Short: "Run the service", Args: cobra.NoArgs,
		Long: "Runs the service with the PostgreSQL that --database names, or with a private one under\n--data. Every " +
			"flag can also be set in the environment (ROUNDHOUSE_LISTEN for --listen, and\nso on) or in a file (--config).",
		Example: "  roundhouse serve --database postgres://desk@db.company.example/roundhouse --listen 127.0.0.1:8080\n " +
			" ROUNDHOUSE_LISTEN=:8443 roundhouse serve --tls-cert desk.crt --tls-key desk.key\n" +
			"  roundhouse serve --config desk.yaml",
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if err := app.Configured(cmd.Flags()); err != nil {
				return err
			}
			return a.serve(cmd.Context(), o)
		}}
	f := c.Flags()
	app.ConfigFlag(f)
	f.StringVar(&o.listen, "listen", "127.0.0.1:8080", "address and port to listen on")
	f.StringVar(&o.database, "database", "", "URL of a PostgreSQL; a private one is run if left out")
	f.StringVar(&o.data, "data", ".roundhouse", "directory of the private PostgreSQL and of files")
	f.StringVar(&o.files, "files", "",
		"directory for the files of cases; files under --data if left out. All services of a desk must share it")
	f.StringVar(&o.cert, "tls-cert", "", "certificate file; serves TLS")
	f.StringVar(&o.key, "tls-key", "", "the certificate's key file")
	f.StringVar(&o.keyFile, "key-file", "",
		"file with the keys that encrypt secrets (roundhouse key new makes one). With a private PostgreSQL it is "+
			"vault.key under --data, made when needed. The keys can be in ROUNDHOUSE_VAULT_KEY instead")
	f.StringVar(&o.origin, "origin", "",
		"the address that browsers use if there is a proxy, such as https://desk.company.example")
	f.StringSliceVar(&o.proxies, "proxies", nil,
		"addresses or networks of proxies whose X-Forwarded headers are trusted")
	f.StringVar(&o.rules, "rules", "",
		"YAML file with additional words for passwords and patterns of personal numbers, as roundhouse scan takes it; "+
			"give all services of a desk the same")
	f.DurationVar(&o.poll, "poll", 20*time.Second, "how often to poll the vendors' systems")
	f.StringVar(&o.log, "log", "text", "text or json")
	return c
}

func (a *Commands) serve(ctx context.Context, o serving) (err error) {
	log, err := a.logger(o.log, slog.LevelInfo)
	if err != nil {
		return err
	}
	own, err := a.Rules(o.rules)
	if err != nil {
		return err
	}
	if (o.cert == "") != (o.key == "") {
		return app.Usagef("--tls-cert and --tls-key must be given together")
	}
	ring, fresh, err := clisecrets.RingOf(o.keyFile, o.data, o.database == "")
	if err != nil {
		return err
	}
	if o.database == "" {
		pg, err := localpg.Start(ctx, localpg.Options{Dir: filepath.Join(o.data, "postgres")})
		if err != nil {
			return err
		}
		defer pg.Stop()
		o.database = pg.URL
		var stop func() error
		ctx, stop = watched(ctx, pg, log)
		defer func() { err = errors.Join(err, stop()) }()
	}
	l, err := net.Listen("tcp", o.listen)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w", o.listen, err)
	}
	if o.files == "" {
		o.files = filepath.Join(o.data, "files")
	}
	return service.Run(ctx, service.Options{Database: o.database, Listener: l, Proxies: o.proxies, Origin: o.origin,
		TLSCert: o.cert, TLSKey: o.key, Look: o.poll, Log: log, Vault: ring, NewVault: fresh, Rules: own, Files: o.files},
		func(url string) { log.Info("serving", "url", url) })
}

// watched starts a private PostgreSQL again when it dies; where that does not help, the
// context ends, and stop says why.
func watched(ctx context.Context, pg *localpg.Server, log *slog.Logger) (context.Context, func() error) {
	ctx, cancel := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() {
		err := pg.Watch(ctx, func(words string) { log.Warn(words) })
		if err != nil {
			log.Error("the service ends", "error", err)
			cancel()
		}
		ended <- err
	}()
	return ctx, func() error { cancel(); return <-ended }
}

// listenNear takes the port, or the next free one when it may wander.
func listenNear(port int, wander bool) (net.Listener, error) {
	for p := port; ; p++ {
		l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", p))
		if err == nil || !wander || p >= port+100 {
			return l, err
		}
	}
}

// logFile is where the demo's service writes, so that its terminal stays readable.
func logFile(dir string) (io.WriteCloser, error) {
	return os.OpenFile(filepath.Join(dir, "service.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
}
