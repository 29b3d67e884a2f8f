package cascade

import (
	"math/rand/v2"
	"slices"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/print"
)

// mutation changes a declaration of a sheet in a way that some
// element shows.
type mutation struct {
	name string
	edit func(r *rand.Rand, d *ast.Declaration) ast.Edit
}

// mutations are changes of one declaration.
var mutations = []mutation{
	{"dropped", func(*rand.Rand, *ast.Declaration) ast.Edit { return ast.Remove }},
	{"importance", func(_ *rand.Rand, d *ast.Declaration) ast.Edit {
		out := *d
		out.Important = !d.Important
		return ast.Replace(&out)
	}},
	{"another property", func(_ *rand.Rand, d *ast.Declaration) ast.Edit {
		out := *d
		out.Name = "caption-side"
		return ast.Replace(&out)
	}},
	{"another value", func(_ *rand.Rand, d *ast.Declaration) ast.Edit {
		out := *d
		out.Value = nodesOf("a { x: mutated }")[0].(*ast.StyleRule).Nodes[0].(*ast.Declaration).Value
		return ast.Replace(&out)
	}},
	{"one more value", func(_ *rand.Rand, d *ast.Declaration) ast.Edit {
		out := *d
		more := nodesOf("a { x: y mutated }")[0].(*ast.StyleRule).Nodes[0].(*ast.Declaration).Value[1:]
		out.Value = append(slices.Clip(d.Value), more...)
		return ast.Replace(&out)
	}},
	{"hidden by another", func(_ *rand.Rand, d *ast.Declaration) ast.Edit {
		out := *d
		out.Value = nodesOf("a { x: mutated }")[0].(*ast.StyleRule).Nodes[0].(*ast.Declaration).Value
		return ast.Splice([]ast.Node{d, &out})
	}},
}

// declarationsIn returns the declarations of style rules.
func declarationsIn(nodes []ast.Node) []*ast.Declaration {
	var out []*ast.Declaration
	ast.Walk(nodes, func(n ast.Node) bool {
		if d, ok := n.(*ast.Declaration); ok {
			out = append(out, d)
		}
		r, isAtRule := n.(*ast.AtRule)
		return !isAtRule || conditions[r.Name]
	})
	return out
}

// TestMutations changes one declaration of a sheet at a time: all changes must
// be noticed.
func TestMutations(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	nodes := nodesOf(csstest.Generate(6_000))
	all := declarationsIn(nodes)
	for n := range 1200 {
		m, target := mutations[n%len(mutations)], all[r.IntN(len(all))]
		var edit func(node ast.Node) ast.Edit
		edit = func(node ast.Node) ast.Edit {
			if node == ast.Node(target) {
				return m.edit(r, target)
			}
			if with, changed := ast.MapBody(node, edit); changed {
				return ast.Replace(with)
			}
			return ast.Keep
		}
		changed, ok := ast.Map(nodes, edit)
		if !ok {
			t.Fatalf("%s: nothing was changed", m.name)
		}
		if d := Compare(nodes, changed, plain); d == nil {
			t.Fatalf("%s is not noticed: %s", m.name, print.Sheet([]ast.Node{target}, print.Options{}))
		}
	}
}
