package sourcemap_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"unicode/utf16"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// lineAt returns the text of a line from a column in UTF-16 code units on.
func lineAt(text string, line, column int) string {
	text = strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
	lines := strings.Split(text, "\n")
	units := utf16.Encode([]rune(lines[line]))
	return string(utf16.Decode(units[column:]))
}

// TestMapLeadsBack prints sheets pretty and compact, and checks that the output
// position of each declaration is mapped to its source position.
func TestMapLeadsBack(t *testing.T) {
	inputs := append(csstest.Valid, csstest.Generate(1<<15), "\uFEFFé😀{\tb😀:c\r\n;é:\"😀\";d:e}\rf{g:h}")
	for _, src := range inputs {
		for _, compact := range []bool{false, true} {
			set := new(source.Set)
			f := set.Add(source.Path{Name: "quay/a.css"}, "quay/a.css", src)
			sheet, _ := parse.Sheet(f)
			b := sourcemap.NewBuilder(set)
			out := print.Sheet(sheet.Nodes, print.Options{Compact: compact, Maps: b})
			data := b.JSON("a.css", func(f *source.File) string { return "../" + f.Name })
			m, err := sourcemap.Read(data)
			if err != nil {
				t.Fatalf("%q: %v", src, err)
			}
			if len(m.Mappings) != b.Mappings() {
				t.Fatalf("%q: %d mappings read, %d added", src, len(m.Mappings), b.Mappings())
			}
			for _, p := range m.Mappings {
				at, from := lineAt(strings.TrimPrefix(out, "\uFEFF"), p.Line, p.Column),
					lineAt(m.Sources[p.Source].Content, p.SourceLine, p.SourceColumn)
				if n := min(len(at), len(from), 1); at[:n] != from[:n] {
					t.Fatalf("%q: output %q is mapped to %q", src, at, from)
				}
			}
			ast.Walk(sheet.Nodes, func(n ast.Node) bool {
				if d, ok := n.(*ast.Declaration); ok && !leads(m, f, d.NamePos) {
					t.Errorf("%q: no mapping leads to %s", src, d.Name)
				}
				return true
			})
		}
	}
}

func leads(m *sourcemap.Map, f *source.File, at source.Pos) bool {
	line := f.Line(at.Off)
	column := f.UTF16Column(line, at.Off)
	for _, p := range m.Mappings {
		if p.SourceLine == line && p.SourceColumn == column {
			return true
		}
	}
	return false
}

// TestJSON checks the exact form of a small map, names included.
func TestJSON(t *testing.T) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a.css"}, "a.css", "a\n  mask: \"</s>\u2028\x01\t\"")
	b := sourcemap.NewBuilder(set)
	b.Add(0, 0, f.Pos(0), "a")
	b.Add(0, 2, f.Pos(4), "-webkit-mask")
	b.Add(0, 2, f.Pos(0), "")
	b.Add(2, 1, f.Pos(4), "mask")
	got := string(b.JSON("out.css", func(f *source.File) string { return "../" + f.Name }))
	want := `{"version":3,"file":"out.css","sources":["../a.css"],` +
		`"sourcesContent":["a\n  mask: \"\u003c/s>\u2028\u0001\t\""],"names":["mask"],"mappings":"AAAA,EACEA;;CAAA"}` + "\n"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	var plain struct{ SourcesContent []string }
	if err := json.Unmarshal([]byte(got), &plain); err != nil || plain.SourcesContent[0] != f.Text {
		t.Errorf("content %q (%v), want %q", plain.SourcesContent, err, f.Text)
	}
}

func TestReadRefuses(t *testing.T) {
	const head = `{"version":3,"sources":["a"],"names":[],"mappings":`
	for _, bad := range []string{
		``, `{}`, `[]`, `{"version":2}`, head + `"A!"}`, head + `"g"}`, head + `"AA"}`, head + `"AAAAAA"}`,
		head + `"ACAA"}`, head + `"AADA"}`, head + `"AAAAA"}`, head + `"D"}`, head + `"gggggggggC"}`,
		`{"version":3,"sections":[{"offset":{"line":0,"column":0},"map":{"version":3,"sections":[]}}]}`,
		`{"version":3,"sections":[{"offset":{"line":-1,"column":0},"map":{"version":3,"mappings":""}}]}`,
	} {
		if m, err := sourcemap.Read([]byte(bad)); err == nil {
			t.Errorf("Read(%q) = %v, want an error", bad, m)
		}
	}
}

func TestReadSections(t *testing.T) {
	m, err := sourcemap.Read([]byte(")]}'\n" + `{"version":3,"sections":[
		{"offset":{"line":0,"column":0},"map":{"version":3,"sourceRoot":"s/","sources":["a"],"names":["n"],"mappings":"AAAAA"}},
		{"offset":{"line":1,"column":4},"map":{"version":3,"sources":["b"],"names":["m"],"mappings":"CAAAA;CAAA"}}]}`))
	if err != nil {
		t.Fatal(err)
	}
	got := fmt.Sprint(m.Sources, m.Names, m.Mappings)
	want := "[{s/a } {b }] [n m] [{0 0 0 0 0 0} {1 5 1 0 0 1} {2 1 1 0 0 -1}]"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
}

func TestAddress(t *testing.T) {
	data := []byte(`{"version":3,"sources":[],"names":[],"mappings":""}`)
	sheet := "a{}\n/*# sourceMappingURL=old.map */" + sourcemap.Comment(sourcemap.DataURL(data))
	m, err := sourcemap.ReadDataURL(sourcemap.Address(sheet))
	if err != nil || len(m.Mappings) != 0 {
		t.Errorf("ReadDataURL = %v, %v", m, err)
	}
	if got := sourcemap.Address("a{}"); got != "" {
		t.Errorf("Address of a sheet without one = %q", got)
	}
}

// FuzzRead checks the reader against the writer: mappings must be inside the
// map, and writing and reading them again must give the same ones.
func FuzzRead(f *testing.F) {
	f.Add("AAAA,EACEA;;CAAA", 2)
	f.Add("AAAAA,CAAC;AACDA", 1)
	f.Add(";;;A,C,gB", 1)
	f.Fuzz(func(t *testing.T, mappings string, sources int) {
		raw, _ := json.Marshal(map[string]any{
			"version": 3, "names": []string{"a", "b"}, "mappings": mappings,
			"sources": make([]string, max(0, min(sources, 9))),
		})
		m, err := sourcemap.Read(raw)
		if err != nil {
			return
		}
		last := sourcemap.Mapping{}
		for _, p := range m.Mappings {
			if p.Source >= len(m.Sources) || p.Name >= len(m.Names) || p.Column < 0 || p.SourceLine < 0 ||
				p.Line < last.Line || p.Line == last.Line && p.Column < last.Column {
				t.Fatalf("mapping %v after %v in %q", p, last, mappings)
			}
			if got, ok := m.Find(p.Line, p.Column); p.Source >= 0 && ok && (got.Line != p.Line || got.Column != p.Column) {
				t.Fatalf("Find(%d, %d) = %v", p.Line, p.Column, got)
			}
			last = p
		}
	})
}

func BenchmarkMap(b *testing.B) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a.css"}, "a.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	for b.Loop() {
		m := sourcemap.NewBuilder(set)
		print.Append(make([]byte, 0, len(f.Text)), sheet.Nodes, print.Options{Compact: true, Maps: m})
		m.JSON("a.css", func(f *source.File) string { return f.Name })
	}
}

// TestShares checks that each byte of an output belongs to the source of the
// mapping before it.
func TestShares(t *testing.T) {
	m := &sourcemap.Map{Sources: make([]sourcemap.Source, 2), Mappings: []sourcemap.Mapping{
		{Line: 0, Column: 0, Source: 0}, {Line: 0, Column: 4, Source: 1}, {Line: 0, Column: 6, Source: -1},
		{Line: 2, Column: 1, Source: 1}, {Line: 2, Column: 90, Source: 0},
	}}
	output := "ab\U0001F6A2cdef\nline\n.x{}\n/*# sourceMappingURL=x.map */\n"
	shares := m.Shares([]byte(output))
	if shares[0] != 6 || shares[1] != 2+4 || shares[-1] != len(output)-12 {
		t.Errorf("%v of %d bytes", shares, len(output))
	}
}
