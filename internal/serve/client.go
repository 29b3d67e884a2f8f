package serve

import (
	_ "embed" // embeds the client
	"strings"
)

// The names of the client below ownPrefix: the script that pages get, and the
// module that it loads for changes that are rare. They are files of their own,
// because content security policies usually forbid inline scripts.
const (
	clientName = "client.js"
	moduleName = "page.js"
)

// The scripts as they are maintained.
var (
	//go:embed client.js
	clientSource string
	//go:embed page.js
	moduleSource string
)

// The scripts as they are served: without comments and indentation.
var (
	client       = compact(clientSource)
	clientModule = compact(moduleSource)
)

// compact returns a script without comments and indentation.
func compact(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line != "" && !strings.HasPrefix(line, "//") {
			b.WriteString(line + "\n")
		}
	}
	return b.String()
}
