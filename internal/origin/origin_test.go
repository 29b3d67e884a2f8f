package origin_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/origin"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// place returns the text from a position on, up to the end of the line.
func place(set *source.Set, at source.Pos) string {
	if !at.IsValid() {
		return "nowhere"
	}
	line, _, _ := strings.Cut(set.File(at.File).Text[at.Off:], "\n")
	return line
}

// TestCompared looks up each line of a text that was made of another one without
// a map.
func TestCompared(t *testing.T) {
	tests := []struct{ name, before, after, want string }{
		{"the same", "a\nb\nc", "a\nb\nc", "a b c"},
		{"lines before", "a\nb", "x\ny\na\nb", "a a a b"},
		{"lines after", "a\nb", "a\nb\nx", "a b b"},
		{"a line changed", "a\nb\nc", "a\nB\nc", "a b c"},
		{"a line removed", "a\nb\nc", "a\nc", "a c"},
		{"lines moved", "a\nb\nc\nd", "c\nd\na\nb", "a a a b"},
		{"all changed", "a\nb", "x\ny", "a b"},
		{"more lines changed", "a\nb", "x\ny\nz", "a b b"},
		{"the end of a line stays", "a\nb c d", "x\ny c d", "a b c d"},
		{"repeated lines", "a\n}\nb\n}\nc\n}", "a\n}\nx\n}\nb\n}\nc\n}", "a } b b b } c }"},
		{"other line ends", "a\r\nb\r\nc", "a\nb\nc", "a b c"},
		{"nothing", "", "a", ""},
		{"all gone", "a", "", "a"},
	}
	for _, test := range tests {
		set := new(source.Set)
		f := set.Add(source.Path{Name: "a.css"}, "a.css", test.before)
		made := origin.Compared(test.after, origin.Of(f, set))
		var got []string
		for line := range made.File.Lines() {
			got = append(got, strings.TrimSpace(place(set, made.At(made.File.LineStart(line)))))
		}
		if text := strings.Join(got, " "); text != test.want {
			t.Errorf("%s: got %q, want %q", test.name, text, test.want)
		}
	}
}

// TestComparedRandom changes texts at random: each line that is unique in both
// must lead to itself, unless lines were moved, and the order must be kept.
func TestComparedRandom(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		var before []string
		for i := range r.IntN(12) {
			before = append(before, []string{"}", "", fmt.Sprint("line ", i)}[r.IntN(3)])
		}
		var after []string
		for _, line := range before {
			switch r.IntN(6) {
			case 0:
			case 1:
				after = append(after, "new", line)
			default:
				after = append(after, line)
			}
		}
		set := new(source.Set)
		f := set.Add(source.Path{Name: "a"}, "a", strings.Join(before, "\n"))
		made := origin.Compared(strings.Join(after, "\n"), origin.Of(f, set))
		last := uint32(0)
		for i := range after {
			at := made.At(made.File.LineStart(i))
			if got := place(set, at); strings.HasPrefix(after[i], "line") && got != after[i] {
				t.Fatalf("%q to %q: line %d leads to %q", before, after, i, got)
			}
			if at.Off < last {
				t.Fatalf("%q to %q: line %d leads back", before, after, i)
			}
			last = at.Off
		}
	}
}

// TestManyLines compares texts that could make it slow.
func TestManyLines(t *testing.T) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a"}, "a", "a\n"+strings.Repeat("\n", 300_000)+"b")
	origin.Compared("c\n"+strings.Repeat("\n", 300_001)+"d", origin.Of(f, set))
}

// TestChain leads positions through two steps: one with a map, after one without,
// after printing.
func TestChain(t *testing.T) {
	const src = ".quay {\n  color: navy; top: 1px }\n.pier { left: 2px }\n"
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a.css"}, "a.css", src)
	sheet, _ := parse.Sheet(f)
	var rec origin.Recorder
	text := print.Sheet(sheet.Nodes, print.Options{Maps: &rec})
	printed := rec.Text(text, set)
	first := origin.Compared("/* made */\n"+strings.ReplaceAll(text, "navy", "navy blue"), printed)

	// The second step swaps the two rules. Its map has the starts of lines.
	lines := strings.SplitAfter(first.File.Text, "\n")
	var out strings.Builder
	m := &sourcemap.Map{Sources: []sourcemap.Source{{URL: "a.css"}, {URL: "unknown"}}}
	for _, from := range []int{6, 7, 8, 0, 1, 2, 3, 4} {
		if from >= len(lines) {
			continue
		}
		m.Mappings = append(m.Mappings, sourcemap.Mapping{Line: strings.Count(out.String(), "\n"), SourceLine: from, Name: -1})
		out.WriteString(lines[from])
	}
	m.Mappings = append(m.Mappings, sourcemap.Mapping{Line: 90, Source: 0}, sourcemap.Mapping{Line: 91, Source: 1},
		sourcemap.Mapping{Line: 92, Source: -1})
	second := origin.Mapped(out.String(), m, set, func(url string) *origin.Text {
		if url == "a.css" {
			return first
		}
		return nil
	})
	for what, want := range map[string]string{".pier": ".pier { left: 2px }", "left: 2px": "left: 2px }", "2px": "2px }",
		".quay": ".quay {", "top": "top: 1px }", "1px": "1px }", "navy blue": "navy; top: 1px }"} {
		off := strings.Index(second.File.Text, what)
		if got := place(set, second.At(uint32(off))); off < 0 || got != want {
			t.Errorf("%q leads to %q, want %q in\n%s", what, got, want, second.File.Text)
		}
	}
}

// TestMove parses what a step made: all positions of the nodes must be in the
// source, at the same text where there is one.
func TestMove(t *testing.T) {
	const src = "@media (min-width: 1px) { .quay > .a:not(.b, [c='d']):hover { color: rgb(1, 2, 3); --x: { y } } }\n" +
		"@import url(x.css) layer(a);\n@keyframes k { from { top: 0 } }\nbad;\n/* tide */ .pier { *zoom: 1; left: calc(1px + (2px * 3)); &:hover { top: 0 } }\n"
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a.css"}, "a.css", src)
	made := origin.Compared("/* one */\n\n"+src+"\n.new { top: 1px }\n", origin.Of(f, set))
	sheet, _ := parse.Sheet(made.File)
	before := make(map[ast.Node]source.Span)
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		before[n] = n.Span()
		return true
	})
	ast.Move(sheet.Nodes, made.Move)
	count := 0
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		at, was := n.Span(), before[n]
		text := made.File.Text[was.Start.Off:was.End]
		if at.Start.File != f.ID || int(at.End) > len(src) {
			t.Errorf("%q: its span is %v", text, at)
		} else if got := src[at.Start.Off:at.End]; strings.Contains(src, text) && got != text && text != "top: 1px" {
			t.Errorf("%q leads to %q", text, got)
		}
		moved := ast.MoveSpan(was, made.Move)
		if strings.Contains(src, text) && text != "top: 1px" && src[moved.Start.Off:moved.End] != text {
			t.Errorf("the span of %q leads to %q", text, src[moved.Start.Off:moved.End])
		}
		count++
		return true
	})
	if count < 12 {
		t.Errorf("only %d nodes", count)
	}
}
