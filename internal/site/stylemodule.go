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

// This file writes the JavaScript modules that load sheets before the code that
// needs them runs.

// moduleFor returns the script that replaces the import of a sheet in a script,
// so that the page has the sheet before the importing module is evaluated. ok
// is false if no script is needed.
func (l *loading) moduleFor(sheet source.Path) (name string, ok bool) {
	s := l.of[sheet]
	if s == nil || s.made.Empty {
		return "", false
	}
	return s.module.Path, true
}

// moduleOf returns the script that adds a bundle to the page.
func (b *builder) moduleOf(s *styles, links []string) emit.Output {
	name := s.name + ".js"
	text, adopts := "", ""
	if s.lazy {
		integrity := ""
		if b.profile.Integrity {
			integrity = s.info.Integrity
		}
		text = linkingModule(name, s.info.Path, integrity, links)
	} else {
		text, adopts = b.adoptingModule(s, name), "sheet"
	}
	if b.profile.Names == project.HashedNames {
		name = emit.HashedName(name, sha256.Sum256([]byte(text)))
	}
	return emit.Output{Path: name, Kind: emit.ScriptKind, Data: []byte(text), Owner: s.at, Adopts: adopts}
}

// linkingModule returns a module that links a sheet and is evaluated once the
// sheet is loaded. It does nothing if the page already links the sheet, or one
// of others, which have the same content. The names are paths in the output
// folder.
func linkingModule(name, sheet, integrity string, others []string) string {
	var b strings.Builder
	b.WriteString("// Made by rinzel: has a style sheet loaded before the code runs that needs it.\n")
	fmt.Fprintf(&b, "const sheet = %s;\n", urlExpr(name, sheet))
	test := `link.href === sheet`
	if len(others) > 0 {
		b.WriteString("// The page may have it in one of these.\nconst others = [")
		for i, other := range others {
			if i > 0 {
				b.WriteString(", ")
			}
			b.WriteString(urlExpr(name, other))
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

// adoptingModule returns a module that adds a constructed sheet to the page.
// URLs in it are relative to the module.
func (b *builder) adoptingModule(s *styles, name string) string {
	made := s.made
	css := string(made.CSS)
	var out strings.Builder
	out.WriteString("// Made by rinzel: puts a style sheet into the page.\nconst sheet = new CSSStyleSheet();\nsheet.replaceSync(`")
	text := strings.NewReplacer(`\`, `\\`, "`", "\\`", "${", "\\${").Replace(css)
	for i, to := range s.placeholders {
		text = strings.ReplaceAll(text, placeholder(i), "${"+urlExpr(name, to)+"}")
	}
	out.WriteString(text)
	switch {
	case made.Map == nil:
	case b.profile.Maps == project.InlineMaps:
		out.WriteString(sourcemap.Comment(sourcemap.DataURL(b.inlineMap(s))))
	default:
		out.WriteString(sourcemap.Comment("${" + urlExpr(name, s.info.Path+".map") + "}"))
	}
	out.WriteString("`);\ndocument.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];\n")
	return out.String()
}

// placeholder returns the text that replaces the i-th URL that a module
// computes.
func placeholder(i int) string { return fmt.Sprintf("rinzel-address-%d-", i) }

// urlExpr returns a JavaScript expression for the URL of an output file, which
// may have a query or fragment, in a module.
func urlExpr(module, to string) string {
	name, tail := to, ""
	if i := strings.IndexAny(to, "?#"); i >= 0 {
		name, tail = to[:i], to[i:]
	}
	text, err := json.Marshal(graph.Relative(module, name) + tail)
	if err != nil {
		panic(err) // a string can always be encoded
	}
	return fmt.Sprintf("new URL(%s, import.meta.url).href", text)
}
