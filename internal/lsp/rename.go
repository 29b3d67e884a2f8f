package lsp

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// edit replaces a part of a file.
type edit struct {
	at   source.Span
	text string
}

// prepareRename returns the range of the name at a place, and the name.
func (s *server) prepareRename(_ context.Context, q at) (any, error) {
	d, p, ok := s.asked(q)
	name, known := s.named(&p)
	if !ok || !known {
		return nil, errNoName
	}
	from, to := p.from, p.to
	if p.subject == aConstant {
		_, to = p.part()
		name = lastOf(name)
		from = to - len(name)
	}
	return map[string]any{"range": rangeIn(d.text, from, to), "placeholder": name}, nil
}

// errNoName means that there is nothing to rename.
var errNoName = invalid("there is no class, constant, mixin, function or custom property here")

// rename renames a name in all files. A rename of a constant, mixin or function must not
// change what sheets become.
func (s *server) rename(ctx context.Context, q struct {
	at
	NewName string `json:"newName"`
}) (any, error) {
	_, p, ok := s.asked(q.at)
	name, known := s.named(&p)
	if !ok || !known {
		return nil, errNoName
	}
	if p.subject == aProperty {
		p.subject = aVariable
	}
	to, err := newName(p.subject, name, q.NewName)
	if err != nil {
		return nil, err
	}
	found, err := s.uses(ctx, p.subject, name)
	if err != nil {
		return nil, err
	}
	files := s.edits(found, p.subject, to)
	changes := make(map[string][]textEdit)
	for _, list := range files {
		for _, e := range list {
			if uri, where, ok := s.place(e.at); ok {
				changes[uri] = append(changes[uri], textEdit{where, e.text})
			}
		}
	}
	if p.subject == aConstant || p.subject == aMixin {
		if err := s.verify(ctx, files); err != nil {
			return nil, err
		}
	}
	return map[string]any{"changes": changes}, nil
}

// newName returns what is written in place of a name. The error is that it cannot be the
// new name.
func newName(what subject, old, name string) (string, error) {
	bad := invalid("this is not a name that it can have")
	switch what {
	case aClass:
		name = strings.TrimPrefix(name, ".")
	case aConstant:
		group := strings.TrimSuffix(old, lastOf(old))
		if name = strings.TrimPrefix(name, group); name != constantPath(name) || strings.Contains(name, ".") {
			return "", bad
		}
	default:
		if !strings.HasPrefix(name, "--") {
			return "", bad
		}
	}
	if name == "" || strings.ContainsAny(name, " \t\r\n\"'`") {
		return "", bad
	}
	return name, nil
}

// edits returns the edits that write a name at some places, by file and in their order.
func (s *server) edits(found []use, what subject, to string) map[*source.File][]edit {
	out := make(map[*source.File][]edit)
	for _, u := range found {
		text := to
		if u.sheet && what != aConstant {
			text = token.EscapeName(to)
		}
		if f := s.session.Project().Tree.Set.File(u.at.Start.File); f != nil {
			out[f] = append(out[f], edit{u.at, text})
		}
	}
	for f, list := range out {
		slices.SortFunc(list, func(a, b edit) int { return cmp.Compare(a.at.Start.Off, b.at.Start.Off) })
		out[f] = slices.CompactFunc(list, func(a, b edit) bool { return a.at == b.at })
	}
	return out
}

// applied returns the text of a file after edits.
func applied(f *source.File, list []edit) string {
	var b strings.Builder
	from := uint32(0)
	for _, e := range list {
		b.WriteString(f.Text[from:e.at.Start.Off] + e.text)
		from = e.at.End
	}
	b.WriteString(f.Text[from:])
	return b.String()
}

// verify composes the sheets of the site with edits. The error is that one becomes
// something else, because the name has another meaning somewhere, or is a part of names
// that a loop makes.
func (s *server) verify(ctx context.Context, files map[*source.File][]edit) error {
	before, known, err := s.composed(ctx)
	if err != nil {
		return err
	}
	var names []string
	for f, list := range files {
		uri, _, ok := s.place(list[0].at)
		name, ok2 := nameOf(uri)
		if ok && ok2 {
			names = append(names, name)
			s.session.Overlay(name, []byte(applied(f, list)))
		}
	}
	after, errors, err := s.composed(ctx)
	for _, name := range names {
		s.session.Overlay(name, nil)
		for _, d := range s.documents {
			if d.name == name {
				s.session.Overlay(name, []byte(d.text))
			}
		}
	}
	if err != nil {
		return err
	}
	for _, e := range errors {
		if !slices.Contains(known, e) {
			return invalid("this would cause an error: " + e)
		}
	}
	byName := func(a, b source.Path) int { return cmp.Compare(a.String(), b.String()) }
	for _, from := range slices.SortedFunc(maps.Keys(before), byName) {
		if after[from] != before[from] {
			return invalid(fmt.Sprintf("this would change what %s becomes: the name has another meaning, or is a part of other names",
				s.session.Project().Tree.Show(from)))
		}
	}
	return nil
}
