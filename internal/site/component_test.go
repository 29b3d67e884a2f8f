package site_test

import (
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// boards is a site with components. DOCS is the folder of the steps in the
// documentation, INK the program of the step that reads ink.
const boards = `
-- rinzel.toml --
source = "site"
[components]
match = ["parts/**/*.card", "parts/*.unread"]
[step.ink]
on = "sheet"
takes = "ink"
run = ["INK"]
-- site/index.html --
<!doctype html>
<link rel="stylesheet" href="site.css">
<script type="module" src="js/app.js"></script>
<p class="board">
-- site/site.css --
.board { color: teal }
-- site/js/app.js --
import board from "../parts/board.card";
import("../parts/deep/tide.card");
fetch("parts/copied.unread");
-- site/parts/board.card --
<template>
  <p class="board">Tern <svg><style>.fin { fill: red }</style></svg>
</template>
<script lang="ts">
import type { Row } from "./types";
import "./row.card";
import "./extra.css";
let rows: Row[] = [];
</script>

<style>
@import "./shade.css";
.board { &:hover { color: const(tone); } }
.never { color: red }
</style>
<style lang="ink">
tone deep #0b3c5d
.board {
  border-color: ~deep;
}
</style>
-- site/parts/extra.css --
.board { top: 1px }
-- site/parts/shade.css --
@const tone: navy;
-- site/parts/row.card --
<style scoped lang="ink">
tone deep #0b3c5d
.row, .unseen { color: ~deep; background: url(../wave.svg) }
</style>
<p class="row">
<style media="print">.row { color: black }</style>
<style lang="tide">.row ~~ flood</style>
-- site/parts/deep/tide.card --
<style>.tide { background: url("../../wave.svg") }</style>
<p class="tide">
-- site/parts/copied.unread --
<style>.copied { color: red }</style>
-- site/wave.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
`

// has reports lines that a text lacks, and those that it should not have.
func has(t *testing.T, what, text string, want, not []string) {
	t.Helper()
	for _, w := range want {
		if !strings.Contains(text, w) {
			t.Errorf("%s lacks %q:\n%s", what, w, text)
		}
	}
	for _, w := range not {
		if strings.Contains(text, w) {
			t.Errorf("%s has %q:\n%s", what, w, text)
		}
	}
}

// TestComponents builds a site whose components no step compiles: style blocks join
// bundles, or stay in their files.
func TestComponents(t *testing.T) {
	dir := newOwnSite(t, boards)
	p, res := buildOwn(t, dir, project.Production)
	found := rendered(p, dir, res.Diagnostics)
	has(t, "the list of findings", found, []string{
		"site/parts/row.card:7:8: note: no step takes the language of this style block",
		"site/parts/copied.unread:1:1: note: no script of a page imports this component"}, []string{"types", "error"})
	hash := hashIn(res)
	bundle := textOf(res, "index."+hash+".css")
	has(t, "the bundle", bundle, []string{".board{color:teal", "top:1px", ".board:hover{color:navy}", "border-color:#0b3c5d"},
		[]string{"never", "fin", "row", "tide"})

	board := textOf(res, "parts/board.card")
	has(t, "the component", board, []string{`<svg><style>.fin { fill: red }</style></svg>`, `import "./row.card";`, "let rows: Row[]",
		`import type { Row } from "./types";`}, []string{".css", "hover", "ink"})
	if !strings.HasSuffix(board, "[];\n</script>\n") {
		t.Errorf("the component ends in %q", board[len(board)-40:])
	}
	has(t, "the component with its own styles", textOf(res, "parts/row.card"), []string{
		"<style scoped>", ".row,.unseen{color:#0b3c5d;background:url(../wave.", `<style media="print">.row{color:#000}</style>`,
		`<style lang="tide">.row ~~ flood</style>`}, []string{"deep"})
	has(t, "the component that is loaded later", textOf(res, "parts/deep/tide.card"), []string{
		"<script>\nimport \"./tide.css.", "</script>\n<p class=\"tide\">"}, []string{"<style"})
	has(t, "its sheet", textOf(res, "tide."+hashOf(res, "parts/deep/tide.css")+".css"), []string{"url(../../wave."}, nil)
	has(t, "the copy", textOf(res, "parts/copied.unread"), []string{"<style>.copied { color: red }</style>"}, nil)

	m, err := sourcemap.Read([]byte(textOf(res, "index."+hash+".css.map")))
	if err != nil {
		t.Fatal(err)
	}
	for text, line := range map[string]int{"hover": 13, "border-color": 19} {
		at, ok := m.Find(0, strings.Index(bundle, text))
		if !ok || !strings.HasSuffix(m.Sources[at.Source].URL, "parts/board.card") || at.SourceLine+1 != line {
			t.Errorf("%q comes from %+v of %q, want line %d of the component", text, at, m.Sources, line)
		}
	}
}

// hashOf returns the hash in the name of a bundle.
func hashOf(res *site.Result, name string) string {
	for _, b := range res.Bundles {
		if b.Name == name {
			parts := strings.Split(b.Path, ".")
			return parts[len(parts)-2]
		}
	}
	return "no bundle " + name
}

// TestComponentIsRebuilt changes a style block and the markup of a component: what
// does not depend on the change stays as it was.
func TestComponentIsRebuilt(t *testing.T) {
	dir := newOwnSite(t, boards+`
-- rinzel.toml --
source = "site"
[components]
match = ["parts/**/*.card"]
[step.ink]
on = "sheet"
takes = "ink"
run = ["INK"]
[step.card]
on = "script"
takes = "card"
run = ["DOCS/card.py"]
`)
	p, found, err := project.Open(project.Options{Settings: filepath.Join(dir, "rinzel.toml")})
	if err != nil || len(found) > 0 {
		t.Fatal(err, found)
	}
	defer func() { _ = p.Close() }()
	cache := site.NewCache(p)
	build := func() map[string]string {
		t.Helper()
		res, err := site.Build(t.Context(), p, site.Options{Cache: cache})
		if err != nil {
			t.Fatal(err)
		}
		out := outputTexts(res)
		for name, text := range out {
			if strings.HasSuffix(name, ".js") { // the sources in the map are those of the styles as well
				out[name], _, _ = strings.Cut(text, "//# sourceMappingURL")
			}
		}
		return out
	}
	before := build()
	const name = "site/parts/board.card"
	text := boards[strings.Index(boards, "<template>"):strings.Index(boards, "-- site/parts/extra.css")]
	change := func(what, from, to string, changed ...string) {
		t.Helper()
		next := strings.Replace(text, from, to, 1)
		if next == text {
			t.Fatalf("nothing to change in %q", from)
		}
		text = next
		writeFile(t, dir, name, text)
		cache.Apply([]source.Path{{Name: "parts/board.card"}})
		after := build()
		for out := range after {
			if want := strings.Contains(strings.Join(changed, " "), out); (after[out] != before[out]) != want {
				t.Errorf("%s: %s changed: %v, want %v", what, out, !want, want)
			}
		}
		before = after
	}
	change("a declaration", ".never { color: red }", ".never { color: red }\n.always { color: navy }", "index.css")
	change("a block of another language", "#0b3c5d\n.board", "#0b3c5e\n.board", "index.css")
	change("the script", "let rows", "var rows", "index.css parts/board.card.js") // the source in the map of the sheet
	change("a new import", "import \"./row.card\";", "import \"./row.card\"; import \"./late.css\";", "index.css parts/board.card.js")
}

// TestComponentStylesInside keeps style blocks in their components: they are composed
// and minified there, and what only their compiler knows stays.
func TestComponentStylesInside(t *testing.T) {
	s := newSite(t, `
-- rinzel.toml --
source = "site"
[components]
match = ["*.card"]
styles = "inside"
-- site/index.html --
<!doctype html><link rel=stylesheet href=site.css><p class=quay><script type=module src=app.js></script>
-- site/site.css --
.quay { color: navy }
-- site/app.js --
import "./board.card"; import "./missing.card"; import "./broken.card";
-- site/board.card --
<script lang="ts">
import "somewhere/theme.css";
import type { Row } from "@/rows";
</script>
<style>
@const tone: navy;
.board :global(.row) { color: const(tone); &:hover { colour: v-bind(shade); } }
</style>
-- site/missing.card --
<style>@import "@quay/theme.css"; .board { color : red }</style>
-- site/broken.card --
<style>.board { color : red </style>
`)
	res, found := s.build(t, project.Production)
	has(t, "the list of findings", found, []string{
		`site/missing.card:1:16: note: no such sheet: "site/@quay/theme.css"; the style block is left unchanged`,
		"site/broken.card:1:15: warning: unclosed block"}, []string{"error", "global", "colour", "somewhere", "rows"})
	texts := outputTexts(res)
	has(t, "the component", texts["board.card"], []string{
		"<style>.board :global(.row){color:navy}.board :global(.row):hover{colour:v-bind(shade)}</style>",
		`import "somewhere/theme.css";`, `from "@/rows";`}, nil)
	has(t, "the component with a missing import", texts["missing.card"], []string{"color : red"}, nil)
	has(t, "the component with an invalid block", texts["broken.card"], []string{"color : red"}, nil)
}
