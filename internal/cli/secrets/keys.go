package secrets

import (
	"errors"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/vault"
)

// RingOf reads the keys to the secrets: from the environment, or from a file. fresh
// names the file that a desk which never had a key gets one in.
func RingOf(file, data string, private bool) (ring *vault.Ring, fresh string, err error) {
	if text := os.Getenv("ROUNDHOUSE_VAULT_KEY"); text != "" {
		if file != "" {
			return nil, "", app.Usagef("give --key-file or ROUNDHOUSE_VAULT_KEY, not both")
		}
		ring, err = vault.Parse(text, "ROUNDHOUSE_VAULT_KEY")
		return ring, "", err
	}
	if file == "" && !private {
		return nil, "", nil
	}
	if file != "" {
		ring, err = vault.Load(file)
		return ring, "", err
	}
	file = filepath.Join(data, "vault.key")
	ring, err = vault.Load(file)
	if errors.Is(err, vault.ErrNoFile) {
		return nil, file, nil
	}
	return ring, "", err
}

// Keys is the command group key.
func (a *Commands) Keys() *cobra.Command {
	made := &cobra.Command{Use: "new FILE", Short: "Make a key file for the vault, readable only by its owner",
		Args: cobra.ExactArgs(1),
		Long: "Makes a file with a new key, mode 0600. Keep a copy of it, apart from backups of the database: a secret " +
			"can\nonly be read with both. No service is needed.",
		Example: "  roundhouse key new vault.key",
		RunE: func(_ *cobra.Command, args []string) error {
			ring, err := vault.Create(args[0])
			if err != nil {
				return err
			}
			a.Printer().Line("%s has the key %s. Keep a copy, apart from backups of the database; start the service with "+
				"--key-file %s.", args[0], ring.First(), args[0])
			return nil
		}}
	show := &cobra.Command{Use: "show", Short: "Show whether the vault is unlocked, and which key encrypts secrets",
		Args: cobra.NoArgs, Example: "  roundhouse key show",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			var v clientgen.Vault
			if _, err := c.Do(cmd.Context(), "GET", "/vault", nil, nil, &v); err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(v)
			}
			switch {
			case !v.Unlocked:
				p.Line("The vault is locked: the service runs without its key. %s in it.",
					app.Capital(app.Number(v.Secrets, "secret")))
			default:
				p.Line("The vault is unlocked; %s in it, encrypted with the key %s%s.", app.Number(v.Secrets, "secret"),
					app.Deref(v.Key),
					a.since(cmd.Context(), v.Since))
				if k := app.Deref(v.Keys); len(k) > 1 {
					p.Line("Older keys, for backups made with them: %s.", strings.Join(k[1:], ", "))
				}
			}
			return nil
		}}
	return app.Group("key", "The key to the vault of secrets", made, show, a.rotateKey())
}

func (a *Commands) rotateKey() *cobra.Command {
	var forget bool
	rotate := &cobra.Command{Use: "rotate",
		Short: "Make a new key and encrypt every secret with it, while people keep working",
		Args:  cobra.NoArgs,
		Long: "Puts a new key first in the service's key file, and encrypts every secret with it. If it is " +
			"interrupted, run it\nagain. Older keys stay in the file for backups that were made with them, unless --forget " +
			"removes them. If several\nservices share a database, give each the new file.",
		Example: "  roundhouse key rotate",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			var r clientgen.Rotation
			if _, err := c.Do(cmd.Context(), "POST", "/vault/rotation", map[string]any{"forget": forget}, nil, &r); err != nil {
				return err
			}
			p := a.Printer()
			if a.Format == "json" {
				return p.JSON(r)
			}
			p.Line("The key is now %s instead of %s; %s encrypted again. Keep a copy of the key file.", r.To, r.From,
				app.Number(r.Secrets, "secret"))
			if r.Forgotten {
				p.Line("Older keys were removed from the file.")
			}
			return nil
		}}
	rotate.Flags().BoolVar(&forget, "forget", false,
		"remove older keys from the file; secrets in backups made with them can then no longer be read")
	return rotate
}
