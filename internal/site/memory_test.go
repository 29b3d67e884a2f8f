package site_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"runtime/debug"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"rinzel/internal/css/csstest"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// changing is a site that changes. Each file has several possible texts.
type changing struct {
	files fstest.MapFS
	texts map[string][]string
}

func newChanging() *changing {
	c := &changing{fstest.MapFS{}, map[string][]string{
		"index.html": {
			`<!doctype html><link rel=stylesheet href=a.css><link rel=stylesheet href=b.css><p class="w e" data-tone=calm style="animation: drift">`,
			`<link rel=stylesheet href=a.css><link rel=stylesheet href=b.css><style>@import "c.css"; p { b { color: red } background: url(i.svg) }</style><script type=module src=m.js></script><img src=i.svg>`,
			`<link rel=stylesheet href=b.css><link rel=stylesheet href=a.css media=print><script type=module src=m.js></script>`,
			`<link rel=stylesheet href=d.css><script type=importmap>{"imports": {"x": "./n.js"}}</script><script type=module>import "x"; import "./c.css";</script>`,
		},
		"page.html": {
			`<link rel=stylesheet href=a.css><link rel=stylesheet href=d.css><p class="x y">`,
			`<link rel=stylesheet href=missing.css><style>p { color: const(tone) }</style>`,
			`<link rel=stylesheet href=b.css><script type=module src=n.js></script><p class=z>`,
		},
		"more.html": {`<link rel=stylesheet href=a.css><p class=more>`, `<link rel=stylesheet href=c.css><link rel=stylesheet href=b.css>`},
		"a.css": {
			"@const tone: teal;\n@import \"c.css\";\n@import \"d.css\" layer(base);\n.x { color: const(tone); background: url(i.svg) }",
			"@import \"c.css\" print;\n.x { color: navy; background: url(k.svg) }",
			"@const tone: olive;\n@import \"e.css\";\n@import \"c.css\";\n.x { colr: const(tone) }",
			"@default tone: red;\n@when const(tone: red) { .w { top: 0 } }\n.x { color: const(tone) }",
		},
		"b.css": {".y { color: red; top: 1px }", ".y { color: tan; top: 2px } .z { margin: 0 }", "@import \"e.css\";\n.y { color: red; b { left: 0 } }", ".y { color: blue",
			"@import \"q.css\";\n.y { color: const(tone) }", "@const tone: plum;\n@import \"r.css\";\n.y { top: 0 }"},
		"q.css": {"@const tone: gold;", "@const tone: gray;\n.q { top: 0 }"},
		"r.css": {".r { color: const(tone) }", ".r { b { background: const(tone) } }"},
		"c.css": {".x { color: red }", "@default tone: black;\n.c { color: const(tone) }", ".c { list-style: url(i.svg); b { top: 0 } }", "@else { .c { top: 0 } }"},
		"d.css": {".x { margin: 0 } .d { padding: 0 }", "@tokens \"t.json\";\n.d { width: const(size, 1px) }", "@import \"c.css\";\n.d { color: red }",
			"@const tone: pink;\n@import \"r.css\";\n.d { top: 0 }"},
		"e.css":  {"@import \"g.css\";\n.e { color: red }", "@const tone: purple;\n.e { top: 0 }", "@const tone: indigo;"},
		"f.css":  {".f { color: red; background: url(k.svg) }", ".f { color: const(tone) }"},
		"t.json": {`{"size": {"$type": "dimension", "$value": {"value": 3, "unit": "px"}}}`, `{"size": {"$type": "dimension", "$value": {"value": 4, "unit": "px"}}}`, `{`},
		"m.js":   {`import "./f.css"; import("./n.js"); new URL("./i.svg", import.meta.url)`, `import f from "./f.css" with { type: "css" }; document.title = "z k.svg"`, `import("./n.js")`, `import "./n.js"`},
		"n.js":   {`import "./c.css"; import "./f.css";`, `import "./b.css"; export const x = "more"`, ``},
		"i.svg":  {"<svg/>", "<svg><!-- i --></svg>"},
		"k.svg":  {"<svg><!-- k --></svg>"},
	}}
	for name, texts := range c.texts {
		c.files[name] = &fstest.MapFile{Data: []byte(texts[0])}
	}
	return c
}

// change replaces or removes the text of some files, and returns them.
func (c *changing) change(g *rand.Rand) []source.Path {
	names := slices.Sorted(maps.Keys(c.texts))
	var changed []source.Path
	for range 1 + g.IntN(3) {
		name := names[g.IntN(len(names))]
		texts := c.texts[name]
		if g.IntN(6) == 0 && name != "index.html" {
			delete(c.files, name)
		} else {
			c.files[name] = &fstest.MapFile{Data: []byte(texts[g.IntN(len(texts))])}
		}
		changed = append(changed, source.Path{Name: name})
	}
	return changed
}

// everything formats all results of a build.
func everything(p *project.Project, res *site.Result) string {
	var b strings.Builder
	r := diag.Renderer{Files: p.Tree.Set}
	_ = r.Render(&b, res.Diagnostics)
	fmt.Fprintln(&b, res.Checks, res.Pages, res.Unshared)
	for _, bundle := range res.Bundles {
		fmt.Fprintf(&b, "%s %s %v %v %v %v %v %d %d %d %+v %v\n", bundle.Name, bundle.Path, bundle.Pages, bundle.Inline,
			bundle.Lazy, bundle.Referenced, bundle.Files,
			len(bundle.Files), bundle.Sources, bundle.Size, bundle.Rules, bundle.Prefix)
	}
	for _, o := range res.Outputs {
		fmt.Fprintf(&b, "-- %s %s\n%s\n", o.Path, o.Kind, contentOf(o))
	}
	return b.String()
}

// TestMemory changes a site at random, and compares builds with a cache with
// builds without one.
func TestMemory(t *testing.T) {
	good := 0
	for seed := range uint64(40) {
		g := rand.New(rand.NewPCG(seed, 1))
		c := newChanging()
		settings := project.Default()
		settings.Split = project.Split{Shared: 2, Inline: int(seed%3) * 150}
		settings.Purge.Keep = []string{".y"}
		settings.Bundles = []project.Bundle{{Name: "app", From: []string{"f.css", "n.js"}, File: "app.css",
			At: make([]source.Span, 2)}}
		open := func() *project.Project {
			return &project.Project{Settings: settings, Tree: source.NewTree(source.Folder{FS: c.files})}
		}
		opts := site.Options{Profile: []string{project.Development, project.Production}[seed%2]}
		p := open()
		memory := site.NewCache(p)
		for step := range 25 {
			fresh := open()
			want, err := site.Build(context.Background(), fresh, opts)
			if err != nil {
				t.Fatal(err)
			}
			with := opts
			with.Cache = memory
			got, err := site.Build(context.Background(), p, with)
			if err != nil {
				t.Fatal(err)
			}
			if got, want := everything(p, got), everything(fresh, want); got != want {
				t.Fatalf("seed %d, step %d: %s", seed, step, firstDifference(got, want))
			}
			if !diag.HasErrors(got.Diagnostics) {
				good++
			}
			memory.Apply(c.change(g))
		}
	}
	if good < 100 {
		t.Errorf("only %d builds were without errors", good)
	}
}

func firstDifference(got, want string) string {
	a, b := strings.Split(got, "\n"), strings.Split(want, "\n")
	for i := range a {
		if i >= len(b) || a[i] != b[i] {
			return fmt.Sprintf("line %d\ngot  %s\nwant %s\nin\n%s", i, a[i], b[min(i, len(b)-1)], got)
		}
	}
	return "got less than\n" + want
}

// BenchmarkRebuild changes one of 500 sheets on 50 pages and builds again, in
// turns with builds without a cache. It reports the ratio of their times: for a
// change of a value, and for one after which the sheet competes with others.
func BenchmarkRebuild(b *testing.B) {
	for name, change := range map[string]func(text string, n int) string{
		"value": func(text string, n int) string { return strings.Replace(text, ": ", fmt.Sprintf(": %d", n%9+1), 1) },
		"rule":  func(text string, n int) string { return text + fmt.Sprintf("#new%d { color: red; order: %d }\n", n, n) },
	} {
		b.Run(name, func(b *testing.B) {
			files := generateSite(1, 50, 500).files
			timeRebuilds(b, files, project.Development, func(n int) (string, string) {
				name := fmt.Sprintf("css/s%03d.css", n*37%500)
				return name, change(string(files[name].Data), n)
			})
		})
	}
}

// BenchmarkRepurge adds a class to a page that a few sheets have, and builds
// for production again, in turns with builds without a cache: a site of many
// small sheets, and one with a sheet of 1 MB and 200 pages.
func BenchmarkRepurge(b *testing.B) {
	b.Run("small", func(b *testing.B) {
		files := generateSite(1, 50, 500).files
		timeRebuilds(b, files, project.Production, func(n int) (string, string) {
			name := fmt.Sprintf("p%02d.html", n*7%50)
			return name, string(files[name].Data) + fmt.Sprintf("<p class=s%d>", n*37%500)
		})
	})
	b.Run("large", func(b *testing.B) {
		files := fstest.MapFS{"main.css": {Data: []byte(csstest.Generate(1 << 20))}}
		for i := range 40 {
			files[fmt.Sprintf("img/wave-%d.svg", i)] = &fstest.MapFile{}
		}
		for i := range 200 {
			var text strings.Builder
			text.WriteString("<!doctype html><link rel=stylesheet href=main.css>")
			for k := range 60 {
				fmt.Fprintf(&text, "<section id=s%d class=\"berth-%d vessel__name\"><p data-tone=calm>Boats leave from berth %d</p></section>\n", k, (i*7+k)%3000, k)
			}
			files[fmt.Sprintf("p%03d.html", i)] = &fstest.MapFile{Data: []byte(text.String())}
		}
		timeRebuilds(b, files, project.Production, func(n int) (string, string) {
			name := fmt.Sprintf("p%03d.html", n*7%200)
			return name, string(files[name].Data) + fmt.Sprintf("<p class=quay-%d>", n)
		})
	})
}

// timeRebuilds changes one file after another and back, and reports the ratio
// of the times of builds with and without a cache.
func timeRebuilds(b *testing.B, files fstest.MapFS, profile string, change func(n int) (name, text string)) {
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // as in the program
	settings := project.Default()
	settings.Split = project.Split{Shared: 2, MinBytes: 1000}
	open := func() *project.Project {
		return &project.Project{Settings: settings, Tree: source.NewTree(source.Folder{FS: files})}
	}
	run := func(p *project.Project, memory *site.Cache) time.Duration {
		start := time.Now()
		if res, err := site.Build(context.Background(), p, site.Options{Profile: profile, Cache: memory}); err != nil ||
			diag.HasErrors(res.Diagnostics) {
			b.Fatal(err, res.Diagnostics)
		}
		return time.Since(start)
	}
	p := open()
	memory := site.NewCache(p)
	run(p, memory)
	var whole, again time.Duration
	rounds := 0
	for b.Loop() {
		name, text := change(rounds)
		was := string(files[name].Data)
		for _, text := range []string{text, was} {
			files[name].Data = []byte(text)
			start := time.Now()
			memory.Apply([]source.Path{{Name: name}})
			run(p, memory)
			again += time.Since(start)
			whole += run(open(), nil)
		}
		rounds++
	}
	b.ReportMetric(again.Seconds()/whole.Seconds(), "again/whole")
	b.ReportMetric(whole.Seconds()*1000/float64(2*rounds), "whole-ms")
	b.ReportMetric(again.Seconds()*1000/float64(2*rounds), "again-ms")
}
