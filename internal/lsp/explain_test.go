package lsp_test

import (
	"slices"
	"strings"
	"testing"
)

// smallSite is a site with names of all kinds, for targets of 2023.
var smallSite = map[string]string{
	"rinzel.toml": "source = \"site\"\n[browsers]\nfloor = { chrome = \"109\", safari = \"15.4\" }\n",
	"site/index.html": `<!doctype html><html lang="en"><link rel="stylesheet" href="a.css">
<style>.boat { color: var(--sea) }</style>
<p class="boat wide" style="color: var(--sea)">boat</p><script>f("boat")</script>
`,
	"site/a.css": `@const tone { calm: teal; } @const tone.deep: const(tone.calm);
@mixin --card(--pad: 1px) { padding: var(--pad); @contents; }
@mixin --plain { top: 0 }
@function --half(--x) { result: calc(var(--x) / 2); }
@custom-media --wide (width > 40rem);
:root { --sea: const(tone.deep); }
#quay .boat { color: const(tone.deep); & b, &.wide { top: 0; .boat & { left: 0 } } }
@media (--wide) { .boat { @apply --card(2px); } }
`,
}

// TestExplanations asks for explanations in sheets, style elements and class attributes.
func TestExplanations(t *testing.T) {
	e := newEditor(t, folderWith(t, smallSite))
	for _, test := range []struct {
		file, marked string // the place is at |
		want         string // parts of the explanation, separated by " … "
	}{
		{"site/a.css", "const(tone.de|ep); &", "tone.deep: teal … ![#008080](data:image/svg+xml, … set at site/a.css:1 … derived from `tone.calm` … in 2 rules: site/a.css:6, site/a.css:7"},
		{"site/a.css", "{ ca|lm: teal", "tone.calm: teal … read by `tone.deep`"},
		{"site/a.css", "@apply --ca|rd", "@mixin --card(--pad: 1px) … a.css:2 … used at site/a.css:8"},
		{"site/a.css", "@custom-media --wi|de", "@custom-media --wide (width > 40rem)"},
		{"site/a.css", "@media (--wi|de)", "@custom-media --wide … used at site/a.css:8"},
		{"site/a.css", "#quay .bo|at", "`#quay .boat` at … a.css:7, specificity 1,1,0 … `.boat &` at … specificity 1,3,0 … used at site/index.html:3"},
		{"site/a.css", "&.wi|de", "`&.wide` at … specificity 1,2,0 … index.html:3"},
		{"site/a.css", "{ to|p: 0; .boat", "top: auto | … `top`: in all targets"},
		{"site/a.css", "@me|dia", "`@media`: in all targets"},
		{"site/a.css", "@cust|om-media", "`@custom-media`: missing in "},
		{"site/index.html", "<style>.bo|at", "`#quay .boat` at"},
		{"site/index.html", "{ co|lor", "`color`: in all targets"},
		{"site/index.html", "class=\"bo|at", "specificity 1,1,0"},
		{"site/index.html", "style=\"color: var(--s|ea)", "--sea: const(tone.deep) … used at site/index.html:2, site/index.html:3"},
		{"site/index.html", "style=\"co|lor", "`color`: in all targets"},
		{"site/index.html", ">bo|at</p>", ""},
		{"site/index.html", "f(\"bo|at", "specificity 1,1,0"},
		{"site/index.html", "<script>f|(", ""},
	} {
		if strings.HasSuffix(test.file, ".html") || test.file == "site/a.css" {
			e.open(test.file)
		}
		text := smallSite[test.file]
		before, after, _ := strings.Cut(test.marked, "|")
		if strings.Count(text, before+after) != 1 {
			t.Fatalf("%q is %d times in the file", test.marked, strings.Count(text, before+after))
		}
		var answer struct{ Contents struct{ Value string } }
		e.call("textDocument/hover", e.at(test.file, strings.Replace(text, before+after, test.marked, 1)), &answer)
		rest := answer.Contents.Value
		if test.want == "" && rest != "" {
			t.Errorf("%s: got %s", test.marked, rest)
		}
		for _, part := range strings.Split(test.want, " … ") {
			i := strings.Index(rest, part)
			if i < 0 {
				t.Errorf("%s: no %q in its order in\n%s", test.marked, part, answer.Contents.Value)
				break
			}
			rest = rest[i+len(part):]
		}
	}
}

// TestImports asks for the sheets that an import may name.
func TestImports(t *testing.T) {
	files := map[string]string{
		"rinzel.toml":                                "source = \"site\"\n[roots]\nkit = \"vendor/kit\"\n",
		"site/index.html":                            `<!doctype html><link rel="stylesheet" href="css/a.css">`,
		"site/css/a.css":                             "",
		"site/css/parts/b.css":                       "",
		"site/print.css":                             "",
		"vendor/kit/all.css":                         "",
		"vendor/kit/parts/card.css":                  "",
		"vendor/kit/readme.txt":                      "",
		"node_modules/quay-kit/package.json":         `{"style": "dist/all.css"}`,
		"node_modules/quay-kit/dist/all.css":         "",
		"node_modules/quay-kit/node_modules/x/x.css": "",
		"node_modules/plain/index.js":                "",
		"node_modules/@pier/signs/index.css":         "",
		"node_modules/@pier/signs/package.json":      "{}",
		"site/node_modules/near/index.css":           "",
	}
	e := newEditor(t, folderWith(t, files))
	e.open("site/css/a.css")
	for typed, want := range map[string]string{
		"":                        "kit: std: package: ../print.css parts/b.css",
		"./p":                     "./parts/b.css",
		"pri":                     "../print.css",
		"kit:":                    "kit:parts/ kit:all.css",
		"kit:parts/":              "kit:parts/card.css",
		"kit:parts/c":             "kit:parts/card.css",
		"none:":                   "",
		"package:":                "package:near package:near/ package:quay-kit package:quay-kit/ package:@pier/",
		"package:qu":              "package:quay-kit package:quay-kit/",
		"package:@pier/":          "package:@pier/signs package:@pier/signs/",
		"package:quay-kit/":       "package:quay-kit/dist/",
		"package:quay-kit/dist/a": "package:quay-kit/dist/all.css",
		"kit:../":                 "",
	} {
		got := e.labels("site/css/a.css", "@import \""+typed+"|\";")
		slices.Sort(got)
		wanted := strings.Fields(want)
		slices.Sort(wanted)
		if !slices.Equal(got, wanted) {
			t.Errorf("%q: got %q, want %q", typed, got, wanted)
		}
	}
}

// TestProposals asks for proposals, with what is said about each and what is written.
func TestProposals(t *testing.T) {
	e := newEditorWith(t, folderWith(t, smallSite), map[string]any{"textDocument": map[string]any{
		"completion": map[string]any{"completionItem": map[string]any{"snippetSupport": true}},
		"rename":     map[string]any{"prepareSupport": true}}})
	for _, test := range []struct{ file, marked, label, detail, text string }{
		{"site/a.css", ".a { @apply --ca|", "--card", "--card(--pad: 1px)", "--card($1)"},
		{"site/a.css", ".a { @apply --pl|", "--plain", "--plain", "--plain"},
		{"site/a.css", ".a { width: --ha|", "--half", "--half(--x)", "--half($1)"},
		{"site/a.css", ".a { text-wr|", "text-wrap", "missing in chrome ", "text-wrap"},
		{"site/a.css", ".a { text-wrap: bal|", "balance", "missing in chrome ", "balance"},
		{"site/a.css", ".a { text-al|", "text-align", "", "text-align"},
		{"site/a.css", "@sta|", "starting-style", "missing in chrome ", "starting-style"},
		{"site/a.css", ".a { color: const(|", "tone.calm", "teal", "tone.calm"},
		{"site/index.html", "<style>.a { text-al|</style>", "text-align", "", "text-align"},
		{"site/index.html", "<p><style>.a { text-align: ce|", "center", "", "center"},
		{"site/index.html", "<style>.bo|</style>", "boat", "", "boat"},
		{"site/index.html", "<p style='color: te|'>", "teal", "", "teal"},
		{"site/index.html", "<p style=\"colo|\">", "color", "", "color"},
		{"site/index.html", "<p class=\"bo|\">", "boat", "", "boat"},
	} {
		e.open(test.file)
		var list struct {
			Items []struct {
				Label, Detail string
				TextEdit      struct{ NewText string }
			}
		}
		e.call("textDocument/completion", e.at(test.file, smallSite[test.file]+test.marked), &list)
		found := false
		for _, item := range list.Items {
			if item.Label != test.label {
				continue
			}
			found = true
			isDetail := strings.HasPrefix(item.Detail, test.detail) && (test.detail != "" || item.Detail == "")
			if !isDetail || item.TextEdit.NewText != test.text {
				t.Errorf("%s: %q is %q, and writes %q", test.marked, test.label, item.Detail, item.TextEdit.NewText)
			}
		}
		if !found {
			t.Errorf("%s: no %q among %d proposals", test.marked, test.label, len(list.Items))
		}
	}
}
