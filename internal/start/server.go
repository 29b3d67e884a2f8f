package start

import (
	"context"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/inventory"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// This file works out settings for sites whose pages are made by a server.

// served are extensions of files that servers send as they are, in addition to scripts and
// pictures.
var served = []string{".ico", ".json", ".webmanifest", ".txt", ".xml", ".pdf", ".ttf", ".otf", ".mp4", ".webm", ".mp3", ".wasm"}

// programs are extensions of files that a server may be written in.
var programs = strings.Fields(".py .rb .go .java .kt .cs .rs .ex .exs .pl .scala .swift")

// program writes a hint about class names in the programs of the server, if there are any.
func (w *settingsWriter) program() {
	for _, name := range w.programs {
		if top := topOf(name); top != "." && top != w.source {
			others := ""
			if n := len(w.programs) - 1; n > 0 {
				others = " and " + counted(n, "other file", "other files")
			}
			w.reason("If programs of the server have class names (%s%s), add their folder to [roots], and \"%s:**/*%s\" to evidence.",
				name, others, rootName(top), path.Ext(name))
			return
		}
	}
}

// isServed reports whether a file is one that servers send as it is.
func isServed(name string) bool {
	return inventory.IsScript(name) || inventory.MediaType(name) != "" ||
		slices.Contains(served, strings.ToLower(path.Ext(name)))
}

// isServer reports whether a server makes the pages: there are sheets, but no page.
func (w *settingsWriter) isServer() bool {
	return len(under(w.source, w.pages)) == 0 && len(under(w.source, w.sheets)) > 0
}

// base writes the path under which templates link the sheets.
func (w *settingsWriter) base() {
	const root = "/"
	votes := make(map[string]int)
	best, example := root, ""
	for _, name := range w.templates {
		text := readHead(w.files, name)
		for _, sheet := range under(w.source, w.sheets) {
			prefix, ok := prefixOf(text, sheet)
			if !ok {
				continue
			}
			if votes[prefix]++; votes[prefix] > votes[best] || prefix == best && example == "" {
				best, example = prefix, fmt.Sprintf("%s links %q", name, prefix+sheet)
			}
		}
	}
	if best != root {
		w.line("")
		w.reason("The path of the source folder on the server: %s.", example)
		w.line("base = %q", best)
	}
}

// prefixOf returns the text in front of the path of a sheet, if that is a path from the root
// of the host.
func prefixOf(text, sheet string) (prefix string, ok bool) {
	i := strings.Index(text, sheet)
	if i < 0 {
		return "", false
	}
	prefix = text[:i]
	prefix = prefix[strings.LastIndexAny(prefix, "\"'(= \t\n<>{}")+1:]
	return prefix, strings.HasPrefix(prefix, "/") && !strings.HasPrefix(prefix, "//") && strings.HasSuffix(prefix, "/")
}

// copied writes which other files the output has: a server serves it as a whole. Folders
// that also have other things, such as the program of the server, are not copied.
func (w *settingsWriter) copied() {
	if w.source == "." {
		return
	}
	var globs []string
	for _, name := range under(w.source, w.served) {
		if glob := "**/*" + path.Ext(name); !slices.Contains(globs, glob) {
			globs = append(globs, glob)
		}
	}
	if len(globs) == 0 {
		return
	}
	slices.Sort(globs)
	w.line("")
	w.reason("Other files that the server serves: with them, the output folder can take the place of %s/.", w.source)
	w.line("copy = [%s]", quoted(globs))
}

// bundles writes bundles: one for each sheet that no other one imports.
func (w *settingsWriter) bundles(ctx context.Context) error {
	entries, err := w.entrySheets(ctx, under(w.source, w.sheets))
	if err != nil {
		return err
	}
	if len(w.made) > 0 {
		w.line("")
		w.reason("Complete pages are in %s/, which .gitignore lists. If a program makes them from the templates, "+
			"let it run first and build its output: with source = %q, and without [bundles].", w.made[0], w.made[0])
	}
	w.line("")
	const most = 6
	if len(entries) > most {
		w.reason("A server makes the pages, so the bundles are named here: one for each sheet, of the same name. "+
			"Bundles of what pages load together are better: %s are imported by no other one.", counted(len(entries), "sheet", "sheets"))
		w.line("[bundles.sheets]")
		w.line("from = [%s]", quoted(globsOf(entries)))
		w.line(`file = "{path}.css"`)
		return nil
	}
	w.reason("A server makes the pages, so the bundles are named here: one for each sheet that no other one imports. " +
		"Templates link them by these names. In builds for release, file names have hashes: bundles.json has the file " +
		"of each name. If templates cannot read it, add names = \"plain\" under [profile.production].")
	used := make(map[string]bool)
	for _, entry := range entries {
		name := nameOf(entry, used)
		w.line("[bundles.%s]", name)
		w.line("from = [%q]", entry)
		w.line("file = %q", entry)
	}
	return nil
}

// entrySheets returns the sheets that no other sheet imports.
func (w *settingsWriter) entrySheets(ctx context.Context, sheets []string) ([]string, error) {
	root, closer, err := source.OpenFolder("", filepath.Join(w.dir, filepath.FromSlash(w.source)), w.source)
	if err != nil {
		return nil, err
	}
	defer closer.Close()
	settings := project.Default()
	for _, name := range w.ignored {
		settings.Exclude = append(settings.Exclude, project.Glob{Pattern: name + "/**"})
	}
	p := &project.Project{Settings: settings, Tree: source.NewTree(root)}
	survey, err := site.NewSurvey(ctx, p)
	if err != nil {
		return nil, err
	}
	imported := make(map[string]bool)
	for _, name := range sheets {
		e, ok := survey.Entry(ctx, source.Path{Name: name}, true)
		if !ok {
			continue
		}
		for _, n := range e.Tree.Imports {
			if !n.External {
				imported[n.Path.Name] = true
			}
		}
	}
	out := slices.DeleteFunc(slices.Clone(sheets), func(name string) bool { return imported[name] })
	if len(out) == 0 { // they import each other
		out = sheets
	}
	return out, ctx.Err()
}

// nameOf returns a name for the bundle of a sheet that is not used yet.
func nameOf(sheet string, used map[string]bool) string {
	stem := strings.TrimSuffix(path.Base(sheet), path.Ext(sheet))
	plain := strings.Map(func(c rune) rune {
		if c == '-' || c == '_' || '0' <= c && c <= '9' || 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' {
			return c
		}
		return '-'
	}, stem)
	name := plain
	for n := 2; used[name]; n++ {
		name = fmt.Sprintf("%s-%d", plain, n)
	}
	used[name] = true
	return name
}

// globsOf returns globs for names: one for each folder and extension.
func globsOf(names []string) (out []string) {
	for _, name := range names {
		glob := path.Join(path.Dir(name), "*"+path.Ext(name))
		if !slices.Contains(out, glob) {
			out = append(out, glob)
		}
	}
	return out
}
