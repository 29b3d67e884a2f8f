package minify

import (
	"math/rand/v2"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/browsertest"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

// TestRandomSheets minifies random sheets; see tryRandom. Of some of them a
// browser must compute the same styles.
func TestRandomSheets(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	saved, size := 0, 0
	for seed := range uint64(300) {
		src := csstest.Random(rand.New(rand.NewPCG(seed, 7)), 12)
		small := tryRandom(t, src, []Size{Compressed, Uncompressed}[seed/30%2])
		size, saved = size+len(asIs(src)), saved+len(asIs(src))-len(small)
		if seed%30 == 0 {
			elements, diff := page.DiffStyles(src, small, 3)
			for _, d := range diff {
				t.Errorf("%s\n%s\n%s", d, src, small)
			}
			if elements < 50 {
				t.Errorf("seed %d: only %d elements", seed, elements)
			}
		}
		if t.Failed() {
			return
		}
	}
	t.Logf("%d%% smaller than compact printing alone", saved*100/size)
}

// tryRandom minifies a sheet for a size, and returns the result. All changes must be shown
// to be safe, and a second run must change nothing.
func tryRandom(t *testing.T, src string, size Size) string {
	t.Helper()
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	opts := Options{Targets: browsers.Default(), Size: size}
	_, undone := Proved(sheet.Nodes, opts)
	for _, u := range undone {
		t.Errorf("%s\n%s", u.Message, src)
	}
	small := minifiedFor(src, opts)
	if twice := minifiedFor(small, opts); twice != small {
		t.Errorf("a second run changes the result:\n%s\nonce  %s\ntwice %s", src, small, twice)
	}
	return small
}

// FuzzRandomSheets does what TestRandomSheets does without a browser.
func FuzzRandomSheets(f *testing.F) {
	f.Add(uint64(1), uint8(12))
	f.Add(uint64(540), uint8(70))  // nested selectors that exclude others
	f.Add(uint64(885), uint8(158)) // the order of declarations before and after merging
	f.Fuzz(func(t *testing.T, seed uint64, rules uint8) {
		src := csstest.Random(rand.New(rand.NewPCG(seed, 8)), 1+int(rules%40))
		tryRandom(t, src, []Size{Compressed, Uncompressed}[seed%2])
	})
}
