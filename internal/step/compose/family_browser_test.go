package compose

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

// familyMaker makes a random set of families and modes, with a page.
type familyMaker struct {
	*rand.Rand
	sheet     strings.Builder
	reference strings.Builder // all members, made by plain loops
	members   []string        // selectors without modes, as classes
	families  [][]string      // classes of each family, in order
	bodies    map[string]string
	modes     []string // their prefixes
	blocks    []string // of each mode, with CONTENTS
}

// modeBlocks are blocks of modes.
var modeBlocks = []string{"&:first-child { CONTENTS }", "@media (width > 100px) { CONTENTS }", "@media (width > 10000px) { CONTENTS }",
	".dark & { CONTENTS }", "& > b { CONTENTS }", "@supports (order: 1) { &:not(.x) { CONTENTS } }"}

// measured are the properties that families set.
var measured = []string{"order", "z-index", "flex-grow", "column-count", "orphans", "widows"}

// family adds a family with one or two slots.
func (g *familyMaker) family() {
	i := len(g.families)
	keys := []string{"1", "2", "10", "a", "b-c"}[:2+g.IntN(4)]
	sides := []string{"x", "y"}
	first, second := measured[g.IntN(len(measured))], measured[g.IntN(len(measured))]
	name := []string{"f%d-(k)", "f%d-(s)-(k)", "f%d-(k)\\:(s)", "f%d-(k)-end"}[g.IntN(4)]
	name = fmt.Sprintf(name, i)
	two := strings.Contains(name, "(s)")
	fmt.Fprintf(&g.sheet, "@const g%d {", i)
	for n, key := range keys {
		fmt.Fprintf(&g.sheet, " %s: %d;", key, i*10+n)
	}
	fmt.Fprintf(&g.sheet, " }\n@family .%s { @slot k: const(g%d);", name, i)
	if two {
		g.sheet.WriteString(" @slot s: x, y;")
	} else {
		sides = sides[:1]
	}
	fmt.Fprintf(&g.sheet, " %s: const(k); & b { %s: calc(const(k) + 1) } }\n", first, second)
	var classes []string
	add := func(key, side string, n int) {
		class := strings.NewReplacer("(k)", key, "(s)", side, "\\", "").Replace(name)
		classes = append(classes, class)
		g.bodies[class] = fmt.Sprintf("%s: %d; & b { %s: %d }", first, i*10+n, second, i*10+n+1)
	}
	if strings.Index(name, "(s)") < strings.Index(name, "(k)") && two {
		for _, side := range sides {
			for n, key := range keys {
				add(key, side, n)
			}
		}
	} else {
		for n, key := range keys {
			for _, side := range sides {
				add(key, side, n)
			}
		}
	}
	g.families = append(g.families, classes)
	for _, class := range classes {
		g.rule(class, g.bodies[class])
	}
}

// rule adds a rule to the reference.
func (g *familyMaker) rule(class, body string) {
	fmt.Fprintf(&g.reference, ".%s { %s }\n", strings.ReplaceAll(class, ":", "\\:"), body)
}

// mode adds a mode, and to the reference all classes that end with it as the last.
// Families that come later are not known yet, so their classes are added by finish.
func (g *familyMaker) mode() {
	k := len(g.modes)
	prefix := fmt.Sprintf("m%d%s", k, []string{"-", ":", "_"}[g.IntN(3)])
	block := modeBlocks[g.IntN(len(modeBlocks))]
	g.modes, g.blocks = append(g.modes, prefix), append(g.blocks, block)
	fmt.Fprintf(&g.sheet, "@mode %s { %s }\n", strings.ReplaceAll(prefix, ":", "\\:"),
		strings.ReplaceAll(block, "CONTENTS", "@contents;"))
	fmt.Fprintf(&g.reference, "MODE%d\n", k)
}

// chains returns the lists of modes whose last one by position is k.
func chains(k int) (out [][]int) {
	out = append(out, []int{k})
	for i := range k {
		out = append(out, []int{i, k})
	}
	for i := range k {
		out = append(out, []int{k, i})
	}
	return out
}

// finish fills in the classes with modes.
func (g *familyMaker) finish() (all []string) {
	text := g.reference.String()
	for k := range g.modes {
		g.reference.Reset()
		for _, chain := range chains(k) {
			for _, family := range g.families {
				for _, class := range family {
					name, body := class, g.bodies[class]
					for _, m := range slices.Backward(chain) {
						name, body = g.modes[m]+name, strings.ReplaceAll(g.blocks[m], "CONTENTS", body)
					}
					all = append(all, name)
					g.rule(name, body)
				}
			}
		}
		text = strings.Replace(text, fmt.Sprintf("MODE%d\n", k), g.reference.String(), 1)
	}
	g.reference.Reset()
	g.reference.WriteString(text)
	return slices.Concat(all, slices.Concat(g.families...))
}

// TestFamiliesInBrowser compares random families, modes and pages with rules for all
// classes, which are made by plain loops: elements must have the same styles.
func TestFamiliesInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	const sets = 500
	elements := 0
	for seed := range uint64(sets) {
		g := familyMaker{Rand: rand.New(rand.NewPCG(seed, 7)), bodies: make(map[string]string)}
		for range 3 + g.IntN(5) {
			if g.IntN(5) < 3 {
				g.family()
			} else {
				g.mode()
			}
		}
		all := g.finish()
		var html, names strings.Builder
		for range 8 {
			html.WriteString("<p class=\"")
			if g.IntN(3) == 0 {
				html.WriteString("dark ")
			}
			for range g.IntN(5) {
				if len(all) > 0 {
					class := all[g.IntN(len(all))]
					html.WriteString(class + " ")
					names.WriteString(class + " ")
				}
			}
			last := "x"
			if used := strings.Fields(names.String()); len(used) > 0 {
				last = used[len(used)-1]
			}
			fmt.Fprintf(&html, "\"><b></b><b class=\"%s\"></b>", last)
		}
		made, found := composedFor(g.sheet.String(), names.String())
		if len(found) > 0 {
			t.Fatalf("seed %d: %q in\n%s", seed, found, g.sheet.String())
		}
		args, err := json.Marshal([]any{html.String(), g.reference.String(), made, measured})
		if err != nil {
			t.Fatal(err)
		}
		var result struct {
			Count int
			Diff  string
		}
		page.Eval(fmt.Sprintf(`(([html, reference, made, measured]) => {
			const styles = (css) => {
				document.head.innerHTML = "<style></style>";
				document.head.firstChild.textContent = css;
				return [...document.body.querySelectorAll("*")].map((e) => measured.map((p) => getComputedStyle(e).getPropertyValue(p)).join(" "));
			};
			document.body.innerHTML = html;
			const want = styles(reference), got = styles(made);
			const i = want.findIndex((text, i) => text !== got[i]);
			const e = document.body.querySelectorAll("*")[i];
			return { count: want.length, diff: i < 0 ? "" : e.outerHTML + " has " + got[i] + ", want " + want[i] };
		})(%s)`, args), &result)
		elements += result.Count
		if result.Diff != "" {
			t.Fatalf("seed %d: %s\n%s\nmade\n%s\nof\n%s", seed, result.Diff, html.String(), made, g.sheet.String())
		}
		// nothing that is not in use
		used := strings.Fields(names.String())
		for _, class := range all {
			is := strings.Contains(made, "."+strings.ReplaceAll(class, ":", "\\:")+"{")
			if is != slices.Contains(used, class) {
				t.Fatalf("seed %d: %s is made: %v\n%s", seed, class, is, made)
			}
		}
	}
	if elements < sets*20 {
		t.Errorf("only %d elements were compared", elements)
	}
}
