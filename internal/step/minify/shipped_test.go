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
// that its authors ship beside it, as x.min.css beside x.css: its size, and its
// size after compression with brotli, for browsers that are as old as those that
// the sheet serves, and for the default targets.
func TestShipped(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip(trialDir + " names no folder of style sheets; see scripts/trial")
	}
	var sums [5]float64 // of logarithms
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
		var ratios []float64
		for _, targets := range []browsers.Targets{served(string(text)), browsers.Default()} {
			ours := []byte(minifiedFor(string(text), Options{Targets: targets}))
			ratios = append(ratios, float64(len(ours))/float64(len(shipped)),
				float64(compressed(ours))/float64(compressed(shipped)))
		}
		least := minifiedFor(string(text), Options{Targets: browsers.Default(), Size: Uncompressed})
		ratios = append(ratios, float64(len(least))/float64(len(shipped)))
		for i, r := range ratios {
			sums[i] += math.Log(r)
		}
		count++
		t.Logf("%.3f raw %.3f brotli, default targets %.3f raw %.3f brotli, uncompressed %.3f raw: %7d bytes %s", ratios[0],
			ratios[1], ratios[2], ratios[3], ratios[4], len(shipped), strings.TrimPrefix(base, dir))
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for i := range sums {
		sums[i] = math.Exp(sums[i] / float64(count))
	}
	t.Logf("%.4f raw %.4f brotli, default targets %.4f raw %.4f brotli, uncompressed %.4f raw: geometric means of %d sheets",
		sums[0], sums[1], sums[2], sums[3], sums[4], count)
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
