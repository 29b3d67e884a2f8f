package purge

import (
	"maps"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file keeps selectors that an unreadable script may use: one from another
// origin, or one that runs generated code. Such a script is written for names
// on its pages. So a selector is kept without evidence for some of its parts,
// if
//
//   - its last compound has a class, ID or attribute that is in use: the other
//     parts of it, and those of its ancestors, may be states that the script
//     sets; or
//   - each class and ID of that compound starts with the same word as a class
//     or ID in use (.modal-backdrop if a page has .modal), or contains a word
//     that is the value of a data attribute (.bs-tooltip-top if a page has
//     data-toggle="tooltip").

// relations are the words of names in use on pages.
type relations struct {
	once   sync.Once
	stems  map[string]string // a name for each stem
	values map[string]bool   // words in the values of data attributes
}

// AddUnreadable records an unreadable script.
func (e *Evidence) AddUnreadable(at source.Pos) { e.unreadable = append(e.unreadable, at) }

// Unreadable returns the unreadable scripts.
func (e *Evidence) Unreadable() []source.Pos { return e.unreadable }

// nameWords returns the words of a name in lower case, which hyphens,
// underscores or capitals separate.
func nameWords(name string) []string {
	var out []string
	start := 0
	flush := func(end int) {
		if end > start {
			out = append(out, strings.ToLower(name[start:end]))
		}
	}
	for i := 0; i < len(name); i++ {
		switch c := name[i]; {
		case c == '-' || c == '_':
			flush(i)
			start = i + 1
		case 'A' <= c && c <= 'Z' && i > start && (name[i-1] < 'A' || name[i-1] > 'Z'):
			flush(i)
			start = i
		}
	}
	flush(len(name))
	return out
}

// stem returns the first word of a name, with the second one if the first is
// short: many libraries have a short common prefix.
func stem(name string) string {
	const short = 3
	words := nameWords(name)
	switch {
	case len(words) == 0:
		return ""
	case len(words[0]) <= short && len(words) > 1:
		return words[0] + "-" + words[1]
	}
	return words[0]
}

// relate computes the relations.
func (e *Evidence) relate() {
	r := &e.relations
	r.stems, r.values = make(map[string]string), make(map[string]bool)
	for _, m := range []map[string]source.Pos{e.classes, e.ids} {
		for _, name := range sortedKeys(m) {
			if s := stem(name); s != "" && r.stems[s] == "" {
				r.stems[s] = name
			}
		}
	}
	for name, values := range e.attrs {
		if !strings.HasPrefix(name, "data-") {
			continue
		}
		for value := range values {
			for _, field := range strings.Fields(value) {
				for _, word := range nameWords(strings.Trim(field, "#.")) {
					r.values[word] = true
				}
			}
		}
	}
}

// related returns the name in use that a class or ID is related to.
func (e *Evidence) related(name string) (to string, ok bool) {
	const long = 4
	r := &e.relations
	if to, ok = r.stems[stem(name)]; ok {
		return to, true
	}
	for _, word := range nameWords(name) {
		if len(word) >= long && r.values[word] {
			return word, true
		}
	}
	return "", false
}

// relatedUse returns why a selector is kept for an unreadable script.
func (e *Evidence) relatedUse(s ast.Selector) (Use, bool) {
	if len(e.unreadable) == 0 {
		return Use{}, false
	}
	e.relations.once.Do(e.relate)
	subject := s[lastCombinator(s)+1:]
	use := Use{Kind: ByUnreadable, At: e.unreadable[0]}
	all, any := true, false
	for i := range subject {
		name := token.Unescape(subject[i].Name)
		var ok bool
		switch subject[i].Kind {
		case ast.ClassSelector:
			_, ok = e.Class(name)
		case ast.IDSelector:
			_, ok = e.ID(name)
		case ast.AttributeSelector:
			if _, ok = e.Attribute(&subject[i]); !ok {
				continue // it may be set on any selected element
			}
		default:
			continue
		}
		if ok {
			use.Text = name
			return use, true // the other parts may be states
		}
		to, related := e.related(name)
		all = all && related
		if related && !any {
			any, use.Text = true, to
		}
	}
	if any && all {
		return use, true
	}
	if any || hasNamed(subject) {
		return Use{}, false
	}
	return e.relatedAncestor(s, use)
}

// hasNamed reports whether a compound has classes or IDs.
func hasNamed(compound ast.Selector) bool {
	return slices.ContainsFunc(compound, func(p ast.Simple) bool {
		return p.Kind == ast.ClassSelector || p.Kind == ast.IDSelector
	})
}

// relatedAncestor decides about a selector of plain elements inside others: they
// belong to their ancestors.
func (e *Evidence) relatedAncestor(s ast.Selector, use Use) (Use, bool) {
	i := lastCombinator(s)
	if i <= 0 {
		return Use{}, false
	}
	around := s[:i]
	for k := range around {
		if around[k].Kind != ast.ClassSelector && around[k].Kind != ast.IDSelector {
			continue
		}
		name := token.Unescape(around[k].Name)
		_, used := e.Class(name)
		if !used {
			_, used = e.ID(name)
		}
		if to, ok := e.related(name); ok {
			use.Text = to
			return use, true
		} else if used {
			use.Text = name
			return use, true
		}
	}
	return Use{}, false
}

// sortedKeys returns the keys of a map, sorted.
func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
