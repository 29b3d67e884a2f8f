package split

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

func claimsOf(src string) *Claims {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	return Of(sheet.Nodes, false)
}

func TestClaims(t *testing.T) {
	tests := []struct{ src, want string }{
		{`a { color: red } .b, #c d { margin-left: 0 }`, `color 0,0,1; margin 0,1,0; margin 1,0,1`},
		{`a { color: red !important; -webkit-box-shadow: none; --X: 1 }`, `--X 0,0,1; box 0,0,1; color !important 0,0,1`},
		{`.a { b & { top: 0 } color: red }`, `color 0,1,0; inset any`},
		{`@media print { .a { width: 0 } } @supports (a: b) { i { max-width: 0 } }`, `size 0,0,1; size 0,1,0`},
		{`@layer x { .a { color: red } } @layer y;`, `@layer any`},
		{`@keyframes k { to { color: red } } @font-face { src: url(x) } @property --p { syntax: "*" }`, `@font-face any; @keyframes k any; @property --p any`},
		{`@scope (.a) { b { color: red } }`, `color any`},
		{`a { all: unset } @namespace x url(y);`, `everything 0,0,1`},
	}
	for _, test := range tests {
		if got := claimsOf(test.src).String(); got != test.want {
			t.Errorf("%s: got %s, want %s", test.src, got, test.want)
		}
	}
	for _, test := range []struct{ a, b, want string }{
		{`.a { color: red }`, `.b { color: blue }`, `color`}, {`.a { color: red }`, `b { color: blue }`, ``}, {`.a { color: red }`, `.b { margin: 0 }`, ``},
		{`.a { margin-inline: 0 }`, `.b { margin-left: 0 }`, `margin`}, {`.a { inset-inline: 0 }`, `.b { left: 0 }`, `inset`}, {`.a { color: red }`, `.b { color: red !important }`, ``},
		{`.a { all: unset }`, `b { order: 1 }`, `everything`}, {`@layer x { .a { color: red } }`, `.b { color: blue }`, ``}, {`@layer x { .a { color: red } }`, `@layer y { b { order: 1 } }`, `@layer`},
		{`@page { margin: 0 }`, `@page :first { margin: 0 }`, `@page`}, {`@page { margin: 0 }`, `a { margin: 0 }`, ``}, {`@keyframes k {}`, `@keyframes k {}`, `@keyframes k`}, {`@keyframes k {}`, `@keyframes j {}`, ``}, {`:root { --a: 1 }`, `:root { --b: 1 }`, ``}, {``, `a { color: red }`, ``},
		{`.a { b { top: 0 } }`, `#i { bottom: 0 }`, `inset`}, {`.a { -webkit-transition: none }`, `.b { transition: none }`, `transition`}, {`.a { column-gap: 0 }`, `.b { grid-gap: 0 }`, `gap`},
	} {
		a, b := claimsOf(test.a), claimsOf(test.b)
		n := &numbering{make(map[any]int)}
		if x, y := n.claimed(a), n.claimed(b); x.competes(y) != (test.want != "") || y.competes(x) != (test.want != "") {
			t.Errorf("%s and %s: as sets they compete: %v", test.a, test.b, x.competes(y))
		}
		if got := a.Overlap(b); got != test.want || b.Overlap(a) != test.want {
			t.Errorf("%s and %s: %q and %q, want %q", test.a, test.b, got, b.Overlap(a), test.want)
		}
	}
}

// TestKindsCoverShorthands checks that a shorthand and its longhands are of one
// kind, except for those that no sheet combines.
func TestKindsCoverShorthands(t *testing.T) {
	others := []string{"-webkit-line-clamp", "line-clamp"}
	for _, name := range grammar.Properties() {
		for _, long := range grammar.Longhands(name) {
			a, b := kindOf(&ast.Declaration{Name: name}), kindOf(&ast.Declaration{Name: long})
			if a != b && !slices.Contains(others, name) {
				t.Errorf("%s is of the kind %s, and %s of %s", name, a, long, b)
			}
		}
	}
}

// units makes units from texts: each text is a unit, each word an item that
// claims its first letter. Items that claim the same letter compete. A digit is
// the size.
func units(words ...string) [][]Item {
	var out [][]Item
	for _, w := range words {
		var items []Item
		for _, name := range strings.Fields(w) {
			items = append(items,
				Item{Key: name, Size: 10,
					Claims: claimsOf("a { " + map[byte]string{'c': "color", 'm': "margin", 'o': "order"}[name[0]] + ": 0 }")})
		}
		out = append(out, items)
	}
	return out
}

// shown formats a plan: the bundles that each unit loads, with their items.
func shown(p Plan) string {
	var out []string
	for _, loads := range p.Loads {
		var parts []string
		for _, b := range loads {
			var names []string
			for _, it := range p.Bundles[b].Items {
				names = append(names, it.Key)
			}
			parts = append(parts, strings.Join(names, " "))
		}
		out = append(out, strings.Join(parts, " | "))
	}
	return strings.Join(out, "; ")
}

func TestUnits(t *testing.T) {
	tests := []struct {
		name  string
		units [][]Item
		want  string
		kept  string
	}{
		{"nothing shared", units("c1 m1", "c2"), "c1 m1; c2", ""},
		{"shared first", units("c1 c2", "c1 c3"), "c1 | c2; c1 | c3", ""},
		{"all shared", units("c1 c2", "c1 c2"), "c1 c2; c1 c2", ""},
		{"behind its own", units("c2 c1", "c1 c3"), "c2 | c1; c1 | c3", ""},
		{"between its own", units("c2 c1 c4", "c1 c3"), "c2 | c1 | c4; c1 | c3", ""},
		{"own items are few bundles", units("c2 c1 o4", "c1 c3"), "c2 o4 | c1; c1 | c3", ""},
		{"own between what is shared", units("c1 c5 c2", "c1 c2"), "c1 | c5 | c2; c1 | c2", ""},
		{"own between, of no matter", units("c1 m5 c2", "c1 c2"), "c1 c2 | m5; c1 c2", ""},
		{"does not compete", units("m2 c1", "c1 c3"), "c1 | m2; c1 | c3", ""},
		{"what stays behind holds others", units("c2 c1 c4", "c1 c4 c3", "c4 c3"), "c2 c1 c4; c1 c4 | c3; c4 | c3", "?"},
		{"two classes", units("c1 c2 c3", "c1 c2 c4", "c1 c5"), "c1 | c2 | c3; c1 | c2 | c4; c1 | c5", ""},
		{"classes in any order", units("c1 m1 o1", "c1 o2", "m1 o3"), "c1 | m1 | o1; c1 | o2; m1 | o3", ""},
		{"turned", units("c1 c2", "c2 c1"), "c1 c2; c2 c1", "c1 too small or turned, c2 too small or turned"},
		{"turned without competing", units("c1 m1", "m1 c1"), "c1 m1; c1 m1", ""},
		{"entangled", units("c1 c2 c3", "c1 c3", "c2 o1"), "c1 c3 | c2; c1 c3; c2 | o1", "?"},
		{"twice on one", units("c1 c2 c1", "c1 c3"), "c1 c2 c1; c1 c3", ""},
	}
	for _, test := range tests {
		plan := Units(test.units, Options{Shared: 2})
		if test.kept != "?" {
			if got := shown(plan); got != test.want {
				t.Errorf("%s: got %s, want %s", test.name, got, test.want)
			}
			var kept []string
			for _, k := range plan.Unshared {
				text := k.Item.Key + " too small or turned"
				if k.What != "" {
					text = fmt.Sprintf("%s behind %s (%s)", k.Item.Key, k.Before.Key, k.What)
				}
				kept = append(kept, text)
			}
			if got := strings.Join(kept, ", "); got != test.kept {
				t.Errorf("%s: kept %s, want %s", test.name, got, test.kept)
			}
		}
		if test.name != "twice on one" {
			checkPlan(t, test.name, test.units, plan)
		}
	}
	if got := shown(Units(units("c1 c2", "c1 c3"), Options{})); got != "c1 c2; c1 c3" {
		t.Errorf("without sharing: %s", got)
	}
	if got := shown(Units(units("c1 c2 c3", "c1 c2 c4", "c1 c5"),
		Options{Shared: 2, MinBytes: 15})); got != "c1 c2 | c3; c1 c2 | c4; c1 c5" {
		t.Errorf("with small bundles: %s", got)
	}
	// A bundle is split if that costs less than the duplicates that a page
	// would have.
	if got := shown(Units(units("c1 c5 c2", "c1 c2"), Options{Shared: 2, MinBytes: 4})); got != "c1 | c5 | c2; c1 | c2" {
		t.Errorf("with cheap requests: %s", got)
	}
	if got := shown(Units(units("c1 c5 c2", "c1 c2"), Options{Shared: 2, MinBytes: 8})); got != "c1 | c5 c2; c1 | c2" {
		t.Errorf("with dear requests: %s", got)
	}
	if got := shown(Units(units("c2 c1 c4", "c1 c3", "c1 c6"),
		Options{Shared: 2, MinBytes: 8})); got != "c2 c1 c4; c1 | c3; c1 | c6" {
		t.Errorf("a small sheet between: %s", got)
	}
	if got := shown(Units(units("c1 c2 c3", "c1 c2 c4", "c1 c5"),
		Options{Shared: 3})); got != "c1 | c2 c3; c1 | c2 c4; c1 | c5" {
		t.Errorf("for three units: %s", got)
	}
}

// checkPlan checks the guarantees of a plan: each unit loads each of its items
// exactly once and no others, and of two that compete, the later one last.
func checkPlan(t *testing.T, name string, units [][]Item, plan Plan) {
	t.Helper()
	for u, items := range units {
		place := make(map[string]int)
		count := 0
		for _, b := range plan.Loads[u] {
			if !slices.Contains(plan.Bundles[b].Units, u) {
				t.Errorf("%s: unit %d loads a bundle that is not for it", name, u)
			}
			for _, it := range plan.Bundles[b].Items {
				place[it.Key] = count
				count++
			}
		}
		if count != len(items) {
			t.Errorf("%s: unit %d loads %d items, and has %d: %s", name, u, count, len(items), shown(plan))
		}
		for i, a := range items {
			if _, ok := place[a.Key]; !ok {
				t.Errorf("%s: unit %d lacks %s", name, u, a.Key)
			}
			for _, b := range items[i+1:] {
				if a.Claims.Overlap(b.Claims) != "" && place[a.Key] > place[b.Key] {
					t.Errorf("%s: unit %d has %s behind %s: %s", name, u, a.Key, b.Key, shown(plan))
				}
			}
		}
	}
	for i, b := range plan.Bundles {
		for _, u := range b.Units {
			if !slices.Contains(plan.Loads[u], i) {
				t.Errorf("%s: unit %d does not load a bundle that is for it", name, u)
			}
		}
	}
}

// checkConflicts checks that a plan reports exactly those items that compete and
// that two units have in opposite order.
func checkConflicts(t *testing.T, name string, units [][]Item, plan Plan) {
	t.Helper()
	before := func(u int, a, b Item) bool {
		i := slices.IndexFunc(units[u], func(it Item) bool { return it.Key == a.Key })
		k := slices.IndexFunc(units[u], func(it Item) bool { return it.Key == b.Key })
		return i >= 0 && k > i
	}
	told := make(map[[2]string]bool)
	for _, turned := range plan.Conflicts {
		if !before(turned.AB, turned.A, turned.B) || !before(turned.BA, turned.B, turned.A) || turned.What == "" ||
			turned.What != turned.A.Claims.Overlap(turned.B.Claims) {
			t.Fatalf("%s: %s and %s are not turned in %d and %d", name, turned.A.Key, turned.B.Key, turned.AB, turned.BA)
		}
		told[[2]string{turned.A.Key, turned.B.Key}], told[[2]string{turned.B.Key, turned.A.Key}] = true, true
	}
	for u := range units {
		for v := range units {
			for _, a := range units[u] {
				for _, b := range units[u] {
					if before(u, a, b) && before(v, b, a) && a.Claims.Overlap(b.Claims) != "" && !told[[2]string{a.Key, b.Key}] {
						t.Fatalf("%s: %s and %s are turned in %d and %d, of which the plan does not tell", name, a.Key, b.Key, u, v)
					}
				}
			}
		}
	}
}

// TestRandomUnits checks the guarantees of plans for random units, and that
// plans are deterministic.
func TestRandomUnits(t *testing.T) {
	g := rand.New(rand.NewPCG(5, 6))
	shared := 0
	for round := range 600 {
		var pool []Item
		for i := range 2 + g.IntN(14) {
			src := ""
			for range 1 + g.IntN(3) {
				src += []string{"a", ".x", "#i", "a b", ".x:hover"}[g.IntN(5)] + " { " +
					[]string{"color", "margin", "order", "top", "--a", "float", "opacity"}[g.IntN(7)] + ": 0 } "
			}
			pool = append(pool, Item{Key: fmt.Sprint(i), Size: g.IntN(100), Claims: claimsOf(src)})
		}
		var list [][]Item
		for range 1 + g.IntN(6) {
			unit := slices.Clone(pool)
			if g.IntN(2) == 0 {
				g.Shuffle(len(unit), func(i, k int) { unit[i], unit[k] = unit[k], unit[i] })
			}
			list = append(list, slices.DeleteFunc(unit, func(Item) bool { return g.IntN(3) == 0 }))
		}
		opts := Options{Shared: 2 + g.IntN(2), MinBytes: g.IntN(2) * 80}
		plan := Units(list, opts)
		checkPlan(t, fmt.Sprintf("round %d", round), list, plan)
		checkConflicts(t, fmt.Sprintf("round %d", round), list, plan)
		for _, b := range plan.Bundles {
			if len(b.Units) > 1 {
				shared++
			}
		}
		if again := Units(list, opts); shown(again) != shown(plan) {
			t.Fatalf("round %d: %s, and again %s", round, shown(plan), shown(again))
		}
	}
	if shared < 300 {
		t.Errorf("only %d bundles were shared: the rounds prove nothing", shared)
	}
}

func BenchmarkUnits(b *testing.B) {
	g := rand.New(rand.NewPCG(1, 2))
	var pool []Item
	for i := range 500 {
		pool = append(pool, Item{Key: fmt.Sprint(i), Size: 1000,
			Claims: claimsOf(fmt.Sprintf(".a%d { color: red; margin: 0; padding: 0 } .b%d .c { --v%d: 1; display: block } @keyframes k%d {}", i, i, i, i))})
	}
	var list [][]Item
	for range 50 {
		list = append(list, slices.DeleteFunc(slices.Clone(pool), func(Item) bool { return g.IntN(4) == 0 }))
	}
	b.ReportAllocs()
	for b.Loop() {
		Units(list, Options{Shared: 2})
	}
}
