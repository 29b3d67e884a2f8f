package cascade

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/browsertest"
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/print"
	"rinzel/internal/css/property"
)

// This file changes sheets in ways of which it is known whether some element
// shows them, and compares the result with the source.

// edit is a change of a sheet. It returns false if there is nothing to change.
type edit struct {
	name  string
	apply func(r *rand.Rand, s *editing) bool
}

// editing is a sheet that is changed.
type editing struct {
	nodes []ast.Node
	rules []*ast.StyleRule // outside of other rules, with declarations only
}

// newEditing returns a copy of a sheet for a change.
func newEditing(nodes []ast.Node) *editing {
	s := &editing{}
	var copied func(nodes []ast.Node) []ast.Node
	copied = func(nodes []ast.Node) []ast.Node {
		out := make([]ast.Node, 0, len(nodes))
		for _, n := range nodes {
			if _, isComment := n.(*ast.Comment); isComment {
				continue
			}
			if body := ast.Body(n); body != nil {
				n = ast.WithBody(n, copied(body))
			}
			if d, ok := n.(*ast.Declaration); ok {
				c := *d
				n = &c
			}
			out = append(out, n)
		}
		return out
	}
	s.nodes = copied(nodes)
	var find func(nodes []ast.Node)
	find = func(nodes []ast.Node) {
		for _, n := range nodes {
			switch n := n.(type) {
			case *ast.StyleRule:
				plain := !slices.ContainsFunc(n.Nodes, func(d ast.Node) bool { _, ok := d.(*ast.Declaration); return !ok })
				if plain && len(n.Nodes) > 0 && len(n.Selectors) > 0 {
					s.rules = append(s.rules, n)
				}
			case *ast.AtRule:
				if conditions[n.Name] && n.Block != nil {
					find(n.Block.Nodes)
				}
			}
		}
	}
	find(s.nodes)
	return s
}

// rule returns a random rule, and a random declaration in it.
func (s *editing) rule(r *rand.Rand) (*ast.StyleRule, *ast.Declaration) {
	rule := s.rules[r.IntN(len(s.rules))]
	return rule, rule.Nodes[r.IntN(len(rule.Nodes))].(*ast.Declaration)
}

// replace replaces a node of the sheet.
func (s *editing) replace(old ast.Node, with ...ast.Node) bool {
	var edit func(n ast.Node) ast.Edit
	edit = func(n ast.Node) ast.Edit {
		if n == old {
			return ast.Splice(with)
		}
		if with, changed := ast.MapBody(n, edit); changed {
			return ast.Replace(with)
		}
		return ast.Keep
	}
	nodes, changed := ast.Map(s.nodes, edit)
	s.nodes = nodes
	return changed
}

// valuesOf returns the values of a declaration.
func valuesOf(text string) []ast.Value {
	return nodesOf("a { x: " + text + " }")[0].(*ast.StyleRule).Nodes[0].(*ast.Declaration).Value
}

// fresh are a property and two values that no sheet of the tests has.
const fresh = "caption-side"

// observable are changes that some element shows.
var observable = []edit{
	{"a declaration is dropped", func(r *rand.Rand, s *editing) bool {
		rule, d := s.rule(r)
		return s.replace(rule, ast.WithBody(rule, append(without(rule.Nodes, d), probe("top"))))
	}},
	{"another value", func(r *rand.Rand, s *editing) bool {
		rule, d := s.rule(r)
		out := *d
		out.Name, out.Value = fresh, valuesOf("bottom")
		return s.replace(rule, ast.WithBody(rule, append(slices.Clone(rule.Nodes), &out)))
	}},
	{"another weight", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		out := *rule
		out.Nodes = append(slices.Clone(rule.Nodes), probe("top"))
		if !s.replace(rule, &out) {
			return false
		}
		heavier := out
		heavier.Selectors = slices.Clone(out.Selectors)
		first := heavier.Selectors[0]
		heavier.Selectors[0] = append(ast.Selector{{Kind: ast.ClassSelector, Name: "added"},
			{Kind: ast.Combinator, Name: " "}}, first...)
		return s.replace(&out, &heavier)
	}},
	{"another importance", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		d := probe("top")
		d.Important = true
		return s.replace(rule, ast.WithBody(rule, append(slices.Clone(rule.Nodes), d)))
	}},
	{"another condition", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		wrapped := nodesOf("@media (min-width: 987px) { a { caption-side: top } }")[0].(*ast.AtRule)
		wrapped.Block.Nodes = []ast.Node{ast.WithBody(rule, []ast.Node{probe("top")})}
		return s.replace(rule, rule, wrapped)
	}},
	{"a layer", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		wrapped := nodesOf("@layer added { a { caption-side: top } }")[0].(*ast.AtRule)
		wrapped.Block.Nodes = []ast.Node{ast.WithBody(rule, []ast.Node{probe("top")})}
		return s.replace(rule, rule, wrapped)
	}},
	{"keyframes", func(_ *rand.Rand, s *editing) bool {
		s.nodes = append(s.nodes, nodesOf("@keyframes added { 0% { top: 0 } }")...)
		return true
	}},
	{"a rule moved over another", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		a, b := ast.WithBody(rule, []ast.Node{probe("top")}), nodesOf(".other-" + fmt.Sprint(r.IntN(9)) + " { caption-side: bottom }")[0]
		other := b.(*ast.StyleRule)
		other.Selectors = []ast.Selector{append(slices.Clone(rule.Selectors[0]), ast.Simple{Kind: ast.ClassSelector, Name: "added"})}
		if hasPseudoElement(rule.Selectors[0]) {
			return false
		}
		same := *other
		same.Selectors = []ast.Selector{withClasses(rule.Selectors[0], "added")}
		first := *rule
		first.Selectors = []ast.Selector{withClasses(rule.Selectors[0], "more")}
		first.Nodes = a.(*ast.StyleRule).Nodes
		s.nodes = append(s.nodes, &first, &same)
		return true
	}},
}

// withClasses returns a selector with one more class at its end.
func withClasses(s ast.Selector, class string) ast.Selector {
	return append(slices.Clone(s), ast.Simple{Kind: ast.ClassSelector, Name: class})
}

// hasPseudoElement reports whether a selector selects a pseudo-element.
func hasPseudoElement(s ast.Selector) bool {
	return slices.ContainsFunc(s, func(p ast.Simple) bool { return p.Kind == ast.PseudoElement })
}

// probe returns a declaration of the property fresh.
func probe(value string) *ast.Declaration {
	return &ast.Declaration{Name: fresh, Value: valuesOf(value)}
}

// without returns nodes without one.
func without(nodes []ast.Node, n ast.Node) []ast.Node {
	return slices.DeleteFunc(slices.Clone(nodes), func(o ast.Node) bool { return o == n })
}

// harmless are changes that no element shows.
var harmless = []edit{
	{"a list is split", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		var out []ast.Node
		for _, sel := range rule.Selectors {
			c := *rule
			c.Selectors = []ast.Selector{sel}
			out = append(out, &c)
		}
		return len(out) > 1 && s.replace(rule, out...)
	}},
	{"a rule is split", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		n := len(rule.Nodes)
		if n < 2 {
			return false
		}
		k := 1 + r.IntN(n-1)
		return s.replace(rule, ast.WithBody(rule, rule.Nodes[:k:k]), ast.WithBody(rule, rule.Nodes[k:]))
	}},
	{"an overridden declaration is added", func(r *rand.Rand, s *editing) bool {
		rule, d := s.rule(r)
		out := *d
		return s.replace(rule, ast.WithBody(rule, append([]ast.Node{&out}, rule.Nodes...)))
	}},
	{"a rule is repeated", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		return s.replace(rule, rule, ast.WithBody(rule, rule.Nodes))
	}},
	{"selectors change places", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		c := *rule
		c.Selectors = slices.Clone(rule.Selectors)
		slices.Reverse(c.Selectors)
		return len(c.Selectors) > 1 && s.replace(rule, &c)
	}},
	{"declarations change places", func(r *rand.Rand, s *editing) bool {
		rule, _ := s.rule(r)
		n := len(rule.Nodes)
		if n < 2 {
			return false
		}
		k := r.IntN(n - 1)
		a, b := rule.Nodes[k].(*ast.Declaration), rule.Nodes[k+1].(*ast.Declaration)
		nodes := slices.Clone(rule.Nodes)
		nodes[k], nodes[k+1] = b, a
		return !property.Compete(property.Of(a.Name), property.Of(b.Name)) && s.replace(rule, ast.WithBody(rule, nodes))
	}},
	{"four sides are written one by one", func(r *rand.Rand, s *editing) bool {
		rule, d := s.rule(r)
		sides := grammar.Longhands(d.Name)
		values := ast.Significant(d.Value)
		if len(sides) != 4 || len(values) > 4 || d.Name == "grid-area" || d.Name == "border-radius" ||
			d.Name == "text-decoration" || !grammar.IsValid(d.Name, values) || grammar.IsWide(values) {
			return false
		}
		var out []ast.Node
		for _, n := range rule.Nodes {
			if n != ast.Node(d) {
				out = append(out, n)
				continue
			}
			for i, side := range sides {
				for i >= len(values) {
					i = max(0, i-2)
				}
				c := *d
				v := values[i]
				v.Space = false
				c.Name, c.Value = side, []ast.Value{v}
				out = append(out, &c)
			}
		}
		return s.replace(rule, ast.WithBody(rule, out))
	}},
	{"numbers are written in another way", func(r *rand.Rand, s *editing) bool {
		rule, d := s.rule(r)
		c := *d
		c.Value = slices.Clone(d.Value)
		changed := false
		for i := range c.Value {
			v := &c.Value[i]
			if strings.HasPrefix(v.Text, "0.") {
				v.Text, changed = v.Text[1:], true
			} else if v.Text == "#fff" {
				v.Text, changed = "#FFFFFF", true
			}
		}
		return changed && s.replace(rule, ast.WithBody(rule, replaced(rule.Nodes, d, &c)))
	}},
	{"a condition is split", func(r *rand.Rand, s *editing) bool {
		for _, n := range s.nodes {
			at, ok := n.(*ast.AtRule)
			if !ok || at.Name != "media" || len(at.Block.Nodes) < 2 || r.IntN(2) == 0 {
				continue
			}
			list := at.Block.Nodes
			return s.replace(at, ast.WithBody(at, list[:1:1]), ast.WithBody(at, list[1:]))
		}
		return false
	}},
}

// replaced returns nodes with one replaced.
func replaced(nodes []ast.Node, old, with ast.Node) []ast.Node {
	out := slices.Clone(nodes)
	out[slices.Index(out, old)] = with
	return out
}

// sheetsToEdit returns sheets for changes: generated ones, and those of a
// folder that the environment names.
func sheetsToEdit(t *testing.T) []string {
	out := []string{csstest.Generate(8_000)}
	for seed := range uint64(40) {
		out = append(out, csstest.Random(rand.New(rand.NewPCG(seed, 5)), 15))
	}
	dir := os.Getenv("RINZEL_TRIAL")
	if dir == "" {
		return out
	}
	err := filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".css") || strings.HasSuffix(path, ".min.css") {
			return err
		}
		text, err := os.ReadFile(path)
		if len(text) < 400_000 {
			out = append(out, string(text))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// TestEdits makes changes that some element shows, all of which must be noticed,
// and changes that no element shows, of which 95% must be shown to be harmless.
// For some of both a browser decides whether that is right.
func TestEdits(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	r := rand.New(rand.NewPCG(11, 12))
	targets := accept.Of(browsers.Default())
	sheets := sheetsToEdit(t)
	trees := make([][]ast.Node, len(sheets))
	for i, text := range sheets {
		trees[i] = nodesOf(text)
	}
	const wanted = 2000
	try := func(list []edit, check func(e edit, a, b []ast.Node, d *Difference)) {
		for n, tries := 0, 0; n < wanted && tries < 20*wanted; tries++ {
			e := list[r.IntN(len(list))]
			a := newEditing(trees[r.IntN(len(trees))])
			if len(a.rules) == 0 {
				continue
			}
			b := &editing{nodes: a.nodes, rules: a.rules}
			if !e.apply(r, b) {
				continue
			}
			if e.name == "a rule moved over another" { // the last two change places
				a = &editing{nodes: slices.Clone(b.nodes)}
				last := len(a.nodes) - 1
				a.nodes[last-1], a.nodes[last] = a.nodes[last], a.nodes[last-1]
			}
			n++
			check(e, a.nodes, b.nodes, Compare(a.nodes, b.nodes, targets))
		}
	}
	seen, shown := 0, 0
	try(observable, func(e edit, a, b []ast.Node, d *Difference) {
		if d == nil {
			t.Fatalf("%s is not noticed:\n%s\n%s", e.name, textOfNodes(a), textOfNodes(b))
		}
		if seen++; seen%250 == 0 && e.name != "keyframes" {
			if _, diff := page.DiffStyles(textOfNodes(b), textOfNodes(a), 1); len(diff) > 0 {
				shown++
			}
		}
	})
	accepted := make(map[string][2]int)
	total, same := 0, 0
	try(harmless, func(e edit, a, b []ast.Node, d *Difference) {
		count := accepted[e.name]
		count[0]++
		total++
		if d == nil {
			count[1]++
			same++
		}
		accepted[e.name] = count
		if total%250 == 0 {
			if _, diff := page.DiffStyles(textOfNodes(a), textOfNodes(b), 1); len(diff) > 0 {
				t.Errorf("%s: %s", e.name, diff[0])
			}
		}
	})
	t.Logf("%d of %d harmless changes were shown to be; by kind: %v; the browser shows %d of the others", same, total, accepted, shown)
	if same*100 < total*95 {
		t.Errorf("only %d of %d", same, total)
	}
	if shown < 4 {
		t.Errorf("the browser only shows %d of 8 changes", shown)
	}
}

// textOfNodes prints nodes.
func textOfNodes(nodes []ast.Node) string { return print.Sheet(nodes, print.Options{}) }
