package serve

import (
	_ "embed" // embeds the client
	"net/http"
	"strings"
	"time"
)

// clientName is the name of the client script below ownPrefix. It is a file of
// its own, because content security policies usually forbid inline scripts.
const clientName = "client.js"

// clientSource is the script as it is maintained.
//
//go:embed client.js
var clientSource string

// client is the script as it is served: without comments and indentation.
var client = func() string {
	var b strings.Builder
	for line := range strings.Lines(clientSource) {
		if line = strings.TrimSpace(line); line != "" && !strings.HasPrefix(line, "//") {
			b.WriteString(line + "\n")
		}
	}
	return b.String()
}()

// serveClient serves the client script.
func serveClient(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/javascript; charset=utf-8")
	http.ServeContent(w, r, "", time.Time{}, strings.NewReader(client))
}
