package lower

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

// generator generates random nested rules for a small page. The sheets are
// determined by the seed.
type generator struct {
	*rand.Rand
	n int // number of declarations
}

func (g *generator) pick(list ...string) string { return list[g.IntN(len(list))] }

// compound returns a compound selector, sometimes with the nesting selector.
func (g *generator) compound(nested bool) string {
	base := g.pick("div", "p", "b", ".x", ".y", ".z", "#i", "*", ".x.y", "p.z", "div.x", ":not(.y)", ":is(.x, #i)",
		":where(p, .z)", "b:first-child", "[class]")
	if !nested {
		return base
	}
	switch g.IntN(7) {
	case 0:
		return "&"
	case 1, 2:
		if strings.Contains("dpb*", base[:1]) {
			return base + "&"
		}
		return "&" + base
	case 3:
		return ":is(&, " + base + ")"
	case 4:
		return ":not(&)"
	}
	return base
}

// selector returns a complex selector.
func (g *generator) selector(nested bool) string {
	var b strings.Builder
	if nested && g.IntN(4) == 0 {
		b.WriteString(g.pick("> ", "+ ", "~ "))
	}
	b.WriteString(g.compound(nested))
	for range g.IntN(3) {
		b.WriteString(g.pick(" ", " > ", " + ", " ~ "))
		b.WriteString(g.compound(nested))
	}
	return b.String()
}

func (g *generator) list(nested bool) string {
	out := g.selector(nested)
	for range g.IntN(3) {
		out += ", " + g.selector(nested)
	}
	return out
}

// block returns a block of declarations and nested rules.
func (g *generator) block(depth int) string {
	var b strings.Builder
	b.WriteString("{ ")
	for range 1 + g.IntN(3) {
		switch {
		case depth > 0 && g.IntN(2) == 0:
			b.WriteString(g.list(true) + " " + g.block(depth-1))
		case depth > 0 && g.IntN(5) == 0:
			b.WriteString(g.pick("@media (min-width: 1px) ", "@supports (order: 1) ", "@layer l ", "@media print ") +
				g.block(depth-1))
		default:
			g.n++
			fmt.Fprintf(&b, "%s: %d; ", g.pick("order", "z-index", "flex-grow", "column-count"), g.n%97+1)
		}
	}
	b.WriteString("} ")
	return b.String()
}

const nestingPage = `<div id=i class=x><p class=y>1</p><p class="y z">2<b>3</b></p><div class="x z"><b class=x>4</b><p>5</p></div></div><p class=z>6<b class=y>7</b></p>`

// TestNestingInBrowser compares nested rules with their lowered form, by the
// computed styles of every element of a page.
func TestNestingInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	g := &generator{Rand: rand.New(rand.NewPCG(1, 2))}
	var cases [][2]string
	for range 400 {
		var sheet strings.Builder
		for range 1 + g.IntN(3) {
			sheet.WriteString(g.list(false) + " " + g.block(3))
		}
		cases = append(cases, [2]string{sheet.String(), lowered(sheet.String(), old)})
	}
	list, err := json.Marshal(cases)
	if err != nil {
		t.Fatal(err)
	}
	markup, _ := json.Marshal(nestingPage)
	var out struct {
		Different [][]string
		Styled    int
	}
	page.Eval(fmt.Sprintf(`((cases, markup) => {
		document.body.innerHTML = markup;
		const style = document.createElement("style");
		document.head.append(style);
		let styled = 0;
		const read = css => {
			style.textContent = css;
			return [...document.querySelectorAll("body, body *")].map(e => {
				const s = getComputedStyle(e);
				return [s.order, s.zIndex, s.flexGrow, s.columnCount].join("/");
			});
		};
		const plain = read("");
		const different = [];
		for (const [nested, flat] of cases) {
			const a = read(nested), b = read(flat);
			styled += a.filter((v, i) => v !== plain[i]).length;
			const i = a.findIndex((v, i) => v !== b[i]);
			if (i >= 0) different.push([nested, flat, a[i], b[i]]);
		}
		return { Different: different, Styled: styled };
	})(%s, %s)`, list, markup), &out)
	for i, d := range out.Different {
		if i == 5 {
			t.Errorf("and %d more", len(out.Different)-i)
			break
		}
		t.Errorf("an element is %s, and %s when lowered\nnested %s\nlowered %s", d[2], d[3], d[0], d[1])
	}
	if out.Styled < 1000 {
		t.Errorf("only %d elements were styled: the sheets prove nothing", out.Styled)
	}
	for _, c := range cases {
		if strings.Contains(c[1], "&") {
			t.Errorf("lowered to %s", c[1])
		}
	}
}

// TestColorsInBrowser compares sheets with their lowered form in a browser that
// supports all colours: both must look the same. It also compares the fallbacks
// alone, as an older browser sees them, with the original colours.
func TestColorsInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	colors := []string{"oklch(0.6 0.1 200)", "oklch(0.7 0.3 150)", "lab(50 20 20 / 40%)", "lch(60 30 120)",
		"oklab(0.6 -0.1 0.1)", "color(display-p3 0 1 0)",
		"color(srgb 0.2 0.4 0.6)", "color(rec2020 0.1 0.5 0.9)", "oklch(0.5 none 20)", "color(xyz 0.3 0.4 0.1)"}
	var cases [][2]string
	for _, c := range colors {
		for _, sheet := range []string{
			"p { color: %s; background: linear-gradient(%s, red) }", ":root { --c: %s } p { color: var(--c); border: 1px solid var(--c) }",
			"p { border: var(--none, 2px) solid %s } .x { --c: %s; &:not(b) { fill: var(--c) } }", "p { color: red !important; color: %s }",
			"@media (width > 0) { p { --c: %s; outline: 1px solid %s } } p { caret-color: var(--c) }",
		} {
			sheet = strings.ReplaceAll(sheet, "%s", c)
			cases = append(cases, [2]string{sheet, lowered(sheet, old)})
		}
	}
	list, err := json.Marshal(cases)
	if err != nil {
		t.Fatal(err)
	}
	var different [][]string
	page.Eval(fmt.Sprintf(`(cases => {
		document.body.innerHTML = "<p class=x>1</p>";
		const style = document.createElement("style");
		document.head.append(style);
		const read = css => {
			style.textContent = css;
			const s = getComputedStyle(document.querySelector("p"));
			return [s.color, s.backgroundImage, s.border, s.fill, s.outlineColor, s.caretColor].join(" / ");
		};
		return cases.map(([a, b]) => [a, b, read(a), read(b)]).filter(([, , a, b]) => a !== b);
	})(%s)`, list), &different)
	for _, d := range different {
		t.Errorf("%s\nbecame %s\nwhich is %s, was %s", d[0], d[1], d[3], d[2])
	}
	for _, c := range colors {
		if got := lowered("a { color: "+c+" }", old); !strings.HasPrefix(got, "a{color:#") &&
			!strings.HasPrefix(got, "a{color:rgba(") {
			t.Errorf("%s has no fallback: %s", c, got)
		}
	}
}
