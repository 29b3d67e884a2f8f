package graph

import (
	"strings"
	"testing"
)

func withPolicy(policies ...string) *Page {
	var b strings.Builder
	for _, p := range policies {
		b.WriteString(`<meta http-equiv="Content-Security-Policy" content="` + p + `">`)
	}
	return readPage(b.String())
}

func TestPolicy(t *testing.T) {
	tests := []struct {
		policies           []string
		inline, data, font bool
	}{
		{nil, true, true, true},
		{[]string{"script-src 'self'"}, true, true, true},
		{[]string{"default-src 'self'"}, false, false, false},
		{[]string{"default-src 'self'; style-src 'unsafe-inline'; img-src data:"}, true, true, false},
		{[]string{"DEFAULT-SRC 'self'; Style-Src 'Unsafe-Inline'"}, true, false, false},
		{[]string{"style-src 'unsafe-inline'; style-src-elem 'self'"}, false, true, true},
		{[]string{"style-src 'none'; style-src 'unsafe-inline'"}, false, true, true},           // the first one is used
		{[]string{"style-src 'unsafe-inline' 'sha256-AAAA'"}, false, true, true},               // hashes disable unsafe-inline
		{[]string{"style-src 'unsafe-inline' 'nonce-quay'"}, false, true, true},                // and so do nonces
		{[]string{"style-src 'unsafe-inline'", "default-src 'self' data:"}, false, true, true}, // every policy must allow it
		{[]string{"default-src *; img-src 'self' data:; font-src"}, false, true, false},
	}
	for _, test := range tests {
		p := withPolicy(test.policies...)
		if got := [3]bool{p.AllowsInlineStyle(), p.AllowsData(false), p.AllowsData(true)}; got != [3]bool{test.inline,
			test.data, test.font} {
			t.Errorf("%q: inline style, pictures and fonts are %v", test.policies, got)
		}
	}
}

func TestRehash(t *testing.T) {
	const was, is = "b { color: red }", "b{color:red}"
	for k, old := range hashSources(was) {
		text := `<meta http-equiv=content-security-policy content="style-src 'self' '` + old + `' 'sha256-other'"><style>`
		p := readPage(text)
		want := strings.Replace(text, old, hashSources(is)[k], 1)
		edits := p.Rehash(map[string]string{was: is})
		// An edit may write quotes as character references, which mean the
		// same.
		if got := strings.ReplaceAll(Apply(text, edits), "&#39;", "'"); got != want {
			t.Errorf("got  %s\nwant %s", got, want)
		}
		if edits := p.Rehash(map[string]string{is: was}); len(edits) > 0 {
			t.Errorf("a policy without the hash is changed: %v", edits)
		}
	}
}
