package graph

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// Policy is a content security policy that a page states (Content Security Policy 3).
type Policy struct {
	Text string // as it reads
	At   Span   // of the attribute's value
}

// sources returns what a policy allows for a kind of request: the sources of the first of some
// directives that it has. ok is false if it says nothing of the kind.
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

// AllowsInlineStyle reports whether all policies of the page let a style element be added to it
// (section 6.7.3.2): hashes and nonces are for those that are there.
func (p *Page) AllowsInlineStyle() bool {
	for _, policy := range p.Policies {
		list, ok := policy.sources("style-src-elem", "style-src", "default-src")
		if !ok {
			continue
		}
		if !slices.ContainsFunc(list, func(s string) bool { return strings.EqualFold(s, "'unsafe-inline'") }) ||
			slices.ContainsFunc(list, func(s string) bool { return isHashSource(s) || strings.HasPrefix(strings.ToLower(s), "'nonce-") }) {
			return false
		}
	}
	return true
}

// AllowsData reports whether all policies of the page let sheets have pictures, or fonts, in data URLs.
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

func isHashSource(s string) bool {
	lower := strings.ToLower(s)
	return strings.HasPrefix(lower, "'sha256-") || strings.HasPrefix(lower, "'sha384-") || strings.HasPrefix(lower, "'sha512-")
}

// Rehash returns the edits of a page that make its policies name the hash of a text in place of that
// of another: of a style element or script that is rewritten (section 6.7.2.3: the hash is that of
// the text between the tags).
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

// hashSources returns the sources that allow a text by its hash, in both forms of base64.
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
