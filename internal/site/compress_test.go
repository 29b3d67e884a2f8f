package site_test

import (
	"bytes"
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"io"
	"path"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"

	"rinzel/internal/browsertest"
	"rinzel/internal/emit"
)

// releaseSite is a site with a profile with integrity hashes and compressed
// files.
func releaseSite(t *testing.T) testSite {
	var css strings.Builder
	for i := range 60 {
		fmt.Fprintf(&css, ".berth-%d:not(#b%d) { margin: %dpx; border: 1px solid rgb(%d, 20, 30) }\n", i%3, i, i, i)
	}
	return newSite(t, `
-- site/index.html --
<link rel=stylesheet href="main.css"><p class="berth-0 berth-1 berth-2">x</p>
-- site/main.css --
`+css.String()+`
-- rinzel.toml --
source = "site"
[profile.release]
inherits = "production"
integrity = true
compress = ["brotli", "gzip"]
`)
}

// TestCompressedForms decompresses the files, and compares integrity hashes
// with them.
func TestCompressedForms(t *testing.T) {
	res, found := releaseSite(t).build(t, "release")
	if found != "" {
		t.Fatal(found)
	}
	files := make(map[string][]byte)
	for _, o := range res.Outputs {
		files[o.Path] = []byte(contentOf(o))
	}
	packed := 0
	for _, o := range res.Outputs {
		if o.Kind != emit.CompressedKind {
			continue
		}
		packed++
		name, isGzip := strings.CutSuffix(o.Path, ".gz")
		name = strings.TrimSuffix(name, ".br")
		var r io.Reader = brotli.NewReader(bytes.NewReader(o.Data))
		if isGzip {
			var err error
			if r, err = gzip.NewReader(bytes.NewReader(o.Data)); err != nil {
				t.Fatal(err)
			}
		}
		got, err := io.ReadAll(r)
		if err != nil || !bytes.Equal(got, files[name]) || len(o.Data) >= len(files[name]) {
			t.Errorf("%s: %v, %d bytes of %d", o.Path, err, len(o.Data), len(files[name]))
		}
	}
	if packed != 4 { // the sheet and its map
		t.Errorf("%d compressed forms", packed)
	}
	for _, m := range regexp.MustCompile(`href="([^"]+)" integrity="sha384-([^"]+)"`).FindAllSubmatch(files["index.html"], -1) {
		sum := sha512.Sum384(files[string(m[1])])
		if want := base64.StdEncoding.EncodeToString(sum[:]); string(m[2]) != want {
			t.Errorf("%s has the hash %s, want %s", m[1], m[2], want)
		}
		packed = 0
	}
	if packed != 0 {
		t.Errorf("no hash in %s", files["index.html"])
	}
}

// TestBrowserChecksIntegrity loads a page with integrity hashes, which the
// browser must accept.
func TestBrowserChecksIntegrity(t *testing.T) {
	s := releaseSite(t)
	s.build(t, "release")
	page := browsertest.Start(t).Open("about:blank")
	page.Load(serve(t, s.output("release")) + "/index.html")
	var margin string
	page.Eval(`getComputedStyle(document.querySelector("p")).marginTop`, &margin)
	if problems := page.Problems(); len(problems) > 0 || margin != "59px" {
		t.Errorf("a margin of %s, %s", margin, problems)
	}
}

// TestLongNames checks that a hashed name is not too long for a folder.
func TestLongNames(t *testing.T) {
	picture, sheet := strings.Repeat("ä", 124)+".svg", strings.Repeat("q", 250)
	s := newSite(t, `
-- rinzel.toml --
source = "site"
[purge]
keep = [".a"]
evidence = ["*.txt"]
[bundles."`+sheet+`"]
from = ["a.css"]
-- site/a.txt --
a
-- site/a.css --
.a { background: url("`+picture+`") }
-- site/`+picture+` --
<svg xmlns="http://www.w3.org/2000/svg"/>
`)
	res, found := s.build(t, "production")
	if !res.Writable() {
		t.Fatal(found)
	}
	long := 0
	for _, o := range res.Outputs {
		base := path.Base(o.Path)
		if len(base) > 255 || !utf8.ValidString(base) {
			t.Errorf("the name %q has %d bytes", base, len(base))
		}
		if len(base) > 240 {
			long++
		}
	}
	if long < 2 {
		t.Errorf("only %d long names", long)
	}
}

// TestHashedNameWithInlineMap checks that a hashed name identifies one content:
// an inline source map is included in the hash.
func TestHashedNameWithInlineMap(t *testing.T) {
	names := make(map[string]string)
	for _, comment := range []string{"north", "south"} {
		s := newSite(t, `
-- rinzel.toml --
source = "site"
[profile.release]
inherits = "production"
maps = "inline"
-- site/index.html --
<link rel=stylesheet href=a.css><p class=a>
-- site/a.css --
/* `+comment+` */
.a { color: teal }
`)
		res, found := s.build(t, "release")
		if len(res.Outputs) == 0 {
			t.Fatal(found)
		}
		for _, o := range res.Outputs {
			if other, ok := names[o.Path]; ok && o.Kind == emit.StyleKind && other != contentOf(o) {
				t.Errorf("%s has two contents", o.Path)
			}
			names[o.Path] = contentOf(o)
		}
	}
}
