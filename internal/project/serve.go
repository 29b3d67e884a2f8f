package project

import (
	"fmt"
	"maps"
	"net/url"
	"regexp"
	"slices"
	"strings"
)

// This file reads the settings of the development server.

// Serve are the settings of the development server.
type Serve struct {
	// Fallback is the page that is served instead of a missing one, relative to
	// the output folder; empty for none.
	Fallback string
	// Editor is the URL of a place in an editor, with {path}, {line} and
	// {column}; empty for none.
	Editor string
	// Proxy are the paths that other servers answer, ordered by path.
	Proxy []Proxy
}

// Proxy is a URL path that another server answers.
type Proxy struct {
	Path   string
	Target *url.URL
}

// fileServe is [serve] in the settings file.
type fileServe struct {
	Fallback string            `toml:"fallback"`
	Editor   string            `toml:"editor"`
	Proxy    map[string]string `toml:"proxy"`
}

// serve reads [serve].
func (r *reader) serve(s *Settings, raw fileServe) {
	s.Serve = Serve{Fallback: raw.Fallback, Editor: raw.Editor}
	if raw.Editor != "" {
		scheme, _, ok := strings.Cut(raw.Editor, ":")
		switch scheme = strings.ToLower(scheme); {
		case !ok || !urlSchemes.MatchString(scheme) || slices.Contains([]string{"javascript", "data", "vbscript"}, scheme):
			r.fail(r.positions.value("serve", "editor"), fmt.Sprintf("editor is not a URL that opens a file: %q", raw.Editor),
				`write a URL such as "editor://open?file={path}&line={line}"`)
		case !strings.Contains(raw.Editor, "{path}"):
			r.fail(r.positions.value("serve", "editor"), fmt.Sprintf("missing {path} in editor = %q", raw.Editor),
				"{path}, {line} and {column} are replaced by the place of a finding")
		}
	}
	for _, path := range slices.Sorted(maps.Keys(raw.Proxy)) {
		at := r.positions.value("serve", "proxy", path)
		target, err := ServerURL(raw.Proxy[path])
		switch {
		case !strings.HasPrefix(path, "/"):
			r.fail(at, fmt.Sprintf("proxy path %q does not start with a slash", path), fmt.Sprintf("write %q", "/"+path))
		case err != nil:
			r.fail(at, fmt.Sprintf("proxy target of %q %v", path, err), `write a URL such as "http://127.0.0.1:8000"`)
		default:
			s.Serve.Proxy = append(s.Serve.Proxy, Proxy{path, target})
		}
	}
}

// urlSchemes matches a URL scheme in lower case (RFC 3986, section 3.1).
var urlSchemes = regexp.MustCompile(`^[a-z][a-z0-9+.-]*$`)

// ServerURL parses the URL of a server. Its path may be that of a folder. The
// error says what is wrong with it, as the end of a sentence.
func ServerURL(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	switch {
	case err != nil:
		return nil, fmt.Errorf("is not a URL: %q", text)
	case u.Scheme != "http" && u.Scheme != "https":
		return nil, fmt.Errorf("is not an http or https URL: %q", text)
	case u.Hostname() == "":
		return nil, fmt.Errorf("has no host: %q", text)
	case u.RawQuery != "" || u.Fragment != "" || u.User != nil:
		return nil, fmt.Errorf("has more than scheme, host and path: %q", text)
	}
	return u, nil
}
