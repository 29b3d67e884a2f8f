package tokens

import (
	"strings"

	"rinzel/internal/source"
)

// Name is a name in a token file: that of a token or group, or one in an alias or reference.
type Name struct {
	Path  []string    // names of the groups around it, and its own
	At    source.Span // the last part of the path
	IsUse bool        // it is in an alias or reference
}

// Names returns the names of tokens and groups in a token file, and where aliases
// ("{color.sea}") and references ("#/color/sea") of the file name them. It returns nothing
// for a file that is not JSON.
func Names(f *source.File) []Name {
	root, err := readJSON(f)
	if err != nil {
		return nil
	}
	n := naming{file: f}
	n.group(&root, nil)
	return n.out
}

// naming collects names.
type naming struct {
	file *source.File
	out  []Name
}

// group adds the names in an object.
func (n *naming) group(v *value, path []string) {
	for i := range v.keys {
		k := &v.keys[i]
		if strings.HasPrefix(k.name, "$") {
			n.uses(&k.value, k.name == "$ref")
			continue
		}
		inner := append(path[:len(path):len(path)], constantName(k.name))
		n.add(inner, k.at, k.name)
		n.group(&k.value, inner)
	}
}

// uses adds the names that a value refers to.
func (n *naming) uses(v *value, isRef bool) {
	switch v.kind {
	case text:
		if alias, ok := aliasOf(v); ok {
			n.parts(v, strings.Split(alias, "."))
		} else if names, ok := pointer(v); ok && isRef {
			n.parts(v, names)
		}
	case list:
		for i := range v.list {
			n.uses(&v.list[i], false)
		}
	case object:
		for i := range v.keys {
			n.uses(&v.keys[i].value, v.keys[i].name == "$ref")
		}
	}
}

// parts adds each part of a path in a string, with the parts before it.
func (n *naming) parts(v *value, names []string) {
	raw := n.file.Text[v.at.Start.Off:v.at.End]
	from := 0
	for i, name := range names {
		at := strings.Index(raw[from:], name)
		if at < 0 {
			return // it is written with escapes
		}
		from += at
		n.out = append(n.out, Name{names[:i+1], source.SpanOf(n.file.Pos(int(v.at.Start.Off)+from), len(name)), true})
		from += len(name)
	}
}

// add adds a key, unless it is written with escapes.
func (n *naming) add(path []string, at source.Span, name string) {
	raw := n.file.Text[at.Start.Off:at.End]
	if i := strings.Index(raw, name); i >= 0 {
		n.out = append(n.out, Name{path, source.SpanOf(n.file.Pos(int(at.Start.Off)+i), len(name)), false})
	}
}
