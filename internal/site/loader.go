package site

import (
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"strings"

	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// This file writes the modules that put sheets into pages before the code runs that needs them.

// moduleFor returns the script that stands in place of a sheet that a script imports,
// so that the page has it before the importing module is evaluated. ok is false if
// nothing is to be done for it.
func (l *loading) moduleFor(sheet source.Path) (name string, ok bool) {
	s := l.of[sheet]
	if s == nil || s.made.Empty {
		return "", false
	}
	return s.module.Path, true
}

// moduleOf makes the script that puts a bundle into the page.
func (b *builder) moduleOf(s *styles, links []string) emit.Output {
	name := s.name + ".js"
	text := ""
	if s.late {
		integrity := ""
		if b.profile.Integrity {
			integrity = s.info.Integrity
		}
		text = linkingModule(name, s.info.Path, integrity, links)
	} else {
		text = b.adoptingModule(s, name)
	}
	if b.profile.Names == project.HashedNames {
		name = emit.HashedName(name, sha256.Sum256([]byte(text)))
	}
	return emit.Output{Path: name, Kind: emit.ScriptKind, Data: []byte(text), Owner: s.at}
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
	css := string(made.CSS)
	var out strings.Builder
	out.WriteString("// Made by rinzel: puts a style sheet into the page.\nconst sheet = new CSSStyleSheet();\nsheet.replaceSync(`")
	text := strings.NewReplacer(`\`, `\\`, "`", "\\`", "${", "\\${").Replace(css)
	for i, to := range s.holes {
		text = strings.ReplaceAll(text, hole(i), "${"+addressFrom(name, to)+"}")
	}
	out.WriteString(text)
	switch {
	case made.Map == nil:
	case b.profile.Maps == project.InlineMaps:
		out.WriteString(sourcemap.Comment(sourcemap.DataURL(b.inlineMap(s))))
	default:
		out.WriteString(sourcemap.Comment("${" + addressFrom(name, s.info.Path+".map") + "}"))
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
	text, err := json.Marshal(graph.Relative(module, name) + tail)
	if err != nil {
		panic(err) // a string can always be written
	}
	return fmt.Sprintf("new URL(%s, import.meta.url).href", text)
}
