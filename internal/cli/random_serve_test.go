package cli_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// serveEdit is a kind of change to the sample site. It returns the new text of
// the file.
type serveEdit struct {
	file    string // or a folder, for any of its sheets
	edit    func(r *rand.Rand, n int, text string) string
	reloads bool // the page must be loaded again
}

// lengths and hexColors are what random edits replace.
var (
	lengths   = regexp.MustCompile(`\b\d+(?:\.\d+)?(?:rem|px)\b`)
	hexColors = regexp.MustCompile(`#[0-9a-f]{6}\b`)
)

// replaceOne replaces a random match of a pattern.
func replaceOne(r *rand.Rand, pattern *regexp.Regexp, text string, by func() string) string {
	all := pattern.FindAllStringIndex(text, -1)
	if len(all) == 0 {
		return text + "\n"
	}
	at := all[r.IntN(len(all))]
	return text[:at[0]] + by() + text[at[1]:]
}

// serveEdits are the changes that TestServeRandomly makes.
var serveEdits = []serveEdit{
	{"site/css", func(r *rand.Rand, _ int, text string) string {
		return replaceOne(r, lengths, text, func() string { return fmt.Sprintf("%dpx", 1+r.IntN(40)) })
	}, false},
	{"site/css", func(r *rand.Rand, n int, text string) string {
		return text + fmt.Sprintf("\n.site-header { outline: %dpx solid rgb(%d, 2, 3) }\n", r.IntN(5), n%256)
	}, false},
	{"site/harbour.tokens.json", func(r *rand.Rand, _ int, text string) string {
		return replaceOne(r, hexColors, text, func() string { return fmt.Sprintf("#%06x", r.IntN(1<<24)) })
	}, false},
	{"site/index.html", func(_ *rand.Rand, n int, text string) string {
		return regexp.MustCompile(`Shearwater\d*`).ReplaceAllString(text, fmt.Sprintf("Shearwater%d", n))
	}, false},
	{"site/index.html", func(_ *rand.Rand, n int, text string) string {
		return regexp.MustCompile(`<body[^>]*>`).ReplaceAllString(text, fmt.Sprintf("<body data-n=%d>", n))
	}, false},
	{"site/img/ferry.svg", func(r *rand.Rand, _ int, text string) string {
		return replaceOne(r, hexColors, text, func() string { return fmt.Sprintf("#%06x", r.IntN(1<<24)) })
	}, false},
	{"rinzel.toml", func(_ *rand.Rand, _ int, text string) string {
		if strings.Contains(text, `"roomy"`) {
			return strings.Replace(text, `"roomy"`, `"compact"`, 1)
		}
		return strings.Replace(text, `"compact"`, `"roomy"`, 1)
	}, false},
	{"site/index.html", func(_ *rand.Rand, n int, text string) string {
		return strings.Replace(text, "</main>", fmt.Sprintf("<p>Notice %d</p></main>", n), 1)
	}, true},
	{"site/js/board.js", func(_ *rand.Rand, n int, text string) string { return text + fmt.Sprintf("\n// %d\n", n) }, true},
}

// TestServeRandomly makes random changes to the sample site while it is served.
// After each, an open page must have the same computed styles as a fresh load,
// and must not have been loaded again unless that is unavoidable.
func TestServeRandomly(t *testing.T) {
	b := browsertest.Start(t)
	w, dir, address := startDemo(t)
	sheets := (&randomSite{site: filepath.Join(dir, "site", "css")}).files(".css")
	open, fresh := b.Open(address), b.Open(address)
	for _, page := range []*browsertest.Page{open, fresh} {
		page.Call("Emulation.setEmulatedMedia", map[string]any{
			"features": []map[string]string{{"name": "prefers-reduced-motion", "value": "reduce"}},
		}, nil)
	}
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	r := rand.New(rand.NewPCG(seed, 0))
	for n := range stressed(12) {
		open.Eval(fmt.Sprintf(`window.mark = %d`, n), new(int))
		e := serveEdits[r.IntN(len(serveEdits))]
		name := filepath.Join(dir, filepath.FromSlash(e.file))
		if e.file == "site/css" {
			name, _ = pick(r, sheets)
		}
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		changed := e.edit(r, n, string(text))
		if changed == string(text) {
			continue
		}
		if err := os.WriteFile(name, []byte(changed), 0o644); err != nil {
			t.Fatal(err)
		}
		w.expect("updated ")
		shown := strings.TrimPrefix(name, dir)
		if diff := awaitEqual(open, fresh, address); len(diff) > 0 {
			t.Fatalf("edit %d of %s:\n%s", n, shown, strings.Join(diff, "\n"))
		}
		var mark int
		open.Eval(`window.mark ?? -1`, &mark)
		if mark != n && !e.reloads {
			t.Fatalf("edit %d of %s: the page was loaded again", n, shown)
		}
	}
}

// animationsEnd waits until the animations of a page are over.
const animationsEnd = `Promise.race([
	Promise.all(document.getAnimations().filter(a => a.effect.getComputedTiming().endTime < 3000)
		.map(a => a.finished.catch(() => 0))),
	new Promise(done => setTimeout(done, 3000)),
]).then(() => 0)`

// awaitEqual waits until an open page has the computed styles of a fresh load,
// and returns the differences if that takes too long.
func awaitEqual(open, fresh *browsertest.Page, address string) (diff []string) {
	fresh.Load(address)
	fresh.Eval(animationsEnd, new(int))
	want := fresh.ComputedStyles()
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); {
		if open.TryEval(animationsEnd, new(int)) != nil {
			continue // it is loading
		}
		if diff = want.Diff(open.ComputedStyles(), 5); len(diff) == 0 {
			return nil
		}
	}
	return diff
}
