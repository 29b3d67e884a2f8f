package serve

import (
	"net/url"
	"strings"

	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/emit"
)

// This file gives images and fonts that changed a new URL in the sheets that use
// them: a browser shows what it already loaded from a URL, even in a new sheet,
// as long as the page is open.

// versionQuery is the name of the query parameter that makes a URL new. The
// client uses the same.
const versionQuery = "rinzel"

// noteVersions records the snapshot in which each asset changed last.
func (n *Snapshot) noteVersions(before *Snapshot) {
	if before == nil {
		return
	}
	n.versions = make(map[string]string, len(before.versions))
	for name, sum := range before.versions {
		n.versions[name] = sum
	}
	for name, f := range n.files {
		if old := before.files[name]; f.Kind == emit.AssetKind && old != nil && old.hash() != f.hash() {
			n.versions[n.Base+name] = n.sum
		}
	}
}

// versioned returns the text of a sheet at a URL path, with the versions of the
// assets that it refers to. changed is false if the text is the same.
func (n *Snapshot) versioned(urlPath, css string) (text string, changed bool) {
	if len(n.versions) == 0 {
		return css, false
	}
	base := &url.URL{Path: urlPath}
	var b strings.Builder
	done := 0
	for s := scan.New(css); ; {
		t := s.Next()
		if t.Kind == token.EOF {
			break
		}
		raw := t.Text(css)
		value, end := "", 0 // end is where the query goes
		switch t.Kind {
		case token.String:
			value, end = token.StringValue(raw), len(raw)-1
		case token.URL:
			value, end = token.URLValue(raw), len(strings.TrimRight(strings.TrimSuffix(raw, ")"), " \t\r\n\f"))
		default:
			continue
		}
		to, err := base.Parse(value)
		if err != nil || to.Host != "" || n.versions[to.Path] == "" {
			continue
		}
		query := "?" + versionQuery + "=" + n.versions[to.Path]
		if to.RawQuery != "" {
			query = "&" + query[1:]
		}
		if to.Fragment != "" {
			end -= len(raw[:end]) - strings.LastIndexByte(raw[:end], '#')
		}
		at := int(t.Start) + end
		b.WriteString(css[done:at])
		b.WriteString(query)
		done = at
	}
	if done == 0 {
		return css, false
	}
	b.WriteString(css[done:])
	return b.String(), true
}
