package register

import (
	"strings"
	"testing"
)

func TestSecrets(t *testing.T) {
	good := Secret{Name: "corvane-passphrase", Label: "Support passphrase", Kind: "passphrase",
		Hosts: []string{"desk.corvane.example:8443", "127.0.0.1", "[::1]:80"}, Readers: []string{"a@b.example"}}
	if f := good.Check(true); len(f) > 0 {
		t.Error(f)
	}
	for what, x := range map[string]struct {
		change func(*Secret)
		sealed bool
		want   string
	}{
		"a name with a space": {func(s *Secret) { s.Name = "Corvane x" }, true, "name: "},
		"no label":            {func(s *Secret) { s.Label = "" }, true, "label: it is empty: fill it in"},
		"a kind that is none": {func(s *Secret) { s.Kind = "sesame" }, true, "kind: "},
		"an address": {func(s *Secret) {
			s.Hosts = []string{"https://desk.corvane.example/x"}
		}, true, "hosts[0]: "},
		"any host":             {func(s *Secret) { s.Hosts = []string{"*.corvane.example"} }, true, "hosts[0]: "},
		"a host twice":         {func(s *Secret) { s.Hosts = []string{"a.example", "a.example"} }, true, "hosts[1]: "},
		"a reader by name":     {func(s *Secret) { s.Readers = []string{"Ragna"} }, true, "readers[0]: "},
		"nobody has it":        {func(s *Secret) { s.Hosts = nil }, false, "holder: give the value"},
		"paper that is sent":   {func(s *Secret) { s.Place = "safe" }, false, "hosts: without a value"},
		"dots without letters": {func(s *Secret) { s.Hosts = []string{"a..b"} }, true, "hosts[0]: "},
	} {
		s := good
		x.change(&s)
		f := s.Check(x.sealed)
		if len(f) == 0 || !strings.HasPrefix(f[0].String(), x.want) {
			t.Errorf("%s: %v, want %q", what, f, x.want)
		}
	}
	for host, want := range map[string]bool{"desk.corvane.example:8443": true, "DESK.corvane.example:8443": true,
		"desk.corvane.example": false, "desk.corvane.example:443": false,
		"127.0.0.1:19080": true, "127.0.0.1": true, "127.0.0.10:80": false, "evil-desk.corvane.example:8443": false,
		"[::1]:80": true, "[::1]:81": false, "": false} {
		if good.MayGo(host) != want {
			t.Errorf("to %q: %v", host, !want)
		}
	}
	if (Secret{}).MayGo("") {
		t.Error("bound to nothing, it goes nowhere")
	}
}
