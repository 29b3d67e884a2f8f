package site

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/selector"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/markup"
	"rinzel/internal/source"
)

// LostRules returns a warning about classes of pages that rules of the last build named, and none of this one does: a part
// of a library that is left out, or a rule that was deleted, is often still in use. before holds the sheets of the last
// build by name. Sheets that are in both builds are read only where others do not explain it.
func LostRules(before map[string][]byte, res *Result) []diag.Diagnostic {
	now := make(map[string]bool)
	for _, o := range res.Outputs {
		if o.Kind == emit.StyleKind {
			now[string(o.Data)] = true
		}
	}
	lost := make(map[string]bool)
	for _, name := range slices.Sorted(maps.Keys(before)) {
		if !now[string(before[name])] {
			addClasses(lost, string(before[name]))
		}
	}
	if len(lost) == 0 {
		return nil
	}
	// What was lost in one sheet is mostly in what came in its place; only else the others are read.
	old := make(map[string]bool, len(before))
	for _, text := range before {
		old[string(text)] = true
	}
	for _, isOld := range []bool{false, true} {
		have := make(map[string]bool)
		for text := range now {
			if old[text] == isOld {
				addClasses(have, text)
			}
		}
		maps.DeleteFunc(lost, func(name string, _ bool) bool { return have[name] })
		if len(lost) == 0 {
			return nil
		}
	}
	users := make(map[string]string) // the first page that has a class
	for _, o := range res.Outputs {
		if o.Kind == emit.PageKind {
			noteClasses(o, lost, users)
		}
	}
	return lostFinding(users)
}

// lostFinding words what was lost, by the page of each class.
func lostFinding(users map[string]string) []diag.Diagnostic {
	if len(users) == 0 {
		return nil
	}
	const most = 5
	var list []string
	for _, name := range slices.Sorted(maps.Keys(users)) {
		if len(list) == most {
			list = append(list, fmt.Sprintf("and %d more", len(users)-most))
			break
		}
		list = append(list, fmt.Sprintf("%q (%s)", name, users[name]))
	}
	what := "classes of pages lost their rules since the last build"
	if len(users) == 1 {
		what = "a class of a page lost its rules since the last build"
	}
	return []diag.Diagnostic{{Code: code.LostRules, Severity: diag.Warning, Message: what + ": " + strings.Join(list, ", "),
		Fix: "restore the rules, or remove the classes from the pages"}}
}

// addClasses adds the classes that the selectors of a sheet name.
func addClasses(to map[string]bool, css string) {
	var set source.Set
	sheet, _ := parse.Sheet(set.Add(source.Path{}, "", css))
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		if r, ok := n.(*ast.StyleRule); ok {
			for _, s := range r.Selectors {
				selector.AddClasses(s, to)
			}
		}
		return true
	})
}

// noteClasses notes a page as the user of each lost class that an element of it has, unless its own style elements
// name the class.
func noteClasses(o emit.Output, lost map[string]bool, users map[string]string) {
	own := make(map[string]bool)
	var found []string
	text, inStyle := string(o.Data), false
	for t := range markup.Tokens(text, markup.Span{End: len(text)}) {
		if t.Kind == markup.Text && inStyle {
			addClasses(own, text[t.At.Start:t.At.End])
		}
		inStyle = false
		if t.Kind != markup.StartTag {
			continue
		}
		inStyle = markup.Name(text, t.At) == "style"
		if class := markup.Find(markup.Attributes(text, t.At), "class"); class != nil {
			found = append(found, strings.Fields(class.Value)...)
		}
	}
	for _, name := range found {
		if lost[name] && !own[name] && users[name] == "" {
			users[name] = o.Path
		}
	}
}
