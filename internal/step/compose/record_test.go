package compose

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
	"rinzel/internal/tokens"
)

// recorded composes a sheet and returns the records of its constants, one per
// line: derivation, components and number of rules that read it.
func recorded(src string) string {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	c := &Composer{Report: func(diag.Diagnostic) {}, Record: new(Record)}
	c.Nodes(sheet.Nodes, NewScope())
	var lines []string
	for _, e := range c.Record.Entries() {
		var sets []string
		for _, s := range e.Sets {
			text := string(s.Kind)
			if s.Kind != ByDrop {
				text += " " + print.Values(s.Value)
			}
			if s.WithoutEffect {
				text = "(" + text + ")"
			}
			sets = append(sets, text)
		}
		line := e.Path + ": " + strings.Join(sets, ", ")
		if len(e.From) > 0 {
			line += "; from " + strings.Join(e.From, " ")
		}
		if e.Rules > 0 {
			line += fmt.Sprintf("; %d", e.Rules)
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n")
}

func TestRecord(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"rules that read it", `@const gap: 1px; a { b: const(gap) const(gap); c: const(gap) } d { e: const(gap) } @media (width > const(gap)) { f { g: h } }`, "gap: const 1px; 3"},
		{"nested rules", `@const gap: 1px; a { b { c: const(gap) } d: const(gap) }`, "gap: const 1px; 2"},
		{"made of others", `@const a: 1px; @const b: calc(const(a) * 2); @const c: const(a) const(b); d { e: const(c) }`, "a: const 1px\nb: const 2px; from a\nc: const 1px 2px; from a b; 1"},
		{"set again, from itself", `@const a: 1px; @const a: calc(const(a) * 2); b { c: const(a) }`, "a: const 1px, const 2px; 1"},
		{"defaults that give way", `@const a: 1px; @default a: 2px; @default b: 3px; @default b: 4px;`, "a: const 1px, (default 2px)\nb: default 3px, (default 4px)"},
		{"a default is worked out to be compared, and says nothing", `@const a: 1px; @default a: calc(const(nope) * 2);`, "a: const 1px, (default calc(const(nope) * 2))"},
		{"groups", `@const t { a: 1; b { c: 2 } } @default t { a: 9; b { d: 3 } } x { y: const(t.b.d) }`, "t.a: const 1, (default 9)\nt.b.c: const 2\nt.b.d: default 3; 1"},
		{"a group in place of another", `@const t { a: 1; b: 2 } @const t { b: 3 }`, "t.a: const 1, drop\nt.b: const 2, const 3"},
		{"drops", `@drop t.a; @default t { a: 1; b: 2 } @drop t.b;`, "t.a: drop, (default 1)\nt.b: default 2, drop"},
		{"a dropped group", `@const t { g { x: 1; y: 2 } } @drop t.g;`, "t.g.x: const 1, drop\nt.g.y: const 2, drop"},
		{"loops read all keys", `@const t { a: 1; b: 2 } @loop v over const(t) { .x { y: const(v) } }`, "t.a: const 1; 1\nt.b: const 2; 1"},
		{"names and conditions", `@const n: a; .x-(n) { y: z } @when const(n: a) { b { c: d } }`, "n: const a; 2"},
		{"within mixins", `@const gap: 1px; @mixin --m { a: const(gap) } b { @apply --m } c { @apply --m }`, "gap: const 1px; 2"},
		{"block constants are not noted", `@const a: 1; b { @const a: 2; @const c: 3; d: const(a) const(c) }`, "a: const 1"},
		{"only read, with a fallback", `b { c: const(a, 1) }`, ""},
	}
	for _, test := range tests {
		if got := recorded(test.src); got != test.want {
			t.Errorf("%s: %s\n got %s\nwant %s", test.name, test.src, got, test.want)
		}
	}
}

func TestCurrent(t *testing.T) {
	e := Entry{Sets: []Set{{Kind: ByDefault}, {Kind: ByConst}, {Kind: ByDefault, WithoutEffect: true}}}
	if s, ok := e.Current(); !ok || s.Kind != ByConst {
		t.Errorf("got %v, %v", s, ok)
	}
	if others := e.Overridden(); len(others) != 2 || others[0].Kind != ByDefault || !others[1].WithoutEffect {
		t.Errorf("got %v", others)
	}
	if _, ok := (&Entry{Sets: []Set{{Kind: ByConst}, {Kind: ByDrop}}}).Current(); ok {
		t.Error("a dropped constant has a value")
	}
	if _, ok := (&Entry{}).Current(); ok {
		t.Error("a constant that nothing set has a value")
	}
}

// withPresets composes a sheet with constants from settings and tokens.
func withPresets(src string, prefix []string, list ...tokens.Token) (string, []diag.Diagnostic) {
	var diags []diag.Diagnostic
	set := new(source.Set)
	f := set.Add(source.Path{Name: "t.json"}, "t.json", "{}")
	c := &Composer{Report: func(d diag.Diagnostic) { diags = append(diags, d) }}
	s := NewScope()
	for i := range list {
		list[i].At = f.Whole()
	}
	c.SetTokens(list, prefix, s)
	c.Preset([]string{"tone", "calm"}, "teal", f.Whole(), BySetting, s)
	sheet, _ := parse.Sheet(set.Add(source.Path{Name: "x.css"}, "x.css", src))
	out := print.Sheet(c.Nodes(sheet.Nodes, s), print.Options{Compact: true})
	return strings.TrimSuffix(out, "\n"), append(diags, s.Unknown()...)
}

func TestPresets(t *testing.T) {
	token := func(value string, path ...string) tokens.Token { return tokens.Token{Path: path, Value: value} }
	tests := []struct {
		src    string
		prefix []string
		list   []tokens.Token
		want   string
	}{
		{`a { b: const(tone.calm) }`, nil, nil, `a{b:teal}`},
		{`@default tone { calm: red; alert: blue } a { b: const(tone.calm) const(tone.alert) }`, nil, nil, `a{b:teal blue}`},
		{`@const tone.calm: navy; a { b: const(tone.calm) }`, nil, nil, `a{b:navy}`},
		{`a { b: const(gap.50) const(tone.alert) }`, nil, []tokens.Token{token("1px", "gap", "50"), token("red", "tone", "alert")}, `a{b:1px red}`},
		{`a { b: const(brand.call) }`, []string{"brand"}, []tokens.Token{token("red", "buoy"), token("const(buoy)", "call")}, `a{b:red}`},
		{`a { b: const(call) }`, nil, []tokens.Token{token("red", "buoy"), token("const(buoy)", "call")}, `a{b:red}`},
		{`a { b: const(x) }`, nil, []tokens.Token{token("1px", "x"), token("2px", "x")}, `a{b:2px}`},
		{`a { b: const(x) }`, nil, []tokens.Token{token("calc(1px * 3)", "x")}, `a{b:3px}`},
	}
	for _, test := range tests {
		got, diags := withPresets(test.src, test.prefix, test.list...)
		if got != test.want || len(diags) > 0 {
			t.Errorf("%s\n got %s\nwant %s\n%v", test.src, got, test.want, diags)
		}
	}
}

// TestPresetsCannotBreakOut checks that the values of settings and tokens
// cannot end the declaration that they are inserted into.
func TestPresetsCannotBreakOut(t *testing.T) {
	for _, value := range []string{"red; } b { c: d", "red }", "a)", "b]", "", " ", "\"open", "url(a b)", "/* open",
		"{ a", "(("} {
		got, diags := withPresets(`a { b: const(x, none) }`, nil, tokens.Token{Path: []string{"x"}, Value: value})
		if got != `a{b:none}` || len(diags) != 1 || diags[0].Code != "bad-constant" {
			t.Errorf("%q: got %s and %v", value, got, diags)
		}
	}
}

func TestLaterDefinitions(t *testing.T) {
	tests := []struct{ src, message, fix string }{
		{`a { b: const(x) } @const x: 1; @const x: 2;`, "defined here, which is too late", "define it before its first use"},
		{`a { b: const(t.x) } @const t.x: 1;`, "defined here, which is too late", "define it before its first use"},
		{`a { @const x: 1; } b { c: const(x) }`, "defined here, in a block, and only visible in it", "move it out of the block"},
		{`a { @const x: 1; } b { c: const(x) } @const x: 2;`, "defined here, which is too late", "define it before its first use"},
		{`a { @mixin --m {} } b { @apply --m }`, "defined here, in a block, and only visible in it", "move it out of the block"},
		{`a { b: const(harbuor) } @const harbour: 1;`, "", `did you mean "harbour", which is defined later?`},
		{`a { @apply --crad } @mixin --card {}`, "", `did you mean "--card"?`},
		{`a { b: const(x) } @mixin --x {}`, "", ""},
	}
	for _, test := range tests {
		_, diags := composed(test.src)
		if len(diags) != 1 {
			t.Errorf("%s: %d findings, want 1", test.src, len(diags))
			continue
		}
		message := ""
		if len(diags[0].Related) > 0 {
			message = diags[0].Related[0].Message
		}
		if message != test.message || diags[0].Fix != test.fix {
			t.Errorf("%s: got %q and %q, want %q and %q", test.src, message, diags[0].Fix, test.message, test.fix)
		}
	}
}

func TestLimits(t *testing.T) {
	limits := Limits{Values: 300, Iterations: 10, Calls: 3}
	for src, code := range map[string]string{
		`@const a: 1 1 1 1 1; @const b: const(a) const(a) const(a) const(a) const(a); @const c: const(b) const(b) const(b) const(b); x { y: const(c) const(c) const(c) }`: "too-many-values",
		`@loop n over range(1, 11) { a { b: const(n) } }`:  "bad-loop",
		`@mixin --m { a { @apply --m } } b { @apply --m }`: "too-many-calls",
		`@loop n over range(1, 9) { a { b: const(n) } }`:   "",
	} {
		sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
		got := ""
		c := &Composer{Limits: limits, Report: func(d diag.Diagnostic) { got = string(d.Code) }}
		c.Nodes(sheet.Nodes, NewScope())
		if got != code {
			t.Errorf("%s: got %q, want %q", src, got, code)
		}
	}
}

// TestMediaIsBounded checks that custom media that double each other soon end
// with a finding.
func TestMediaIsBounded(t *testing.T) {
	var b strings.Builder
	b.WriteString("@custom-media --m0 (a), (b);")
	for i := range 30 { // which repeats itself
		fmt.Fprintf(&b, "@custom-media --m%d (--m%d) and (--m%d);", i+1, i, i)
	}
	got, diags := composed(b.String() + "@media (--m30) { a { b: c } }")
	if got != "@media(a),(b){a{b:c}}\n" || len(diags) > 0 {
		t.Errorf("got %s, %v", got, diags)
	}
	b.Reset()
	b.WriteString("@custom-media --m0 (a0), (b0);")
	for i := range 30 { // which doubles each time
		fmt.Fprintf(&b, "@custom-media --n%[1]d (a%[1]d), (b%[1]d); @custom-media --m%[1]d (--m%[2]d) and (--n%[1]d);",
			i+1, i)
	}
	if _, diags = composed(b.String() + "@media (--m30) { a { b: c } }"); len(diags) != 1 ||
		diags[0].Code != "bad-custom-name" {
		t.Errorf("got %d findings, %v", len(diags), diags[:1])
	}
	_, diags = composed("@custom-media --m (a) and (b) and (c);@media " + strings.Repeat("(--m) and ", 5000) +
		"(d) { a { b: c } }")
	if len(diags) != 1 || diags[0].Code != "bad-custom-name" {
		t.Errorf("got %v", diags)
	}
}

// TestValuesAreBounded checks that the nesting depth of constants is limited.
func TestValuesAreBounded(t *testing.T) {
	var b strings.Builder
	b.WriteString("@const c0: f(1);")
	for i := range 400 {
		fmt.Fprintf(&b, "@const c%d: f(const(c%d));", i+1, i)
	}
	_, diags := composed(b.String() + "a { b: const(c400) }")
	if len(diags) == 0 || diags[0].Code != "too-deep" {
		t.Errorf("got %v", diags)
	}
}

// TestLateConstants checks which overrides come after another sheet has read
// the constant.
func TestLateConstants(t *testing.T) {
	const kit = `@default accent: navy; @default tones { calm: teal; deep { a: 1 } } @default strong: const(accent);
		.a { color: const(accent) } @loop k, v over const(tones) { .b-(k) { c: d } } @default line: 1px; @default size: 2px;
		.s-(size) { e: const(tones.deep.a) }`
	tests := []struct {
		before, after string
		late          []string // names that are overridden too late
	}{
		{"", "@const accent: red;", []string{"accent"}},
		{"@const accent: red;", "", nil},
		{"@const accent: red;", "@const accent: blue;", nil}, // which overrides no default
		{"", "@const strong: red;", nil},                     // nothing read it
		{"", "@const line: 2px;", nil},
		{"", "@const size: 3px;", []string{"size"}},
		{"", "@const tones.calm: red;", []string{"tones.calm"}},
		{"", "@const tones.new: red;", []string{"tones.new"}},
		{"", "@drop tones.calm;", []string{"tones.calm"}},
		{"@drop tones.calm;", "", nil},
		{"", "@const tones { calm: red }", []string{"tones"}},
		{"", "@const tones.deep.a: 3;", []string{"tones.deep.a"}},
		{"@const tones.calm: red;", "@const tones.calm: blue;", nil},
		{"", "@default accent: red;", nil},
		{"", "a { @const accent: red; b: const(accent) }", nil},
		{"", "@const accent: color-mix(in srgb, const(accent), white);", []string{"accent"}},
	}
	for _, test := range tests {
		set := new(source.Set)
		var late []string
		s := NewScope()
		for _, src := range []string{test.before, kit, test.after} {
			f := set.Add(source.Path{Name: src}, src, src)
			sheet, _ := parse.Sheet(f)
			c := &Composer{Report: func(d diag.Diagnostic) {
				if d.Code != "late-constant" || d.Severity != diag.Warning || len(d.Related) != 2 ||
					d.Related[0].Span.Start.File == f.ID {
					t.Errorf("%s: %v", test.after, d)
				}
				late = append(late, src[d.Span.Start.Off:d.Span.End])
			}}
			c.Nodes(sheet.Nodes, s)
		}
		for i := range late {
			late[i] = strings.TrimSpace(late[i])
		}
		if !slices.Equal(late, test.late) {
			t.Errorf("%q, the kit, %q: late are %q, want %q", test.before, test.after, late, test.late)
		}
	}
}

// TestReadsBefore checks the number of reads of each value that a constant had.
func TestReadsBefore(t *testing.T) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "",
		`@default x: 1; @const y: const(x); a { b: const(x) const(x) } c { d: const(x) } @const x: 2; e { f: const(x) }`))
	r := new(Record)
	c := &Composer{Report: func(d diag.Diagnostic) { t.Error(d) }, Record: r}
	c.Nodes(sheet.Nodes, NewScope())
	for _, e := range r.Entries() {
		if e.Path != "x" {
			continue
		}
		if len(e.Sets) != 2 || e.Sets[0].Reads != 3 || e.Sets[1].Reads != 1 || e.Rules != 3 {
			t.Errorf("%+v", e)
		}
	}
}
