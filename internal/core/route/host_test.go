package route

import "testing"

func TestHere(t *testing.T) {
	t.Parallel()
	for host, want := range map[string]bool{"localhost": true, "127.0.0.1": true, "127.8.9.1": true, "::1": true,
		"::ffff:127.0.0.1": true, "10.0.0.1": false, "localhost.example": false, "127.0.0.1.example": false, "": false,
		"::": false, "0.0.0.0": false} {
		if got := Here(host); got != want {
			t.Errorf("%q: %v", host, got)
		}
	}
}
