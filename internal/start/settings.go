package start

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file works out settings for a site.

// maxHead is how much of a page is read to tell it from a template, in bytes.
const maxHead = 64 << 10

// texts are kinds of files that pages may be made from, but that are more often about a
// project.
var texts = []string{".md", ".mdx", ".markdown", ".rst", ".adoc", ".textile", ".org"}

// code are kinds of scripts that are translated for browsers.
var code = []string{".ts", ".tsx", ".jsx", ".mts", ".cts", ".elm"}

// add adds a file to the facts.
func (f *facts) add(files fs.FS, name string) {
	if slices.Contains(programs, strings.ToLower(path.Ext(name))) {
		f.programs = append(f.programs, name)
	}
	if isServed(name) {
		f.served = append(f.served, name)
	}
	switch {
	case inventory.IsPage(name):
		if graph.IsWhole(readHead(files, name)) {
			f.pages = append(f.pages, name)
		} else {
			f.templates = append(f.templates, name)
		}
	case strings.EqualFold(path.Ext(name), ".css"):
		f.sheets = append(f.sheets, name)
	case inventory.IsScript(name):
		f.scripts = append(f.scripts, name)
	case slices.Contains(code, strings.ToLower(path.Ext(name))):
		f.code = append(f.code, name)
	case inventory.IsTemplate(name) && !slices.Contains(texts, strings.ToLower(path.Ext(name))):
		f.templates = append(f.templates, name)
	}
}

// readHead returns the start of a file; "" if it cannot be read.
func readHead(files fs.FS, name string) string {
	file, err := files.Open(name)
	if err != nil {
		return ""
	}
	defer file.Close()
	head, _ := io.ReadAll(io.LimitReader(file, maxHead))
	return string(head)
}

// settingsFor returns the text of settings for what lies in a folder, each with its
// reason. server is set if a server makes the pages.
func settingsFor(ctx context.Context, dir string, f *facts) (text string, server bool, err error) {
	here, closer, err := source.OpenFolder("", dir, "")
	if err != nil {
		return "", false, err
	}
	defer closer.Close()
	w := &settingsWriter{facts: f, dir: dir, files: here.FS}
	w.line(`# The settings. Every key has a default: "rinzel help settings" lists them all.`)
	w.line("")
	w.folders()
	if server = w.isServer(); server {
		w.base()
		w.copied()
		if err = w.bundles(ctx); err != nil {
			return "", false, err
		}
	}
	w.evidence()
	w.fallback()
	w.packages()
	return w.text.String(), server, nil
}

// settingsWriter writes settings.
type settingsWriter struct {
	*facts
	dir    string
	files  fs.FS  // of dir
	source string // the source folder
	roots  []string
	text   strings.Builder
}

// line writes a line.
func (w *settingsWriter) line(format string, args ...any) {
	fmt.Fprintf(&w.text, format+"\n", args...)
}

// reason writes a comment, in lines of at most 100 characters.
func (w *settingsWriter) reason(format string, args ...any) {
	const width = 100
	line := "#"
	for _, word := range strings.Fields(fmt.Sprintf(format, args...)) {
		if len(line)+1+len(word) > width {
			w.line("%s", line)
			line = "#"
		}
		line += " " + word
	}
	w.line("%s", line)
}

// folders chooses the source folder and the output folder.
func (w *settingsWriter) folders() {
	src, why := w.sourceFolder()
	w.source = src
	w.reason("%s", why)
	w.line("source = %q", src)
	w.line("")
	const usual = "public"
	out := usual
	for n := 2; source.Exists(filepath.Join(w.dir, out)) && !source.Exists(filepath.Join(w.dir, out, ".rinzel")); n++ {
		out = fmt.Sprintf("built-%d", n-1)
		if n == 2 {
			out = "built"
		}
	}
	if out == usual {
		w.reason("What builds write. Keep it out of version control.")
	} else {
		w.reason("What builds write: a new folder, because %s/ exists. Keep it out of version control.", usual)
	}
	w.line("output = %q", out)
	var others []string
	for _, name := range w.ignored {
		if src == "." && name != out && name != project.PackageFolder {
			others = append(others, name+"/**")
		}
	}
	if len(others) > 0 {
		w.line("")
		w.reason("Not part of the site: .gitignore lists these folders.")
		w.line("exclude = [%s]", quoted(others))
	}
}

// sourceFolder chooses the source folder: the one with the start page, or with most
// pages, or without pages the one with the sheets.
func (w *settingsWriter) sourceFolder() (dir, why string) {
	tops := make(map[string]int)
	best, start := "", ""
	for _, page := range w.pages {
		top := topOf(page)
		tops[top]++
		if best == "" || tops[top] > tops[best] {
			best = top
		}
		if strings.HasPrefix(path.Base(page), "index.") && strings.Count(page, "/") <= 1 && (start == "" || top == ".") {
			start = top
		}
	}
	switch {
	case start != "":
		return start, fmt.Sprintf("Pages, scripts and sheets: the folder with the start page, and %s in all.",
			counted(len(under(start, w.pages)), "page", "pages"))
	case tops["."] > 0:
		return ".", fmt.Sprintf("Pages, scripts and sheets: %s are here.", counted(len(w.pages), "page", "pages"))
	case best != "":
		return best, fmt.Sprintf("Pages, scripts and sheets: the folder with %s.", counted(tops[best], "page", "pages"))
	}
	folders := make(map[string]bool)
	for _, name := range slices.Concat(w.sheets, w.scripts) {
		folders[topOf(name)] = true
	}
	here := slices.ContainsFunc(w.templates, func(name string) bool { return topOf(name) == "." })
	if len(folders) == 1 && !folders["."] && !here {
		for only := range folders {
			why := "All sheets and scripts are in this folder. There are no pages: a server makes them"
			if n := len(w.templates); n > 0 {
				why += ", from " + counted(n, "template", "templates")
			}
			return only, why + "."
		}
	}
	return ".", "There are no pages: a server makes them."
}

// quoted returns strings as the elements of a list.
func quoted(list []string) string {
	var out []string
	for _, s := range list {
		out = append(out, fmt.Sprintf("%q", s))
	}
	return strings.Join(out, ", ")
}

// evidence writes the evidence for purging that lies outside of the source folder: all
// templates in it count in any case.
func (w *settingsWriter) evidence() {
	if w.source == "." {
		return
	}
	outside := make(map[string][]string) // templates by their folder at the top
	for _, name := range slices.Concat(w.templates, w.pages, w.code) {
		if top := topOf(name); top != w.source && top != "." {
			outside[top] = append(outside[top], strings.TrimPrefix(name, top+"/"))
		}
	}
	if len(outside) == 0 {
		return
	}
	tops := slices.Sorted(func(yield func(string) bool) {
		for top := range outside {
			if !yield(top) {
				return
			}
		}
	})
	var globs []string
	w.line("")
	w.reason("Folders outside of the source folder, under short names.")
	w.line("[roots]")
	for _, top := range tops {
		name := rootName(top)
		w.line("%s = %q", name, top)
		var kinds []string
		for _, file := range outside[top] {
			if glob := name + ":**/*" + path.Ext(file); !slices.Contains(kinds, glob) {
				kinds = append(kinds, glob)
			}
		}
		globs = append(globs, kinds...)
	}
	w.line("")
	total := 0
	for _, list := range outside {
		total += len(list)
	}
	w.reason("Names in these files count as in use: %s outside of the source folder.", counted(total, "file", "files"))
	if w.isServer() {
		w.program()
	}
	w.line("[purge]")
	w.line("evidence = [%s]", quoted(globs))
}

// fallback writes the page for all addresses of an application: one with a single page
// whose scripts change the address.
func (w *settingsWriter) fallback() {
	pages := under(w.source, w.pages)
	if len(pages) != 1 || path.Base(pages[0]) != pages[0] {
		return
	}
	for _, name := range slices.Concat(w.scripts, w.code) {
		if call := "history.pushState("; strings.Contains(readHead(w.files, name), call) {
			w.line("")
			w.reason("The only page, for all addresses: %s calls %s). The host of the site needs the same rule.", name, call)
			w.line("[serve]")
			w.line("fallback = %q", pages[0])
			return
		}
	}
}

// rootName returns a name for a root: of letters, digits and hyphens, at least two.
func rootName(folder string) string {
	name := nameOf(folder, make(map[string]bool))
	if len(name) < 2 || name == project.PackageRoot || project.IsScheme(name) {
		name = "folder-" + name
	}
	return name
}

// packages writes how to import the style sheets of installed packages.
func (w *settingsWriter) packages() {
	var manifest struct {
		Dependencies    map[string]string `json:"dependencies"`
		DevDependencies map[string]string `json:"devDependencies"`
	}
	text, err := fs.ReadFile(w.files, "package.json")
	if err != nil || json.Unmarshal(text, &manifest) != nil {
		return
	}
	installed, err := fs.Sub(w.files, project.PackageFolder)
	if err != nil {
		return
	}
	root := source.Folder{Name: project.PackageRoot, FS: installed}
	tree := source.NewTree(root)
	var names []string
	for _, list := range []map[string]string{manifest.Dependencies, manifest.DevDependencies} {
		for name := range list {
			t := graph.Resolve(tree, source.Path{}, "/", project.PackageRoot+":"+name)
			if t.Kind == graph.Local && tree.Exists(t.Path) {
				names = append(names, name)
			}
		}
	}
	if len(names) == 0 {
		return
	}
	slices.Sort(names)
	names = slices.Compact(names)
	w.line("")
	w.reason("Installed packages with a style sheet, and how to import each:")
	for _, name := range names {
		w.line(`#   @import "%s:%s";`, project.PackageRoot, name)
	}
}
