package csstest

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// The parts of random sheets.
var (
	randomClasses    = []string{".quay", ".berth", ".ferry", ".bell", ".tide"}
	randomTypes      = []string{"p", "a", "li", "div"}
	randomPseudos    = []string{":hover", ":first-child", ":nth-child(2n + 1)", "::before", ":not(.tide)", ":is(.bell, .quay)"}
	randomAttributes = []string{`[title="x"]`, "[hidden]", `[lang^='e']`}
	randomConditions = []string{"@media (min-width: 600px)", "@media print", "@media screen and (max-width: 50em)",
		"@supports (display: grid)", "@layer low", "@layer high", "@container (min-width: 10px)"}
	randomDeclarations = []string{
		"margin: 0 auto", "margin: 1px 2px 1px 2px", "margin-top: 3px", "margin-left: 0.50em", "margin-inline: 4px",
		"margin-right: 4px; margin-top: 1px; margin-bottom: 2px; margin-left: 4px", "padding: 0px", "padding-left: 10px",
		"padding: 1px; padding-top: 2px", "border: 1px solid red", "border: none", "border-top: 0px solid",
		"border-color: #AABBCC", "border-width: 1px 2px", "border-left-color: blue", "border-radius: 4px 4px",
		"border-radius: 1px 2px / 3px", "color: white", "color: #ff0000", "color: rgb(0, 128, 0)", "color: var(--tone)",
		"color: red; color: color(display-p3 1 0 0)", "background: none", "background: #fff url(x.png) no-repeat 0 0",
		"background-color: hsl(120 100% 25%)", "background-position: center center", "background-position: left top",
		"font-weight: bold", "font: bold 12px/1.5 'Anchor Sans', serif", "font-family: \"Anchor Sans\", sans-serif",
		"line-height: 1.0", "line-height: 20px", "flex: 1 1 0%", "flex: 0 0 auto", "flex-grow: 2; flex-shrink: 1; flex-basis: 0px",
		"display: -webkit-box; display: flex", "display: block", "overflow-x: hidden; overflow-y: hidden", "overflow: auto",
		"transition: all 0.3s ease 0s", "transition: opacity 100ms cubic-bezier(0.25, 0.1, 0.25, 1)", "transition-duration: .5s",
		"-webkit-transition: none; transition: none", "transform: translate(0px, 10px) rotate(0deg)", "transform: scale(2, 2)",
		"top: 0; right: 0; bottom: 0; left: 0", "inset: 0", "left: 5px", "inset-inline-start: 6px", "width: calc(1px + 2px)",
		"width: calc(100% - 2 * 4px)", "inline-size: 10px", "z-index: 1", "opacity: 0.50", "--tone: #00ff00", "--tone: blue",
		"all: unset", "content: 'x'", "list-style: none", "text-decoration: underline", "outline: medium none red",
		"row-gap: 1px; column-gap: 1px", "gap: 2px 2px", "align-items: center; justify-items: center", "float: left",
		"grid-area: 1 / 2 / 3 / 4", "box-shadow: 0 0 0px 1px rgba(0, 0, 0, 0.2)", "visibility: hidden",
	}
)

// Random returns a random sheet of about the given number of rules, with all
// that makes the order of declarations matter: few elements, conditions, layers,
// nesting, shorthands and longhands, prefixes, importance, custom properties.
func Random(r *rand.Rand, rules int) string {
	g := randomSheet{r: r}
	for range rules {
		g.rule(0)
	}
	return g.String()
}

// randomSheet is a sheet in the making.
type randomSheet struct {
	strings.Builder
	r *rand.Rand
}

// pick returns a random element of a list.
func (g *randomSheet) pick(list []string) string { return list[g.r.IntN(len(list))] }

// rule adds a rule.
func (g *randomSheet) rule(depth int) {
	switch n := g.r.IntN(20); {
	case n < 3 && depth < 2:
		g.WriteString(g.pick(randomConditions) + " {\n")
		for range 1 + g.r.IntN(3) {
			g.rule(depth + 1)
		}
		g.WriteString("}\n")
	case n == 3 && depth == 0:
		fmt.Fprintf(g, "@keyframes k%d { from { top: 0px } 50.0%% { opacity: .50 } 100%% { top: 1px } }\n", g.r.IntN(3))
	default:
		g.styleRule(depth)
	}
}

// styleRule adds a style rule.
func (g *randomSheet) styleRule(depth int) {
	for i := range 1 + g.r.IntN(3) {
		if i > 0 {
			g.WriteString(", ")
		}
		g.WriteString(g.selector())
	}
	g.WriteString(" { ")
	for range 1 + g.r.IntN(4) {
		d := g.pick(randomDeclarations)
		if g.r.IntN(8) == 0 && !strings.Contains(d, ";") {
			d += " !important"
		}
		g.WriteString(d + "; ")
	}
	if depth < 2 && g.r.IntN(10) == 0 {
		g.WriteString("&" + g.pick(randomClasses) + " { " + g.pick(randomDeclarations) + " } ")
	}
	g.WriteString("}\n")
}

// selector returns a random selector.
func (g *randomSheet) selector() string {
	s := g.pick(randomClasses)
	switch g.r.IntN(8) {
	case 0:
		s = g.pick(randomTypes)
	case 1:
		s = g.pick(randomTypes) + s
	case 2:
		s += g.pick(randomClasses)
	case 3:
		s += " > " + g.pick(randomTypes)
	case 4:
		s = "*" + s
	case 5:
		s += g.pick(randomAttributes)
	}
	if g.r.IntN(5) == 0 {
		s += g.pick(randomPseudos)
	}
	return s
}
