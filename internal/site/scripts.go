package site

import (
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/modules"
	"rinzel/internal/script"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// This file rewrites the scripts that import sheets, or that refer to files from
// the top of the site if that is not "/". Other scripts are copied byte for
// byte.

// makeModules creates the scripts that add sheets to pages. units has the units
// of each page, followed by the bundles of the settings.
func (l *loading) makeModules(units [][]*unit, list []*named) {
	for _, s := range l.bundles {
		if s.made.Empty {
			continue
		}
		var links []string
		add := func(have *styles) {
			if holds(have.pieces, s.first()) && !have.made.Empty && !slices.Contains(links, have.info.Path) {
				links = append(links, have.info.Path)
			}
		}
		for _, i := range s.linked {
			if i >= len(units) {
				add(list[i-len(units)].made)
				continue
			}
			for _, u := range units[i] {
				for _, have := range u.loads {
					add(have)
				}
			}
		}
		s.module = l.b.moduleOf(s, links)
	}
}

// markProbed makes bundles stay files in which scripts look for sheets before
// they load them. units has the units of each page.
func (l *loading) markProbed(units [][]*unit) {
	for _, s := range l.bundles {
		for _, i := range s.linked {
			if i >= len(units) {
				continue
			}
			for _, u := range units[i] {
				for _, have := range u.loads {
					have.probed = have.probed || holds(have.pieces, s.first())
				}
			}
		}
	}
}

// first returns the sheet of the first piece.
func (s *styles) first() source.Path {
	for _, p := range s.pieces {
		if p.File != nil {
			return p.File.Path
		}
	}
	return source.Path{}
}

// scriptEdits returns the edits that replace the sheet imports of a script with
// the files that are written, and put URLs that start with a slash under the
// base of the settings. address returns the URL of an output file.
func (b *builder) scriptEdits(l *loading, mod *modules.Module, address func(name string) string) []graph.Edit {
	if mod.File == nil {
		return nil
	}
	text := mod.File.File.Text
	var edits []graph.Edit
	name := func(r modules.Request, file string) {
		to := address(file)
		if r.Kind != script.Address {
			to = relativeSpecifier(to)
		}
		edits = append(edits, graph.Edit{At: graph.Span(r.Import.At), With: strings.ReplaceAll(to, "'", `\'`)})
	}
	for _, r := range mod.Requests {
		switch r.Use {
		case modules.UsesSheet:
			name(r, l.referenced[r.Path].info.Path)
		case modules.Styles, modules.StylesLazily:
			if file, ok := l.moduleFor(r.Path); ok {
				name(r, file)
				continue
			}
			instead := ";" // separates what comes before and after it
			if r.Use == modules.StylesLazily {
				instead = "Promise.resolve()"
			}
			edits = append(edits, graph.Edit{At: graph.Span(r.Whole), With: padded(instead, text[r.Whole.Start:r.Whole.End])})
		default:
			if b.compiles(r.Path) {
				name(r, b.fileName(r.Path))
			} else if to, ok := b.published(graph.Target{Path: r.Path}, r.Specifier); ok && text[r.At.Start:r.At.End] == r.Specifier {
				edits = append(edits, graph.Edit{At: graph.Span(r.At), With: to})
			}
		}
	}
	return edits
}

// padded returns text padded with white space to the length and the number of
// lines of what it replaces, if it is not longer.
func padded(text, place string) string {
	if strings.Contains(place, "\n") {
		for i := range len(place) {
			if place[i] == '\n' || place[i] == '\r' {
				text += place[i : i+1]
			}
		}
		return text
	}
	return text + strings.Repeat(" ", max(0, len(place)-len(text)))
}

// scriptOutputs are the scripts that are not copied as they are.
type scriptOutputs struct {
	run  map[source.Path]*modules.Module // all scripts that pages run
	data map[source.Path][]byte          // the scripts, and maps that they came with
	was  map[source.Path]int64           // sizes of scripts that steps changed, before
	maps []emit.Output                   // maps that the build made
	// others are those of the files in data that are no scripts: components that no
	// step compiles. assets are what their style blocks refer to.
	others map[source.Path]bool
	assets []emit.Asset
}

// rewrittenScripts returns the rewritten scripts and their source maps.
func (b *builder) rewrittenScripts(ctx context.Context, l *loading) (*scriptOutputs, error) {
	run := b.scripts.Run()
	out := &scriptOutputs{run: run, data: make(map[source.Path][]byte), was: make(map[source.Path]int64),
		others: make(map[source.Path]bool)}
	paths := slices.SortedFunc(maps.Keys(run), func(a, b source.Path) int {
		return strings.Compare(a.String(), b.String())
	})
	var mu sync.Mutex
	err := b.inParallel(ctx, "writing scripts", len(paths), func(i int) {
		p := paths[i]
		if run[p].Component != nil {
			b.finishComponent(ctx, l, run[p], func(add func(*scriptOutputs)) {
				mu.Lock()
				defer mu.Unlock()
				add(out)
			})
			return
		}
		from := emit.PlainName(p)
		edits := b.scriptEdits(l, run[p], func(to string) string { return graph.Relative(from, to) })
		if finished, ok := b.finishScript(ctx, p, run[p].File, edits); ok {
			mu.Lock()
			defer mu.Unlock()
			finished.addTo(out, p)
			return
		}
		if len(edits) == 0 {
			return
		}
		text, at, moved := b.movedScript(run[p].File, p, edits)
		mu.Lock()
		defer mu.Unlock()
		if moved != nil {
			out.data[at] = moved
		}
		out.data[p] = run[p].File.File.Encoded(text)
	})
	emit.Sort(out.maps)
	return out, err
}

// movedScript returns a script with edits applied, and its own source map with the
// positions updated, see [builder.remapScript]. An invalid map is reported.
func (b *builder) movedScript(file *graph.ScriptFile, p source.Path,
	edits []graph.Edit) (text string, at source.Path, moved []byte) {
	text, at, moved, err := b.remapScript(file, p, edits)
	if err != nil {
		b.report(diag.Diagnostic{Code: code.UnreadableMap, Severity: diag.Warning,
			Span:    file.File.Pos(file.Map.At.Start).To(uint32(file.Map.At.End)),
			Message: fmt.Sprintf("the source map of this script is copied unchanged, although positions in the script changed: %v", err)})
	}
	return text, at, moved
}

// remapScript returns a script with edits applied, and its source map with the
// positions updated: inside the script if it was there, otherwise as a file.
func (b *builder) remapScript(file *graph.ScriptFile, p source.Path, edits []graph.Edit) (text string,
	at source.Path, moved []byte, err error) {
	text = graph.Apply(file.File.Text, edits)
	stays := !slices.ContainsFunc(edits, func(e graph.Edit) bool { return len(e.With) != e.At.End-e.At.Start })
	if file.Map.Text == "" || stays {
		return text, at, nil, nil
	}
	inline := strings.HasPrefix(file.Map.Text, "data:")
	have, at, err := b.scriptMap(file, p)
	if have == nil || err != nil {
		return text, at, nil, err
	}
	moved, err = sourcemap.Move(have, positionMapper(file.File, text, edits))
	if err != nil || !inline {
		return text, at, moved, err
	}
	edits = append(slices.Clone(edits), graph.Edit{At: graph.Span(file.Map.At), With: sourcemap.DataURL(moved)})
	return graph.Apply(file.File.Text, edits), at, nil, nil
}

// scriptMap returns the source map that a script came with, and its file, if it is
// not inside the script; nil if there is none.
func (b *builder) scriptMap(file *graph.ScriptFile, p source.Path) (data []byte, at source.Path, err error) {
	if file.Map.Text == "" {
		return nil, at, nil
	}
	if strings.HasPrefix(file.Map.Text, "data:") {
		data, err = sourcemap.DecodeDataURL(file.Map.Text)
		return data, at, err
	}
	t := b.files.Resolve(p, file.Map.Text)
	if t.Kind != graph.Local || !b.files.Exists(t.Path) {
		return nil, at, nil
	}
	data, err = b.project.Tree.Bytes(t.Path)
	return data, t.Path, err
}

// positionMapper returns a function that maps a line and column of a script, in
// UTF-16 units from 0, to the position after edits. ok is false if it no longer
// exists.
func positionMapper(f *source.File, after string, edits []graph.Edit) func(line, column int) (int, int, bool) {
	next := new(source.Set).Add(f.Path, path.Base(f.Name), after)
	return func(line, column int) (int, int, bool) {
		if line >= f.Lines() {
			return line, column, true
		}
		off := f.UTF16Offset(line, column)
		shift := 0
		for _, e := range edits {
			switch {
			case int(off) >= e.At.End:
				shift += len(e.With) - (e.At.End - e.At.Start)
			case int(off) > e.At.Start:
				return 0, 0, false
			}
		}
		to := uint32(int(off) + shift)
		line = next.Line(to)
		return line, next.UTF16Column(line, to), true
	}
}
