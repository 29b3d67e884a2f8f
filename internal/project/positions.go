package project

import (
	"strconv"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"

	"rinzel/internal/source"
)

// positions has the positions of keys and values in a settings file by their
// path, for findings.
type positions struct {
	file   *source.File
	keys   map[string]source.Span
	values map[string]source.Span
	deep   source.Span // a key with more than maxKeyParts parts, where reading stopped
}

// maxKeyParts limits the parts of a key. The time and memory to parse TOML grow
// with their square.
const maxKeyParts = 64

// positionsOf reads the positions in a settings file. For invalid TOML it has
// those before the first error.
func positionsOf(f *source.File) positions {
	p := positions{file: f, keys: make(map[string]source.Span), values: make(map[string]source.Span)}
	var parser unstable.Parser
	parser.Reset([]byte(f.Text))
	table := ""
	count := make(map[string]int)
	for parser.NextExpression() && !p.deep.IsValid() {
		switch e := parser.Expression(); e.Kind {
		case unstable.Table:
			path, span := p.path("", e.Key())
			table = path
			p.keys[path] = span
		case unstable.ArrayTable:
			path, span := p.path("", e.Key())
			table = path + "#" + strconv.Itoa(count[path])
			count[path]++
			p.keys[table] = span
		case unstable.KeyValue:
			p.keyValue(table, e)
		}
	}
	return p
}

// keyValue records a key and its value.
func (p *positions) keyValue(table string, e *unstable.Node) {
	path, span := p.path(table, e.Key())
	p.keys[path] = span
	p.noteValue(path, span, e.Value())
}

// noteValue records the position of a value and of everything in it. The parser
// has no positions for arrays and inline tables, so that of their key is used.
func (p *positions) noteValue(path string, key source.Span, v *unstable.Node) {
	span := key
	if v.Raw.Length > 0 {
		span = p.span(v.Raw)
	} else if len(v.Data) > 0 {
		if i := strings.Index(p.file.Text[key.End:], string(v.Data)); i >= 0 && v.Kind != unstable.Array {
			span = source.SpanOf(p.file.Pos(int(key.End)+i), len(v.Data))
		}
	}
	p.values[path] = span
	children := v.Children()
	for i := 0; children.Next(); {
		child := children.Node()
		switch {
		case v.Kind == unstable.InlineTable:
			p.keyValue(path, child)
		case v.Kind == unstable.Array && child.Kind != unstable.Comment:
			p.noteValue(path+"#"+strconv.Itoa(i), span, child)
			i++
		}
	}
}

// path joins the parts of a key to the path of a table.
func (p *positions) path(table string, key unstable.Iterator) (string, source.Span) {
	path := table
	var span source.Span
	for n := 0; key.Next(); n++ {
		part := key.Node()
		if path != "" {
			path += "."
		}
		path += string(part.Data)
		at := p.span(part.Raw)
		if !span.IsValid() {
			span = at
		}
		span.End = at.End
		if n == maxKeyParts {
			p.deep = span
			break
		}
	}
	return path, span
}

// span returns a range as a span.
func (p *positions) span(r unstable.Range) source.Span {
	return source.SpanOf(p.file.Pos(int(r.Offset)), int(r.Length))
}

// find returns the position of a path, or of its nearest known parent.
func find(in map[string]source.Span, file *source.File, path string) source.Span {
	for {
		if span, ok := in[path]; ok {
			return span
		}
		i := strings.LastIndexAny(path, ".#")
		if i < 0 {
			return source.SpanOf(file.Pos(0), 0)
		}
		path = path[:i]
	}
}

// key returns the position of a key.
func (p *positions) key(key []string) source.Span {
	path := strings.Join(key, ".")
	if span, ok := p.keys[path]; ok {
		return span
	}
	// In a list of tables, the first one with the key.
	for i := 0; i < 1000 && len(key) > 1; i++ {
		if span, ok := p.keys[key[0]+"#"+strconv.Itoa(i)+"."+strings.Join(key[1:], ".")]; ok {
			return span
		}
	}
	return find(p.keys, p.file, path)
}

// value returns the position of the value of a key.
func (p *positions) value(key ...string) source.Span {
	return find(p.values, p.file, strings.Join(key, "."))
}

// element returns the position of an element of the list of a key.
func (p *positions) element(i int, key ...string) source.Span {
	return p.value(strings.Join(key, ".") + "#" + strconv.Itoa(i))
}

// nth returns the position of the value of a key in the i-th table of a list of
// tables, or of the table if no key is given.
func (p *positions) nth(i int, list string, key ...string) source.Span {
	path := list + "#" + strconv.Itoa(i)
	if len(key) == 0 {
		return find(p.keys, p.file, path)
	}
	return p.value(path + "." + strings.Join(key, "."))
}

// nthElement returns the position of an element of a list in such a table.
func (p *positions) nthElement(i, element int, list, key string) source.Span {
	return p.value(list + "#" + strconv.Itoa(i) + "." + key + "#" + strconv.Itoa(element))
}
