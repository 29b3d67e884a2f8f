package print_test

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

func read(src string) []ast.Node {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	return sheet.Nodes
}

// roundTrip checks that printing and parsing gives an equal tree, pretty and
// compact, and that printing is idempotent.
func roundTrip(t *testing.T, src string) {
	t.Helper()
	tree := read(src)
	readable := print.Sheet(tree, print.Options{})
	again := read(readable)
	if !ast.Equal(tree, again, true) {
		t.Fatalf("readable output is another sheet\nsource   %q\nreadable %q\nagain    %q", src, readable,
			print.Sheet(again, print.Options{}))
	}
	if twice := print.Sheet(again, print.Options{}); twice != readable {
		t.Fatalf("printing is not settled\nsource %q\nonce   %q\ntwice  %q", src, readable, twice)
	}
	compact := print.Sheet(tree, print.Options{Compact: true})
	again = read(compact)
	if !ast.Equal(tree, again, false) {
		t.Fatalf("compact output is another sheet\nsource  %q\ncompact %q\nagain   %q", src, compact,
			print.Sheet(again, print.Options{Compact: true}))
	}
	if twice := print.Sheet(again, print.Options{Compact: true}); twice != compact {
		t.Fatalf("compact printing is not settled\nsource %q\nonce   %q\ntwice  %q", src, compact, twice)
	}
	if len(compact) > len(readable) && !strings.Contains(compact, "/**/") {
		t.Errorf("compact output is longer than readable output for %q", src)
	}
}

func TestRoundTrip(t *testing.T) {
	for i, src := range csstest.All() {
		t.Run(fmt.Sprint(i), func(t *testing.T) { roundTrip(t, src) })
	}
	roundTrip(t, csstest.Generate(1<<16))
}

func FuzzRoundTrip(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Fuzz(roundTrip)
}

func TestLayout(t *testing.T) {
	tests := []struct{ src, readable, compact string }{
		{
			"a,b>c{color:red;margin:0 auto}/*x*/@media print{d{e:f!important}}",
			"a,\nb > c {\n  color: red;\n  margin: 0 auto;\n}\n\n/*x*/\n@media print {\n  d {\n    e: f !important;\n  }\n}\n",
			"a,b>c{color:red;margin:0 auto}@media print{d{e:f!important}}\n",
		},
		{
			".a{b:c;&:hover{d:e}f:g}",
			".a {\n  b: c;\n\n  &:hover {\n    d: e;\n  }\n\n  f: g;\n}\n",
			".a{b:c;&:hover{d:e}f:g}\n",
		},
		{
			"@import 'x' print;@layer a , b;a{}",
			"@import 'x' print;\n@layer a, b;\na {}\n",
			"@import'x' print;@layer a,b;a{}\n",
		},
		{
			":root{--a: x  y/**/ ;--b:;c:f( 1 , 2 )}",
			":root {\n  --a: x  y/**/;\n  --b: ;\n  c: f(1, 2);\n}\n",
			":root{--a:x  y/**/;--b: ;c:f(1,2)}\n",
		},
	}
	for _, test := range tests {
		tree := read(test.src)
		if got := print.Sheet(tree, print.Options{}); got != test.readable {
			t.Errorf("readable %q\n got %q\nwant %q", test.src, got, test.readable)
		}
		if got := print.Sheet(tree, print.Options{Compact: true}); got != test.compact {
			t.Errorf("compact %q\n got %q\nwant %q", test.src, got, test.compact)
		}
	}
}

// recorder collects the mappings from the printer.
type recorder struct {
	lines []string
	file  *source.File
}

func (r *recorder) Add(line, column int, from source.Pos, _ string) {
	rest := r.file.Text[from.Off:]
	r.lines = append(r.lines, fmt.Sprintf("%d:%d %s", line, column, rest[:strings.IndexAny(rest, " :{(;,")]))
}

// TestColumns checks that lines and columns are those of the output, counted in
// UTF-16 code units. Line ends of Windows stay in strings, where they are escaped, but
// not in comments.
func TestColumns(t *testing.T) {
	src := "é😀{b:\"😀\\\r\n\";c:d}/*!é\r\n*/e,f{g:h}@x;"
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src)
	sheet, _ := parse.Sheet(f)
	r := &recorder{file: f}
	out := print.Sheet(sheet.Nodes, print.Options{Compact: true, Maps: r})
	if want := "é😀{b:\"😀\\\r\n\";c:d}/*!é\n*/e,f{g:h}@x;\n"; out != want {
		t.Fatalf("got %q, want %q", out, want)
	}
	got := strings.Join(r.lines, "|")
	want := "0:0 é😀|0:4 b|1:2 c|1:6 /*!é\r\n*/e|2:2 e|2:4 f|2:6 g|2:10 @x"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
}

func BenchmarkPrint(b *testing.B) {
	for _, size := range []int{1 << 20, 16 << 20} {
		src := csstest.Generate(size)
		tree := read(src)
		for _, compact := range []bool{false, true} {
			b.Run(fmt.Sprintf("compact=%v/%dMB", compact, size>>20), func(b *testing.B) {
				b.SetBytes(int64(len(src)))
				b.ReportAllocs()
				for b.Loop() {
					print.Append(make([]byte, 0, len(src)), tree, print.Options{Compact: compact})
				}
			})
		}
	}
}
