package selector

import (
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// AddClasses adds the classes in a selector, including its arguments, to a set.
func AddClasses(s ast.Selector, to map[string]bool) {
	for i := range s {
		if s[i].Kind == ast.ClassSelector {
			to[token.Unescape(s[i].Name)] = true
		}
		if s[i].Args != nil {
			for _, arg := range s[i].Args.Selectors {
				AddClasses(arg, to)
			}
		}
	}
}
