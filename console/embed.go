// Package console holds the built web console. It is empty until npm has built it.
package console

import "embed"

// Files are the built console under dist.
//
//go:embed all:dist
var Files embed.FS
