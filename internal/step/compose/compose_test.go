package compose

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

func composed(src string) (string, []diag.Diagnostic) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	var diags []diag.Diagnostic
	var nodes []ast.Node
	ResolveHoisted(nil, func(s *Scope) {
		diags = nil
		c := &Composer{Report: func(d diag.Diagnostic) { diags = append(diags, d) }}
		nodes = c.Nodes(sheet.Nodes, s)
		diags = append(diags, s.Unknown()...)
	})
	return print.Sheet(nodes, print.Options{Compact: true}), diags
}

func TestCompose(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"conditions on items of a loop", `@loop c over sea, buoy { .(c) { order: if(const(c: sea): 1; else: 2); @when const(c: buoy) { top: 0 } } }`,
			".sea{order:1}.buoy{order:2;top:0}"},
		{"value", `@const gap: 8px; a { margin: const(gap) }`, `a{margin:8px}`},
		{"several values", `@const f: 1px solid red; a { border: const(f); x: a const(f) b }`, `a{border:1px solid red;x:a 1px solid red b}`},
		{"in a function", `@const gap: 8px; a { width: calc(2 * const(gap) + 1px) }`, `a{width:17px}`},
		{"beside other tokens", `@const n: 5px; a { b: f(const(n),const(n)const(n)) }`, `a{b:f(5px,5px/**/5px)}`},
		{"in a media query", `@const wide: 600px; @media (min-width: const(wide)) { a { b: c } }`, `@media(min-width: 600px){a{b:c}}`},
		{"in keyframes", `@const half: 50%; @keyframes x { const(half) { b: c } }`, `@keyframes x{50%{b:c}}`},
		{"default fills in", `@default gap: 4px; a { b: const(gap) }`, `a{b:4px}`},
		{"default gives way", `@const gap: 8px; @default gap: 4px; a { b: const(gap) }`, `a{b:8px}`},
		{"set again", `@const x: 1; a { b: const(x) } @const x: 2; a { b: const(x) }`, `a{b:1}a{b:2}`},
		{"worked out when set", `@const x: 1; @const y: const(x); @const x: 2; a { b: const(y) }`, `a{b:1}`},
		{"from itself", `@const x: 1; @const x: const(x) const(x); a { b: const(x) }`, `a{b:1 1}`},
		{"block scope", `@const x: 1; a { @const x: 2; b: const(x); c { d: const(x) } } e { f: const(x) }`, `a{b:2;c{d:2}}e{f:1}`},
		{"fallback", `a { b: const(x, 4px); c: const(x,1px 2px); d: const(x, const(y, z)); e: const(x,) }`, `a{b:4px;c:1px 2px;d:z;e:}`},
		{"fallback not needed", `@const x: 1; a { b: const(x, const(nowhere)) }`, `a{b:1}`},
		{"custom property", `@const x: 1px 2px, 3px; :root { --a:  const(x)  z; --b: [const(x)] }`, `:root{--a:1px 2px, 3px  z;--b:[1px 2px, 3px]}`},
		{"fallback in a custom property", `:root { --a: const(x, 1px  2px) }`, `:root{--a:1px  2px}`},
		{"case of the name counts", `@const X: 1; a { b: const(X) }`, `a{b:1}`},
		{"function in any case", `@CONST x: 1; a { b: CONST(x) }`, `a{b:1}`},
		{"important stays", `@const x: 1; a { b: const(x) !important }`, `a{b:1!important}`},
		{"group", `@const tone { calm: teal; alert: red } a { b: const(tone.calm) const(tone.alert) }`, `a{b:teal red}`},
		{"group within a group", `@const c { blue { 50: #eef; 100: #ccf } red { dark: #800 } } a { b: const(c.blue.50) const(c.red.dark) }`, `a{b:#eef #800}`},
		{"key of a group", `@const t { a: 1 } @const t.b: 2; @const t.a: 3; @const u.v.w: 4; a { b: const(t.a) const(t.b) const(u.v.w) }`, `a{b:3 2 4}`},
		{"group put in place", `@const t { a: 1; b: 2 } @drop t.a; @drop t.b; @const t { c: 3 } a { b: const(t.a, gone) const(t.c) }`, `a{b:gone 3}`},
		{"default fills in keys", `@const t { a: 1; g { x: 1 } } @default t { a: 9; b: 2; g { x: 9; y: 2 } } a { b: const(t.a) const(t.b) const(t.g.x) const(t.g.y) }`, `a{b:1 2 1 2}`},
		{"default of a key", `@default t.a: 1; @default t.a: 2; @default t.b: 3; a { b: const(t.a) const(t.b) }`, `a{b:1 3}`},
		{"copy of a group", `@const t { a: 1 } @const u: const(t); @const t.a: 2; a { b: const(u.a) const(t.a) }`, `a{b:1 2}`},
		{"values in a group", `@const x: 1; @const t { a: const(x) 2, 3 } a { b: const(t.a) }`, `a{b:1 2,3}`},
		{"drop", `@const t { a: 1; b: 2 } @drop t.a; a { b: const(t.a, none) const(t.b) }`, `a{b:none 2}`},
		{"drop before the default", `@drop t.a; @default t { a: 1; b: 2 } @default t.a: 3; a { b: const(t.a, none) const(t.b) }`, `a{b:none 2}`},
		{"drop of a group", `@drop t.g; @default t { g { x: 1 } h: 2 } a { b: const(t.g.x, none) const(t.h) }`, `a{b:none 2}`},
		{"set after a drop", `@const t { a: 1 } @drop t.a; @const t.a: 2; @default t { a: 3 } a { b: const(t.a) }`, `a{b:2}`},
		{"key in a block", `@const t { a: 1 } a { @const t.a: 2; b: const(t.a) } c { d: const(t.a) }`, `a{b:2}c{d:1}`},
		{"drop in a block", `@const t { a: 1; b: 2 } a { @drop t.a; @loop k, v over const(t) { (k): const(v) } } c { d: const(t.a) }`, `a{b:2}c{d:1}`},
		{"loop over a group", `@const t { calm: teal; alert: red } @loop k, v over const(t) { .note-(k) { color: const(v) } }`, `.note-calm{color:teal}.note-alert{color:red}`},
		{"loop over items", `@const t { a: 1; b: 2 } x { @loop v over const(t) { y: const(v) } }`, `x{y:1;y:2}`},
		{"loop over groups", `@const t { a { x: 1 } b { x: 2 } } @loop k, g over const(t) { .(k) { x: const(g.x) } }`, `.a{x:1}.b{x:2}`},
		{"loop over a list", `@const s: 1px 2px, 3px; @loop i, v over const(s) { .s-(i) { x: const(v) } }`, `.s-1{x:1px 2px}.s-2{x:3px}`},
		{"loop over words", `@loop side over top right { a { margin-(side): 0 } }`, `a{margin-top:0}a{margin-right:0}`},
		{"loop over commas", `@loop v over 1px solid, 2px { a { b: const(v) } }`, `a{b:1px solid}a{b:2px}`},
		{"range", `@loop n over range(1, 3) { .c-(n) { order: const(n) } }`, `.c-1{order:1}.c-2{order:2}.c-3{order:3}`},
		{"range with a step", `a { @loop n over range(0, 1, 0.25) { b: const(n) } @loop n over range(2, 1) { c: const(n) } }`, `a{b:0;b:0.25;b:0.5;b:0.75;b:1;c:2;c:1}`},
		{"range of constants", `@const last: 2; a { @loop n over range(1, const(last)) { b: const(n) } }`, `a{b:1;b:2}`},
		{"loop in a loop", `@loop a over x y { @loop b over 1 2 { .(a)-(b) { c: d } } }`, `.x-1{c:d}.x-2{c:d}.y-1{c:d}.y-2{c:d}`},
		{"scope of a turn", `@const x: 0; @loop n over 1 2 { @const x: const(x) const(n); a { b: const(x) } } c { d: const(x) }`, `a{b:0 1}a{b:0 2}c{d:0}`},
		{"loop over nothing", `@const t {} @loop v over const(t) { a { b: c } }`, ``},
		{"names in selectors", `@const k: big; .a-(k), .(k)-x:not(#m-(k)):hover > (k) { b: c } #(k), .p-(k)-(k)2 { b: c }`,
			`.a-big,.big-x:not(#m-big):hover>big{b:c}#big,.p-big-big2{b:c}`},
		{"names in nested rules", `@const k: x; .a { &.b-(k) { c: d } > .(k) { e: f } }`, `.a{&.b-x{c:d}>.x{e:f}}`},
		{"names of properties", `@const s: left; @const p: color; a { margin-(s): 0; --(p)-(s): 0; (p): red !important; --t-(s): a  b; border-(s)-width: 1px; padding-(s): const(s) }`,
			`a{margin-left:0;--color-left:0;color:red!important;--t-left:a  b;border-left-width:1px;padding-left:left}`},
		{"names in preludes", `@const n: 2; @const l: deep; @keyframes drift-(n) { to { a: b } } @layer (l), x; @container card-(n) (width > 1px) { a { b: c } }`,
			`@keyframes drift-2{to{a:b}}@layer deep,x;@container card-2 (width > 1px){a{b:c}}`},
		{"names in values", `@const n: 2; a { animation: drift-(n) 1s }`, `a{animation:drift-2 1s}`},
		{"names that need escapes", `@const k: 50%; @const q: "a b"; .w-(k) { b: c } .(q) { b: c }`, `.w-50\%{b:c}.a\ b{b:c}`},
		{"concat and ident", `@const n: 3; @const t: "x"; a { b: concat("img/", const(t), "-", const(n), ".svg"); c: ident("row-" const(n)); d: src(concat(const(t), ".svg")) ; e: ident(a var(--x)) }`,
			`a{b:"img/x-3.svg";c:row-3;d:url("x.svg");e:ident(a var(--x))}`},
		{"mixin", `@mixin --m { b: c; &:hover { d: e } } a { @apply --m; f: g } h { @apply --m() }`, `a{b:c;&:hover{d:e}f:g}h{b:c;&:hover{d:e}}`},
		{"parameters", `@mixin --m(--x, --y <length>: 1px, --z: var(--x) var(--y)) { b: var(--x) var(--y); c: calc(var(--y) * 2); d: var(--z); e: var(--other) } a { @apply --m(k); @apply --m(k l, 2px) }`,
			`a{b:k 1px;c:2px;d:k 1px;e:var(--other);b:k l 2px;c:4px;d:k l 2px;e:var(--other)}`},
		{"parameters in custom properties", `@mixin --m(--x) { --y:  var(--x)  z } a { @apply --m(1px 2px) }`, `a{--y:1px 2px  z}`},
		{"contents", `@mixin --m(--x) { @media print { @contents; } b: var(--x) } a { @apply --m(1) { c: d; e { f: var(--x) } } }`, `a{@media print{c:d;e{f:var(--x)}}b:1}`},
		{"contents by default", `@mixin --m { @contents { b: c } } a { @apply --m; @apply --m { d: e } @apply --m {} }`, `a{b:c;d:e}`},
		{"constants of the definition", `@const x: 1; @mixin --m { b: const(x); @contents } a { @const x: 2; @apply --m { c: const(x) } }`, `a{b:1;c:2}`},
		{"constants in a mixin end with it", `@mixin --m(--n) { @const y: var(--n); .k-(y) { b: const(y) } } a { @apply --m(1); @apply --m(2) }`, `a{.k-1{b:1}.k-2{b:2}}`},
		{"mixin in a mixin", `@mixin --m(--x) { b: var(--x); @contents; } @mixin --n(--x) { @apply --m(var(--x) 2) { @contents; c: var(--x) } } a { @apply --n(1) { d: e } }`, `a{b:1 2;d:e;c:1}`},
		{"mixin at the top", `@mixin --m(--n) { .a { b: var(--n) } } @apply --m(1); @media print { @apply --m(2); }`, `.a{b:1}@media print{.a{b:2}}`},
		{"loop in a mixin", `@mixin --m(--last) { @loop n over range(1, var(--last)) { c-(n): const(n) } } a { @apply --m(2) }`, `a{c-1:1;c-2:2}`},
		{"mixin set again", `@mixin --m { b: 1 } a { @apply --m } @mixin --m { b: 2 } a { @apply --m }`, `a{b:2}a{b:2}`},
		{"types", `@mixin --m(--a <color>, --b <length>#, --c type(<number> | none)) { b: var(--a) var(--b) var(--c) } a { @apply --m(red, 1px, none); @apply --m(#fff, calc(1px + 2px), 5); @apply --m(var(--q), 0, 1) }`,
			`a{b:red 1px none;b:#fff 3px 5;b:var(--q) 0 1}`},
		{"function", `@function --double(--n <number>) returns <number> { result: calc(var(--n) * 2) } a { b: --double(4) f(--double(5)); --c: x  --double(6) }`,
			`a{b:8 f(10);--c:x  12}`},
		{"math", `@const gap: 8px; a { padding: calc(const(gap) / -2); margin: calc(const(gap) / -2); width: calc(100% - const(gap) * 2); top: max(const(gap), 1em) }`, `a{padding:calc(-4px);margin:-4px;width:calc(100% - 16px);top:max(8px,1em)}`},
		{"math in a constant", `@const third: calc(100% / 3); @const n: calc(1 + 1); a { width: const(third); left: calc(const(third) * 3); b: const(n) } @loop i over range(const(n), calc(const(n) + 1)) { .c-(i) { d: e } }`, `a{width:33.333332%;left:100%;b:2}.c-2{d:e}.c-3{d:e}`},
		{"math in custom properties", `@const gap: 8px; :root { --a: calc( 1px + 2px ); --b: calc(const(gap) * 2); --c: calc(const(gap) * -2 + 1em) }`, `:root{--a:calc( 1px + 2px );--b:16px;--c:calc(-16px + 1em)}`},
		{"math in preludes", `@const wide: 600px; @media (width >= calc(const(wide) + 1px)) { a { b: c } } @supports (width: calc(1px + 2px)) { a { b: c } }`, `@media(width >= 601px){a{b:c}}@supports(width: calc(1px + 2px)){a{b:c}}`},
		{"math with what a browser knows", `a { width: calc(1px + 2px + var(--x)); color: rgb(calc(100 + 27) 0 0); rotate: calc(1turn / 3) }`, `a{width:calc(3px + var(--x));color:rgb(127 0 0);rotate:0.33333334turn}`},
		{"colours", `@const c: teal; a { color: color-mix(in srgb, const(c), white); background: oklch(from const(c) calc(l * 0.8) c h); fill: color-mix(in oklab, var(--x), const(c)); --d: color-mix(in srgb,const(c),#000) }`,
			`a{color:color(srgb 0.5 0.75098 0.75098);background:oklch(0.434498 0.09271 194.769);fill:color-mix(in oklab,var(--x),teal);--d:color(srgb 0 0.25098 0.25098)}`},
		{"if", `@const density: compact; a { gap: if(const(density: compact): 4px; else: 8px); margin: if(const(density: wide): 1px; media(print): 2px; else: 3px) }`, `a{gap:4px;margin:3px;@media print{margin:2px}}`},
		{"if in part", `@const x: 1; a { b: if(media(print) and const(x): 2px; const(x): calc(1px + 2px); else: const(nowhere)); c: if(not const(x) or not media(print): 1px; else: 2px) }`, `a{b:3px;@media print{b:2px}c:1px;@media print{c:2px}}`},
		{"if for the browser", `a { b: if(style(--x: 1): 1px; supports(color: lab(1 2 3)): calc(1px + 2px); else: 4px); --c: if( media(hover): x ;else:y ) }`, `a{b:if(style(--x: 1): 1px; supports(color: lab(1 2 3)): 3px; else: 4px);--c:if( media(hover): x ;else:y )}`},
		{"if with brackets", `@const x: 1; a { b: if((media(hover) or style(--y)) and const(x) and not (supports(c: d) and style(--z)): 1px; else: 2px); --q: if(const(x):  a  b ; else: c) }`, `a{b:if((media(hover) or style(--y)) and ((not supports(c: d)) or (not style(--z))): 1px; else: 2px);--q:a  b}`},
		{"if in a parameter", `@mixin --m(--v) { b: var(--v) } @const x: 0; a { @apply --m(if(const(x): 1px; else: 2px)) }`, `a{b:2px}`},
		{"custom media", `@custom-media --narrow (width < 40rem); @media (--narrow) { a { b: c } } @media screen and (--narrow) and (hover) { a { b: c } } @media not (--narrow) { a { b: c } }`,
			`@media(width < 40rem){a{b:c}}@media screen and (width < 40rem) and (hover){a{b:c}}@media not all and (width < 40rem){a{b:c}}`},
		{"custom media of a list", `@custom-media --x screen and (color), print; @media (--x) and (hover) { a { b: c } } @media not (--x) { a { b: c } } @media speech, (--x) { a { b: c } }`,
			`@media screen and (color) and (hover),print and (hover){a{b:c}}@media speech,screen and (not (color)){a{b:c}}@media speech,screen and (color),print{a{b:c}}`},
		{"custom media in custom media", `@const w: 30rem; @custom-media --a (width >= const(w)); @custom-media --b (--a) and (not (hover)); @custom-media --a print; @media (--b) or (orientation: landscape) { a { b: c } } @media (--a) { a { b: c } }`,
			`@media print and (not (hover)),(orientation: landscape){a{b:c}}@media print{a{b:c}}`},
		{"custom media, true and false", `@custom-media --t true; @custom-media --f false; @media (--t) and (hover) { a { b: c } } @media (--f) { a { b: c } } @media (--t) or (hover) { a { b: c } } @media not all and (--f) { a { b: c } }`,
			`@media(hover){a{b:c}}@media not all{a{b:c}}@media all{a{b:c}}@media all{a{b:c}}`},
		{"custom media in conditions", `@custom-media --x (hover) and (color); @const y: 1; @when media(--x) and const(y) { a { b: c } } @else { a { b: d } } a { e: if(media((--x)) and const(y): 1px; else: 2px) }`,
			`@media(hover){@media(color){a{b:c}}}@media not all and (hover){a{b:d}}@media(hover){@media not all and (color){a{b:d}}}a{e:if(media((hover)) and media((color)): 1px; else: 2px)}`},
		{"custom media in a block", `@custom-media --x print; x { @custom-media --x screen; @media (--x) { a: b } } @media (--x) { a { b: c } }`, `x{@media screen{a:b}}@media print{a{b:c}}`},
		{"constants in selectors", `@const n: 3; @const q: "x y"; @const l: fr; a:nth-child(const(n)n + 1 of .b-(n)), b:lang(const(l)), [c=const(q)], [c=const(l) i], d:nth-of-type(const(n)) { e: f }`,
			`a:nth-child(3n + 1 of .b-3),b:lang(fr),[c="x y"],[c=fr i],d:nth-of-type(3){e:f}`},
		{"names in other preludes", `@const n: deck; @property --x-(n) { syntax: "*" } @page (n):first { a: b } @scope (.(n)) to (.x-(n) > *) { p { a: b } } @container const(n) (width > 1px) { p { a: b } }`,
			`@property --x-deck{syntax:"*"}@page deck:first{a:b}@scope(.deck) to (.x-deck > *){p{a:b}}@container deck (width > 1px){p{a:b}}`},
		{"key that a constant chooses", `@const t { calm: 1; 50: 2 } @const k: calm; @const n: 50; a { b: const(t.(k)) const(t.(n)); c: const(t.(k), 9) } @loop key over calm { d { e: const(t.(key)) } } @when const(t.(n) > 1) { f { g: h } }`,
			`a{b:1 2;c:1}d{e:1}f{g:h}`},
		{"group that a constant chooses", `@const t { day { a: 1 } night { a: 2 } } @const k: night; @loop key, v over const(t.(k)) { .x-(key) { y: const(v) } } @const now: const(t.(k)); a { b: const(now.a) }`, `.x-a{y:2}a{b:2}`},
		{"style queries compare what custom properties hold", `@const g: 8px; a { --x: calc(1px + 2px); --y: calc(const(g) * 2); b: if(style(--x: calc(1px + 2px)) and style(--y: calc(const(g) * 2)): 1px; else: 2px) } @container style(--x: calc(1px + 2px)) { c { d: e } } @container style(--y: calc(const(g) * 2)) { c { d: e } }`,
			`a{--x:calc(1px + 2px);--y:16px;b:if(style(--x: calc(1px + 2px)) and style(--y: 16px): 1px; else: 2px)}@container style(--x: calc(1px + 2px)){c{d:e}}@container style(--y: 16px){c{d:e}}`},
		{"function with constants", `@const u: 4px; @function --gap(--n: 1) { @const v: calc(const(u) * var(--n)); result: const(v) } a { b: --gap() --gap(2) --gap(calc(--gap(3) / 1px)) }`,
			`a{b:4px 8px 48px}`},
		{"the last result counts", `@function --f() { result: 1; result: 2 } a { b: --f() }`, `a{b:2}`},
		{"text for scripts stays", `a { --b: --theirs(1, 2) x-(y); --c: x-(--d) }`, `a{--b:--theirs(1, 2) x-(y);--c:x-(--d)}`},
		{"locals of a function", `@function --f(--n) { --d: calc(var(--n) * 2); result: var(--d) } a { b: --f(2px) }`, `a{b:4px}`},
		{"locals may come later", `@function --f() { --x: var(--w); --w: 8px; result: var(--x) } a { b: --f() }`, `a{b:8px}`},
		{"locals of the caller", `@function --g() { result: var(--q, none) var(--p) } @function --f(--p) { --q: 5px; result: --g() } a { b: --f(1); c: --g() }`, `a{b:5px 1;c:var(--q,none) var(--p)}`},
		{"locals do not capture", `@function --f(--a) { --w: 1px; result: var(--a) var(--w) } a { b: --f(var(--w)) }`, `a{b:var(--w) 1px}`},
		{"locals that are keywords", `@function --f(--a) { --b: initial; --c: inherit; --d: var(--b, 3px); result: var(--c) var(--d) } @function --g() { --c: 9px; result: --f(1) } a { b: --f(1) } c { d: --g() }`, `a{b:var(--c) 3px}c{d:9px 3px}`},
		{"defaults see parameters", `@function --f(--a: 3px, --b: calc(var(--a) * 2)) { result: var(--b) } a { b: --f() --f(1px) --f(1px, 5px) }`, `a{b:6px 2px 5px}`},
		{"a call without an argument", `@function --f(--a) { result: var(--a, 9px) } @function --g(--a) { result: 4px } a { b: --f() --g() }`, `a{b:9px 4px}`},
		{"braces around arguments", `@function --pick(--list, --n) { result: var(--list) var(--n) } @mixin --m(--l: {1px, 2px}) { e: var(--l) } a { b: --pick({opacity 1s, color 2s}, 3); @apply --m; @apply --m({x, y}) }`, `a{b:opacity 1s,color 2s 3;e:1px,2px;e:x,y}`},
		{"a function that is defined later", `a { b: --f(2px) } @function --f(--n) { result: calc(var(--n) * 2) }`, `a{b:4px}`},
		{"a function that is defined twice", `@function --f() { result: 1 } a { b: --f() } @function --f() { result: 2 }`, `a{b:2}`},
		{"a mixin that is defined later", `a { @apply --m } b { @apply --n; @mixin --n { e: f } } @mixin --m { c: d }`, `a{c:d}b{e:f}`},
		{"custom media and selectors that are defined later", `@media (--x) { :--y { a: b } } @custom-media --x (--z); @custom-selector :--y :--w b; @custom-media --z print; @custom-selector :--w h1;`, `@media print{:is(:is(h1) b){a:b}}`},
		{"empty custom media", `@custom-media --x; @media (--x) and (hover) { a { b: c } } @media not all and (--x) { a { b: c } }`, `@media(hover){a{b:c}}@media not all{a{b:c}}`},
		{"conditions in a function", `@function --f(--n) { result: var(--n); @media print { result: calc(var(--n) * 2) } } a { b: --f(1px) solid; c: d }`, `a{b:1px solid;@media print{b:2px solid}c:d}`},
		{"conditions around locals", `@function --f() { --d: 1px; @supports (display: grid) { --d: 2px; } @container card (width > 3px) { --d: 3px } result: var(--d) } a { b: --f() }`,
			`a{b:1px;@supports(display: grid){b:2px}@container card (width > 3px){b:3px}}`},
		{"conditions within conditions", `@function --f() { result: 1; @media (a) { result: 2; @media (b) { result: 3 } } } a { b: --f() --f() }`, `a{b:1 1;@media(a){b:2 2}@media(a){@media(b){b:3 3}}}`},
		{"conditions that meet", `@function --f() { --x: 1; --y: 1; @media (a) { --x: 2 } @media (b) { --y: 2 } result: var(--x) var(--y) } a { b: --f() !important }`,
			`a{b:1 1!important;@media(a){b:2 1!important}@media(b){b:1 2!important}@media(a){@media(b){b:2 2!important}}}`},
		{"a result under a condition alone", `@function --f() { @media print { result: 1 } } a { b: --f(); --c: --f() }`, `a{b:unset;@media print{b:1}--c:initial;@media print{--c:1}}`},
		{"@when in a function", `@const x: 1; @function --f() { @when const(x: 1) and media(print) { result: 1 } @else { result: 2 } } a { b: --f() }`, `a{b:2;@media print{b:1}}`},
		{"no branch of if() is true", `@const x: 0; a { b: 1px solid if(const(x): red); --c: if(const(x): 1) } @function --f(--a: 2px) { result: var(--a) } d { e: --f(if(const(x): 1px)) }`, `a{b:unset;--c:initial}d{e:2px}`},
		{"media types and lists in @when", `@when media(screen and (width > 500px)) { a { b: c } } @else { a { b: d } } @when media(print, (width > 9px)) { e { f: g } } @when not media(not print) { h { i: j } }`,
			`@media screen{@media(width > 500px){a{b:c}}}@media not screen{a{b:d}}@media screen{@media not all and (width > 500px){a{b:d}}}@media print{e{f:g}}@media not print{@media(width > 9px){e{f:g}}}@media print{h{i:j}}`},
		{"containers in @when", `@when container(width > 3px) { a { b: c } } @else { a { b: d } } @when container(card (width > 3px)) and media(hover) { a { e: f } } @when not container(card (width > 3px)) { a { g: h } } @when container(style(--x: 1)) { a { i: j } }`,
			`@container(width > 3px){a{b:c}}@container not (width > 3px){a{b:d}}@container card (width > 3px){@media(hover){a{e:f}}}@container card not (width > 3px){a{g:h}}@container style(--x: 1){a{i:j}}`},
		{"@contents as a parameter", `@mixin --m(--a, @contents) { b: var(--a); @contents } @mixin --n(@contents) { @contents } a { @apply --m(1) { c: d } @apply --n { e: f } }`, `a{b:1;c:d;e:f}`},
		{"when, decided", `@const d: compact; @const n: 4; @when const(d: compact) { a { b: 1 } } @else { a { b: 2 } } @when const(n > 4) { c { d: 1 } } @else const(n >= 4) { c { d: 2 } } @else { c { d: 3 } }`,
			`a{b:1}c{d:2}`},
		{"when, set or not", `@const x: none; @const y: 0px; @const z: ""; @const w: 1; a { @when const(x) or const(y) or const(z) or const(nowhere) { b: 1 } @else not (const(w) and not const(x)) { b: 2 } @else { b: 3 } }`,
			`a{b:3}`},
		{"when, left to the browser", `@when media(width >= 400px) { a { b: 1 } } @else { a { b: 2 } }`, `@media(width >= 400px){a{b:1}}@media not all and (width >= 400px){a{b:2}}`},
		{"when, partly known", `@const x: 1; @when const(x) and media(print) and supports(display: grid) { a { b: c } } @when not const(x) and media(print) { d { e: f } } @when const(x) or media(print) { g { h: i } }`,
			`@media print{@supports(display: grid){a{b:c}}}g{h:i}`},
		{"when, either", `@when media(print) or supports(not (a: b)) { a { b: c } } @else { d { e: f } }`,
			`@media print{a{b:c}}@media not print{@supports not (a: b){a{b:c}}}@media not print{@supports not (not (a: b)){d{e:f}}}`},
		{"when in a chain", `@when media((a) and (b)) { x { y: 1 } } /* z */ @else supports(selector(a > b)) { x { y: 2 } } @else { x { y: 3 } }`,
			`@media(a) and (b){x{y:1}}@media not all and (a) and (b){@supports selector(a > b){x{y:2}}}@media not all and (a) and (b){@supports not selector(a > b){x{y:3}}}`},
		{"when in a rule and a loop", `@const t { a: 1; b: 2 } x { @loop k, v over const(t) { @when const(v = 1) { p: const(k) } @else { q: const(k) } } }`, `x{p:a;q:b}`},
		{"constants in when end with it", `@const x: 1; @when const(x) { @const x: 2; a { b: const(x) } } c { d: const(x) }`, `a{b:2}c{d:1}`},
		{"custom selectors", `@custom-selector :--title h1, .title; @custom-selector :--deep :--title > b; :--title { b: c } a :--title:hover, x { d: :--title } :not(:--deep) { e: f }`,
			`:is(h1,.title){b:c}a :is(h1,.title):hover,x{d::--title}:not(:is(:is(h1,.title)>b)){e:f}`},
		{"custom selectors with built names", `@const k: x; @custom-selector :--k .a-(k); .b { &:--k { c: d } }`, `.b{&:is(.a-x){c:d}}`},
		{"nothing to do", `a { b: constant(x) } @constant x: 1;`, `a{b:constant(x)}@constant x: 1;`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			got, diags := composed(test.src)
			want := test.want
			if want != "" {
				want += "\n"
			}
			if got != want || len(diags) > 0 {
				t.Errorf("%s\n got %swant %s\n%v", test.src, got, test.want, diags)
			}
		})
	}
}

// TestLostKeys checks that a group that is set again with fewer keys is
// reported, unless the others were dropped.
func TestLostKeys(t *testing.T) {
	for src, want := range map[string]string{
		`@const t { a: 1; b: 2 } @const t { b: 3 }`:                     `group "t" is redefined without "a"; to change one key, write @const t.b: …; to remove the others, drop them first: @drop t.a;`,
		`@const t { a { x: 1; y: 2 } } @const t { a { x: 3 } }`:         `group "t" is redefined without "a.y"; to change one key, write @const t.a: …; to remove the others, drop them first: @drop t.a.y;`,
		`@const t { a: 1; b: 1; c: 1; d: 1 } @const t { }`:              `group "t" is redefined without "a", "b", "c", …; to change one key, write @const t.key: …; to remove the others, drop them first: @drop t.a;`,
		`@const t { a: 1; b: 2 } @drop t.a; @const t { b: 3 }`:          "",
		`@const t { a: 1 } @const t { a: 2; b: 3 }`:                     "",
		`@const t { a: 1; b: 2 } @default t { a: 3 }`:                   "",
		`@const t { a: 1; b: 2 } a { @const t { a: 3 } b: const(t.a) }`: "",
	} {
		_, diags := composed(src)
		got := ""
		for _, d := range diags {
			if d.Code == "lost-key" {
				got = d.Message + "; " + d.Fix
			}
		}
		if got != want {
			t.Errorf("%s\n got %s\nwant %s", src, got, want)
		}
	}
}

func TestComposeFindings(t *testing.T) {
	tests := []struct{ src, at, message, fix string }{
		{`@mixin --m { a { b: c } } @apply --m color: red;`, "m", `missing ';' or block of @apply after "--m"`, `write @apply --m;`},
		{`@mixin --m { a { @contents color: red } } @apply --m;`, "color", `@contents takes no value: expected ';' before this`, `write @contents;`},
		{`@const gap-wide: 1px; a { b: const(gap-wdie) }`, "gap-wdie", `unknown constant "gap-wdie"`, `did you mean "gap-wide"?`},
		{`a { b: const(x) } @const x: 1;`, "x", `unknown constant "x"`, "define it before its first use"},
		{`a { @const x: 1; } b { c: const(x) }`, "x", `unknown constant "x"`, "move it out of the block"},
		{`@const gap 8px;`, "gap", `expected ':' after the name "gap"`, "write @const name: value; or @const name { key: value; }"},
		{`@const gap:;`, "gap", `constant "gap" has no value`, "write @const name: value; or @const name { key: value; }"},
		{`@default: 8px;`, "@default: 8px;", "@default has no name: expected one before the value", "write @default name: value; or @default name { key: value; }"},
		{`@const { a: b }`, "@const ", "@const has no name: expected one before the value", "write @const name: value; or @const name { key: value; }"},
		{`@const t { calm: 1 } a { b: const(t.clam) }`, "t.clam", `unknown constant "t.clam"`, `did you mean "t.calm"?`},
		{`@const t { a: 1; b: 2 } a { b: const(t) }`, "t", `expected a value, got the group "t"`, "use one of its keys: a, b"},
		{`@const t: 1; @const t.a: 2;`, "t.a", `"t" is a value and cannot have the key "a"`, ""},
		{`@const t: 1; @default t { a: 2 }`, "t", `expected a group, got the value "t"`, ""},
		{`@const t { a: { b: c } }`, "a: ", "expected a key before the group", "write key { … }, without a colon"},
		{`@const t: 1; @drop t;`, "t", `@drop removes a key from a group, but "t" is not a key in a group`, "write @drop group.key;"},
		{`@loop x { a { b: c } }`, "@loop x ", `expected "over" after the names of the loop`, "write @loop item over SOURCE { … } or @loop key, item over SOURCE { … }"},
		{`@loop x over range(1, 2, -1) { a { b: c } }`, "range(1, 2, -1)", "endless range", ""},
		{`@loop x over range(1, 9999999) { a { b: c } }`, "range(1, 9999999)", "the range has 9999999 numbers", "raise iterations in [limits] of the settings"},
		{`@loop x over range(1, b) { a { b: c } }`, "b", "range() expects numbers, got \"b\"", "write range(from, to) or range(from, to, step)"},
		{`.a-(x) { b: c }`, "x", `unknown constant "x"`, ""},
		{`@const x: 1 2; .a-(x) { b: c }`, "x", `constant "x" cannot be part of a name`, ""},
		{`a { margin-(1): 0 }`, "margin-(1)", "expected the name of a constant in brackets", ""},
		{`@mixin --card {} a { @apply --crad }`, "--crad", `unknown mixin "--crad"`, `did you mean "--card"?`},
		{`@mixin --m(--x) {} a { @apply --m }`, "--m", `missing argument of "--m": its parameter "--x" has no default`, ""},
		{`@mixin --m(--x) {} a { @apply --m(1, 2) }`, "--m(1, 2)", `"--m" expects one parameter, got 2`, ""},
		{`@mixin --m(--x <length>) {} a { @apply --m(red) }`, "--m(red)", `parameter "--x" of "--m" expects <length>, got "red"`, ""},
		{`@mixin --m(--x <integer>) {} a { @apply --m(1.5) }`, "--m(1.5)", `parameter "--x" of "--m" expects <integer>, got "1.5"`, ""},
		{`@mixin m {}`, "@mixin m ", "invalid @mixin", "write @mixin --name(--parameter <type>: default) { … }"},
		{`@mixin --m(x) {}`, "x", "expected a parameter: a name that starts with two hyphens", "write --name, --name <type> or --name <type>: default"},
		{`@mixin --m(--x <lenght>) {}`, "<lenght>", "expected a type such as <length>", "write --name, --name <type> or --name <type>: default"},
		{`@mixin --m(--x, --x) {}`, "--x", `duplicate parameter "--x"`, ""},
		{`a { @contents; }`, "@contents;", "@contents outside of a mixin", ""},
		{`@function --f() { --x: y } a { b: --f() }`, "--f()", `function "--f" has no result`, ""},
		{`@function --f() { result: 1; @media print { result: 2 } } @const x: --f();`, "--f()", `the result of "--f" depends on @media, which only browsers can evaluate`, ""},
		{`@function --f() { result: 1; @media print { result: 2 } } @keyframes k { to { top: --f() } }`, "--f()", `the result of "--f" depends on @media, which only browsers can evaluate`, ""},
		{`@function --f() { result: 1; .a { b: c } } a { b: --f() }`, ".a ", `the body of function "--f" may contain only declarations and conditions`, "allowed are result, custom properties, @media, @supports, @container, and build-time rules"},
		{`a { b: --f() } @function --f() { result: 1; .a { b: c } }`, ".a ", `the body of function "--f" may contain only declarations and conditions`, "allowed are result, custom properties, @media, @supports, @container, and build-time rules"},
		{`@function --f() { --a: var(--b); --b: var(--a); result: var(--a) } a { b: --f() }`, "--a: var(--b)", `a value in function "--f" depends on itself`, ""},
		{`@function --f(--a) { result: var(--a) } a { b: --f() }`, "--f()", `missing argument of "--f": its parameter "--a" is read by var() without a fallback`, ""},
		{`@function --f(--a) returns <length> { result: var(--a) } a { b: --f(red) }`, "--f(red)", `the result of "--f" must be <length>, got "red"`, ""},
		{`@function --twice(--a) { result: 1 } a { b: --twce(2px) }`, "--twce", `unknown function "--twce"`, `did you mean "--twice"?`},
		{`a { b: --theirs(1) }`, "--theirs", `unknown function "--theirs"`, ""},
		{`@function --twice(--a) { result: 1 } a { --b: --twce(2px) }`, "--twce", `unknown function "--twce"`, `did you mean "--twice"?`},
		{`@custom-media --a (--b); @custom-media --b (--a);`, "--a", `custom media "--a" depends on itself`, ""},
		{`@custom-selector :--a :--b; @custom-selector :--b :--a;`, ":--a", `custom selector ":--a" depends on itself`, ""},
		{`@keyframes k { to { top: if(media(print): 1px; else: 2px) } }`, "media(print)", `media types such as "print" are not allowed in if()`, "use @when or @media around the rule"},
		{`@mixin --m { @apply --m } a { @apply --m }`, "--m", `calls are nested deeper than 64: does "--m" call itself?`, "if that is intended, raise calls in [limits] of the settings"},
		{`@function --f() { result: --f() } a { b: --f() }`, "--f()", `calls are nested deeper than 64: does "--f" call itself?`, "if that is intended, raise calls in [limits] of the settings"},
		{`@custom-selector :--x h1; a:--y { b: c }`, ":--y", `unknown custom selector ":--y"`, `did you mean ":--x"?`},
		{`@custom-selector x h1;`, "@custom-selector x h1;", "invalid @custom-selector", "write @custom-selector :--name selector, selector;"},
		{`@custom-selector :--x a >;`, "a >", "invalid selector of :--x", ""},
		{`@else { a { b: c } }`, "@else ", "@else must directly follow an @when or @else block", "move it directly after the block of an @when or @else"},
		{`@when media(print) {} a {} @else {}`, "@else ", "@else must directly follow an @when or @else block", "move it directly after the block of an @when or @else"},
		{`@when {}`, "@when ", "@when has no condition", "write @when and const(…), media(…), supports(…) or container(…)"},
		{`@when const(x: 1) {} @else {}`, "x", `unknown constant "x"`, ""},
		{`@const x: 1px; @when const(x > 1em) {}`, "const(x > 1em)", `cannot compare "1px" and "1em"`, "use const(…), media(…), supports(…) and container(…), joined by and, or, not and brackets"},
		{`@when media(a) and media(b) or media(c) {}`, "media(a) and media(b) or media(c)", `"and" and "or" cannot be mixed without brackets`, "use const(…), media(…), supports(…) and container(…), joined by and, or, not and brackets"},
		{`@when print {}`, "print", "expected const(…), media(…), supports(…) or container(…)", "use const(…), media(…), supports(…) and container(…), joined by and, or, not and brackets"},
		{`a { @mixin --m {} } b { @apply --m }`, "--m", `unknown mixin "--m"`, "move it out of the block"},
		{`@custom-media x (hover);`, "@custom-media x (hover);", "invalid @custom-media", "write @custom-media --name (width < 40rem);"},
		{`@custom-media --wide (hover); @media (--wied) {}`, "--wied", `unknown custom media "--wied"`, `did you mean "--wide"?`},
		{`@custom-media --w (hover); @media (--w) and {}`, "", "invalid media query with custom media", "use media types and features in brackets, joined by and, or, not"},
		{`a { b: if(const(x)) }`, "const(x)", "expected ':' and a value after the condition of if()", "write if(const(name): value; else: value)"},
		{`@const x: 0; @const y: if(const(x): 1);`, "if(const(x): 1)", "no condition of if() is true, and it has no else", "add else: and a value at the end"},
		{`@const x: 1; a { b: if(const(x) and red: 1) }`, "red", "expected const(…), media(…), supports(…) or style(…)", "use const(…), media(…), supports(…) and style(…), joined by and, or, not and brackets"},
		{`@const n: const(nope); @loop i over range(1, const(n)) { .c-(i) { a: b } }`, "nope", `unknown constant "nope"`, ""},
		{`@mixin --m(--x <length>) { a: var(--x) } b { @apply --m(const(nope)) }`, "nope", `unknown constant "nope"`, ""},
		{`@const n: const(nope); @when const(n > 3) { a { b: c } }`, "nope", `unknown constant "nope"`, ""},
		{`@const n: const(nope); .a-(n) { b: c }`, "nope", `unknown constant "nope"`, ""},
		{"@const a: 1px\n@default b: 2px; x { y: const(a) const(b) }", "@default", `missing ';' after the value of "a": "@default" is read as part of it`, "end the previous line with ';'"},
		{`@const t { a: 1 } @loop x over t { .y { z: const(x) } }`, "t", `"t" is a plain word, not a constant: the loop would run once`, "write const(t) to loop over the constant"},
		{`@const x: 1; a { b: -const(x) }`, "-const(x)", "a sign directly before const() makes it a different function", "write calc(-1 * const(name))"},
		{`@const x: 1; a { b: const(x)px }`, "const(x)px", `"px" after a constant does not become the unit of its number`, "write calc(const(name) * 1px), or put the unit into the constant"},
		{`@const x: 1; @when const(x) > 3 { a { b: c } }`, ">", "a comparison must be inside the brackets of const()", "write const(name > 3)"},
		{`@const t { a: 1 } a { b: const(t.(nope)) }`, "nope", `unknown constant "nope"`, ""},
		{`a { b: const() }`, "const()", "const() expects the name of a constant", ""},
		{`a { b: const(x y) }`, "const(x y)", "const() expects the name of a constant", ""},
	}
	for _, test := range tests {
		_, diags := composed(test.src)
		if len(diags) != 1 {
			t.Errorf("%s: %d findings, want 1: %v", test.src, len(diags), diags)
			continue
		}
		d := diags[0]
		at := test.src[d.Span.Start.Off:d.Span.End]
		if at != test.at || !strings.HasPrefix(d.Message, test.message) || d.Fix != test.fix || d.Severity != diag.Error {
			t.Errorf("%s\n got %q %q fix %q\nwant %q %q fix %q", test.src, at, d.Message, d.Fix, test.at, test.message, test.fix)
		}
	}
}

// TestGrowthIsBounded checks that constants that double each other end with one
// finding.
func TestGrowthIsBounded(t *testing.T) {
	var b strings.Builder
	b.WriteString("@const x: 1 1;")
	for range 64 {
		b.WriteString("@const x: const(x) const(x);")
	}
	b.WriteString("a { b: const(x) }")
	_, diags := composed(b.String())
	if len(diags) != 1 || diags[0].Code != "too-many-values" {
		t.Errorf("got %v, want one finding", diags)
	}
}

// TestPositions checks that the position of a value is where its constant was
// set.
func TestPositions(t *testing.T) {
	src := "@const gap: 8px; a { margin: 1px const(gap) }"
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	c := &Composer{Report: func(d diag.Diagnostic) { t.Error(d) }}
	nodes := c.Nodes(sheet.Nodes, NewScope())
	value := ast.Body(nodes[0])[0].(*ast.Declaration).Value[1]
	if got := src[value.Pos.Off:]; !strings.HasPrefix(got, "8px;") || !value.Space {
		t.Errorf("the value leads to %q", got)
	}
}

func TestUntouchedNodesAreShared(t *testing.T) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<14)))
	c := &Composer{Report: func(d diag.Diagnostic) { t.Error(d) }}
	nodes := c.Nodes(sheet.Nodes, NewScope())
	if len(nodes) == 0 || &nodes[0] != &sheet.Nodes[0] {
		t.Error("a sheet that says nothing to the build was copied")
	}
}

func TestIdleDrops(t *testing.T) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "",
		`@drop t.a; @drop t.clam; @drop u.x; @default t { a: 1; calm: 2 } @const v { y: 1 } @drop v.y;`))
	s := NewScope()
	c := &Composer{Report: func(d diag.Diagnostic) { t.Error(d) }}
	c.Nodes(sheet.Nodes, s)
	var got []string
	for _, d := range s.UnmatchedDrops() {
		got = append(got, d.Path+" "+d.Near)
	}
	if joined := strings.Join(got, "|"); joined != "t.clam t.calm|u.x " {
		t.Errorf("got %q", joined)
	}
}

// TestTrail checks that a finding inside a mixin has the calls that led to it.
func TestTrail(t *testing.T) {
	src := `@mixin --inner { b: const(x) } @mixin --outer { @apply --inner; } a { @apply --outer; }`
	_, diags := composed(src)
	if len(diags) != 1 {
		t.Fatal(diags)
	}
	var got []string
	for _, r := range diags[0].Related {
		got = append(got, fmt.Sprintf("%s at %d", r.Message, r.Span.Start.Off))
	}
	want := fmt.Sprintf(`in the mixin "--inner", called here at %d|in the mixin "--outer", called here at %d`,
		strings.Index(src, "--inner;"), strings.Index(src, "--outer;"))
	if joined := strings.Join(got, "|"); joined != want {
		t.Errorf("got %s, want %s", joined, want)
	}
}

// TestMixinPositions checks that the position of a declaration from a mixin is in
// the mixin, and that of a parameter's value in the call.
func TestMixinPositions(t *testing.T) {
	src := "@mixin --m(--x) { margin: 1px var(--x) } a { @apply --m(7px) }"
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", src))
	c := &Composer{Report: func(d diag.Diagnostic) { t.Error(d) }}
	d := ast.Body(c.Nodes(sheet.Nodes, NewScope())[0])[0].(*ast.Declaration)
	if at := src[d.NamePos.Off:]; !strings.HasPrefix(at, "margin: 1px") {
		t.Errorf("the declaration leads to %q", at)
	}
	if at := src[d.Value[1].Pos.Off:]; !strings.HasPrefix(at, "7px") {
		t.Errorf("the value leads to %q", at)
	}
}

// TestConditionsAreBounded checks that nested conditions are limited.
func TestConditionsAreBounded(t *testing.T) {
	src := "@when " + strings.Repeat("(media(a) or supports(b: c)) and ", 40) + "media(d) { a { b: c } }"
	if _, diags := composed(src); len(diags) != 1 || diags[0].Code != "bad-condition" {
		t.Errorf("got %v, want one finding", diags)
	}
}

// TestSelectorsAreBounded checks that custom selectors that double each other
// are limited.
func TestSelectorsAreBounded(t *testing.T) {
	var b strings.Builder
	b.WriteString("@custom-selector :--0 a, b;")
	for i := range 40 {
		fmt.Fprintf(&b, "@custom-selector :--%d :--%d c, :--%d d;", i+1, i, i)
	}
	b.WriteString(":--40 { e: f }")
	_, diags := composed(b.String())
	if len(diags) == 0 || diags[0].Code != "bad-custom-name" {
		t.Errorf("got %v", diags)
	}
}

// TestDepthIsBounded checks that mixins cannot nest blocks deeper than the
// limit of the parser: the composed sheet must be valid input.
func TestDepthIsBounded(t *testing.T) {
	src := "@mixin --m { a { a { a { a { a { @contents } } } } } }" + strings.Repeat("@apply --m {", 60) + "b{c:d}" +
		strings.Repeat("}", 60)
	if _, diags := composed(src); len(diags) != 1 || diags[0].Code != "too-deep" {
		t.Errorf("got %v, want one finding", diags)
	}
}

// TestLoopsAreBounded checks that nested loops are limited.
func TestLoopsAreBounded(t *testing.T) {
	var b strings.Builder
	for range 8 {
		b.WriteString("@loop n over range(1, 1000) {")
	}
	b.WriteString("a{b:c}" + strings.Repeat("}", 8))
	if _, diags := composed(b.String()); len(diags) != 1 || diags[0].Code != "too-many-values" {
		t.Errorf("got %d findings, want one", len(diags))
	}
}

// BenchmarkLoops composes ten thousand rules made by loops. Compare it with
// parsing the result.
func BenchmarkLoops(b *testing.B) {
	src := "@const t { a: red; b: teal } @loop n over range(1, 5000) { @loop k, v over const(t) { .c-(k)-(n) > a { color: const(v); margin-(k): calc(const(n) * 1px) } } }"
	set := new(source.Set)
	sheet, _ := parse.Sheet(set.Add(source.Path{}, "", src))
	text, _ := composed(src)
	f := set.Add(source.Path{}, "", text)
	b.Run("compose", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			c := &Composer{Report: func(d diag.Diagnostic) { b.Fatal(d) }}
			if nodes := c.Nodes(sheet.Nodes, NewScope()); len(nodes) != 10_000 {
				b.Fatal(len(nodes))
			}
		}
	})
	b.Run("parse", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			parse.Sheet(f)
		}
	})
}

func FuzzCompose(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Add("@const t{a:1;b{50:2}}@default t{c:3}@drop t.a;@loop k,v over const(t){.x-(k):not(#(k)){m-(k):const(v);--n-(k):ident(a const(k))}}")
	f.Add("@mixin --m(--x <length>: 1px){a:var(--x);@contents{b:c}}a{@apply --m(2px){d:e}@apply --m}@function --f(--x){result:var(--x)}b{c:--f(1)}")
	f.Add("@const x:1;@when const(x>0) and media(print) or supports(a:b){a{b:c}}@else not const(x){d{}}@else{e{@when media(x){f:g}@else{h:i}}}")
	f.Add("@loop n over range(1,3){@keyframes d-(n){to{a:concat(\"x\",const(n))}}}")
	f.Add("@const c:teal;@const n:calc(1px*3/2);a{b:color-mix(in oklch,const(c),red 20%);c:oklch(from const(c) calc(l*.8) c h);d:calc(const(n)*2 + var(--x));--e:min(const(n),1em)}")
	f.Add("@custom-media --n (a) and (b),print;@custom-media --m not (--n);@media screen and (--m){a{b:if(const(x,1):2;media(--n):3;else:4)}}")
	f.Add("@const x:1;a{b:if(const(x) and not media(print):1px;style(--y:z):2px;else:3px);--c: if(const(x):a  b;else:c)}@media (--u){}@custom-media --t true;@media (--t) or (--t){}")
	f.Add("@const n:2;@const q:\"a b\";li:nth-child(const(n)n + 1),[a=const(q)],:lang(const(q)){b:c}@page (n){}@scope (.x-(n)) to (.(n)){}@property --y-(n){}")
	f.Add("@const x: 1 2;@default y: const(x, 3);a{b:const(y);--c: const(x)}")
	f.Fuzz(func(t *testing.T, src string) {
		got, diags := composed(src)
		if diag.HasErrors(diags) {
			return
		}
		// Composing again changes nothing.
		if _, before := parse.Sheet(new(source.Set).Add(source.Path{}, "", src)); diag.HasErrors(before) {
			return
		}
		if twice, diags := composed(got); len(diags) == 0 && strings.Contains(twice, "const(") &&
			!strings.Contains(src, `\`) {
			again, _ := composed(twice)
			if again != twice {
				t.Fatalf("composing is not settled\nsource %q\nonce   %q\ntwice  %q", src, got, twice)
			}
		}
	})
}

// TestTouched checks that all uses of what other sheets define are noticed: the
// result of a sheet with such a use must not be reused.
func TestTouched(t *testing.T) {
	const shared = `@const tone: teal; @const gap { small: 1px } @mixin --card(--w: 1px) { top: var(--w) } @mixin --slot { @contents; }
@function --twice(--n) { result: calc(var(--n) * 2) } @custom-media --narrow (width < 3px); @custom-selector :--title h1, h2;
@default gap { large: 2px }`
	for text, want := range map[string]bool{
		"a { color: red }":                                                                      false,
		"@media (width < 3px) { a { color: red } }":                                             false,
		"a { color: const(tone) }":                                                              true,
		"a { b { color: const(tone) } }":                                                        true,
		"@media print { a { margin: 0 const(tone) } }":                                          true,
		"a { width: calc(1px + const(gap.small)) }":                                             true,
		"a { width: const(none, 1px) }":                                                         true,
		"a { @apply --card; }":                                                                  true,
		"a { @apply --slot { left: 0 } }":                                                       true,
		"a { width: --twice(2px) }":                                                             true,
		"@media (--narrow) { a { color: red } }":                                                true,
		":--title { color: red }":                                                               true,
		"@loop k, v over const(gap) { .m-(k) { margin: const(v) } }":                            true,
		"@loop v over 1, 2 { .m-(v) { margin: const(tone) } }":                                  true,
		"@when const(tone) = teal { a { color: red } }":                                         true,
		"a { color: if(const(tone) = teal: red; else: blue) }":                                  true,
		"a { @const x: 1px; top: const(x) }":                                                    true,
		"@const y: 1px;":                                                                        true,
		"@mixin --m { top: 0 }":                                                                 true,
		".a-(tone) { color: red }":                                                              true,
		"a { --x: const(tone) }":                                                                true,
		"a { background: linear-gradient(const(tone), red) }":                                   true,
		"@container (width > const(gap.small)) { a { top: 0 } }":                                true,
		"@supports (color: const(tone)) { a { top: 0 } }":                                       true,
		"@drop gap.small;":                                                                      true,
		"@keyframes k { from { color: const(tone) } }":                                          true,
		"@property --p { syntax: \"*\"; inherits: false; initial-value: const(tone) }":          true,
		"@layer base { @scope (.a) { b { color: const(tone) } } }":                              true,
		"@page { margin: const(gap.small) }":                                                    true,
		"a { width: --none(2px); top: 0 }":                                                      true,
		"a:is(:--title, b) { top: 0 }":                                                          true,
		"@media screen and (--narrow) { @supports (top: 0) { a { top: 0 } } }":                  true,
		"a { width: max(1px, --twice(const(gap.small))) }":                                      true,
		"@function --local() { result: 1px } a { width: --local() }":                            true,
		"@default z { a: 1px }":                                                                 true,
		"@starting-style { a { color: const(tone) } }":                                          true,
		"a { &:hover { &:focus { color: const(tone) } } }":                                      true,
		"a { color: color-mix(in oklch, const(tone), red); width: calc(2 * const(gap.large)) }": true,
	} {
		set := new(source.Set)
		c := &Composer{Report: func(diag.Diagnostic) {}}
		s := NewScope()
		defined, _ := parse.Sheet(set.Add(source.Path{Name: "a.css"}, "a.css", shared))
		c.Nodes(defined.Nodes, s)
		sheet, _ := parse.Sheet(set.Add(source.Path{Name: "b.css"}, "b.css", text))
		s.Touched()
		var out []ast.Node
		for _, n := range sheet.Nodes {
			out = c.Append(out, n, s)
		}
		if got := s.Touched(); got != want {
			t.Errorf("%s: touched is %v, want %v", text, got, want)
		}
	}
}
