package site_test

import (
	"context"
	"testing"
	"testing/fstest"
	"time"

	"rinzel/internal/css/parse"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// projectOf returns a project in memory: a page with a sheet and a script, and
// a fixed library. ok is false if the settings have errors.
func projectOf(settings, page, sheet, script string) (p *project.Project, diags []diag.Diagnostic, ok bool) {
	files := fstest.MapFS{
		"index.html":        {Data: []byte(page)},
		"main.css":          {Data: []byte(sheet)},
		"main.js":           {Data: []byte(script)},
		"kit/kit.css":       {Data: []byte(`@default kit-tone: teal; @import "part.css"; .kit { color: const(kit-tone); background: url(sea.svg) }`)},
		"kit/part.css":      {Data: []byte(`@mixin --card(--pad: 1px) { padding: var(--pad); @contents; } @function --twice(--n) { result: calc(var(--n) * 2) } .part { top: 4px }`)},
		"kit/sea.svg":       {Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg"/>`)},
		"quay.tokens.json":  {Data: []byte(`{"tone": {"$type": "color", "calm": {"$value": "#008080"}, "deep": {"$value": "{tone.calm}"}}}`)},
		"other/tickets.htm": {Data: []byte(`<!doctype html><link rel=stylesheet href=../kit/kit.css><p class=kit>`)},
	}
	tree := source.NewTree(source.Folder{FS: files})
	s, found := project.Read(tree.Set.Add(source.Path{}, project.FileName, settings))
	if s == nil || diag.HasErrors(found) || len(s.Roots) > 0 || s.Source != "." {
		return nil, found, false
	}
	s.File = ""
	return &project.Project{Settings: s, Tree: tree}, found, true
}

// fuzzSettings are the settings of the fuzzed sites.
var fuzzSettings = []string{
	"",
	"[browsers]\nfloor = { chrome = \"60\" }\n[split]\nshared = 1\n",
	"[profile.development]\nfinish = [\"purge\", \"minify\"]\nnames = \"hashed\"\nmaps = \"file\"\n",
	"[constants]\nx = \"1px\"\n[purge]\nkeep = [\".k*\"]\n",
	"base = \"/quay/\"\n[profile.production]\nscript-styles = \"adopt\"\nintegrity = true\n[split]\ninline = 500\n",
}

// FuzzSite checks that any project is built in bounded time, to the same bytes
// each time, and without build-time syntax in the output.
func FuzzSite(f *testing.F) {
	const page = `<!doctype html><html><head><link rel="stylesheet" href="main.css"><style>.a { &:hover { color: red } }</style><script type=module src="main.js"></script></head><body class="a board"><p class="kit part"></p></body></html>`
	f.Add(uint8(0), page,
		`@import "kit/kit.css" layer(kit) without(selector(".part")) replace(4px: 8px); .board { @apply --card(2px) { color: const(kit-tone) } width: --twice(3px) }`, `import "./kit/part.css"; document.body.classList.add("b-" + n);`)
	f.Add(uint8(1), page,
		`@tokens "quay.tokens.json" as t; @loop k, v over const(t.tone) { .note-(k) { color: const(v); &:is(a, b) { inset: 0 } } }`, `import("./main.css")`)
	f.Add(uint8(2), page,
		`@when media(width > 3px) { a { color: if(media(print): red; else: blue) } } @else { b { margin-inline: 1px } }`, `el.className = "a";`)
	f.Add(uint8(3), `<link rel=stylesheet href=main.css><link rel=stylesheet href=kit/kit.css media=print><base href="/kit/">`, `@custom-media --n (width < 3px); @media (--n) { @custom-selector :--t h1, h2; :--t { width: const(x) } }`, "x")
	f.Add(uint8(3), `<link rel=stylesheet href=main.css><link rel=stylesheet href=kit/kit.css media=print>`, `@custom-medih2; :--t @custom-selector :--t h1, a --n { width: const(x) } }`, "x")
	f.Fuzz(func(t *testing.T, kind uint8, page, sheet, script string) {
		settings := fuzzSettings[int(kind)%len(fuzzSettings)]
		if len(page)+len(sheet)+len(script) > 20_000 {
			return
		}
		for _, profile := range []string{project.Development, project.Production} {
			p, _, ok := projectOf(settings, page, sheet, script)
			if !ok {
				return
			}
			start := time.Now()
			memory := site.NewCache(p)
			first := siteOf(t, p, site.Options{Profile: profile, Cache: memory})
			if took := time.Since(start); took > 20*time.Second {
				t.Fatalf("it took %v", took)
			}
			if diag.HasErrors(first.Diagnostics) {
				continue
			}
			checkFinished(t, first.Outputs)
			again := siteOf(t, p, site.Options{Profile: profile, Cache: memory})
			sameOutputs(t, "a second build with a memory", first, again)
			q, _, _ := projectOf(settings, page, sheet, script)
			sameOutputs(t, "a second build", first, siteOf(t, q, site.Options{Profile: profile}))
		}
	})
}

func siteOf(t *testing.T, p *project.Project, opts site.Options) *site.Result {
	res, err := site.Build(context.Background(), p, opts)
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range res.Outputs {
		if o.Kind == emit.StyleKind && !diag.HasErrors(res.Diagnostics) {
			if _, diags := parse.Sheet(new(source.Set).Add(source.Path{}, "", string(o.Data))); diag.HasErrors(diags) {
				t.Fatalf("%s: %s\n%s", o.Path, diags[0].Message, o.Data)
			}
		}
	}
	return res
}

func sameOutputs(t *testing.T, what string, a, b *site.Result) {
	t.Helper()
	if len(a.Outputs) != len(b.Outputs) || len(a.Diagnostics) != len(b.Diagnostics) {
		t.Fatalf("%s: %d outputs and %d findings, want %d and %d", what, len(b.Outputs), len(b.Diagnostics),
			len(a.Outputs), len(a.Diagnostics))
	}
	for i := range a.Outputs {
		if a.Outputs[i].Path != b.Outputs[i].Path || contentOf(a.Outputs[i]) != contentOf(b.Outputs[i]) {
			t.Fatalf("%s: %s is\n%s\nwant %s\n%s", what, b.Outputs[i].Path, contentOf(b.Outputs[i]), a.Outputs[i].Path,
				contentOf(a.Outputs[i]))
		}
	}
	for i := range a.Diagnostics {
		if a.Diagnostics[i].Message != b.Diagnostics[i].Message {
			t.Fatalf("%s: finding %q, want %q", what, b.Diagnostics[i].Message, a.Diagnostics[i].Message)
		}
	}
}
