// Rinzel turns the style sheets of a website into the bundles that its pages
// load. See the README, or run: rinzel help
package main

import (
	"context"
	"os"
	"os/signal"

	"rinzel/internal/cli"
)

// main runs the command line until it is interrupted.
func main() {
	tuneCollector()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	code := cli.Run(ctx, os.Args[1:], cli.Standard())
	stop()
	os.Exit(code)
}
