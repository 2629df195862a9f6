package register

import (
	"fmt"
	"regexp"
	"strings"

	"roundhouse.example/internal/core/disclosure"
)

// Secret is what is known of a secret beside its value: whose it is, where it may
// go, or who holds it and where the paper is.
type Secret struct {
	Name string `json:"name"`
	// Vendor is the key of the vendor that it is told to; empty where it is our own,
	// such as a mailbox's password.
	Vendor string `json:"vendor,omitempty"`
	Label  string `json:"label"` // what the vendor calls it
	Kind   string `json:"kind"`
	// Hosts are those that it may be sent to, with a port where it matters; none: it is only read out.
	Hosts []string `json:"hosts,omitempty"`
	// Readers are the email addresses of those of ours who may reveal it; none: all who may reveal secrets.
	Readers []string `json:"readers,omitempty"`
	Holder  string   `json:"holder,omitempty"` // who of ours holds it
	Place   string   `json:"place,omitempty"`  // where the paper is
	Note    string   `json:"note,omitempty"`
}

// SecretKinds are what a secret can be.
var SecretKinds = []string{"passphrase", "password", "api-key", "pin", "other"}

// MaxSecret is the length in bytes of the longest value.
const MaxSecret = 8 << 10

// longestHost is what a host's name, its port and the colon before it can be, in bytes. It stands apart from the
// pattern, which would take longer to make than most commands run.
const longestHost = 253 + 6

var hostName = regexp.MustCompile(`^(\[[0-9a-fA-F:]+\]|[a-z0-9]([a-z0-9.-]*[a-z0-9])?)(:[0-9]{1,5})?$`)

// Check says what is wrong with it; sealed says that its value is in the vault.
func (s Secret) Check(sealed bool) []Fault {
	var f faults
	if !disclosure.Name.MatchString(s.Name) {
		f.add("name", "use small letters, digits and dashes, like corvane-passphrase")
	}
	f.name("label", s.Label)
	must(&f, "kind", s.Kind, SecretKinds)
	f.names("hosts", s.Hosts)
	for i, h := range s.Hosts {
		if len(h) > longestHost || !hostName.MatchString(h) || strings.Contains(h, "..") {
			f.add(fmt.Sprintf("hosts[%d]", i),
				"%q is not a host; write it like desk.corvane.example, with :8443 where the port matters", clip(h))
		}
	}
	f.names("readers", s.Readers)
	for i, r := range s.Readers {
		if !strings.Contains(r, "@") {
			f.add(fmt.Sprintf("readers[%d]", i), "give the email address of one of our people")
		}
	}
	f.short("holder", s.Holder)
	f.short("place", s.Place)
	f.long("note", s.Note)
	if !sealed && s.Holder == "" && s.Place == "" {
		f.add("holder", "give the value, or say who holds it or where the paper copy is")
	}
	if !sealed && len(s.Hosts) > 0 {
		f.add("hosts", "without a value it cannot be sent anywhere")
	}
	return f
}

// MayGo says whether it may be sent to a host, which is given with its port.
func (s Secret) MayGo(host string) bool {
	host = strings.ToLower(host)
	bare := host
	if i := strings.LastIndex(host, ":"); i >= 0 && !strings.HasSuffix(host, "]") {
		bare = host[:i]
	}
	for _, h := range s.Hosts {
		if h == host || h == bare {
			return true
		}
	}
	return false
}
