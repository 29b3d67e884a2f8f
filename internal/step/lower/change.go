package lower

import (
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
)

// Change is a kind of syntax that the step rewrote in a sheet.
type Change struct {
	What  string // "nested rules"
	Count int    // number of declarations or of rules that were rewritten
}

// What is rewritten, in the order of the rewrites.
const (
	whatSchemes    = "light-dark()"
	whatValues     = "newer values and functions"
	whatProperties = "newer properties"
	whatColors     = "newer colours"
	whatRanges     = "ranges in media queries"
	whatNesting    = "nested rules"
	whatSelectors  = "newer selectors"
)

// Reason returns why something is rewritten: the targets that lack it, the
// newest version of each browser.
func (c Change) Reason(targets browsers.Targets) string {
	newest := make(map[string]string) // version by browser
	add := func(features []string) {
		for _, f := range features {
			for _, v := range targets.Unsupported(f) {
				name, version, _ := strings.Cut(v, " ")
				if before, ok := newest[name]; !ok || isNewer(version, before) {
					newest[name] = version
				}
			}
		}
	}
	for _, d := range declared {
		if d.what == c.What {
			add(d.features)
		}
	}
	for _, p := range passes {
		if p.what == c.What {
			add(p.features)
		}
	}
	var lacking []string
	for _, name := range browsers.Names {
		if version, ok := newest[name]; ok {
			lacking = append(lacking, strings.TrimSuffix(name+" up to "+version, " up to "))
		}
	}
	if len(lacking) == 0 {
		return "for targets that apply declarations after nested rules in another order"
	}
	return "for " + strings.Join(lacking, ", ")
}

// isNewer reports whether a version is newer than another; an empty one is the
// newest.
func isNewer(v, than string) bool {
	if v == "" || than == "" {
		return v == ""
	}
	a, b := strings.Split(v, "."), strings.Split(than, ".")
	for i := range min(len(a), len(b)) {
		x, _ := strconv.Atoi(a[i])
		y, _ := strconv.Atoi(b[i])
		if x != y {
			return x > y
		}
	}
	return len(a) > len(b)
}

// Merge adds more to changes, and adds up the counts of equal ones.
func Merge(changes, more []Change) []Change {
	for _, c := range more {
		i := slices.IndexFunc(changes, func(have Change) bool { return have.What == c.What })
		if i < 0 {
			changes = append(slices.Clip(changes), c)
			continue
		}
		changes = slices.Clone(changes)
		changes[i].Count += c.Count
	}
	return changes
}

// note counts rewrites of one kind.
func (l *lowering) note(what string, count int) {
	if count > 0 {
		l.changes = Merge(l.changes, []Change{{what, count}})
	}
}

// rewritten returns how many of the nodes after a pass were not there before.
func rewritten(before, after []ast.Node) (n int) {
	if len(before) == len(after) && (len(after) == 0 || &before[0] == &after[0]) {
		return 0
	}
	had := make(map[ast.Node]bool, len(before))
	for _, node := range before {
		had[node] = true
	}
	for _, node := range after {
		if !had[node] {
			n++
		}
	}
	return n
}
