package project

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// This file reads settings that several projects share:
//
//	extends = "../shared/rinzel.toml"
//	extends = "package:house/rinzel.toml"
//
// The tables of both files are merged key by key. Any other value of a file, also a
// list, replaces that of the file that it extends.

// Shared opens the settings file that another one extends, given the address and the
// folder on disk of the file with the address. It returns the folder on disk of the
// shared file.
type Shared func(address, dir string) (f *source.File, folder string, err error)

// maxExtends limits how many files extend one another.
const maxExtends = 8

// merger merges the settings files that extend one another.
type merger struct {
	open  Shared
	seen  []string // names of the files
	diags []diag.Diagnostic
}

// extend merges the settings that a table extends into it, and their positions into
// those of its reader. dir is the folder on disk of the file of the reader. ok is false
// after a finding.
func (m *merger) extend(r *reader, table map[string]any, dir string) (ok bool) {
	value, given := table["extends"]
	if !given || m.open == nil {
		return true
	}
	at := r.positions.value("extends")
	address, isText := value.(string)
	if !isText {
		delete(table, "extends")
		r.fail(at, "extends must be the path of a settings file in quotes", `extends = "../shared/rinzel.toml"`)
		return false
	}
	if len(m.seen) == 0 {
		m.seen = []string{r.file.Name}
	}
	file, folder, err := m.open(address, dir)
	var encoding *source.EncodingError
	switch {
	case errors.Is(err, fs.ErrNotExist):
		r.fail(at, fmt.Sprintf("no settings file %q", address),
			"name a file relative to this one, or \"package:name/rinzel.toml\" of an installed package")
		return false
	case errors.As(err, &encoding):
		r.fail(at, fmt.Sprintf("the settings file %q %s", address, source.ErrNotUTF8), "")
		return false
	case err != nil:
		r.fail(at, fmt.Sprintf("cannot read the settings file %q: %s", address, reason(err)), "")
		return false
	case slices.Contains(m.seen, file.Name):
		r.fail(at, fmt.Sprintf("the settings file %q extends itself", file.Name), "")
		return false
	case len(m.seen) > maxExtends:
		r.fail(at, fmt.Sprintf("more than %d settings files extend one another", maxExtends), "")
		return false
	}
	m.seen = append(m.seen, file.Name)
	base := &reader{file: file, unfit: r.unfit}
	shared, ok := base.table()
	if ok {
		rebase(shared, dir, folder)
		ok = m.extend(base, shared, folder)
	}
	m.diags = append(m.diags, base.diags...)
	if !ok {
		return false
	}
	delete(shared, "extends")
	base.positions.forget("extends")
	merge(table, shared, "", &base.positions)
	r.positions.add(&base.positions)
	return true
}

// table parses the file. ok is false after a finding.
func (r *reader) table() (table map[string]any, ok bool) {
	if len(r.file.Text) > maxSettings {
		r.fail(source.SpanOf(r.file.Pos(0), 1), fmt.Sprintf("the settings file is larger than %d kB", maxSettings>>10), "")
		return nil, false
	}
	r.positions = positionsOf(r.file)
	if r.positions.deep.IsValid() {
		r.fail(r.positions.deep, fmt.Sprintf("key has more than %d parts", maxKeyParts), "")
		return nil, false
	}
	if err := toml.Unmarshal([]byte(r.file.Text), &table); err != nil {
		r.refuse(err)
		return nil, false
	}
	if table == nil {
		table = make(map[string]any)
	}
	return table, true
}

// merge adds what a table does not have from a shared one, at every depth. The
// positions of values that it replaces are forgotten.
func merge(table, shared map[string]any, at string, positions *positions) {
	for key, theirs := range shared {
		here := key
		if at != "" {
			here = at + "." + key
		}
		ours, has := table[key]
		inner, isTable := ours.(map[string]any)
		others, bothTables := theirs.(map[string]any)
		switch {
		case !has:
			table[key] = theirs
		case isTable && bothTables:
			merge(inner, others, here, positions)
		default:
			positions.forget(here)
		}
	}
}

// forget removes the positions of a path and of everything in it.
func (p *positions) forget(at string) {
	for _, in := range []map[string]source.Span{p.keys, p.values} {
		for known := range in {
			if rest, ok := strings.CutPrefix(known, at); ok && (rest == "" || rest[0] == '.' || rest[0] == '#') {
				delete(in, known)
			}
		}
	}
}

// add adds the positions in a shared file that p does not have.
func (p *positions) add(shared *positions) {
	for _, both := range [][2]map[string]source.Span{{p.keys, shared.keys}, {p.values, shared.values}} {
		for known, span := range both[1] {
			if _, has := both[0][known]; !has {
				both[0][known] = span
			}
		}
	}
}

// rebase makes the folders of a shared file relative to the folder of the file that
// extends it: those of roots, and that of the cache.
func rebase(table map[string]any, dir, folder string) {
	to, err := filepath.Rel(dir, folder)
	if err != nil {
		to = folder
	}
	fix := func(in any, key string) {
		table, _ := in.(map[string]any)
		name, ok := table[key].(string)
		if ok && name != "" && !filepath.IsAbs(name) {
			table[key] = path.Join(filepath.ToSlash(to), strings.ReplaceAll(name, `\`, "/"))
		}
	}
	if roots, ok := table["roots"].(map[string]any); ok {
		for name := range roots {
			fix(roots, name)
		}
	}
	fix(table["cache"], "folder")
}

// assigned returns a table as settings. Invalid parts are reported and omitted.
func (r *reader) assigned(table map[string]any) *fileSettings {
	raw := new(fileSettings)
	assign(reflect.ValueOf(raw).Elem(), r.fitTable(table, reflect.TypeFor[fileSettings](), ""))
	return raw
}

// openShared implements [Shared]: it adds the folder of the file to the tree.
func (p *Project) openShared(address, dir string) (*source.File, string, error) {
	name := filepath.Join(dir, filepath.FromSlash(address))
	if rest, ok := strings.CutPrefix(address, PackageRoot+":"); ok {
		if !filepath.IsLocal(filepath.FromSlash(rest)) {
			return nil, "", source.ErrOutside
		}
		name = p.inPackages(filepath.FromSlash(rest))
	}
	p.extends = append(p.extends, name)
	folder := filepath.Dir(name)
	root := fmt.Sprintf("%sshared%d", FolderRoot, len(p.closers))
	opened, closer, err := source.OpenFolder(root, folder, folder)
	if err != nil {
		return nil, "", err
	}
	p.closers = append(p.closers, closer)
	p.Tree.AddFolder(opened)
	f, err := p.Tree.Text(source.Path{Root: root, Name: filepath.Base(name)})
	return f, folder, err
}

// inPackages returns the path of a file of an installed package on disk: in the nearest
// folder of packages that has it, from the project folder on upwards.
func (p *Project) inPackages(file string) string {
	dir, err := filepath.Abs(p.Dir)
	nearest := filepath.Join(p.Dir, PackageFolder, file)
	for range deepest {
		name := filepath.Join(dir, PackageFolder, file)
		if err == nil && source.Exists(name) {
			return shown(name)
		}
		parent := filepath.Dir(dir)
		if parent == dir {
			break
		}
		dir = parent
	}
	return nearest
}
