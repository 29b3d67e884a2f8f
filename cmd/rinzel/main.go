// Rinzel turns the style sheets of a website into the bundles that its pages
// load. See the README, or run: rinzel help
package main

import (
	"context"
	"os"
	"os/signal"
	"runtime/debug"

	"rinzel/internal/cli"
)

// collectAt is how far the heap grows, in percent of what is in use, before
// the garbage collector runs. A build is short and allocates trees that stay:
// collecting less often takes a fifth off its time and adds little memory.
const collectAt = 400

func main() {
	debug.SetGCPercent(collectAt)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	code := cli.Run(ctx, os.Args[1:], cli.Standard())
	stop()
	os.Exit(code)
}
