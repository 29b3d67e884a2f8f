package cascade

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
)

// This file checks Compare against a cascade that is computed: small sheets, all
// elements that they can tell apart, all media, and browsers that know all
// values or only some.

// smallRule is a rule of a small sheet.
type smallRule struct {
	media string // empty, or print
	list  []string
	decls []string
}

// smallSheet is a sheet of such rules.
type smallSheet []smallRule

func (s smallSheet) String() string {
	var b strings.Builder
	for _, r := range s {
		text := strings.Join(r.list, ", ") + " { " + strings.Join(r.decls, "; ") + " }\n"
		if r.media != "" {
			text = "@media " + r.media + " { " + strings.TrimSpace(text) + " }\n"
		}
		b.WriteString(text)
	}
	return b.String()
}

// The parts of small sheets. Old browsers do not know values with a function.
var (
	smallSelectors = []string{".a", ".b", ".c", ".a.b", ".b.c", ".a.c", ".a.b.c"}
	smallDecls     = []string{"margin: 1px", "margin: 2px 3px", "margin-left: 1px", "margin-left: 4px", "margin-top: 2px",
		"color: red", "color: blue", "color: lab(1% 2 3)", "margin-left: min(1px, 2px)", "margin: max(1px, 2px)",
		"color: red !important", "color: blue !important", "margin-left: 1px !important", "--x: 1", "--x: 2"}
)

// pick returns a random element of a list.
func pick[T any](r *rand.Rand, list []T) T { return list[r.IntN(len(list))] }

// randomRule returns a random rule.
func randomRule(r *rand.Rand) smallRule {
	rule := smallRule{media: pick(r, []string{"", "", "print"})}
	for range 1 + r.IntN(2) {
		rule.list = append(rule.list, pick(r, smallSelectors))
	}
	for range 1 + r.IntN(3) {
		rule.decls = append(rule.decls, pick(r, smallDecls))
	}
	return rule
}

// changed returns a sheet with a random change, which may or may not matter.
func (s smallSheet) changed(r *rand.Rand) smallSheet {
	out := append(smallSheet(nil), s...)
	i, j := r.IntN(len(out)), r.IntN(len(out))
	switch r.IntN(6) {
	case 0: // two rules change places
		out[i], out[j] = out[j], out[i]
	case 1: // a declaration goes
		if decls := out[i].decls; len(decls) > 1 {
			k := r.IntN(len(decls))
			out[i].decls = append(append([]string(nil), decls[:k]...), decls[k+1:]...)
		}
	case 2: // two declarations change places
		decls := append([]string(nil), out[i].decls...)
		k, l := r.IntN(len(decls)), r.IntN(len(decls))
		decls[k], decls[l] = decls[l], decls[k]
		out[i].decls = decls
	case 3: // a rule moves into another
		if i != j && out[i].media == out[j].media && strings.Join(out[i].list, ",") == strings.Join(out[j].list, ",") {
			out[i].decls = append(append([]string(nil), out[i].decls...), out[j].decls...)
			out = append(out[:j:j], out[j+1:]...)
		}
	case 4: // a list is split
		if list := out[i].list; len(list) > 1 {
			first, second := out[i], out[i]
			first.list, second.list = list[:1], list[1:]
			out = append(append(append(smallSheet(nil), out[:i]...), first, second), out[i+1:]...)
		}
	case 5: // a rule comes twice
		out = append(out, out[i])
	}
	return out
}

// cascaded returns the values that elements have, as text: for all sets of the
// classes, in both media, and in old and new browsers.
func cascaded(nodes []ast.Node) string {
	var b strings.Builder
	for _, modern := range []bool{true, false} {
		for _, media := range []string{"screen", "print"} {
			for set := range 8 {
				winners := make(map[string]winner)
				order := 0
				cascadeInto(winners, &order, nodes, modern, media, set)
				for _, name := range []string{"margin-top", "margin-right", "margin-bottom", "margin-left", "color", "--x"} {
					fmt.Fprintf(&b, "%s ", winners[name].value)
				}
				b.WriteByte('\n')
			}
		}
	}
	return b.String()
}

// winner is the declaration of a property that wins so far.
type winner struct {
	value     string
	important bool
	weight    selector.Specificity
}

// cascadeInto applies rules to an element, given by the set of its classes.
func cascadeInto(winners map[string]winner, order *int, nodes []ast.Node, modern bool, media string, set int) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.AtRule:
			if print.Values(n.Prelude) == media {
				cascadeInto(winners, order, n.Block.Nodes, modern, media, set)
			}
		case *ast.StyleRule:
			for _, s := range n.Selectors {
				if !matches(s, set) {
					continue
				}
				for _, d := range n.Nodes {
					d := d.(*ast.Declaration)
					if !modern && !plain(d) {
						continue
					}
					for _, p := range sidesOf(d) {
						now, was := winner{p[1], d.Important, selector.Of(s)}, winners[p[0]]
						if was.value == "" || now.important && !was.important ||
							now.important == was.important && !now.weight.Less(was.weight) {
							winners[p[0]] = now
						}
					}
				}
			}
		}
	}
}

// matches reports whether all classes of a selector are in a set.
func matches(s ast.Selector, set int) bool {
	for i := range s {
		if set&(1<<(s[i].Name[0]-'a')) == 0 {
			return false
		}
	}
	return true
}

// sidesOf returns the longhands of a declaration of a small sheet with their
// values.
func sidesOf(d *ast.Declaration) [][2]string {
	value := print.Values(d.Value)
	if d.Name != "margin" {
		return [][2]string{{d.Name, value}}
	}
	vertical, horizontal := value, value
	if before, after, two := strings.Cut(value, " "); two && d.Value[0].Inner == nil {
		vertical, horizontal = before, after
	}
	return [][2]string{{"margin-top", vertical}, {"margin-right", horizontal}, {"margin-bottom", vertical},
		{"margin-left", horizontal}}
}

// TestAgainstCascade compares random sheets with changed ones. If Compare shows
// that they mean the same, every element must have the same values. It must
// recognize most of those that mean the same.
func TestAgainstCascade(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	same, shown := 0, 0
	for range 10_000 {
		var sheet smallSheet
		for range 2 + r.IntN(5) {
			sheet = append(sheet, randomRule(r))
		}
		other := sheet.changed(r)
		if r.IntN(2) == 0 {
			other = other.changed(r)
		}
		a, b := nodesOf(sheet.String()), nodesOf(other.String())
		d, equal := Compare(a, b, plain), cascaded(a) == cascaded(b)
		switch {
		case d == nil && !equal:
			t.Fatalf("not the same:\n%s\n%s", sheet, other)
		case equal:
			same++
			if d == nil {
				shown++
			}
		}
	}
	t.Logf("%d of 10,000 pairs mean the same, %d were shown to", same, shown)
	if shown*100 < same*80 {
		t.Errorf("only %d of %d", shown, same)
	}
}
