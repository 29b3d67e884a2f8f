// Package csstest provides style sheets for tests: a table of small inputs that
// the tests and fuzz targets of several packages share, and a generator of
// large sheets for benchmarks. Only tests import it.
package csstest

import (
	"fmt"
	"strings"
)

// Valid are valid style sheets.
var Valid = []string{
	"@property --tide { syntax: '*'; inherits: true; initial-value:a,b }",
	"",
	" \t\n",
	"a{}",
	"a { color: red }",
	".ferry > .deck + li ~ p q { margin: 0 auto; padding: 1px 2px 3px 4px; }",
	"@media (min-width: 600px) and (orientation: landscape) { a { color: red } }",
	"@media screen { a:hover { color: red } b::before { content: \"x\" } }",
	"@import url(pier.css) layer(base.inner) supports(display: grid) screen and (width >= 40em);",
	"@import \"pier.css\";",
	"@layer a, b.c, d;\n@layer { a { color: red } }",
	"@charset \"utf-8\"; a { b: c }",
	"@font-face { font-family: Anchor; src: url(anchor.woff2) format(\"woff2\"); unicode-range: U+0025-00FF, u+4?? , U+26 }",
	"@keyframes drift { from { left: 0 } 33.3%, 50% { left: 10px } to { left: 0 } }",
	"@-webkit-keyframes drift { 0% { left: 0 } }",
	"@supports (display: grid) and (not (display: inline-grid)) { a { float: none } }",
	"@page :first { margin: 1in; @top-left { content: \"Harbour\" } }",
	"@container deck (width > 400px) { a { color: red } }",
	"@property --tide { syntax: \"<length>\"; inherits: true; initial-value: 0px }",
	"@scope (.card) to (.content) { img { border: 1px solid } }",
	"@font-feature-values Anchor { @styleset { nice-style: 12 } }",
	"a { color: red !important; background: blue ! important; c: d!IMPORTANT }",
	":root { --a: 1px ; --b:{ x: y; z }; --c:; --d: ; --e: a/**/b  c ; --f: \"}\" ; --g: !important; --h: f( ) [ ] { } }",
	":root { --json: [ { \"a\" : 1 , \"b\" : [ 2 ] } ] !important }",
	"a { width: calc( 1px + ( 2em * 3 ) - var(--x , 4px) ) }",
	"a { b: f(,) ; c: f( , ) ; d: f(a,,b) }",
	".card { color: red; &:hover { color: blue } .title & { x: y } > .deck { x: y } + & { z: w } & & { q: r } x: y; }",
	".card { a:hover { color: red } a:hover b:focus { x: y } span { x: y } @media print { x: y; b { c: d } } }",
	"a:not(.b, #c):nth-child(2n + 1 of .d, e):nth-of-type(odd):lang(en, \"fr\"):is():where(a, b c)::slotted(x):has(> img, + p) {}",
	"a[href], [data-x=\"y z\" i], svg|a, *|*, |b, [xlink|href], [a~=b], [a|=b], [a^=b], [a$=b], [a*=b s] {}",
	"a::before, a:after, ::-webkit-scrollbar, ::part(x y), :host(.a) .b, :host-context(c d) {}",
	"a||b, a > b, a+b, a~b {}",
	"#a\\.b, .\\31 0, .\\000031 , .a\\:b, .\\--x, .-\\-, .é, .😀 {}",
	".\\31 {} .\\31 .b {} .\\31/**/ .b {} .\\31>.b {}",
	"a { content: \"\\\"\\\n x\\41 b\\\r\nc\" ; b: '\\'' ; c: 'a\\a b' }",
	"a { b: url( x.png ) ; c: url(\"x y.png\"); d: URL('x'); e: u\\72l(x); f: src(\"y\"); g: url() ; h: url(a\\)b) }",
	"a { b: +1 -1 +.5 -.5 1e3 1E-3 1.5e+10px 1e 1em 1-x 1--x 0.10% +5px 1.0 .0 00 }",
	"a { b: #fff #ABCDEF80 #1a #x; c: 1+2; d: 1 +2; e: a-b a - b; f: -x --y - -1 }",
	"a { margin: -1px/**/2px; b: c/**/d; e: /* x */ f /* y */ g /* z */; h: i/**/(j); k: 1/**/px }",
	"a { filter: progid:DXImageTransform.Microsoft.gradient(startColorstr='#80000000', endColorstr='#80000000') }",
	"a { color: red; ; ; color: blue; } ",
	"/* one */ a { /* two */ b: c; /* three */ } /* four */",
	"/*! keep */ a { /*! keep */ b: c /*! keep */ }",
	"<!-- a { b: c } -->",
	"@unknown-thing x y(z) [w] { a: b; c { d: e } @f g; }",
	"@unknown-statement { } @x; @y \"z\";",
	"\uFEFFa { b: c }",
	"\uFEFF\uFEFF { b: c }",
	"-- > a { b: -- > c }",
	"a { margin-(side): 0; (p): x; --t-(k)-u2-(v): a  b ; a-(b)c: d !important } @const x { 50: a; 1px: b; c d { e: f } } @keyframes x-(n) { (a) { b: c } }",
	".a-(b)-c:not(#d-(e)):hover (f), .(g) > h-(i) { j: k }",
	"a { b: .0.000 1.5.5 +1+2 1-2 -1-1 u+1 u+A u -x; c: < !-- > ; d: <! --x; e: !--x; f: <!/**/--x }",
	"a\r\n{\r\nb: c;\r\n\fd: e }\r",
	"a { b: \x00c\x00 } .\x00 {}",
	"é { ü: \"ö😀\"; /* ä */ b: c }",
	"@media(min-width:1px){a{b:c}}@import\"x\";@layer{}",
	"a{b:c;@media print{d:e}f:g}",
	"a { b: < ! - ; c: / * ; d: @x @ y; e: # z; f: . 5; g: + 5; h: | | ; i: ~ = }",
	"@when media(width >= 400px) and supports(display: flex) { a { b: c } } @else { a { b: d } }",
}

// Broken are style sheets with errors.
var Broken = []string{
	"a { color: red", "a { b { c: d", "@media x { a { b: c }", "a { b: f(1, [2", "a { b: \"x", "a { b: url(x",
	"a { b: url(x y",
	"/* x", "/*", "/**", "a /* x", "a { b: /* c", "a\\", "@\\", "@a\\", "#\\", "a { b: \"c\\", "a { b: 'c\\\\",
	"a { b: url(c\\", "a{b:1\\",
	"a { b: \"x\n; c: d } e { f: g }", "a { b: \"x\n}", "a { b: 'x\r}", "a { b: \"x\f; }", "a \"b\n { c: d } e {}",
	"@a \"b\n; c {}",
	"a { b: url(x\"y) } c {}", "a { b: url(x'y ; c: d) ; e: f }", "@import url(a b); c {}", "url(a b) { c: d }",
	"a {} }", "a {} };", "a {};", "a {} ; /* b */ ; /*! c */", "a {} } /* b */ x", "a {} .b", "a {} b,", "a {} )", "a {} @b }",
	"a {}; @b;", "a {} ;-->", "} a { b: c }", "a { b: c } } d { e: f } g { h: i }", "a { b: c }; d { e: f }", ") a {}", "a ) {}",
	"a ] b {} c {}", "@a ) b; c {}", "@media } { a {} }",
	"a { b: ) ; c: d }", "a { b: ] }", "a { ) }", "a { b: (]) ; c: [)] }", "a { color red; b: c }",
	"a { *zoom: 1; _b: c; +d: e }", "a { // b\n c: d; e: f }",
	"a { : b }", "a { b }", "a { b; c }", "a { {} }", "{}", "{} a {}", "a { {", "a { b: c {} d: e }", "a { b:{c:d} }",
	"a { b:{c:d}e; f: g }",
	"a,, b {}", "a, {}", ", a {}", "a > > b {}", "> a {}", "a > {}", "a { > {} }", "a { + b {} }", ". a {}",
	"a . b {}", "a:: {}", "a: b {}", "a : b {}", ".5a {}", "#5a {}",
	"a[=b] {}", "a[b=] {}", "a[b=1] {}", "a[b=c d e] {}", "a[] {}", "a[b c] {}", "a:not(>b) {}", "a:is(>b, c) {}",
	"a:has(>) {}", "a, 5 {}", "%x {}", "a{&b{}}", "&a&b {} ",
	"--x: y { z: w } a {}", "--x:hover {}", "a { --x: ) }", "a { --x: \"y\n; z: w }", "a { --x: \\\n }",
	"a { b: \\\n c; d: e }", "a { b: \\\n }", "a { \\\n }", "\\\n {}", "@a \\\n;", "@a \\\n{}", "@a f(\\\n);",
	"@media", "@media x", "@", "@ a;", "a { @media }", "a { @b c }", "@keyframes x { a }", "@keyframes x { 5% }",
	"@keyframes x { 5% { b } }", "@keyframes x { a: b; from {} }",
	"<!", "<!--", "-->", "a <!-- b {}", "a { <!-- b: c; }", "a { b: <!-- ; c: -- >; d: --> }", "a{}-->b{}",
	"a { b: 1/**/e+5; c: 1e/**/+5; d: @/**/x; e: #/**/x; f: </**/!--; g: 5/**/%; h: -/**/->; i: //**/* }",
	"@font-face { unicode-range: u+1/**/2, u+1?/**/?, U+1-/**/2, u/**/+1 } a { b: u+1 }",
	"a { unicode-range: u+12345678; unicode-range: u+1-2-3 }",
	"0{A:\"\\ \r", "a { b\\ ; c }", "0{A:\"\\\r\r", "\\\r", "\\\r\n", "0{\\1:x}",
	"0{A://**/ 0; b: / /**/ /; c: 1 /**/ / /**/ 2; d: / * ; e: / /**/ *}", " 0{},{", ",a{},,b{}", "0{--:\\\n0",
	"0{--x:\\\r\n\\\f a}", "0{A:\"\\\r\n\r\n}", "a:b:c{}", "a{b:c:d{}}", "a{b:c;d{}e:f;g{}}",
	"a{b:c!important!important; d: !important; e: ! ; f: !x }", "a{b:!;c:d}",
	strings.Repeat("a{", 300), strings.Repeat("{", 1000), strings.Repeat("(", 1000), "a{b:" +
		strings.Repeat("(", 300) + strings.Repeat(")", 300) + ";c:d}e{f:g}",
	"a" + strings.Repeat(":not(", 300) + "b" + strings.Repeat(")", 300) + "{} c{}", "@a " + strings.Repeat("[", 300) +
		strings.Repeat("]", 300) + "; c{}",
	strings.Repeat("@media x{", 300), strings.Repeat("a:{", 50), strings.Repeat("a:b{", 50), strings.Repeat("[(}{", 50),
}

// All returns all inputs, valid and broken.
func All() []string { return append(append([]string(nil), Valid...), Broken...) }

// Generate returns a style sheet of at least size bytes, similar to the sheets
// of a large site: many short rules, some media queries, functions, custom
// properties, nested rules, comments, many properties and non-ASCII characters.
// It is valid, and deterministic.
func Generate(size int) string {
	var b strings.Builder
	b.Grow(size + 4096)
	for i := 0; b.Len() < size; i++ {
		n := i % 997
		fmt.Fprintf(&b, "/* Berth %d: what is moored here. */\n", i)
		fmt.Fprintf(&b, ".berth-%d,\n.berth-%d:hover > .vessel__name {\n  color: #%02x%02x%02x;\n  margin: 0 auto %dpx;\n  padding: 0.50em 1.0em;\n}\n\n",
			i, i, n%256, n*7%256, n*13%256, n%64)
		fmt.Fprintf(&b, ".quay .berth-%d .timetable td:nth-child(2n + 1) {\n  border-bottom: 1px solid rgba(0, 0, 0, 0.%d);\n  background-image: url(\"img/wave-%d.svg\");\n  transition: opacity 0.3s ease-in-out, transform 0.3s;\n}\n\n",
			i, 1+n%9, n%40)
		switch i % 4 {
		case 0:
			fmt.Fprintf(&b, "@media (min-width: %dpx) {\n  .berth-%d {\n    display: grid;\n    grid-template-columns: repeat(auto-fill, minmax(%dpx, 1fr));\n    width: calc(100%% - var(--gap-%d, 8px) * 2);\n  }\n}\n\n",
				400+n, i, 100+n%100, n%10)
		case 1:
			fmt.Fprintf(&b, ".notice-%d {\n  --tone: oklch(0.7 0.1 %d);\n  font: 600 1rem/1.5 \"Anchor Sans\", sans-serif;\n\n  &:focus-visible {\n    outline: 2px solid var(--tone);\n  }\n\n  .icon & {\n    inset: 0;\n  }\n}\n\n", i, n%360)
		case 2:
			fmt.Fprintf(&b, "#pier-%d a[href^=\"/tickets/\"]:not(.is-sold-out)::after {\n  content: \"\\2192\";\n  transform: translateX(%d.5px) rotate(-%ddeg);\n  box-shadow: 0 1px 2px #00000033, 0 4px 8px -2px rgb(0 0 0 / 20%%);\n}\n\n", i, n%20, n%90)
		case 3:
			fmt.Fprintf(&b, "/* № %d: Fähre „Möwe“, 12 → 34 */\n.fähre-%d {\n", i, i)
			for k := range 4 {
				fmt.Fprintf(&b, "  "+various[(n*5+k*7)%len(various)]+";\n", 1+n%89)
			}
			b.WriteString("}\n\n")
		}
	}
	return b.String()
}

// various are declarations of many properties, each with a placeholder for a
// number.
var various = []string{
	"width: %dpx", "max-height: %dvh", "opacity: 0.%d", "z-index: %d", "font-size: %d%%", "line-height: 1.%d",
	"letter-spacing: 0.0%dem", "flex: 1 1 %dpx", "order: %d",
	"transform: rotate(%ddeg)", "filter: blur(%dpx)", "border-radius: %dpx 0", "transition: left %dms ease",
	"animation: ebb %ds infinite alternate", "gap: %dpx",
	"grid-template-columns: repeat(3, minmax(0, %dfr))", "background: linear-gradient(%ddeg, #123, transparent)",
	"text-indent: %dch", "columns: %dem", "top: calc(50%% - %dpx)",
	"clip-path: inset(%dpx)", "outline: %dpx dotted currentColor", "content: \"Quai %d → Île\"",
	"cursor: url(\"img/wave-1.svg\") %d 0, pointer",
}
