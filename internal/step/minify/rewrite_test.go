package minify

import (
	"testing"

	"rinzel/internal/browsers"
)

// TestRewrites minifies sheets whose rules, declarations or values have shorter
// forms, and others that only look as if they had.
func TestRewrites(t *testing.T) {
	modern := browsers.AtLeast(map[string]browsers.Version{"chrome": 120000, "firefox": 120000, "safari": 17000})
	old := browsers.AtLeast(map[string]browsers.Version{"ie": 11000, "chrome": 40000, "safari": 9000})
	tests := []struct{ name, src, want string }{
		// rules
		{"equal selectors", `.a { top: 0 } .b { left: 0 } .a { right: 0 }`, `.a{top:0;right:0}.b{left:0}`},
		{"equal selectors, downwards", `.a { top: 0 } .b { top: 1px } .a { top: 2px }`, `.b{top:1px}.a{top:2px}`},
		{"equal selectors that must stay", `.a { top: 0; left: 0 } .b { top: 1px; left: 1px } .a { top: 2px; right: 0 }`, `.a{left:0}.b{top:1px;left:1px}.a{top:2px;right:0}`},
		{"equal blocks", `.a { top: 0 } .b { left: 0 } .c { top: 0 }`, `.a,.c{top:0}.b{left:0}`},
		{"equal blocks that must stay", `.a { top: 0 } .b { top: 1px } .c { top: 0 }`, `.a{top:0}.b{top:1px}.c{top:0}`},
		{"equal blocks, other specificity between", `.a { top: 0 } p.b { top: 1px } .c { top: 0 }`, `.a,.c{top:0}p.b{top:1px}`},
		{"equal blocks, other elements between", `.a::before { top: 0 } .b::after { top: 1px } .c::before { top: 0 }`, `:is(.a,.c):before{top:0}.b:after{top:1px}`},
		{"equal blocks, important between", `.a { top: 0 } .b { top: 1px !important } .c { top: 0 }`, `.a,.c{top:0}.b{top:1px!important}`},
		{"lists that a browser may drop", `.a { top: 0 } .b::-webkit-x { top: 0 }`, `.a{top:0}.b::-webkit-x{top:0}`},
		{"a shorthand between", `.a { margin-top: 0 } .b { margin: 1px } .c { margin-top: 0 }`, `.a{margin-top:0}.b{margin:1px}.c{margin-top:0}`},
		{"a logical property between", `.a { margin-top: 0 } .b { margin-block-start: 1px } .c { margin-top: 0 }`, `.a{margin-top:0}.b{margin-block-start:1px}.c{margin-top:0}`},
		{"overridden by a later rule", `.a { top: 0; left: 0 } .b { left: 1px } .a, .c { left: 2px; top: 3px }`, `.b{left:1px}.a,.c{left:2px;top:3px}`},
		{"overridden, but for some browsers", `.a { color: red } .b { left: 0; color: #000 } .a { color: color(display-p3 1 0 0) }`, `.a{color:red}.b{left:0;color:#000}.a{color:color(display-p3 1 0 0)}`},
		// blocks
		{"equal conditions", `@media print { .a { top: 0 } } .b { left: 0 } @media print { .c { top: 0 } }`, `@media print{.a,.c{top:0}}.b{left:0}`},
		{"equal conditions that must stay", `@media print { .a { top: 0 } } .b { top: 1px } @media print { .c { top: 0 } }`, `@media print{.a{top:0}}.b{top:1px}@media print{.c{top:0}}`},
		{"equal layers", `@layer x { .a { top: 0 } } @layer y { .b { top: 1px } } .d { top: 2px } @layer x { .c { top: 0 } }`, `@layer x{.a,.c{top:0}}@layer y{.b{top:1px}}.d{top:2px}`},
		{"layers that must stay", `@layer x { .a { top: 0 } } @media print { @layer x { .b { top: 1px } } } @layer x { .c { top: 0 } }`, `@layer x{.a{top:0}}@media print{@layer x{.b{top:1px}}}@layer x{.c{top:0}}`},
		{"layers without a name", `@layer { .a { top: 0 } } @layer { .a { left: 0 } }`, `@layer{.a{top:0}}@layer{.a{left:0}}`},
		{"repeated definitions", `@keyframes k { to { top: 0 } } @keyframes l { to { top: 0 } } @keyframes k { to { top: 0 } }`, `@keyframes l{to{top:0}}@keyframes k{to{top:0}}`},
		{"media queries", `@media all and (color), not all, print, print { .a { top: 0 } } @media not all { .b { top: 0 } }`, `@media(color),print{.a{top:0}}`},
		// declarations
		{"overridden", `.a { top: 0; top: 1px; margin-left: 1px; margin: 0; color: red !important; color: blue }`, `.a{top:1px;margin:0;color:red!important}`},
		{"fallbacks", `.a { color: red; color: color(display-p3 1 0 0); display: -webkit-box; display: flex }`, `.a{color:red;color:color(display-p3 1 0 0);display:flex}`},
		{"sides", `.a { margin-top: 1px; margin-right: 2px; margin-bottom: 1px; margin-left: 2px }`, `.a{margin:1px 2px}`},
		{"three sides", `.a { margin-top: 1px; margin-right: 2px; margin-bottom: 1px }`, `.a{margin-top:1px;margin-right:2px;margin-bottom:1px}`},
		{"a side after all", `.a { padding: 0; padding-left: 1px } .b { padding: 10px; padding-left: 0 }`, `.a{padding:0 0 0 1px}.b{padding:10px 10px 10px 0}`},
		{"sides with a logical one between", `.a { margin-top: 1px; margin-right: 1px; margin-inline: 2px; margin-bottom: 1px; margin-left: 1px }`, `.a{margin-top:1px;margin-right:1px;margin-inline:2px;margin-bottom:1px;margin-left:1px}`},
		{"sides with var()", `.a { margin-top: 1px; margin-right: var(--x); margin-bottom: 1px; margin-left: 1px }`, `.a{margin-top:1px;margin-right:var(--x);margin-bottom:1px;margin-left:1px}`},
		{"sides with other importance", `.a { margin-top: 1px; margin-right: 1px !important; margin-bottom: 1px; margin-left: 1px }`, `.a{margin-top:1px;margin-right:1px!important;margin-bottom:1px;margin-left:1px}`},
		{"inset", `.a { top: 0; right: 0; bottom: 0; left: 0 }`, `.a{inset:0}`},
		{"border parts", `.a { border-width: 1px; border-style: solid; border-color: red }`, `.a{border-width:1px;border-style:solid;border-color:red}`}, // border resets border-image
		{"one border", `.a { border-top-width: 1px; border-top-style: solid; border-top-color: red }`, `.a{border-top:1px solid red}`},
		{"pairs", `.a { overflow-x: hidden; overflow-y: hidden; row-gap: 1px; column-gap: 2px }`, `.a{overflow:hidden;gap:1px 2px}`},
		{"pairs after a shorthand", `.a { overflow: auto; overflow-x: hidden; top: 0; overflow-y: hidden } .b { overflow: var(--x); overflow-x: hidden; overflow-y: hidden }`,
			`.a{top:0;overflow:hidden}.b{overflow:var(--x);overflow-x:hidden;overflow-y:hidden}`},
		{"alignments", `.a { align-items: center; justify-items: center } .b { align-items: baseline; justify-items: baseline }`, `.a{place-items:center}.b{align-items:baseline;justify-items:baseline}`},
		{"in a scope", `@scope (.x) { top: 0px; .a { left: 0px } .b { right: 0 } .a { top: 0 } }`, `@scope(.x){top:0;.a{left:0;top:0}.b{right:0}}`},
		{"comments", `.a { top: 0; /* x */ } .b { left: 0 } .a { /* y */ right: 0 } .c { /*! z */ top: 0 }`, `.a{top:0;right:0}.b{left:0}.c{/*! z */top:0}`},
		{"nested", `.a { top: 0px; &:hover { left: 0px; left: 0px } @media print { right: 0px } bottom: 0px }`, `.a{top:0;&:hover{left:0}@media print{right:0}bottom:0}`},
		{"flex", `.a { flex-grow: 1; flex-shrink: 1; flex-basis: 0% } .b { flex: 0 0 auto } .c { flex: 1 1 auto } .d { flex: 2 1 10px }`, `.a{flex:1}.b{flex:none}.c{flex:auto}.d{flex:2 10px}`},
		// values
		{"repeated values", `.a { padding: 1px 2px 1px 2px; border-radius: 3px 3px 3px 3px / 3px; gap: 4px 4px }`, `.a{padding:1px 2px;border-radius:3px;gap:4px}`},
		{"zero", `.a { margin: 0px; line-height: 0px; flex: 1 1 0px; transform: translate(0px, 1px) rotate(0deg); transition-delay: 0s; width: 0% }`, `.a{margin:0;line-height:0px;flex:0px;transform:translateY(1px) rotate(0);transition-delay:0s;width:0%}`},
		{"zero in calculations", `.a { width: max(0px, 1em); height: calc(0px + 1em); --x: 0px }`, `.a{width:max(0px,1em);height:1em;--x:0px}`},
		{"times", `.a { transition-duration: 100ms, 1500ms, 0.005s, 50ms; transition-delay: -2000ms, +.0010s, 1568.23529412ms, 1.56823529412s }`,
			`.a{transition-duration:.1s,1.5s,5ms,50ms;transition-delay:-2s,1ms,1.56823529412s,1.56823529412s}`},
		{"colours in invalid values", `.a { background-color: radial-gradient(rgba(0, 0, 0, 0) 45%, #ff0000) }`, `.a{background-color:radial-gradient(#0000 45%,red)}`},
		{"weights", `.a { font-weight: bold } .b { font-weight: normal } .c { font: normal bold 1em x } .d { font: 1em bold }`, `.a{font-weight:700}.b{font-weight:400}.c{font:normal 700 1em x}.d{font:1em bold}`},
		{"families", `.a { font-family: "Anchor Sans", "sans-serif", "9 Bells", 'Harbour', inherit }`, `.a{font-family:"Anchor Sans","sans-serif","9 Bells","Harbour",inherit}`}, // invalid
		{"valid families", `.a { font-family: "Anchor Sans", "sans-serif", "9 Bells", 'Harbour', serif }`, `.a{font-family:Anchor Sans,"sans-serif","9 Bells",Harbour,serif}`},
		{"borders", `.a { border: solid 1px currentcolor } .b { border-top: none 0 } .c { outline: medium none red } .d { border: medium none }`, `.a{border:1px solid}.b{border-top:0}.c{outline:red}.d{border:none}`},
		{"transitions", `.a { transition: all 0.3s ease 0s } .b { transition: ease-in .1s top 0s, left 1s 0s linear }`, `.a{transition:.3s}.b{transition:top .1s ease-in,left 1s linear}`},
		{"easing", `.a { animation: k 1s cubic-bezier(0.42, 0, 1, 1) } .b { animation-timing-function: steps(1, end) }`, `.a{animation:k 1s ease-in}.b{animation-timing-function:step-end}`},
		{"transforms", `.a { transform: translate3d(0, 0, 5px) scale(2, 2) scale(1, 3) translateX(4px) rotateZ(1deg) }`, `.a{transform:translateZ(5px) scale(2) scaleY(3) translate(4px) rotateZ(1deg)}`},
		{"positions", `.a { background-position: center center, left top, top left, right 10px bottom } .b { object-position: center bottom }`, `.a{background-position:50%,0% 0%,0% 0%,right 10px bottom}.b{object-position:50% 100%}`},
		{"calculations", `.a { width: calc(var(--a) * 2); height: calc(1px * 3 + var(--b)); margin: calc(-1 * 0) }`, `.a{width:calc(var(--a)*2);height:calc(3px + var(--b));margin:calc(-1*0)}`},
		{"transparent", `.a { color: transparent; border-color: rgba(0, 0, 0, 0); --x: transparent; will-change: transparent }`, `.a{color:#0000;border-color:#0000;--x:transparent;will-change:transparent}`},
		{"directions of gradients", `.a { background: linear-gradient(to bottom, red, blue), repeating-linear-gradient(to bottom right, red, blue) } .b { background: -webkit-linear-gradient(to bottom, red, blue) }`,
			`.a{background:linear-gradient(red,blue),repeating-linear-gradient(to bottom right,red,blue)}.b{background:-webkit-linear-gradient(to bottom,red,blue)}`},
		{"shadows", `.a { box-shadow: 0 1px 0 0 red, inset 1px 1px 0 2px #000000; text-shadow: white 0 1px 0px } .b { box-shadow: 0 0 0 0 var(--c) }`,
			`.a{box-shadow:0 1px red,inset 1px 1px 0 2px #000;text-shadow:#fff 0 1px}.b{box-shadow:0 0 0 0 var(--c)}`},
		{"lines", `.a { grid-row-start: 1; grid-row-end: auto; grid-column: pier / pier } .b { grid-column-start: span 2; grid-column-end: 4 } .c { grid-row: 2 / 2 }`,
			`.a{grid-row:1;grid-column:pier}.b{grid-column-start:span 2;grid-column-end:4}.c{grid-row:2/2}`},
		{"hacks stay", `.a { color: #ffffff\9; width: 0px\0 }`, `.a{color:#ffffff\9;width:0px\0 }`},
		// selectors
		{"pseudo-elements", `a::before, ::AFTER, ::marker { top: 0 }`, `a:before,:AFTER,::marker{top:0}`},
		{"universal", `*.a, * > *, *:hover, a *::before { top: 0 }`, `.a,*>*,:hover,a :before{top:0}`},
		{"universal with namespaces", `@namespace "x"; *.a { top: 0 }`, `@namespace"x";*.a{top:0}`},
		{"formulas", `:nth-child(even), :nth-child(2n + 1), :nth-child( 1 ), :nth-last-of-type(1n + 0), :nth-child(-n+3), :nth-child(0n+4) { top: 0 }`,
			`:nth-child(2n),:nth-child(odd),:first-child,:nth-last-of-type(n),:nth-child(-n+3),:nth-child(4){top:0}`},
		{"invalid selectors", `.a::after .b { top: 0 } .c { top: 0 } .d:first-child(2) { left: 0 } .e { left: 0 }`, `.a:after .b{top:0}.c{top:0}.d:first-child(2){left:0}.e{left:0}`},
		{"doubles", `.a, .b, .a { top: 0 }`, `.a,.b{top:0}`},
		{"alternatives", `.quay .a, .quay .b, .quay .c:hover { top: 0 } .bell h1, .bell h2, .bell .h1 { left: 0 }`, `.quay :is(.a,.b),.quay .c:hover{top:0}.bell :is(h1,h2),.bell .h1{left:0}`},
		{"alternatives in two places", `.quay h1.a, .quay h1.b, .quay h2.a, .quay h2.b { top: 0 }`, `.quay :is(h1.a,h1.b,h2.a,h2.b){top:0}`},
		{"alternatives of the source", `.quay :is(h1, h2):is(.a, .b) { top: 0px } .pier :is(.a, .a) { left: 0 }`, `.quay :is(h1,h2):is(.a,.b){top:0}.pier .a{left:0}`},
		{"too few alternatives", `.a b, .c b { top: 0 } .d i:hover, .e i:hover { left: 0 }`, `.a b,.c b{top:0}:is(.d,.e) i:hover{left:0}`},
		{"alternatives of other rules", `:is(.quay, .pier) > .a { top: 0 } .quay > .a { top: 1px; left: 0 } .pier > .a { top: 1px }`, `.quay>.a{top:1px;left:0}.pier>.a{top:1px}`},
		{"no alternatives", `:is(.a, b) .c { top: 0 } .a :is(.b .c, .d) { left: 0 } ::slotted(.quay):hover, ::slotted(.quay):focus { right: 0 } .quay-side :hover, .quay-side :active { bottom: 0 }`, `:is(.a,b) .c{top:0}.a :is(.b .c,.d){left:0}::slotted(.quay):hover,::slotted(.quay):focus{right:0}.quay-side :hover,.quay-side :active{bottom:0}`},
		{"keyframes", `@keyframes k { from, 50.0% { top: 0px } 100% { top: 1px } }`, `@keyframes k{0%,50%{top:0}to{top:1px}}`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			if got := minified(test.src); got != test.want+"\n" {
				t.Errorf("%s\n got %swant %s", test.src, got, test.want)
			}
		})
	}
	byTargets := []struct{ name, src, modern, old string }{
		{"ranges", `@media (min-width: 600px) and (max-width: 900px), screen and (min-width: 1px) { .a { top: 0 } }`,
			`@media(600px<=width<=900px),screen and (width>=1px){.a{top:0}}`, `@media(min-width:600px) and (max-width:900px),screen and (min-width:1px){.a{top:0}}`},
		{"inset", `.a { top: 0; right: 0; bottom: 0; left: 0 }`, `.a{inset:0}`, `.a{top:0;right:0;bottom:0;left:0}`},
		{"alpha", `.a { color: rgba(0, 0, 0, 0.2) }`, `.a{color:#0003}`, `.a{color:rgba(0,0,0,.2)}`},
		{"prefixed fallbacks", `.a { position: -webkit-sticky; position: sticky }`, `.a{position:sticky}`, `.a{position:-webkit-sticky;position:sticky}`},
		{"new units", `.a { width: 1px; width: 1dvh }`, `.a{width:1dvh}`, `.a{width:1px;width:1dvh}`},
		{"new selectors", `.a { top: 0 } .b:focus-visible { top: 0 }`, `.a,.b:focus-visible{top:0}`, `.a{top:0}.b:focus-visible{top:0}`},
	}
	for _, test := range byTargets {
		t.Run(test.name, func(t *testing.T) {
			for _, run := range []struct {
				targets browsers.Targets
				want    string
			}{{modern, test.modern}, {old, test.old}} {
				if got := minifiedFor(test.src, Options{Targets: run.targets}); got != run.want+"\n" {
					t.Errorf("%s\n got %swant %s", test.src, got, run.want)
				}
			}
		})
	}
}

// TestSizes minifies for both sizes: what makes the file smaller may not make it
// smaller after compression.
func TestSizes(t *testing.T) {
	const far = `.n{color:navy}.o{color:oldlace}.p{color:pink}.q{color:plum}.r{color:peru}`
	tests := []struct{ name, src, compressed, uncompressed string }{
		{"alike and far", `.quay-a { top: 9px } ` + far + ` .quay-b { top: 9px }`,
			`.quay-a,.quay-b{top:9px}` + far, `.quay-a,.quay-b{top:9px}` + far},
		{"unlike and far", `.quay { top: 9px } ` + far + ` .pier { top: 9px }`,
			`.quay{top:9px}` + far + `.pier{top:9px}`, `.quay,.pier{top:9px}` + far},
		{"all of the first", `.a { display: flex; position: relative } .b { display: flex; position: relative; top: 1px }`,
			`.a{display:flex;position:relative}.b{display:flex;position:relative;top:1px}`,
			`.a,.b{display:flex;position:relative}.b{top:1px}`},
		{"all of the second", `.a { top: 1px; display: flex; position: relative } .b { display: flex; position: relative }`,
			`.a{top:1px;display:flex;position:relative}.b{display:flex;position:relative}`,
			`.a{top:1px}.a,.b{display:flex;position:relative}`},
		{"some of both", `.a { top: 1px; display: flex; position: relative } .b { left: 1px; display: flex; position: relative }`,
			`.a{top:1px;display:flex;position:relative}.b{left:1px;display:flex;position:relative}`,
			`.a{top:1px}.a,.b{display:flex;position:relative}.b{left:1px}`},
		{"some of three", `.a { top: 1px; position: relative } .b { top: 2px; position: relative } .c { top: 3px; position: relative }`,
			`.a{top:1px;position:relative}.b{top:2px;position:relative}.c{top:3px;position:relative}`,
			`.a{top:1px}.a,.b,.c{position:relative}.b{top:2px}.c{top:3px}`},
		{"the others become a shorthand", `.a { overflow: var(--harbour-overflow) } .b { overflow: var(--harbour-overflow); overflow-x: hidden; overflow-y: hidden }`,
			`.a{overflow:var(--harbour-overflow)}.b{overflow:var(--harbour-overflow);overflow-x:hidden;overflow-y:hidden}`,
			`.a,.b{overflow:var(--harbour-overflow)}.b{overflow:hidden}`},
		{"too little", `.harbour { top: 1px; left: 0 } .ferry { top: 2px; left: 0 }`,
			`.harbour{top:1px;left:0}.ferry{top:2px;left:0}`, `.harbour{top:1px;left:0}.ferry{top:2px;left:0}`},
		{"one between sets it", `.a { position: relative; float: left } .c { position: static } .b { position: relative; float: left; top: 1px }`,
			`.a{position:relative;float:left}.c{position:static}.b{position:relative;float:left;top:1px}`,
			`.a{position:relative;float:left}.c{position:static}.b{position:relative;float:left;top:1px}`},
		{"order in the second", `.a { margin-top: 3px; display: flex } .b { margin: 1em; margin-top: 3px; display: flex }`,
			`.a{margin-top:3px;display:flex}.b{margin:3px 1em 1em;display:flex}`,
			`.a{margin-top:3px}.a,.b{display:flex}.b{margin:3px 1em 1em}`},
		{"order of fallbacks", `.a { display: -webkit-box; display: flex; top: 1px } .b { left: 1px; display: flex; display: -webkit-box }`,
			`.a{display:-webkit-box;display:flex;top:1px}.b{left:1px;display:flex;display:-webkit-box}`,
			`.a{display:-webkit-box;display:flex;top:1px}.b{left:1px;display:flex;display:-webkit-box}`},
		{"selectors that some drop", `.a { display: flex; position: relative } ::-moz-x { display: flex; position: relative; top: 1px }`,
			`.a{display:flex;position:relative}::-moz-x{display:flex;position:relative;top:1px}`,
			`.a{display:flex;position:relative}::-moz-x{display:flex;position:relative;top:1px}`},
		{"a direction that some do not know", `.a { background: linear-gradient(to bottom, red, navy) }`,
			`.a{background:linear-gradient(to bottom,red,navy)}`, `.a{background:linear-gradient(to bottom,red,navy)}`},
		{"transparent", `.a { color: rgba(0, 0, 0, 0); fill: transparent }`, `.a{color:transparent;fill:transparent}`,
			`.a{color:transparent;fill:transparent}`},
	}
	old := browsers.AtLeast(map[string]browsers.Version{"chrome": 20000, "ie": 11000})
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			for size, want := range map[Size]string{"": test.compressed, Compressed: test.compressed, Uncompressed: test.uncompressed} {
				if got := minifiedFor(test.src, Options{Targets: old, Size: size}); got != want+"\n" {
					t.Errorf("%s:\n got %swant %s", size, got, want)
				}
			}
		})
	}
}
