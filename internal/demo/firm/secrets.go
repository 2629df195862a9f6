package firm

import (
	"context"
	"encoding/base64"

	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"

	"roundhouse.example/internal/desk/whole"

	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/desk"
)

// Secrets puts some made-up ones into the vault: one that may be sent to its vendor,
// one that is only read out, one of our own, and one that stands on paper.
func Secrets(ctx context.Context, d *whole.Desk, st *db.Store) error {
	admin, err := peopledb.ByEmail(ctx, st.DB, "tuva@saltmarsh.example")
	if err != nil {
		return err
	}
	for _, x := range []struct {
		secret register.Secret
		value  string
	}{
		{register.Secret{Name: "corvane-passphrase", Vendor: "corvane", Label: "Support passphrase", Kind: "passphrase",
			Hosts: []string{"127.0.0.1"}, Holder: "Ragna Lie",
			Note: "The vendor asks for it before it touches the private network."},
			"copper-anchor-nineteen"},
		{register.Secret{Name: "pellow-merchant-pin", Vendor: "pellow", Label: "Merchant PIN", Kind: "pin",
			Readers: []string{"emil@saltmarsh.example", "solveig@saltmarsh.example"}, Note: "Only read out on the phone."},
			"804-1722"},
		{register.Secret{Name: "ninefathom-phone-phrase", Vendor: "ninefathom", Label: "Phrase for the phone desk",
			Kind: "passphrase", Holder: "Tuva Holm", Place: "The safe at Gannetholm, second envelope"}, ""},
		{register.Secret{Name: "desk-mailbox", Label: "Password of the desk's mailbox", Kind: "password",
			Hosts: []string{"mail.saltmarsh.example:587", "mail.saltmarsh.example:993"}}, "tide-table-4402-lantern"},
		{register.Secret{Name: "webhook-key", Label: "Key that signs our webhooks", Kind: "api-key",
			Hosts: []string{"tickets.saltmarsh.example"}}, "whsec_" + base64.StdEncoding.EncodeToString(
			[]byte("a ferry, a lantern, a tide table"))},
	} {
		if err := d.Secrets.Add(ctx, desk.Actor{Person: admin}, x.secret, x.value); err != nil {
			return err
		}
	}
	return nil
}
