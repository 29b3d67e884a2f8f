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
		small := tryRandom(t, src)
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

// tryRandom minifies a sheet, and returns the result. All changes must be shown
// to be safe, and a second run must change nothing.
func tryRandom(t *testing.T, src string) string {
	t.Helper()
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	_, undone := Proved(sheet.Nodes, Options{Targets: browsers.Default()})
	for _, u := range undone {
		t.Errorf("%s\n%s", u.Message, src)
	}
	small := minified(src)
	if twice := minified(small); twice != small {
		t.Errorf("a second run changes the result:\n%s\nonce  %s\ntwice %s", src, small, twice)
	}
	return small
}

// FuzzRandomSheets does what TestRandomSheets does without a browser.
func FuzzRandomSheets(f *testing.F) {
	f.Add(uint64(1), uint8(12))
	f.Fuzz(func(t *testing.T, seed uint64, rules uint8) {
		tryRandom(t, csstest.Random(rand.New(rand.NewPCG(seed, 8)), 1+int(rules%40)))
	})
}
