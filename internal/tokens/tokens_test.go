package tokens

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"rinzel/internal/source"
)

func read(text string) (string, []string) {
	f := new(source.Set).Add(source.Path{Name: "t.json"}, "t.json", text)
	list, diags := Read(f)
	var out, found []string
	for _, t := range list {
		out = append(out, strings.Join(t.Path, ".")+": "+t.Value)
	}
	for _, d := range diags {
		found = append(found, fmt.Sprintf("%s: %s", f.Text[d.Span.Start.Off:d.Span.End], d.Message))
	}
	return strings.Join(out, "\n"), found
}

func TestRead(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"groups", `{ "space": { "$type": "dimension", "$description": "gaps", "small": { "$value": { "value": 4, "unit": "px" } }, "wide": { "$value": { "value": 1.5, "unit": "rem" } } } }`,
			"space.small: 4px\nspace.wide: 1.5rem"},
		{"types inherited and overridden", `{ "$type": "number", "a": { "$value": 1.50 }, "g": { "$type": "dimension", "b": { "$value": { "value": 0, "unit": "px" } }, "c": { "$type": "number", "$value": -2 } } }`,
			"a: 1.5\ng.b: 0px\ng.c: -2"},
		{"colours", `{ "c": { "$type": "color", "teal": { "$value": { "colorSpace": "srgb", "components": [0, 0.50196, 0.50196] } }, "fine": { "$value": { "colorSpace": "srgb", "components": [0.1234, 0, 0], "alpha": 0.5 } },
			"p3": { "$value": { "colorSpace": "display-p3", "components": [0, 1, "none"], "alpha": 1 } }, "h": { "$value": { "colorSpace": "hsl", "components": [200, 50, 40] } }, "o": { "$value": { "colorSpace": "oklch", "components": [0.7, 0.1, 200], "alpha": 0.25 } }, "old": { "$value": "#0a7f86" } } }`,
			"c.teal: rgb(0 128 128)\nc.fine: color(srgb 0.1234 0 0 / 0.5)\nc.p3: color(display-p3 0 1 none)\nc.h: hsl(200 50% 40%)\nc.o: oklch(0.7 0.1 200 / 0.25)\nc.old: #0a7f86"},
		{"aliases", `{ "b": { "$value": "{a}" }, "a": { "$type": "number", "$value": "{g.$root}" }, "g": { "$type": "number", "$root": { "$value": 7 } }, "c": { "$value": { "$ref": "#/g/$root/$value" } } }`,
			"b: 7\na: 7\ng.root: 7\nc: 7"},
		{"aliases of what others set", `{ "b": { "$value": "{tide.high water}" }, "s": { "$type": "border", "$value": { "color": "{tide.calm}", "width": { "value": 1, "unit": "px" }, "style": "solid" } } }`,
			"b: const(tide.high-water)\ns: 1px solid const(tide.calm)"},
		{"fonts", `{ "f": { "$type": "fontFamily", "one": { "$value": "Harbour Sans" }, "many": { "$value": ["Pier \"9\"", "sans-serif"] } }, "w": { "$type": "fontWeight", "a": { "$value": 350 }, "b": { "$value": "semi-bold" } } }`,
			"f.one: \"Harbour Sans\"\nf.many: 'Pier \"9\"', sans-serif\nw.a: 350\nw.b: 600"},
		{"times", `{ "d": { "$type": "duration", "fast": { "$value": { "value": 150, "unit": "ms" } } }, "e": { "$type": "cubicBezier", "out": { "$value": [0, 0, 0.2, 1] } },
			"t": { "$type": "transition", "$value": { "duration": "{d.fast}", "delay": { "value": 0, "unit": "ms" }, "timingFunction": "{e.out}" } } }`,
			"d.fast: 150ms\ne.out: cubic-bezier(0, 0, 0.2, 1)\nt: 150ms cubic-bezier(0, 0, 0.2, 1) 0ms"},
		{"lines", `{ "l": { "$type": "strokeStyle", "a": { "$value": "dotted" }, "b": { "$value": { "dashArray": [{ "value": 4, "unit": "px" }], "lineCap": "round" } } },
			"b": { "$type": "border", "$value": { "color": "#036", "width": { "value": 3, "unit": "px" }, "style": "{l.a}" } } }`,
			"l.a: dotted\nl.b: dashed\nb: 3px dotted #036"},
		{"shadows", `{ "s": { "$type": "shadow", "one": { "$value": { "color": "#0008", "offsetX": { "value": 0, "unit": "px" }, "offsetY": { "value": 2, "unit": "px" }, "blur": { "value": 4, "unit": "px" }, "spread": { "value": 0, "unit": "px" } } },
			"two": { "$value": ["{s.one}", { "inset": true, "color": "red", "offsetX": "1px", "offsetY": "1px", "blur": "0px", "spread": "0px" }] } } }`,
			"s.one: 0px 2px 4px 0px #0008\ns.two: 0px 2px 4px 0px #0008, inset 1px 1px 0px 0px red"},
		{"gradient", `{ "g": { "$type": "gradient", "$value": [{ "color": "#fff", "position": 0 }, { "color": "#000", "position": 0.333333 }, { "color": "red", "position": 2 }] } }`,
			"g: #fff 0%, #000 33.3333%, red 100%"},
		{"typography", `{ "title": { "$type": "typography", "$value": { "fontFamily": ["Pier", "serif"], "fontSize": { "value": 2, "unit": "rem" }, "fontWeight": "bold", "letterSpacing": { "value": 0, "unit": "px" }, "lineHeight": 1.2 } } }`,
			"title.font-family: \"Pier\", serif\ntitle.font-size: 2rem\ntitle.font-weight: 700\ntitle.letter-spacing: 0px\ntitle.line-height: 1.2"},
		{"extended group", `{ "a": { "$type": "number", "x": { "$value": 1 }, "g": { "y": { "$value": 2 }, "z": { "$value": 3 } } }, "b": { "$extends": "{a}", "x": { "$value": 5 }, "g": { "z": { "$value": 6 } }, "w": { "$value": 7 } } }`,
			"a.x: 1\na.g.y: 2\na.g.z: 3\nb.g.y: 2\nb.g.z: 6\nb.x: 5\nb.w: 7"},
		{"a token that is a reference", `{ "a": { "$type": "number", "$value": 1 }, "b": { "$ref": "#/a" }, "g": { "$type": "dimension", "c": { "$ref": "#/b" }, "d": { "$value": { "$ref": "#/a" } } }, "e": { "$ref": "#/g/c", "$description": "x" } }`,
			"a: 1\nb: 1\ng.c: 1\ng.d: 1\ne: 1"},
		{"a group that is a reference", `{ "a": { "$type": "number", "x": { "$value": 1 }, "y z": { "$value": 2 } }, "b": { "$ref": "#/a" }, "c": { "d": { "$ref": "#/b", "x": { "$value": 3 } } }, "e": { "$extends": { "$ref": "#/a" } } }`,
			"a.x: 1\na.y-z: 2\nb.x: 1\nb.y-z: 2\nc.d.y-z: 2\nc.d.x: 3\ne.x: 1\ne.y-z: 2"},
		{"references in values", `{ "n": { "$type": "number", "$value": 0.5 }, "w": { "$type": "dimension", "$value": { "value": 2, "unit": "px" } },
			"c": { "$type": "color", "$value": { "colorSpace": "srgb", "components": [0.2, 0.4, 0.6] } },
			"d": { "$type": "color", "$value": { "colorSpace": { "$ref": "#/c/$value/colorSpace" }, "components": [{ "$ref": "#/c/$value/components/2" }, 0, 1], "alpha": { "$ref": "#/n/$value" } } },
			"e": { "$type": "dimension", "$value": { "value": { "$ref": "#/w/$value/value" }, "unit": "rem" } },
			"f": { "$type": "cubicBezier", "$value": [0, { "$ref": "#/n" }, 0.2, 1] },
			"h": { "$type": "border", "$value": { "color": { "$ref": "#/c" }, "width": { "$ref": "#/w/$value" }, "style": "solid" } } }`,
			"n: 0.5\nw: 2px\nc: rgb(51 102 153)\nd: rgb(153 0 255 / 0.5)\ne: 2rem\nf: cubic-bezier(0, 0.5, 0.2, 1)\nh: 2px solid rgb(51 102 153)"},
		{"names", `{ "brand blue": { "$type": "number", "50": { "$value": 1 } }, "$extensions": { "x": { "y": 1 } } }`, "brand-blue.50: 1"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			got, found := read(test.src)
			if got != test.want || len(found) > 0 {
				t.Errorf("%s\n got %s\nwant %s\nfindings %q", test.src, got, test.want, found)
			}
		})
	}
}

func TestReadFindings(t *testing.T) {
	tests := []struct{ src, want string }{
		{`{ "a": { "$value": 1 }`, ": incomplete JSON: unclosed bracket or quote"},
		{`{ "a" 1 }`, "1: invalid JSON: expected ':' after the name"},
		{`[1]`, "[1]: expected an object with groups and tokens, got a list"},
		{`{} {}`, "{: unexpected text after the end of the tokens"},
		{`{ "a": 1 }`, `"a": "a" is neither a token nor a group: expected an object, got a number`},
		{`{ "a": { "$value": 1 } }`, `"a": token "a" has no $type, and neither has a group around it`},
		{`{ "a": { "$type": "colour", "$value": 1 } }`, `1: unknown token type "colour"`},
		{`{ "a": { "$type": "number", "$value": "1" } }`, `"1": a token of type "number" must be a number, got a string`},
		{`{ "a": { "$type": "dimension", "$value": { "value": 1, "unit": "em" } } }`, `"em": the unit of a dimension must be px or rem, got "em"`},
		{`{ "a": { "$type": "color", "$value": "red; } x { y: z" } }`, `"red; } x { y: z": "red; } x { y: z" is not a colour`},
		{`{ "a": { "$type": "color", "$value": { "colorSpace": "tide", "components": [1, 2, 3] } } }`, `"tide": unknown colour space "tide"`},
		{`{ "a": { "$type": "number", "$value": "{a}" } }`, `"{a}": alias cycle`},
		{`{ "a": { "$type": "shadow", "$value": ["{a}"] } }`, `"{a}": the token depends on itself, or on too many others`},
		{`{ "a": { "$type": "border", "$value": { "width": "1px" } } }`, `{ "width": "1px" }: token without "style"`},
		{`{ "a.b": { "$type": "number", "$value": 1 } }`, `"a.b": "a.b" is not a valid name of a token or group`},
		{`{ "g": { "$extends": "{g}" } }`, `"{g}": the group extends itself`},
		{`{ "a": { "$ref": "#/b" } }`, `"#/b": unresolved reference "#/b": unknown "b"`},
		{`{ "a": { "$ref": "other.json#/b" } }`, `"other.json#/b": reference "other.json#/b" does not point into this file`},
		{`{ "a": { "$type": "number", "$ref": "#/a" } }`, `{ "$type": "number", "$ref": "#/a" }: alias cycle`},
		{`{ "g": { "$ref": "#/h" }, "h": { "$ref": "#/g" } }`, `{ "$ref": "#/h" }: alias cycle`},
		{`{ "a": { "$type": "number", "$value": { "$ref": "#/a/$value" } } }`, `{ "$ref": "#/a/$value" }: alias cycle`},
		{`{ "c": { "$type": "color", "$value": { "colorSpace": "srgb", "components": [{ "$ref": "#/c/$value/components/7" }, 0, 1] } } }`, `"#/c/$value/components/7": unresolved reference "#/c/$value/components/7": unknown "7"`},
		{`{ "c": { "$type": "color", "$value": { "colorSpace": "srgb", "components": [{ "$ref": "#/c/$value/components/0" }, 0, 1] } } }`, `{ "$ref": "#/c/$value/components/0" }: the token depends on itself, or on too many others`},
		{`{ "g": { "$extends": "{h}" } }`, `"{h}": "{h}" is not a group: a group can only extend a group`},
		{strings.Repeat(`{"a":`, 150) + "1" + strings.Repeat("}", 150), "{: tokens are nested deeper than 100 levels"},
	}
	for _, test := range tests {
		if _, found := read(test.src); len(found) != 1 || found[0] != test.want {
			t.Errorf("%.80s\n got %q\nwant %q", test.src, found, test.want)
		}
	}
}

// TestGrowthIsBounded checks that files that grow when they are read end soon,
// with a finding.
func TestGrowthIsBounded(t *testing.T) {
	many := func(n int, before, format, after string) string {
		var b strings.Builder
		b.WriteString(before)
		for i := range n {
			fmt.Fprintf(&b, format, i, i+1)
		}
		return b.String() + after
	}
	const one = `{ "$type": "number", "$value": 1 }`
	doubled := many(60, `{ "g0": { "a": `+one+`, "b": `+one+` }`,
		`, "g%[2]d": { "x": { "$extends": "{g%[1]d}" }, "y": { "$extends": "{g%[1]d}" } }`, "}")
	chain := many(50_000, `{ "a0": `+one, `, "a%[2]d": { "$value": "{a%[1]d}" }`, "}")
	backwards := many(50_000, `{ "a50000": `+one, `, "a%[1]d": { "$ref": "#/a%[2]d" }`, "}")
	wide := many(50_000, `{ "g": {`, `"k%[1]d": `+one+", ",
		`"last": `+one+` }, "h": { "$extends": "{g}", "k1": `+one+` } }`)
	for name, test := range map[string]struct {
		src      string
		findings bool
	}{
		"groups that double":       {doubled, true},
		"a chain of aliases":       {chain, false},
		"a chain read from behind": {backwards, false},
		"a wide group":             {wide, false},
	} {
		start := time.Now() // on a busy machine; an idle one takes a second
		_, found := read(test.src)
		if took := time.Since(start); took > 20*time.Second || len(found) > 3 || (len(found) > 0) != test.findings {
			t.Errorf("%s: %d findings in %v: %.300q", name, len(found), took, found)
		}
	}
}

// FuzzRead checks that no value can end the declaration that it is inserted
// into.
func FuzzRead(f *testing.F) {
	f.Add(`{ "a": { "$type": "border", "$value": { "color": "{b}", "width": "1px", "style": "solid" } }, "b": { "$type": "color", "$value": "#036" } }`)
	f.Add(`{ "s": { "$type": "shadow", "$value": ["{s}", "{s}"] } }`)
	f.Add(`{ "a": { "$ref": "#/b" }, "b": { "$type": "color", "$value": { "colorSpace": "srgb", "components": [{ "$ref": "#/c/$value/0" }, 0, 1] } }, "c": { "$type": "cubicBezier", "$value": [1, 0, 0, 1] }, "g": { "$ref": "#/h" }, "h": { "$extends": "{g}" } }`)
	f.Fuzz(func(t *testing.T, text string) {
		list, _ := Read(new(source.Set).Add(source.Path{Name: "t.json"}, "t.json", text))
		for _, token := range list {
			if strings.HasPrefix(token.Value, "const(") {
				continue // its names are escaped
			}
			outside := strings.Split(token.Value, `"`)
			for i := 0; i < len(outside); i += 2 {
				if !strings.ContainsAny(token.Value, `'\`) && strings.ContainsAny(outside[i], ";{}") {
					t.Errorf("%q became %q", text, token.Value)
				}
			}
		}
	})
}
