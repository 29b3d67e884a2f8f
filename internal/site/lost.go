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

// LostRules returns a warning about classes on pages that had rules in the
// previous build and have none in this one. The usual cause is an excluded part
// of a library, or a deleted rule, that is still in use. before has the sheets
// of the previous build by name. Sheets in both builds are only parsed if the
// others do not explain the loss.
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
	// Most losses are explained by the sheet that replaced the old one; the
	// others are only read if not.
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
	users := make(map[string]string) // the first page with each class
	for _, o := range res.Outputs {
		if o.Kind == emit.PageKind {
			noteClasses(o, lost, users)
		}
	}
	return lostFinding(users)
}

// lostFinding returns the finding about lost classes, given a page of each
// class.
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
	return []diag.Diagnostic{{Code: code.LostRules, Severity: diag.Warning, Message: what + ": " +
		strings.Join(list, ", "),
		Fix: "restore the rules, or remove the classes from the pages"}}
}

// addClasses adds the classes in the selectors of a sheet.
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

// noteClasses records a page as the user of each lost class of its elements,
// unless its own style elements have a rule for it.
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
