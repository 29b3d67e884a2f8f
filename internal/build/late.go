package build

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// This file works out the bundles of sheets that scripts load: those behind an
// import() are bundles of their own, loaded before the module's code runs; those
// that a script takes as objects are bundles of one sheet.

// loading is what scripts load on all pages.
type loading struct {
	b        *builder
	programs []*program              // by page
	static   []map[source.Path]bool  // by page: the sheets that it links for its scripts
	entries  []*later                // all, in the order in which pages meet them
	bundles  []*styles               // of sheets that are loaded later, or put in by a script
	of       map[source.Path]*styles // the bundle of a sheet that is loaded later, or put in by a script
	taken    map[source.Path]*styles // the bundle of a sheet that a script takes
	order    []*styles               // those of taken, in the order in which they are met
	names    map[string]bool
}

// lateSheet is what is known of a sheet that some script loads later.
type lateSheet struct {
	use     styleUse
	entries []int // numbers of those that reach it
	missing bool  // some page that may load it does not link it
	linked  []int // pages that link it
}

// class tells sheets apart that are not loaded together.
func (s *lateSheet) class() string { return fmt.Sprint(s.entries, s.linked) }

// load works out what scripts load on pages that run programs.
func (b *builder) load(programs []*program, pages []*graph.Page) *loading {
	l := &loading{b: b, programs: programs, of: make(map[source.Path]*styles), taken: make(map[source.Path]*styles), names: make(map[string]bool)}
	met := make(map[*later]bool)
	late := slices.ContainsFunc(programs, func(p *program) bool { return len(p.later) > 0 })
	for i, p := range programs {
		static := make(map[source.Path]bool)
		for _, s := range p.sheets {
			static[s.path] = true
		}
		if late && i < len(pages) {
			for _, sheet := range b.plainlyLinked(pages[i]) {
				static[sheet] = true
			}
		}
		l.static = append(l.static, static)
		for _, e := range p.later {
			if !met[e] {
				met[e] = true
				e.number = len(l.entries)
				l.entries = append(l.entries, e)
			}
		}
	}
	if b.profile.Scripts == project.AdoptStyles {
		l.adopted(pages)
	} else {
		l.late(pages)
	}
	for i, p := range programs {
		for _, t := range p.taken {
			l.take(t).on(pages, i)
		}
	}
	return l
}

// plainlyLinked returns the sheets that links of a page have it load in any case.
func (b *builder) plainlyLinked(p *graph.Page) []source.Path {
	var out []source.Path
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if t := b.resolve(p, l.Href.Address); t.Kind == graph.Local && l.IsPlain() && l.Media == "" {
				out = append(out, t.Path)
			}
		}
	}
	return out
}

// sheets returns what is known of the sheets that are loaded later, by path.
func (l *loading) sheets() map[source.Path]*lateSheet {
	sheets := make(map[source.Path]*lateSheet)
	for _, e := range l.entries {
		for _, s := range e.runs.sheets {
			if sheets[s.path] == nil {
				sheets[s.path] = &lateSheet{use: s}
			}
			sheets[s.path].entries = append(sheets[s.path].entries, e.number)
		}
	}
	for i, p := range l.programs {
		for path := range l.static[i] {
			if s := sheets[path]; s != nil {
				s.linked = append(s.linked, i)
			}
		}
		for _, e := range p.later {
			for _, s := range e.runs.sheets {
				if !l.static[i][s.path] {
					sheets[s.path].missing = true
				}
			}
		}
	}
	return sheets
}

// late makes bundles of the sheets that some page loads later and does not link.
// Sheets go together if the same scripts reach them, one behind the other, and the same
// pages link them: so a page that has one of them has all.
func (l *loading) late(pages []*graph.Page) {
	sheets := l.sheets()
	lists := make([][]*lateSheet, len(l.entries))
	next := make(map[[2]*lateSheet]int) // how often one follows another
	for i, e := range l.entries {
		for _, u := range e.runs.sheets {
			s := sheets[u.path]
			if !s.missing {
				continue
			}
			if n := len(lists[i]); n > 0 {
				next[[2]*lateSheet{lists[i][n-1], s}]++
			}
			lists[i] = append(lists[i], s)
		}
	}
	for _, list := range lists {
		var made *styles
		for k, s := range list {
			if l.of[s.use.path] != nil {
				made = nil
				continue
			}
			if made == nil || s.class() != list[k-1].class() || next[[2]*lateSheet{list[k-1], s}] < len(s.entries) {
				made = l.newLate(s, pages)
			}
			made.pieces = append(made.pieces, l.b.styleEntry(s.use).pieces...)
			l.of[s.use.path] = made
		}
	}
	for _, s := range l.bundles {
		s.pieces = repeated(s.pieces)
	}
	l.account()
}

// newLate returns a bundle for a sheet that is loaded later and those behind it.
func (l *loading) newLate(s *lateSheet, pages []*graph.Page) *styles {
	name := plainAssetName(s.use.path)
	first := l.entries[s.entries[0]].path
	if !slices.ContainsFunc(s.entries, func(e int) bool { return l.entries[e].path != first }) {
		name = plainAssetName(first)
	}
	made := &styles{name: l.unused(name), at: s.use.at, late: true, linked: s.linked}
	for i, p := range l.programs {
		if slices.ContainsFunc(p.later, func(e *later) bool { return slices.Contains(s.entries, e.number) }) && !l.static[i][s.use.path] {
			made.on(pages, i)
		}
	}
	l.bundles = append(l.bundles, made)
	return made
}

// unused returns the name of a bundle, of a script or sheet with a name, that no
// other one has.
func (l *loading) unused(name string) string {
	stem := strings.TrimSuffix(name, path.Ext(name))
	name = stem + ".css"
	for n := 2; l.names[strings.ToLower(name)]; n++ {
		name = fmt.Sprintf("%s-%d.css", stem, n)
	}
	l.names[strings.ToLower(name)] = true
	return name
}

// account holds that, on each page, each sheet that scripts import is linked by the
// page, or loaded by a script, and not both.
func (l *loading) account() {
	for i, p := range l.programs {
		for _, e := range p.later {
			for _, s := range e.runs.sheets {
				late := l.of[s.path]
				if !l.static[i][s.path] && late == nil || l.static[i][s.path] && late != nil && !slices.Contains(late.linked, i) {
					panic(fmt.Sprintf("build: %s is lost or doubled on page %d", s.path, i))
				}
			}
		}
	}
}

// adopted makes a bundle of each sheet that a script imports, which a module puts into
// the page.
func (l *loading) adopted(pages []*graph.Page) {
	for i, p := range l.programs {
		list := slices.Clone(p.sheets)
		for _, e := range p.later {
			list = append(list, e.runs.sheets...)
		}
		for _, s := range list {
			if s.direct {
				continue
			}
			made := l.of[s.path]
			if made == nil {
				made = &styles{name: l.unused(plainAssetName(s.path)), at: s.at, adopted: true, pieces: repeated(l.b.styleEntry(s).pieces)}
				l.of[s.path] = made
				l.bundles = append(l.bundles, made)
			}
			made.on(pages, i)
		}
	}
}

// take makes a bundle of a sheet that a script takes as an object.
func (l *loading) take(t taken) *styles {
	made := l.taken[t.path]
	if made == nil {
		made = &styles{at: t.at, taken: true, pieces: repeated(l.b.styleEntry(t.styleUse).pieces)}
		made.name = l.unused(plainAssetName(t.path))
		l.taken[t.path] = made
		l.order = append(l.order, made)
	}
	made.plain = made.plain || t.named
	if t.named { // what counts on the name gets it
		made.name = plainAssetName(t.path)
	}
	return made
}

// on notes that the i-th page may load a bundle, if there is one.
func (s *styles) on(pages []*graph.Page, i int) {
	if i < len(pages) && !slices.Contains(s.pages, pages[i]) {
		s.pages = append(s.pages, pages[i])
	}
}

// styleEntry returns a sheet that a script imports, worked out.
func (b *builder) styleEntry(s styleUse) *entry {
	if _, err := b.memory.sheets.Load(s.path); err != nil {
		b.report(b.unreadable(s.path, err, s.at))
	}
	return b.entryOf(s.path)
}

// moduleFor returns the script that stands in place of a sheet that a script imports,
// so that the page has it before the importing module is evaluated. ok is false if
// nothing is to be done for it.
func (l *loading) moduleFor(sheet source.Path) (name string, ok bool) {
	s := l.of[sheet]
	if s == nil || s.made.empty {
		return "", false
	}
	return s.module.Path, true
}

// moduleOf makes the script that puts a bundle into the page.
func (b *builder) moduleOf(s *styles, links []string) Output {
	name := s.name + ".js"
	text := ""
	if s.late {
		integrity := ""
		if b.profile.Integrity {
			integrity = s.made.info.Integrity
		}
		text = linkingModule(name, s.made.info.Path, integrity, links)
	} else {
		text = b.adoptingModule(s, name)
	}
	if b.profile.Names == project.HashedNames {
		name = hashedName(name, []byte(text))
	}
	return Output{Path: name, Kind: ScriptKind, Data: []byte(text), owner: s.at}
}

// linkingModule returns a module that links a sheet, unless the page links one of
// others which hold the same, and is evaluated once it is loaded. The names are those
// of files in the output folder.
func linkingModule(name, sheet, integrity string, others []string) string {
	var b strings.Builder
	b.WriteString("// Made by rinzel: has a style sheet loaded before the code runs that needs it.\n")
	fmt.Fprintf(&b, "const sheet = %s;\n", addressFrom(name, sheet))
	test := `link.href === sheet`
	if len(others) > 0 {
		b.WriteString("// The page may have it in one of these.\nconst others = [")
		for i, other := range others {
			if i > 0 {
				b.WriteString(", ")
			}
			b.WriteString(addressFrom(name, other))
		}
		b.WriteString("];\n")
		test += ` || others.includes(link.href)`
	}
	check := ""
	if integrity != "" {
		check = fmt.Sprintf("\n    link.integrity = %q;", integrity)
	}
	fmt.Fprintf(&b, `if (globalThis.document && ![...document.querySelectorAll("link[rel~=stylesheet]")].some((link) => %s)) {
  await new Promise((done) => {
    const link = document.createElement("link");
    link.rel = "stylesheet";
    link.onload = link.onerror = done;%s
    link.href = sheet;
    document.head.append(link);
  });
}
`, test, check)
	return b.String()
}

// adoptingModule returns a module that puts a sheet into the page. Addresses in the
// sheet count from the module.
func (b *builder) adoptingModule(s *styles, name string) string {
	made := s.made
	css := string(made.css)
	var out strings.Builder
	out.WriteString("// Made by rinzel: puts a style sheet into the page.\nconst sheet = new CSSStyleSheet();\nsheet.replaceSync(`")
	text := strings.NewReplacer(`\`, `\\`, "`", "\\`", "${", "\\${").Replace(css)
	for i, to := range made.holes {
		text = strings.ReplaceAll(text, hole(i), "${"+addressFrom(name, to)+"}")
	}
	out.WriteString(text)
	switch {
	case made.mapped == nil:
	case b.profile.Maps == project.InlineMaps:
		out.WriteString(sourcemap.Comment(sourcemap.DataURL(made.mapped)))
	default:
		out.WriteString(sourcemap.Comment("${" + addressFrom(name, made.info.Path+".map") + "}"))
	}
	out.WriteString("`);\ndocument.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];\n")
	return out.String()
}

// hole is what stands in a sheet in place of the i-th address that a module works out.
func hole(i int) string { return fmt.Sprintf("rinzel-address-%d-", i) }

// addressFrom returns the expression for the address of an output file, or of
// another with a query or fragment, in a module.
func addressFrom(module, to string) string {
	name, tail := to, ""
	if i := strings.IndexAny(to, "?#"); i >= 0 {
		name, tail = to[:i], to[i:]
	}
	return fmt.Sprintf("new URL(%q, import.meta.url).href", graph.Relative(module, name)+tail)
}
