// Command roundhouse is the service, the terminal, the demo and the stand-ins.
package main

import (
	"os"
	_ "time/tzdata" // zones are the same on every machine

	"roundhouse.example/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:])) }
