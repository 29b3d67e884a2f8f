package split

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
)

// formatPlan formats a plan.
func formatPlan(p Plan) string {
	text := shown(p)
	for _, b := range p.Bundles {
		for _, it := range b.Items {
			text += fmt.Sprint("; ", it.Value)
		}
	}
	for _, k := range p.Unshared {
		text += fmt.Sprint("; kept ", k.Item.Key, k.Units, k.Unit, k.Before.Key, k.What)
	}
	for _, t := range p.Conflicts {
		text += fmt.Sprint("; turned ", t.A.Key, t.B.Key, t.AB, t.BA, t.What)
	}
	return text
}

// TestMemo changes random units repeatedly, and compares the plans with a memo
// with those without one.
func TestMemo(t *testing.T) {
	g := rand.New(rand.NewPCG(3, 4))
	properties := []string{"color", "margin", "order", "top", "--a"}
	changed := func(key int) Item {
		src := fmt.Sprintf(".x { %s: 0 } #i { %s: 0 }", properties[g.IntN(5)], properties[g.IntN(5)])
		return Item{Key: fmt.Sprint("k", key), Value: g.Int(), Size: g.IntN(100), Claims: claimsOf(src),
			Alone: g.IntN(20) == 0, Lead: g.IntN(20) == 0}
	}
	remembered := 0
	for round := range 60 {
		var memo Memo
		var pool []Item
		for i := range 3 + g.IntN(8) {
			pool = append(pool, changed(i))
		}
		var order [][]int
		for range 2 + g.IntN(4) {
			order = append(order, slices.DeleteFunc(g.Perm(len(pool)), func(int) bool { return g.IntN(4) == 0 }))
		}
		opts := Options{Shared: 2, MinBytes: g.IntN(2) * 120}
		var last [][]Item
		for step := range 12 {
			i := g.IntN(len(pool))
			next := changed(100 + step)
			if g.IntN(5) == 0 {
				next = pool[g.IntN(len(pool))] // equal to an existing one, or a new one
				next.Value = g.Int()
			} else if g.IntN(5) == 0 {
				next = pool[i]
				next.Value = g.Int()
			}
			switch g.IntN(4) {
			case 0: // another content
			case 1:
				if next.Key[1:] == fmt.Sprint(100+step) {
					next.Size, next.Claims = pool[i].Size, claimsOf(".x { color: 0 }")
				}
			default: // the same claims, and a slightly different size
				if next.Key[1:] != fmt.Sprint(100+step) {
					break
				}
				next.Size, next.Claims = max(0, pool[i].Size+g.IntN(21)-10), pool[i].Claims
			}
			pool[i] = next
			var list [][]Item
			for u, unit := range order {
				if step > 0 && !slices.Contains(unit, i) {
					list = append(list, last[u])
					continue
				}
				var items []Item
				for _, n := range unit {
					items = append(items, pool[n])
				}
				list = append(list, items)
			}
			last = list
			before := memo.planner
			got, want := memo.Units(list, opts), Units(list, opts)
			if formatPlan(got) != formatPlan(want) {
				t.Fatalf("round %d, step %d:\ngot  %s\nwant %s", round, step, formatPlan(got), formatPlan(want))
			}
			if memo.planner == before {
				remembered++
			}
		}
	}
	if remembered < 100 || remembered > 600 {
		t.Errorf("%d of 720 plans came from memory: the rounds prove little", remembered)
	}
}
