package build_test

import (
	"bytes"
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"io"
	"regexp"
	"strings"
	"testing"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/gzip"

	"rinzel/internal/browsertest"
	"rinzel/internal/build"
)

// releaseSite is a site with a profile that writes hashes and compressed forms.
func releaseSite(t *testing.T) site {
	var css strings.Builder
	for i := range 60 {
		fmt.Fprintf(&css, ".berth-%d { margin: %dpx; border: 1px solid rgb(%d, 20, 30) }\n", i%3, i, i)
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

// TestCompressedForms unpacks them, and holds hashes to the files they are of.
func TestCompressedForms(t *testing.T) {
	res, found := releaseSite(t).build(t, "release")
	if found != "" {
		t.Fatal(found)
	}
	files := make(map[string][]byte)
	for _, o := range res.Outputs {
		files[o.Path] = o.Data
	}
	packed := 0
	for _, o := range res.Outputs {
		if o.Kind != build.PackedKind {
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

// TestBrowserChecksIntegrity loads a page with hashes: the browser must find them right.
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
