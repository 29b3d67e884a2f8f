package cli_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// serveEdit is a kind of change to the sample site. It returns the new text of
// the file.
type serveEdit struct {
	file    string // or a folder, for any of its sheets or images
	edit    func(r *rand.Rand, n int, text string) string
	reloads string // the page that must be loaded again; "*" for all, empty for none
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
	}, ""},
	{"site/css", func(r *rand.Rand, n int, text string) string {
		return text + fmt.Sprintf("\n.site-header { outline: %dpx solid rgb(%d, 2, 3) }\n", r.IntN(5), n%256)
	}, ""},
	{"site/harbour.tokens.json", func(r *rand.Rand, _ int, text string) string {
		return replaceOne(r, hexColors, text, func() string { return fmt.Sprintf("#%06x", r.IntN(1<<24)) })
	}, ""},
	{"site/index.html", func(_ *rand.Rand, n int, text string) string {
		return regexp.MustCompile(`Shearwater\d*`).ReplaceAllString(text, fmt.Sprintf("Shearwater%d", n))
	}, ""},
	{"site/index.html", func(_ *rand.Rand, n int, text string) string {
		return regexp.MustCompile(`<body[^>]*>`).ReplaceAllString(text, fmt.Sprintf("<body data-n=%d>", n))
	}, ""},
	{"site/img", func(r *rand.Rand, _ int, text string) string {
		return replaceOne(r, hexColors, text, func() string { return fmt.Sprintf("#%06x", r.IntN(1<<24)) })
	}, ""},
	{"rinzel.toml", func(_ *rand.Rand, _ int, text string) string {
		if strings.Contains(text, `"roomy"`) {
			return strings.Replace(text, `"roomy"`, `"compact"`, 1)
		}
		return strings.Replace(text, `"compact"`, `"roomy"`, 1)
	}, ""},
	{"site/index.html", func(_ *rand.Rand, n int, text string) string {
		return strings.Replace(text, "</main>", fmt.Sprintf("<p>Notice %d</p></main>", n), 1)
	}, "index.html"},
	{"site/tickets.html", func(_ *rand.Rand, n int, text string) string {
		return regexp.MustCompile(`>Name\d*</label>`).ReplaceAllString(text, fmt.Sprintf(">Name%d</label>", n))
	}, ""},
	{"site/tickets.html", func(_ *rand.Rand, n int, text string) string {
		if strings.Contains(text, "<style>") {
			return regexp.MustCompile(`(?s)<style>.*</style>\n`).ReplaceAllString(text, "")
		}
		return strings.Replace(text, "</head>", fmt.Sprintf("<style>.field { border-left: %dpx solid teal }</style>\n</head>", n%9), 1)
	}, ""},
	{"site/notices.html", func(_ *rand.Rand, n int, text string) string {
		return regexp.MustCompile(`<h1[^>]*>`).ReplaceAllString(text, fmt.Sprintf(`<h1 class="h-%d">`, n%3))
	}, ""},
	{"site/js/board.js", func(_ *rand.Rand, n int, text string) string { return text + fmt.Sprintf("\n// %d\n", n) }, "*"},
}

// serveState is what an update must preserve: a marker, the scroll position, and
// the focus and contents of a form.
type serveState struct {
	Mark, Scroll int
	Name, Focus  string
}

// prepareState scrolls, fills the form of a page, and sets its focus.
const prepareState = `(() => {
	document.documentElement.style.overflowAnchor = "none";
	const name = document.getElementById("name");
	if (name) {
		name.value = "half";
		name.focus({ preventScroll: true });
	}
	scrollTo({ top: 60, behavior: "instant" });
	return 0;
})()`

// readServeState reads the state.
const readServeState = `({ Mark: window.mark ?? -1, Scroll: scrollY,
	Name: document.getElementById("name")?.value ?? "", Focus: document.activeElement.id })`

// TestServeRandomly makes random changes to the sample site while it is served.
// After each, every open page must have the same computed styles as a fresh
// load, and that the same as the built site. No page may be loaded again unless
// that is unavoidable.
func TestServeRandomly(t *testing.T) {
	b := browsertest.Start(t)
	w, dir, address := startDemo(t)
	built := filepath.Join(t.TempDir(), "built")
	files := httptest.NewServer(http.FileServer(http.Dir(built)))
	defer files.Close()
	pages := []string{"index.html", "tickets.html", "notices.html"}
	open := make(map[string]*browsertest.Page)
	fresh := b.Open(address)
	for _, name := range pages {
		open[name] = b.Open(address + name)
		open[name].Eval(prepareState, new(int))
	}
	for _, page := range append(slices.Collect(maps.Values(open)), fresh) {
		page.Call("Emulation.setEmulatedMedia", map[string]any{
			"features": []map[string]string{{"name": "prefers-reduced-motion", "value": "reduce"}},
		}, nil)
	}
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	r := rand.New(rand.NewPCG(seed, 0))
	for n := range stressed(6) {
		scrolled := make(map[string]int) // less than 60 on short pages
		for name, page := range open {
			page.Eval(fmt.Sprintf(`window.mark = %d`, n), new(int))
			var state serveState
			page.Eval(readServeState, &state)
			scrolled[name] = state.Scroll
		}
		e := serveEdits[r.IntN(len(serveEdits))]
		name := filepath.Join(dir, filepath.FromSlash(e.file))
		if filepath.Ext(e.file) == "" {
			name, _ = pick(r, (&randomSite{site: name}).files(map[string]string{"site/css": ".css", "site/img": ".svg"}[e.file]))
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
		what := fmt.Sprintf("edit %d of %s", n, strings.TrimPrefix(name, dir))
		for _, name := range pages {
			styles, freshScroll, diff := awaitEqual(open[name], fresh, address+name)
			if len(diff) > 0 {
				t.Fatalf("%s: %s:\n%s", what, name, strings.Join(diff, "\n"))
			}
			if n%10 == 0 {
				if code, out, errs := runIn(t, dir, "build", "--output", built); code != 0 {
					t.Fatal(out, errs)
				}
				fresh.Load(files.URL + "/" + name)
				fresh.Eval(prepareState, new(int))
				fresh.Eval(animationsEnd, new(int))
				if diff := styles.From(address).Diff(fresh.ComputedStyles().From(files.URL+"/"), 5); len(diff) > 0 {
					t.Fatalf("%s: %s is not as it is built:\n%s", what, name, strings.Join(diff, "\n"))
				}
			}
			var state serveState
			open[name].Eval(readServeState, &state)
			want := serveState{n, min(scrolled[name], freshScroll), "", ""}
			if name == "tickets.html" {
				want.Name, want.Focus = "half", "name"
			}
			reloads := e.reloads == "*" || e.reloads == name
			if state != want && !reloads {
				t.Fatalf("%s: %s has %+v, want %+v", what, name, state, want)
			}
			open[name].Eval(prepareState, new(int))
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
// and returns these, and how far that can be scrolled. diff are the differences
// if that takes too long.
func awaitEqual(open, fresh *browsertest.Page, address string) (styles browsertest.Styles, scroll int, diff []string) {
	fresh.Load(address)
	fresh.Eval(prepareState, new(int))
	fresh.Eval(animationsEnd, new(int))
	want := fresh.ComputedStyles()
	fresh.Eval(`scrollY`, &scroll)
	fresh.Load("about:blank") // the next edit must not reload it
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); {
		if open.TryEval(animationsEnd, new(int)) != nil {
			continue // it is loading
		}
		if diff = want.Diff(open.ComputedStyles(), 5); len(diff) == 0 {
			return want, scroll, nil
		}
		// It was loaded again.
		_ = open.TryEval(`document.documentElement.style.overflowAnchor ? 0 : (`+prepareState+`)`, new(int))
	}
	return want, scroll, diff
}
