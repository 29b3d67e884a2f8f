package site_test

import (
	"context"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// shapes are texts with many repetitions of one construct, of about 100 kB
// each. A # in the argument of repeat is the number of the iteration.
var shapes = map[string]string{
	"brackets in a value":             "a { b: " + strings.Repeat("(", 200) + strings.Repeat(")", 200) + "}",
	"too many brackets in a value":    "a { b: " + strings.Repeat("[", 50_000) + "}",
	"brackets of all kinds":           "a { b: " + strings.Repeat("([{", 20_000) + strings.Repeat("}])", 20_000) + "}",
	"brackets that do not match":      "a { b: " + strings.Repeat("(]", 50_000) + "}",
	"functions in each other":         "a { b: " + strings.Repeat("f(", 240) + "1" + strings.Repeat(")", 240) + "}",
	"calc() in calc()":                "a { width: " + strings.Repeat("calc(1px + ", 200) + "1px" + strings.Repeat(")", 200) + "}",
	"a long sum":                      "a { width: calc(" + repeat(20_000, "1px + ") + "1px) }",
	"a long product":                  "a { width: calc(" + repeat(20_000, "1.0000001 * ") + "1px) }",
	"min() of many":                   "a { width: min(" + repeat(20_000, "#px, ") + "1%) }",
	"var() in var()":                  "a { width: " + strings.Repeat("var(--x, ", 240) + "1px" + strings.Repeat(")", 240) + "}",
	"colour mixes in each other":      "a { color: " + strings.Repeat("color-mix(in oklab, red, ", 200) + "blue" + strings.Repeat(")", 200) + "}",
	"relative colours in each other":  "a { color: " + strings.Repeat("oklch(from ", 200) + "red" + strings.Repeat(" l c h)", 200) + "}",
	"a long identifier":               "a { " + strings.Repeat("b", 200_000) + ": c }",
	"a long string":                   "a { content: \"" + strings.Repeat("b\\\"", 60_000) + "\" }",
	"a long address":                  "a { background: url(" + strings.Repeat("../", 60_000) + "x.png) }",
	"a long comment":                  "/*" + strings.Repeat("* /", 60_000) + "*/ a { b: c }",
	"many comments":                   "a { b: c" + repeat(30_000, "/*#*/") + "}",
	"a long number":                   "a { width: " + strings.Repeat("9", 100_000) + "px }",
	"a long fraction":                 "a { width: 0." + strings.Repeat("1", 100_000) + "px }",
	"a large exponent":                "a { width: 1e" + strings.Repeat("9", 1000) + "px; height: 1e-" + strings.Repeat("9", 1000) + "px }",
	"escapes":                         "a { b: " + strings.Repeat("\\000061 ", 20_000) + "}",
	"null bytes":                      "a { b: " + strings.Repeat("\x00", 100_000) + "}",
	"carriage returns":                strings.Repeat("\r", 100_000) + "a { b: c }",
	"byte order marks":                strings.Repeat("\uFEFF", 30_000) + "a { b: c }",
	"wide characters":                 ".é { content: \"" + strings.Repeat("🛥", 30_000) + "\" }",
	"one long line":                   repeat(20_000, ".a { b: # }"),
	"a long line with a mistake":      repeat(20_000, ".a { top: # }") + " .a { colr: red }",
	"many lines":                      strings.Repeat("\n", 200_000) + "a { b: c }",
	"many declarations":               "a {" + repeat(20_000, "--x#: #;") + "}",
	"the same declaration":            "a {" + strings.Repeat("color: red;", 20_000) + "}",
	"empty rules":                     strings.Repeat("a{}", 50_000),
	"empty at-rules":                  strings.Repeat("@media print{}", 20_000),
	"semicolons":                      "a {" + strings.Repeat(";", 100_000) + "}",
	"closing braces":                  strings.Repeat("}", 100_000),
	"colons":                          "a {" + strings.Repeat(":", 100_000) + "}",
	"commas in a selector":            repeat(20_000, ".a#,") + "b { c: d }",
	"empty selectors":                 strings.Repeat(",", 50_000) + "{ c: d }",
	"a long selector":                 repeat(10_000, ".a# ") + "{ c: d }",
	"a long compound":                 repeat(20_000, ".a#") + "{ c: d }",
	"combinators":                     "a " + strings.Repeat("> ", 50_000) + "b { c: d }",
	":is() after :is()":               repeat(200, ".r# "+strings.Repeat(":is(.a, .b)", 40)+" { top: #px }"),
	":is() in many rules":             repeat(2000, ":is(.a, .b, .c, .d):is(.e, .f, .g, .h) .r#:is(:hover, :focus) { top: #px }"),
	":is() with many alternatives":    ":is(" + repeat(10_000, ".a#, ") + ".b) .c { d: e }",
	"alike selectors":                 repeat(30, repeat(390, ".pier .a# b, ")+".pier { top: #px }"),
	"alike rules":                     repeat(4000, ".r# .a, .r# .b { top: #px; left: 1px; right: 2px }"),
	":not() in :not()":                "a" + strings.Repeat(":not(b", 200) + strings.Repeat(")", 200) + "{ c: d }",
	":is() with many":                 ":is(" + repeat(10_000, ".a#,") + "b) :is(" + repeat(10_000, ".c#,") + "d) { e: f }",
	":has() in :is() in :where()":     strings.Repeat(":where(:is(:has(", 60) + "a" + strings.Repeat(")))", 60) + "{ c: d }",
	"attributes":                      "a" + repeat(10_000, "[b#=\"c\" i]") + "{ c: d }",
	"An+B":                            "a" + repeat(5000, ":nth-child(#n + #)") + "{ c: d }",
	"ampersands":                      ".a { " + strings.Repeat("&", 20_000) + " { b: c } }",
	"nested rules":                    strings.Repeat(".a {", 240) + "b: c" + strings.Repeat("}", 240),
	"nested rules with two parents":   strings.Repeat(".a, .b {", 14) + "c: d" + strings.Repeat("}", 14),
	"nested media":                    strings.Repeat("@media (width > 1px) {", 200) + "a { b: c }" + strings.Repeat("}", 200),
	"nested supports":                 strings.Repeat("@supports (a: b) {", 200) + "a { b: c }" + strings.Repeat("}", 200),
	"nested layers":                   strings.Repeat("@layer a {", 200) + "a { b: c }" + strings.Repeat("}", 200),
	"a long media query":              "@media " + repeat(5000, "(width > #px) and ") + "(height > 1px) { a { b: c } }",
	"many media queries":              "@media " + repeat(5000, "(width > #px), ") + "print { a { b: c } }",
	"many media rules":                repeat(5000, "@media (min-width: #px) { .a { top: #px } }"),
	"many layers":                     "@layer " + repeat(10_000, "l#, ") + "z; a { b: c }",
	"many keyframes":                  repeat(3000, "@keyframes k# { to { top: #px } } .a { animation: k# 1s }"),
	"a keyframe with many selectors":  "@keyframes k { " + repeat(10_000, "#%, ") + "to { top: 1px } } .a { animation: k 1s }",
	"many fonts":                      repeat(3000, "@font-face { font-family: f#; src: url(f#.woff2) } .a { font-family: f# }"),
	"many unknown properties":         "a {" + repeat(5000, "colr#: red;") + "}",
	"many imports that lead nowhere":  repeat(2000, "@import \"x#.css\";"),
	"many pictures that are missing":  repeat(3000, ".a { background: url(x#.png) }"),
	"many constants":                  repeat(20_000, "@const c#: #;") + ".a { order: const(c1) }",
	"a chain of constants":            "@const c0: 1;" + repeat(10_000, "@const c#+: const(c#);") + ".a { order: const(c10000) }",
	"a constant in many values":       "@const c: 1px 2px 3px;" + repeat(10_000, ".a { margin: const(c) }"),
	"a wide group":                    "@const g { " + repeat(20_000, "k#: #;") + "} .a { order: const(g.k1) }",
	"many keys by their paths":        repeat(10_000, "@const g.k#: #;") + ".a { order: const(g.k1) }",
	"many keys dropped":               "@const g { " + repeat(3000, "k#: #;") + "z: 1 }" + repeat(3000, "@drop g.k#;") + ".a { order: const(g.z) }",
	"defaults for many keys":          "@const g { " + repeat(3000, "k#: #;") + "}" + repeat(50, "@default g { "+repeat(200, "x#: 1; k#: 2;")+"}") + ".a { order: const(g.k1) }",
	"a deep group":                    "@const g { " + strings.Repeat("a {", 200) + "b: 1" + strings.Repeat("}", 201) + ".a { order: const(g" + strings.Repeat(".a", 200) + ".b) }",
	"unknown constants":               repeat(3000, ".a { order: const(c#) }"),
	"many mixins":                     repeat(5000, "@mixin --m# { top: 0 } .a { @apply --m#; }"),
	"mixins in mixins":                repeat(60, "@mixin --m#+ { @apply --m#; }") + "@mixin --m0 { top: 0 } .a { @apply --m60; }",
	"a mixin with many parameters":    "@mixin --m(" + repeat(2000, "--p#: #, ") + "--z: 1) { top: var(--p1) } .a { @apply --m(" + repeat(2000, "#, ") + "1); }",
	"many functions":                  repeat(5000, "@function --f#(--n) { result: calc(var(--n) + #px) } .a { top: --f#(1px) }"),
	"functions in functions":          repeat(60, "@function --f#+(--n) { result: --f#(var(--n)) }") + "@function --f0(--n) { result: var(--n) } .a { top: --f60(1px) }",
	"a long loop":                     "@loop n over range(1, 20000) { .a-(n) { order: const(n) } }",
	"loops in loops":                  "@loop a over range(1, 30) { @loop b over range(1, 30) { @loop c over range(1, 20) { .a-(a)-(b)-(c) { top: 0 } } } }",
	"a loop over a long list":         "@loop n over " + repeat(10_000, "w#, ") + "z { .a-(n) { top: 0 } }",
	"many conditions":                 repeat(3000, "@when const(x#) or media(width > #px) { .a { top: # } } @else { .a { left: # } }"),
	"if() with many branches":         ".a { top: if(" + repeat(2000, "media(width > #px): #px; ") + "else: 0) }",
	"many custom media":               repeat(3000, "@custom-media --m# (width > #px); @media (--m#) { .a { top: # } }"),
	"many custom selectors":           repeat(3000, "@custom-selector :--s# .a#, .b#; :--s# { top: # }"),
	"names that are built":            "@const k: x;" + repeat(10_000, ".a-(k)-# { margin-(k): # }"),
	"concat() of many":                "a { content: concat(" + repeat(20_000, "\"#\", ") + "\"z\") }",
	"a table of grid areas":           "a { grid-template-areas: " + repeat(5000, "\"a# b#\" ") + "}",
	"many shadows":                    "a { box-shadow: " + repeat(10_000, "0 0 #px red, ") + "none }",
	"many gradients":                  "a { background: " + repeat(3000, "linear-gradient(red #%, blue), ") + "none }",
	"many stops":                      "a { background: linear-gradient(" + repeat(10_000, "red #%, ") + "blue) }",
	"many transitions":                "a { transition: " + repeat(10_000, "color #s, ") + "none }",
	"a long font list":                "a { font-family: " + repeat(10_000, "f#, ") + "serif }",
	"unicode ranges":                  "@font-face { font-family: f; src: url(x); unicode-range: " + repeat(10_000, "U+#0-#F, ") + "U+1 } .a { font: 1px f }",
	"prefixed properties":             ".a {" + repeat(5000, "-webkit-box-shadow: 0 0 #px red; user-select: none;") + "}",
	"logical properties":              ".a {" + repeat(2000, "inset-inline: #px; margin-block: #px 0; padding-inline-start: #px;") + "}",
	"maps that name maps":             repeat(5000, ".a { b: c } /*# sourceMappingURL=x#.map */\n"),
	"comments that leave things":      repeat(5000, "/* rinzel as-is: purge */ .x# { b: c }"),
	"data addresses":                  repeat(200, ".a { background: url(data:image/svg+xml,"+strings.Repeat("%3Csvg%3E", 100)+"#) }"),
	"a replacement of everything":     "@import \"lib.css\" replace(" + repeat(3000, "#px: #+px; ") + "red: blue);",
	"a replacement with many numbers": "@import \"lib.css\" replace(1px: " + repeat(5000, "old ") + ");",
	"parts of everything":             "@import \"lib.css\" without(" + repeat(3000, "selector(\"*#*\"), ") + "\"**/x.css\");",
	"charsets":                        strings.Repeat("@charset \"utf-8\";", 10_000) + "a { b: c }",
	"namespaces":                      repeat(3000, "@namespace n# url(u#);") + "n1|a { b: c }",
}

// shapedPages are pages with many repetitions of one construct.
var shapedPages = map[string]string{
	"many classes":                       plainPage + "<b class=\"" + repeat(20_000, "c# ") + "\">",
	"many elements":                      plainPage + strings.Repeat("<b class=a>x</b>", 10_000),
	"deep elements":                      plainPage + strings.Repeat("<div class=a>", 20_000),
	"many links":                         "<!doctype html>" + strings.Repeat("<link rel=stylesheet href=main.css>", 2000) + "<p class=a>",
	"many missing links":                 plainPage + repeat(2000, "<link rel=stylesheet href=x#.css>"),
	"many style elements":                plainPage + repeat(500, "<style>.a { top: #px }</style>"),
	"many style elements in a long page": plainPage + strings.Repeat("x ", 500_000) + repeat(500, "<style>.a { top: #px }</style>"),
	"a long style attribute":             plainPage + "<b style=\"" + repeat(10_000, "top: #px;") + "\">",
	"many style attributes":              plainPage + repeat(3000, "<b style='top: #px'>"),
	"many scripts":                       plainPage + repeat(1000, "<script>document.title = 'c#'</script>"),
	"many missing scripts":               plainPage + repeat(2000, "<script src=x#.js></script>"),
	"many pictures":                      plainPage + repeat(3000, "<img src=x#.png srcset='y#.png 1x, z#.png 2x'>"),
	"a long srcset":                      plainPage + "<img srcset='" + repeat(10_000, "x#.png #w, ") + "'>",
	"character references":               plainPage + "<b class='" + strings.Repeat("&amp;&#x61;", 20_000) + "'>",
	"comments":                           plainPage + strings.Repeat("<!-- x -->", 20_000),
	"a comment without end":              plainPage + "<!--" + strings.Repeat("-", 100_000),
	"open angle brackets":                plainPage + strings.Repeat("<", 100_000),
	"a tag without end":                  plainPage + "<b " + repeat(20_000, "a# "),
	"quotes without end":                 plainPage + strings.Repeat("<b class=\"a", 20_000),
	"templates":                          plainPage + strings.Repeat("<template>", 3000) + "<link rel=stylesheet href=main.css>",
	"template marks":                     plainPage + strings.Repeat("{{#if x}}<b class='a-{{y}}'>{{/if}}", 3000),
	"import maps":                        plainPage + "<script type=importmap>{\"imports\": {" + repeat(5000, "\"x#/\": \"./x#/\", ") + "\"z\": \"./z.js\"}}</script><script type=module>import 'x1/a.js'</script>",
	"a base of many parts":               "<!doctype html><base href='" + strings.Repeat("a/", 10_000) + "'><link rel=stylesheet href=main.css>",
	"policies":                           "<!doctype html>" + repeat(500, "<meta http-equiv=content-security-policy content=\"style-src 'sha256-#'\">") + "<link rel=stylesheet href=main.css>",
	"entities without end":               plainPage + strings.Repeat("&", 100_000),
	"attributes without name":            plainPage + "<b " + strings.Repeat("= ", 50_000) + ">",
}

// shapedScripts are modules with many repetitions of one construct.
var shapedScripts = map[string]string{
	"template strings in each other": strings.Repeat("`${", 3000) + "1" + strings.Repeat("}`", 3000),
	"joined strings":                 "el.className = " + repeat(10_000, "\"a#\" + ") + "x;",
	"conditions in each other":       "el.className = " + repeat(2000, "x# ? \"a#\" : ") + "\"z\";",
	"brackets":                       "x = " + strings.Repeat("(", 50_000),
	"braces":                         strings.Repeat("{", 50_000),
	"regular expressions":            strings.Repeat("x = /[/\\]]+/g.test(y);", 5000),
	"divisions":                      "x = 1 " + strings.Repeat("/ 2 ", 30_000),
	"many imports":                   repeat(2000, "import './x#.js';"),
	"many dynamic imports":           repeat(2000, "import('./x#.css');"),
	"many strings":                   repeat(20_000, "x = 'a#';"),
	"a long string":                  "x = '" + strings.Repeat("a ", 60_000) + "';",
	"comments":                       strings.Repeat("/* x */", 20_000),
	"a comment without end":          "/*" + strings.Repeat("*", 100_000),
	"a string without end":           "x = '" + strings.Repeat("a", 100_000),
	"objects in each other":          "x = " + strings.Repeat("{a: ", 3000) + "1" + strings.Repeat("}", 3000),
	"arrays joined":                  "x = [" + repeat(5000, "'a#', ") + "].join(y + '-');",
	"names of several parts":         repeat(500, "el.classList.add('a' + x# + '-' + y# + '-' + z#);"),
	"sets of joined names":           "const k = [" + repeat(500, "'a#', ") + "]; el.className = k[i] + k[j] + k[l] + k[m];",
	"escapes":                        "x = '" + strings.Repeat("\\u0061", 10_000) + "';",
	"markup in strings":              "x = '" + strings.Repeat("<b class=a>", 5000) + "';",
}

// shapedData are settings and token files with many repetitions of one
// construct.
var shapedData = map[string]string{
	"toml many keys":          repeat(5000, "x# = 1\n"),
	"toml deep arrays":        "exclude = " + strings.Repeat("[", 5000),
	"toml many constants":     "[constants]\n" + repeat(20_000, "c# = \"#px\"\n"),
	"toml nested tables":      "[constants" + strings.Repeat(".a", 2000) + "]\nb = 1\n",
	"toml many profiles":      repeat(1000, "[profile.p#]\ninherits = \"p#+\"\n"),
	"toml many chains":        repeat(2000, "[[chain]]\nmatch = \"x#/**\"\nsteps = []\n"),
	"toml many roots":         "[roots]\n" + repeat(300, "r# = \".\"\n"),
	"toml many patterns":      "[purge]\nkeep = [" + repeat(5000, "\".k#-*\", ") + "]\n",
	"toml many bundles":       repeat(300, "[bundles.b#]\nfrom = [\"main.css\"]\n"),
	"toml a long string":      "source = \"" + strings.Repeat("a/", 50_000) + "\"\n",
	"toml globs of stars":     "exclude = [\"" + strings.Repeat("**/", 200) + "x\"]\n",
	"toml sets of browsers":   repeat(300, "[browsers.sets.s#]\nrecent = 2\n"),
	"json many tokens":        `{"$type": "number"` + repeat(10_000, `, "t#": {"$value": #}`) + "}",
	"json a wide group":       `{"g": {"$type": "number"` + repeat(10_000, `, "t#": {"$value": #}`) + "}}",
	"json deep groups":        strings.Repeat(`{"a": `, 500) + `{"$type": "number", "$value": 1}` + strings.Repeat("}", 500),
	"json a chain of aliases": `{"t0": {"$type": "number", "$value": 1}` + repeat(5000, `, "t#+": {"$value": "{t#}"}`) + "}",
	"json a circle":           `{"t0": {"$value": "{t999}"}` + repeat(999, `, "t#+": {"$value": "{t#}"}`) + "}",
	"json shadows":            `{"s": {"$type": "shadow", "$value": [` + repeat(2000, `{"color": "#000", "offsetX": {"value": #, "unit": "px"}, "offsetY": {"value": 0, "unit": "px"}, "blur": {"value": 0, "unit": "px"}, "spread": {"value": 0, "unit": "px"}}, `) + `{"color": "#000"}]}}`,
	"json brackets":           strings.Repeat("[", 100_000),
	"json a long string":      `{"a": {"$type": "fontFamily", "$value": "` + strings.Repeat("f", 100_000) + `"}}`,
	"json not closed":         `{"a": {"$value": ` + strings.Repeat(" ", 100_000),
}

// shapedLibrary is imported by the sheets of [shapes].
var shapedLibrary = repeat(3000, ".q# { top: #px; margin: 1px 1px 1px; color: red }")

// hostileCase is a project in memory.
type hostileCase struct {
	name, profile string
	files         map[string]string
}

// hostileCases are the shapes, each alone, truncated, inside other blocks, and
// for old browsers.
func hostileCases() []hostileCase {
	var out []hostileCase
	add := func(name, profile string, files map[string]string) {
		all := map[string]string{"index.html": plainPage, "main.css": ".a { top: 0 }", "lib.css": shapedLibrary,
			project.FileName: ""}
		for file, text := range files {
			all[file] = text
		}
		out = append(out, hostileCase{name, profile, all})
	}
	for name, css := range shapes {
		add(name, project.Production, map[string]string{"main.css": css})
		add(name+", cut off", project.Development, map[string]string{"main.css": css[:len(css)*2/3]})
		add(name+", for old browsers", project.Production, map[string]string{"main.css": css, project.FileName: oldFloor})
	}
	for name, page := range shapedPages {
		add("page: "+name, project.Production, map[string]string{"index.html": page})
	}
	for name, script := range shapedScripts {
		add("script: "+name, project.Production,
			map[string]string{"index.html": plainPage + "<script type=module src=main.js></script>", "main.js": script})
	}
	for name, text := range shapedData {
		if kind, _, _ := strings.Cut(name, " "); kind == "toml" {
			add(name, project.Production, map[string]string{project.FileName: text})
		} else {
			add(name, project.Production,
				map[string]string{"main.css": "@tokens \"t.json\"; @tokens \"t.json\" as more; .a { top: 0 }", "t.json": text})
		}
	}
	return out
}

// measure builds a case, and returns its time and its allocations in bytes.
func (h hostileCase) measure(t testing.TB) (took time.Duration, allocated uint64) {
	files := make(fstest.MapFS)
	for name, text := range h.files {
		files[name] = &fstest.MapFile{Data: []byte(text)}
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	start := time.Now()
	tree := source.NewTree(source.Folder{FS: files})
	settings, diags := project.Read(tree.Set.Add(source.Path{}, project.FileName, h.files[project.FileName]))
	if settings != nil && !diag.HasErrors(diags) {
		settings.Source, settings.File, settings.Roots = ".", "", nil
		res, err := site.Build(context.Background(), &project.Project{Settings: settings, Tree: tree},
			site.Options{Profile: h.profile})
		if err != nil {
			t.Fatal(err)
		}
		diags = append(diags, res.Diagnostics...)
	}
	var text strings.Builder
	r := diag.Renderer{Files: tree.Set}
	if err := r.Render(&text, diags); err != nil {
		t.Fatal(err)
	}
	took = time.Since(start)
	runtime.ReadMemStats(&after)
	return took, after.TotalAlloc - before.TotalAlloc
}

// TestHostileShapes checks that texts with many repetitions of one construct
// are built or rejected in bounded time and memory.
func TestHostileShapes(t *testing.T) {
	cases := hostileCases()
	if len(cases) < 300 {
		t.Errorf("there are only %d cases", len(cases))
	}
	const patience, room = time.Minute, 1 << 30 // on a very busy machine; the aim is 2 seconds
	var slowest, largest string
	var most time.Duration
	var bytes uint64
	for _, h := range cases {
		took, allocated := h.measure(t)
		if took > patience || allocated > room {
			t.Errorf("%s: it took %v and allocated %d MB", h.name, took.Round(time.Millisecond), allocated>>20)
		}
		if took > most {
			most, slowest = took, h.name
		}
		if allocated > bytes {
			bytes, largest = allocated, h.name
		}
		if took > time.Second || allocated > 400<<20 {
			t.Logf("%s: %v, %d MB", h.name, took.Round(time.Millisecond), allocated>>20)
		}
	}
	t.Logf("%d cases; the slowest is %q with %v, the largest %q with %d MB", len(cases), slowest,
		most.Round(time.Millisecond), largest, bytes>>20)
}

// BenchmarkHostile reports the slowest and the largest of the hostile cases.
func BenchmarkHostile(b *testing.B) {
	for b.Loop() {
		var most time.Duration
		var bytes uint64
		for _, h := range hostileCases() {
			took, allocated := h.measure(b)
			most, bytes = max(most, took), max(bytes, allocated)
		}
		b.ReportMetric(float64(most.Milliseconds()), "ms/worst")
		b.ReportMetric(float64(bytes>>20), "MB/worst")
	}
}
