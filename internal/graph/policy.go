package graph

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// Policy is a content security policy of a page (Content Security Policy 3).
type Policy struct {
	Text string // decoded text
	At   Span   // value of the attribute
}

// sources returns the source list for a kind of request: that of the first of
// some directives in the policy. ok is false if the policy has none of them.
func (p Policy) sources(directives ...string) (list []string, ok bool) {
	found := make(map[string][]string)
	for _, directive := range strings.Split(p.Text, ";") {
		words := strings.Fields(directive)
		if len(words) == 0 {
			continue
		}
		if name := strings.ToLower(words[0]); found[name] == nil {
			found[name] = append([]string{}, words[1:]...)
		}
	}
	for _, name := range directives {
		if list, ok := found[name]; ok {
			return list, true
		}
	}
	return nil, false
}

// AllowsInlineStyle reports whether all policies of the page allow an
// additional style element (section 6.7.3.2): hashes and nonces only allow
// existing ones.
func (p *Page) AllowsInlineStyle() bool {
	for _, policy := range p.Policies {
		list, ok := policy.sources("style-src-elem", "style-src", "default-src")
		if !ok {
			continue
		}
		if !slices.ContainsFunc(list, func(s string) bool { return strings.EqualFold(s, "'unsafe-inline'") }) ||
			slices.ContainsFunc(list,
				func(s string) bool { return isHashSource(s) || strings.HasPrefix(strings.ToLower(s), "'nonce-") }) {
			return false
		}
	}
	return true
}

// AllowsData reports whether all policies of the page allow data URLs for
// images, or for fonts, in sheets.
func (p *Page) AllowsData(font bool) bool {
	kind := "img-src"
	if font {
		kind = "font-src"
	}
	for _, policy := range p.Policies {
		list, ok := policy.sources(kind, "default-src")
		if ok && !slices.ContainsFunc(list, func(s string) bool { return strings.EqualFold(s, "data:") }) {
			return false
		}
	}
	return true
}

// isHashSource reports whether a source is a hash.
func isHashSource(s string) bool {
	lower := strings.ToLower(s)
	return strings.HasPrefix(lower, "'sha256-") || strings.HasPrefix(lower, "'sha384-") ||
		strings.HasPrefix(lower, "'sha512-")
}

// Rehash returns the edits that replace the hash of each text in rewritten by
// that of its new text in the policies of the page. The hash is that of the
// text of a style element or script (section 6.7.2.3).
func (p *Page) Rehash(rewritten map[string]string) []Edit {
	var edits []Edit
	for _, policy := range p.Policies {
		text := policy.Text
		for was, is := range rewritten {
			for k, old := range hashSources(was) {
				text = strings.ReplaceAll(text, old, hashSources(is)[k])
			}
		}
		if text != policy.Text {
			edits = append(edits, Edit{policy.At, html.EscapeString(text)})
		}
	}
	return edits
}

// hashSources returns the hash sources of a text, in both base64 alphabets.
func hashSources(text string) []string {
	a, b, c := sha256.Sum256([]byte(text)), sha512.Sum384([]byte(text)), sha512.Sum512([]byte(text))
	var out []string
	for _, h := range []struct {
		name string
		sum  []byte
	}{{"sha256-", a[:]}, {"sha384-", b[:]}, {"sha512-", c[:]}} {
		out = append(out, h.name+base64.StdEncoding.EncodeToString(h.sum), h.name+base64.URLEncoding.EncodeToString(h.sum))
	}
	return out
}
