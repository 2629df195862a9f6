//go:build !failpoints

// Package failpoint marks the places at which a test kills the service: one at
// each commit, and before and after each call to a vendor. In an ordinary build
// it does nothing.
package failpoint

// Hit is where the program may be killed.
func Hit(string) {}
