package compose

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// composedFor returns a sheet after composition for some names in use.
func composedFor(src, names string) (out string, found []string) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	used := strings.Fields(names)
	slices.Sort(used)
	var nodes []ast.Node
	ResolveHoisted(func() []string { return used }, func(s *Scope) {
		found = nil
		c := &Composer{Report: func(d diag.Diagnostic) { found = append(found, d.Message) }}
		nodes = c.Nodes(sheet.Nodes, s)
		for _, d := range s.Unknown() {
			found = append(found, d.Message)
		}
	})
	return strings.TrimSpace(print.Sheet(nodes, print.Options{Compact: true})), found
}

// TestFamilies checks which rules families make for names in use.
func TestFamilies(t *testing.T) {
	const space = `@const space { 1: 4px; 2: 8px; wide { 1: 40px } } `
	const padding = space + `@family .padding-(step) { @slot step: const(space); padding: const(step); } `
	const modes = `@mode hover- { &:hover { @contents; } } @mode wide- { @media (width > 40em) { @contents; } }`
	for _, test := range []struct{ name, src, names, want string }{
		{"nothing in use", padding, "padding padding-3 padding- xpadding-1", ""},
		{"in the order of the group", padding, "padding-2 padding-1 padding-wide-1", ".padding-1{padding:4px}.padding-2{padding:8px}.padding-wide-1{padding:40px}"},
		{"a family without slots", `@family .card { color: red; & > a { color: blue } }`, "card cards", ".card{color:red;&>a{color:blue}}"},
		{"free values", `@family .padding-(x) { @slot x: <length-percentage>; padding: const(x) }`,
			"padding-1.5em padding-50% padding-13px padding-9px padding-0 padding-4 padding-red padding--3px",
			`.padding-0{padding:0}.padding-1\.5em{padding:1.5em}.padding-9px{padding:9px}.padding-13px{padding:13px}.padding-50\%{padding:50%}`},
		{"several sources", padding + `@family .m-(x) { @slot x: const(space); @slot x: auto, none; @slot x: <length>; margin: const(x) }`,
			"m-3px m-auto m-2 m-none", `.m-2{margin:8px}.m-auto{margin:auto}.m-none{margin:none}.m-3px{margin:3px}`},
		{"colours", `@family .text-(c) { @slot c: <color>; color: const(c) }`, "text-#c00 text-red text-centre", `.text-\#c00{color:#c00}.text-red{color:red}`},
		{"two slots", `@family .width-(n)\/(m) { @slot n: <integer>; @slot m: range(2, 4); width: calc(100% * const(n) / const(m)) }`,
			"width-1/2 width-3/4 width-1/5 width-x/2", `.width-1\/2{width:50%}.width-3\/4{width:75%}`},
		{"property names", `@family .margin-(side)-(x) { @slot side: top, left; @slot x: range(1, 2); margin-(side): calc(const(x) * 1px) }`,
			"margin-left-1 margin-top-2 margin-bottom-1", ".margin-top-2{margin-top:2px}.margin-left-1{margin-left:1px}"},
		{"key and value", space + `@family .p-(step) { @slot step, size: const(space); padding: const(size); --step: "const(step)"; order: const(step) }`, "p-2",
			`.p-2{padding:8px;--step:"const(step)";order:2}`},
		{"slots in selectors", `@family .at-(n) { @slot n: range(1, 3); & > :nth-child(const(n)) { color: red } }`, "at-3", ".at-3{&>:nth-child(3){color:red}}"},
		{"mixins and conditions", `@mixin --m(--x) { margin: var(--x) } @family .a-(n) { @slot n: 1px, 2px; @apply --m(const(n)); @when const(n >= 2px) { top: 0 } }`,
			"a-1px a-2px", ".a-1px{margin:1px}.a-2px{margin:2px;top:0}"},
		{"constants in the name", `@const p: q; @family .(p)-(n) { @slot n: a; order: 1 }`, "q-a p-a", ".q-a{order:1}"},
		{"in a loop", `@loop k over top, left { @family .(k)-(n) { @slot n: 1px; (k): const(n) } }`, "left-1px top-1px", ".top-1px{top:1px}.left-1px{left:1px}"},
		{"in a layer", padding + `@layer x { @family .y { order: 2 } }`, "y", "@layer x{.y{order:2}}"},
		{"modes", padding + modes, "hover-padding-1 wide-padding-2 wide-padding-1 padding-1 hover-wide-padding-1 wide-hover-padding-2",
			".padding-1{padding:4px}.hover-padding-1{&:hover{padding:4px}}" +
				".wide-padding-1{@media(width > 40em){padding:4px}}.wide-padding-2{@media(width > 40em){padding:8px}}" +
				".hover-wide-padding-1{&:hover{@media(width > 40em){padding:4px}}}.wide-hover-padding-2{@media(width > 40em){&:hover{padding:8px}}}"},
		{"a mode before its family", modes + padding, "hover-padding-1 padding-1", ".hover-padding-1{&:hover{padding:4px}}.padding-1{padding:4px}"},
		{"a mode with a constant", `@const points { wide: 40em } @loop p, w over const(points) { @mode (p)- { @media (width >= const(w)) { @contents; } } } ` + padding,
			"wide-padding-2", ".wide-padding-2{@media(width >= 40em){padding:8px}}"},
		{"later definitions", `@mode wide- { @media (--wide) { @contents } } @family .a { @apply --m(); width: --f() } @custom-media --wide (width > 1px);
			@mixin --m() { top: 0 } @function --f() { result: 1px }`, "a wide-a",
			".wide-a{@media(width > 1px){top:0;width:1px}}.a{top:0;width:1px}"},
		{"any separator", padding + `@mode hover\: { &:hover { @contents } } @mode at\@ { & { @contents } }`, "hover:padding-1 at@padding-2",
			`.hover\:padding-1{&:hover{padding:4px}}.at\@padding-2{&{padding:8px}}`},
		{"the rest of the sheet", "a { color: red } " + padding + "b { color: red }", "padding-1", "a{color:red}.padding-1{padding:4px}b{color:red}"},
		{"take", padding + modes + `.ticket { top: 0; @take .padding-2 .wide-padding-1; left: 0 }`, "padding-2",
			".padding-2{padding:8px}.ticket{top:0;padding:8px;@media(width > 40em){padding:4px}left:0}"},
		{"take before the family", `.ticket { @take .hover-padding-2; } ` + modes + padding, "", ".ticket{&:hover{padding:8px}}"},
		{"take in a family", padding + `@family .box { @take .padding-1; color: red }`, "box", ".box{padding:4px;color:red}"},
		{"take in an earlier family", `@family .box { @take .padding-1; color: red } ` + padding + modes, "hover-box",
			".hover-box{&:hover{padding:4px;color:red}}"},
		{"take in a row", `@family .a { @take .b; } @family .b { @take .c; } @family .c { @take .d; } @family .d { top: 0 }`, "a",
			".a{top:0}"},
		{"the first one does not take the value", `@family .color-(x) { @slot x: type(*); color: const(x) }
			@family .color-scheme-(x) { @slot x: <'color-scheme'>; color-scheme: const(x) } @mode dark- { .dark & { @contents } } a { @take .color-scheme-dark }`,
			"color-red color-scheme-dark dark-color-scheme-light",
			".color-red{color:red}.color-scheme-dark{color-scheme:dark}.dark-color-scheme-light{.dark &{color-scheme:light}}a{color-scheme:dark}"},
		{"ranges and properties", `@family .n-(x) { @slot x: <integer [1,12]>; order: const(x) } @family .d-(x) { @slot x: <'display'>; display: const(x) }`,
			"n-0 n-1 n-12 n-13 n-1.5 d-grid d-grd d-1px", ".n-1{order:1}.n-12{order:12}.d-grid{display:grid}"},
		{"take of free values", `@family .p-(x) { @slot x: <length>; padding: const(x) } a { @take .p-1\.5px }`, "", "a{padding:1.5px}"},
	} {
		got, found := composedFor(test.src, test.names)
		if len(found) > 0 {
			t.Errorf("%s: %s\nhas the findings %q", test.name, test.src, found)
		}
		if got != test.want {
			t.Errorf("%s: %s\nfor %s is\n%s, want\n%s", test.name, test.src, test.names, got, test.want)
		}
	}
}

// TestFamilyFindings checks the findings about families, modes and @take.
func TestFamilyFindings(t *testing.T) {
	const padding = `@const space { 1: 4px } @family .padding-(step) { @slot step: const(space); padding: const(step); } `
	for _, test := range []struct{ src, names, want string }{
		{`@family .a;`, "", "@family needs a block"},
		{`b { @family .a { top: 0 } }`, "", "cannot be inside of a rule"},
		{`@family a { top: 0 }`, "", "@family has no class name"},
		{`@family { top: 0 }`, "", "@family has no class name"},
		{`@family .a .b { top: 0 }`, "", "more than one class name"},
		{`@family .a, .b { top: 0 }`, "", `"," cannot be part of a class name`},
		{`@family .a-(n) { top: 0 }`, "", `unknown constant "n"`},
		{`@family .a-(n) { @slot m: b; @slot n: c; top: 0 }`, "", `the class name ".a-(n)" has no slot "m"`},
		{`@family .a-(n)(m) { @slot m: b; @slot n: c; top: 0 }`, "", "nothing separates the slots"},
		{`@family .a-(n) { @slot n; top: 0 }`, "", "invalid @slot"},
		{`@family .a-(n) { @slot n: const(nothing); top: 0 }`, "", `unknown constant "nothing"`},
		{`@const g { } @family .a-(n) { @slot n: const(g); top: 0 }`, "", "nothing fills the slot"},
		{`@family .a-(n) { @slot n: <boat>; top: 0 }`, "", "expected a type"},
		{`a { @slot n: b; }`, "", "@slot outside of a family"},
		{`@mode { @contents; }`, "", "@mode has no name"},
		{`@mode a-;`, "", "@mode needs a block"},
		{`@mode a- { top: 0 }`, "", "@mode without @contents"},
		{`@take .padding-1;` + padding, "", "@take must be in a rule"},
		{padding + `a { @take padding-1; }`, "", "@take expects classes"},
		{padding + `a { @take; }`, "", "@take expects classes"},
		{padding + `a { @take .padding-2; }`, "", `no family has the class "padding-2"`},
		{`@family .p-(x) { @slot x: <color>; color: const(x) } a { @take .p-boat; }`, "", `no family has the class "p-boat"`},
		{`a { @take .b; } @family .b { @take .c; } @family .c { @take .b; }`, "", "takes itself"},
		{padding + `@family .padding-(x) { @slot x: range(1, 3); margin: const(x) }`, "padding-1",
			`the class "padding-1" can be read in two ways: as a class of the family ".padding-(step)", and of the family ".padding-(x)"`},
		{padding + `@mode padding- { & { @contents } } @family .(x) { @slot x: range(1, 3); order: const(x) }`, "padding-1",
			`the class "padding-1" can be read in two ways: as a class of the family ".padding-(step)", and of the family ".(x)" ` +
				`with the mode "padding-"`},
	} {
		_, found := composedFor(test.src, test.names)
		if !strings.Contains(strings.Join(found, "; "), test.want) {
			t.Errorf("%s\nhas the findings %q, want %q", test.src, found, test.want)
		}
	}
}

// FuzzFamily checks that the selector of a member has exactly the class in use, and
// that the result is a valid sheet.
func FuzzFamily(f *testing.F) {
	const families = `@const s { 1: 4px; b\:c: 5px; é: 6px; } @family .p-(x) { @slot x: const(s); @slot x: <length-percentage>; padding: const(x) }
		@family .c\/(x)\%(y) { @slot x: <color>; @slot y: <integer>; color: const(x); order: const(y) } @family .(x)-z { @slot x: range(1, 9); order: const(x) }
		@mode m\: { &:hover { @contents } } @mode 2- { & > b { @contents } }`
	for _, name := range []string{"p-1", "m:p-b:c", "p-é", "p-1.5em", "c/#fff%3", "2-m:7-z", "p--1px", "p-1e3px", "c/red%-1"} {
		f.Add(name)
	}
	f.Fuzz(func(t *testing.T, name string) {
		if fields := strings.Fields(name); len(fields) != 1 || fields[0] != name || strings.Contains(name, "\x00") ||
			!utf8.ValidString(name) {
			return
		}
		text, found := composedFor(families, name)
		if len(found) > 0 {
			t.Fatalf("%q has the findings %q", name, found)
		}
		sheet, problems := parse.Sheet(source.Detached(source.Path{}, "", text))
		if len(problems) > 0 || len(sheet.Nodes) > 1 {
			t.Fatalf("%q makes %q, with the problems %v", name, text, problems)
		}
		for _, n := range sheet.Nodes {
			r, ok := n.(*ast.StyleRule)
			if !ok || len(r.Selectors) != 1 || len(r.Selectors[0]) != 1 || token.Unescape(r.Selectors[0][0].Name) != name {
				t.Fatalf("%q makes %q", name, text)
			}
		}
	})
}

// BenchmarkFamilies compares 200,000 possible members, of which 2,000 are in use,
// with as many rules.
func BenchmarkFamilies(b *testing.B) {
	const families, keys, inUse = 100, 2000, 20 // keys of each family, and members in use
	var plain, sheet strings.Builder
	var names []string
	sheet.WriteString("@const sizes {")
	for k := range keys {
		fmt.Fprintf(&sheet, "k%d: %dpx; ", k, k)
	}
	sheet.WriteString("}\n")
	for f := range families {
		fmt.Fprintf(&sheet, "@family .f%d-(k) { @slot k: const(sizes); padding: const(k); margin: 0 }\n", f)
		for i := range inUse {
			k := (f*7 + i*97) % keys
			names = append(names, fmt.Sprintf("f%d-k%d", f, k))
			fmt.Fprintf(&plain, ".f%d-k%d { padding: %dpx; margin: 0 }\n", f, k, k)
		}
	}
	slices.Sort(names)
	for name, text := range map[string]string{"families": sheet.String(), "rules": plain.String()} {
		b.Run(name, func(b *testing.B) {
			file := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text)
			b.ReportAllocs()
			for b.Loop() {
				tree, _ := parse.Sheet(file)
				var nodes []ast.Node
				ResolveHoisted(func() []string { return names }, func(s *Scope) {
					nodes = new(Composer).Nodes(tree.Nodes, s)
				})
				if len(nodes) != families*inUse {
					b.Fatal(len(nodes))
				}
			}
		})
	}
}

// TestNearMembers checks why classes are no members.
func TestNearMembers(t *testing.T) {
	const src = `@const space { small: 4px; large: 8px } @family .padding-(step) { @slot step: const(space); padding: const(step) }
		@family .padding-top-(n) { @slot n: <length>; padding-top: const(n) } @family .w-(n)\\/(m) { @slot n: <integer>; @slot m: <integer>; order: 1 }
		@family .card { top: 0 } @mode hover- { &:hover { @contents } } @mode wide- { & { @contents } }`
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", strings.ReplaceAll(src, `\\`, `\`)))
	f := ResolveHoisted(func() []string { return []string{"padding-small", "padding-top--1px", "wide-hover-padding-large"} }, func(s *Scope) {
		new(Composer).Nodes(sheet.Nodes, s)
	})
	for class, want := range map[string]string{
		"padding-small":            "",
		"wide-hover-padding-large": "",
		"padding-smal":             `"smal" does not fill the slot of the family ".padding-(step)"; did you mean "padding-small"?`,
		"hover-padding-lrge":       `"lrge" does not fill the slot of the family ".padding-(step)"; did you mean "hover-padding-large"?`,
		"padding-top-4":            `"4" does not fill the slot of the family ".padding-top-(n)"; the slot accepts <length>`,
		"padding-top--1px":         `its value is invalid for a declaration of the family ".padding-top-(n)"; `,
		"hovr-padding-small":       `no mode is called "hovr-"; did you mean "hover-padding-small"?`,
		"paddin-small":             `no family begins with "paddin-"; did you mean "padding-small"?`,
		"wide-hovr-card":           `no mode is called "hovr-"; did you mean "wide-hover-card"?`,
		"w-1/x":                    "",
		"padding-":                 "",
		"cards":                    "",
		"board":                    "",
	} {
		n, ok := f.Near(class)
		got := n.Why + "; " + n.Fix
		if ok != (want != "") || ok && got != want {
			t.Errorf("%s: %v, %s, want %s", class, ok, got, want)
		}
	}
}

// TestHostileFamilies checks that patterns with many ways to match, and modes with
// many ways to split a name, take little time.
func TestHostileFamilies(t *testing.T) {
	var src strings.Builder
	for i := range 60 {
		fmt.Fprintf(&src, "@mode %s { & { @contents } }\n", strings.Repeat("a", i+1))
	}
	src.WriteString("@family .b" + strings.Repeat("-(x)", 30) + " { @slot x: <custom-ident>; order: 1 }\n@family .c")
	for i := range 20 {
		fmt.Fprintf(&src, "-(s%d)", i)
	}
	src.WriteString(" {")
	for i := range 20 {
		fmt.Fprintf(&src, " @slot s%d: <custom-ident>;", i)
	}
	src.WriteString(" order: 2 }")
	start := time.Now()
	many := strings.Repeat("-a", 120)
	composedFor(src.String(), strings.Repeat("a", 250)+" b"+many+"! c"+many+"! "+strings.Repeat("x", 100_000))
	if took := time.Since(start); took > 2*time.Second {
		t.Errorf("it took %v", took)
	}
}
