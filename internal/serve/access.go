package serve

import (
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
)

// refuses returns why a request is refused, or "".
//
// A page from elsewhere can send requests to a server on this machine. It
// cannot read the answers, unless its own host name resolves to this machine,
// or the answer is a script or style sheet that it includes. The first is
// prevented by checking the host, the second by the headers that browsers add
// to requests of other origins (Fetch, section 3.2; Fetch Metadata, section 2).
func refuses(r *http.Request, hosts []string) string {
	if !isOwnHost(r.Host, hosts) {
		return "requests for this host name are refused: use the IP address of the server"
	}
	if origin := r.Header.Get("Origin"); origin != "" {
		u, err := url.Parse(origin)
		if err != nil || !strings.EqualFold(u.Host, r.Host) {
			return "requests from other origins are refused"
		}
	}
	// Following a link from elsewhere is fine: the other page cannot read what
	// it opens.
	if r.Header.Get("Sec-Fetch-Site") == "cross-site" && r.Header.Get("Sec-Fetch-Mode") != "navigate" {
		return "requests from other sites are refused"
	}
	return ""
}

// isOwnHost reports whether a Host header names this server: an IP address,
// which no DNS server can redirect, a name of the loopback address (RFC 6761,
// section 6.3), or one of hosts.
func isOwnHost(host string, hosts []string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.ToLower(strings.TrimSuffix(name, "."))
	if _, err := netip.ParseAddr(strings.Trim(name, "[]")); err == nil {
		return true
	}
	return name == "localhost" || strings.HasSuffix(name, ".localhost") || slices.Contains(hosts, name)
}
