package parse

import (
	"fmt"
	"regexp"
	"runtime"
	"strings"
	"testing"
	"time"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

func file(src string) *source.File {
	return new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src)
}

// marker matches an expected finding. It follows the position of the finding,
// or is on the last line for a finding at the end of the file.
var marker = regexp.MustCompile(`/\* (ERROR|WARNING) "([^"]*)" \*/`)

// TestFindings compares findings with marks in the sheets. A mark has the
// findings that start on its line, in order.
func TestFindings(t *testing.T) {
	sheets := []string{
		`a { color: red; /* ERROR "unclosed block: expected '}', got end of file" */`,
		`.a { .b { color: red } /* ERROR "unclosed block" */
		.c { color: blue }`,
		`a { width: calc(1px + (2px; } /* ERROR "unclosed bracket: expected ')'" */`,
		`a { color: red; } } /* ERROR "unmatched '}': browsers drop the rule after it" */
		b { color: blue; }`,
		`a { color: red; }; /* WARNING "stray ';' between rules: browsers drop the rule after it" */
		b { color: blue; }`,
		`a { color red; } /* WARNING "expected a declaration or a rule, got \"color red\": browsers skip it" */`,
		`a { *zoom: 1; } /* WARNING "expected a property name, got \"*zoom: 1\"" */`,
		`a { // note /* WARNING "'//' does not start a comment in CSS" */
		color: red; }`,
		`a { /* WARNING "string is not closed on its line: browsers skip the declaration" */ content: "x;
		}`,
		`a { background: url(a b.png); } /* WARNING "unquoted url() contains a quote, bracket or space" */`,
		`a { color: red); } /* WARNING "')' has no opening bracket: browsers skip the declaration of \"color\"" */`,
		`$accent: teal; /* WARNING "'$' is not allowed in names: browsers drop" */
		a { color: red }`,
		`a > > b {} /* WARNING "invalid selector: browsers drop the rule" */`,
		`.ok, a::, .fine {} /* WARNING "invalid selector: browsers drop the rule with all its selectors" */`,
		`a:not(> b) {} /* WARNING "invalid selector" */
		 a:is(> b, c) {}
		 a:has(> b) {}`,
		`{ color: red } /* WARNING "rule has no selector: expected one before '{'" */`,
		`--tone: red { } /* WARNING "custom property outside of a rule" */`,
		`a { color: red } b /* WARNING "rule has no block: expected '{', got end of file" */`,
		`a { color: red } } /* WARNING "unmatched '}' at the end of the sheet" */`,
		`a { color: red }; /* WARNING "stray ';' at the end of the sheet" */`,
		`@unknown { > > b { } 5 { } } @keyframes x { 5% { top: 0 } odd thing { } }`,
	}
	for _, src := range sheets {
		t.Run("", func(t *testing.T) {
			f := file(src)
			sheet, diags := Sheet(f)
			diags = append(diags, BadSelectors(sheet.Nodes)...)
			want := marker.FindAllStringSubmatchIndex(strings.ReplaceAll(src, `\"`, "''"), -1)
			if len(diags) != len(want) {
				t.Fatalf("%d findings, want %d in\n%s\n%s", len(diags), len(want), src, shown(diags))
			}
			for i, m := range want {
				text := strings.ReplaceAll(src, `\"`, "''")
				severity, message := text[m[2]:m[3]], strings.ReplaceAll(text[m[4]:m[5]], "''", `"`)
				d := diags[i]
				if strings.ToUpper(d.Severity.String()) != severity || !strings.Contains(d.Message, message) {
					t.Errorf("got %s %q, want %s %q", d.Severity, d.Message, severity, message)
				}
				if got, want := f.Line(d.Span.Start.Off), f.Line(uint32(m[0])); got != want {
					t.Errorf("finding %q on line %d, want %d", d.Message, got+1, want+1)
				}
				if int(d.Span.End) > len(src) {
					t.Errorf("finding %q ends at %d of %d", d.Message, d.Span.End, len(src))
				}
			}
		})
	}
}

func shown(diags []diag.Diagnostic) string {
	var b strings.Builder
	for _, d := range diags {
		fmt.Fprintf(&b, "%d-%d %s %s\n", d.Span.Start.Off, d.Span.End, d.Severity, d.Message)
	}
	return b.String()
}

func TestValidSheetsHaveNoFindings(t *testing.T) {
	for _, src := range csstest.Valid {
		if _, diags := Sheet(file(src)); len(diags) > 0 {
			t.Errorf("%q:\n%s", src, shown(diags))
		}
	}
}

// TestSpans checks that nodes have the spans of their source text.
func TestSpans(t *testing.T) {
	src := "@import 'a' ;\n.a , b > c{ d : e f ! important ; --g: h ; } @x y{} /*z*/"
	f := file(src)
	sheet, _ := Sheet(f)
	var got []string
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		s := n.Span()
		got = append(got, src[s.Start.Off:s.End])
		return true
	})
	want := []string{"@import 'a' ;", ".a , b > c", "d : e f ! important", "--g: h", "@x y", "/*z*/"}
	if fmt.Sprintf("%q", got) != fmt.Sprintf("%q", want) {
		t.Errorf("got  %q\nwant %q", got, want)
	}
}

// TestSelectors checks the parsed form of selectors: kind and name of each
// part.
func TestSelectors(t *testing.T) {
	kinds := map[ast.SimpleKind]string{
		ast.TypeSelector: "type", ast.UniversalSelector: "any", ast.ClassSelector: "class", ast.IDSelector: "id",
		ast.AttributeSelector: "attr", ast.PseudoClass: "class-of", ast.PseudoElement: "element",
		ast.NestingSelector: "nest", ast.Combinator: "then", ast.BadSelector: "bad",
	}
	tests := []struct{ src, want string }{
		{"a.b#c[d]:e::f", "type a|class b|id c|attr d|class-of e|element f"},
		{"a  >b+ c~d   e||f", "type a|then >|type b|then +|type c|then ~|type d|then  |type e|then |||type f"},
		{"a /* x */ b", "type a|then  |type b"},
		{"a:before::after", "type a|element before|element after"},
		{"svg|a *|* |b", "type svg|a|then  |any *|*|then  |type |b"},
		{"div& &.b", "type div|nest &|then  |nest &|class b"},
		{"&div", "bad "},
		{"> a", "then >|type a"},
		{`.\31 x`, `class \31 x`},
		{"a >", "bad "}, {"a b|", "bad "}, {".", "bad "}, {"a.b c:", "bad "}, {"#1", "bad "}, {"a b#c d.", "bad "}, {".a b.c d5 6", "bad "},
	}
	for _, test := range tests {
		list, _ := Selectors(file(test.src))
		var got []string
		for _, part := range list[0] {
			got = append(got, kinds[part.Kind]+" "+part.Name)
		}
		if s := strings.Join(got, "|"); s != test.want {
			t.Errorf("%q: got %s, want %s", test.src, s, test.want)
		}
	}
}

// TestNestingIsBounded checks that deeply nested input ends with a finding, and
// that time and memory grow with its length and not with its depth.
func TestNestingIsBounded(t *testing.T) {
	const n = 1 << 20
	for _, unit := range []string{"{", "(", "[", "a{", "a:b{", "a:{", "@a{", "f(", "a:not(", "a{b:(", "{}", "a{}}",
		"[(}{", "a:({", "a{b:{"} {
		start := time.Now()
		_, diags := Sheet(file(strings.Repeat(unit, n/len(unit))))
		if took := time.Since(start); took > 10*time.Second {
			t.Errorf("%q repeated to 1 MB took %v", unit, took)
		}
		if len(diags) == 0 || len(diags) > 2*maxFindings {
			t.Errorf("%q repeated to 1 MB has %d findings", unit, len(diags))
		}
	}
}

func TestDepthLimit(t *testing.T) {
	nested := func(n int) string { return strings.Repeat("@media x{", n) + strings.Repeat("}", n) }
	if _, diags := Sheet(file(nested(ast.MaxDepth))); len(diags) != 0 {
		t.Errorf("at the limit:\n%s", shown(diags))
	}
	_, diags := Sheet(file(nested(ast.MaxDepth+1) + " a{b:c}"))
	if len(diags) != 1 || diags[0].Code != "too-deep" || diags[0].Severity != diag.Error {
		t.Errorf("above the limit:\n%s", shown(diags))
	}
}

func FuzzParse(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src string) {
		sheet, diags := Sheet(file(src))
		last := uint32(0)
		for _, n := range sheet.Nodes {
			if at := n.Pos(); at.Off < last || int(at.Off) > len(src) {
				t.Fatalf("node %T at %d, after %d", n, at.Off, last)
			}
			last = n.Pos().Off
		}
		for _, d := range diags {
			if d.Span.End < d.Span.Start.Off || int(d.Span.End) > len(src) {
				t.Fatalf("finding %s spans %d to %d of %d", d.Code, d.Span.Start.Off, d.Span.End, len(src))
			}
		}
	})
}

func BenchmarkParse(b *testing.B) {
	for _, size := range []int{1 << 20, 16 << 20} {
		f := file(csstest.Generate(size))
		b.Run(fmt.Sprintf("%dMB", size>>20), func(b *testing.B) {
			b.SetBytes(int64(len(f.Text)))
			b.ReportAllocs()
			for b.Loop() {
				Sheet(f)
			}
			b.StopTimer()
			var before, after runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&before)
			sheet, _ := Sheet(f)
			runtime.GC()
			runtime.ReadMemStats(&after)
			b.ReportMetric(float64(after.HeapAlloc-before.HeapAlloc)/float64(len(f.Text)), "tree-bytes/byte")
			runtime.KeepAlive(sheet)
		})
	}
}
