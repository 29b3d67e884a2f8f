package minify

import (
	"bytes"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/andybalholm/brotli"

	"rinzel/internal/browsers"
)

// trialDir is the environment variable with the folder of packages for
// TestShipped, which scripts/trial fills.
const trialDir = "RINZEL_TRIAL"

// TestShipped compares the minified form of each sheet of a folder with the one
// that its authors ship beside it, as x.min.css beside x.css: its size, its size
// after compression with brotli, and its size if that of the file counts.
func TestShipped(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip(trialDir + " names no folder of style sheets; see scripts/trial")
	}
	var raws, packs, smallest float64 // logarithms
	count := 0
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		base, ok := strings.CutSuffix(path, ".min.css")
		if err != nil || !ok {
			return err
		}
		text, err := os.ReadFile(base + ".css")
		if err != nil {
			return nil // it is shipped without its source
		}
		shipped, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		if shipped, text = withoutComments(shipped), withoutComments(text); len(shipped) < 200 || len(text) <= len(shipped) {
			return nil // there is nothing to minify
		}
		opts := Options{Targets: served(string(text))}
		ours := []byte(minifiedFor(string(text), opts))
		opts.Size = Uncompressed
		raw := float64(len(ours)) / float64(len(shipped))
		packed := float64(compressed(ours)) / float64(compressed(shipped))
		least := float64(len(minifiedFor(string(text), opts))) / float64(len(shipped))
		raws, packs, smallest, count = raws+math.Log(raw), packs+math.Log(packed), smallest+math.Log(least), count+1
		t.Logf("%.3f raw, %.3f brotli; uncompressed %.3f raw; %7d bytes: %s", raw, packed, least, len(ours),
			strings.TrimPrefix(base, dir))
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	n := float64(count)
	t.Logf("%.4f raw, %.4f brotli; uncompressed %.4f raw: geometric means of %d sheets",
		math.Exp(raws/n), math.Exp(packs/n), math.Exp(smallest/n), count)
}

// served returns the browsers that a sheet is taken to serve: those with custom
// properties if it uses them, otherwise older ones as well.
func served(text string) browsers.Targets {
	if strings.Contains(text, "var(--") {
		return browsers.AtLeast(map[string]browsers.Version{"chrome": 60000, "firefox": 60000, "safari": 12000, "edge": 79000})
	}
	return browsers.AtLeast(map[string]browsers.Version{"ie": 11000, "chrome": 40000, "firefox": 40000, "safari": 9000})
}

// withoutComments returns a sheet without comments: some are shipped with their
// licence, and some without it.
func withoutComments(text []byte) []byte {
	return append(bytes.TrimSpace(comments.ReplaceAll(text, nil)), '\n')
}

// comments matches comments; none of the sheets has one in a string.
var comments = regexp.MustCompile(`(?s)/\*.*?\*/`)

// compressed returns the size of text after compression.
func compressed(text []byte) int {
	var b bytes.Buffer
	w := brotli.NewWriterLevel(&b, brotli.BestCompression)
	w.Write(text) // a buffer does not fail
	w.Close()
	return b.Len()
}
