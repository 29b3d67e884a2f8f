package minify

import (
	"encoding/json"
	"fmt"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/browsertest"
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/value"
	"rinzel/internal/source"
)

// TestColorsAreTheSame compares colours with their minified form in a browser,
// for a sample of the legacy forms. Package value has the names.
func TestColorsAreTheSame(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	var pairs [][2]string
	add := func(source, short string) { pairs = append(pairs, [2]string{source, short}) }
	for i := range 256 {
		source := fmt.Sprintf("#%02X%02x%02X", i, i*7%256, i*13%256)
		add(source, value.ShortColor(source))
		add(source+"80", value.ShortColor(source+"80"))
		doubled := fmt.Sprintf("#%[1]x%[1]x%[2]x%[2]x%[3]x%[3]x", i%16, i*5%16, i/16)
		add(doubled, value.ShortColor(doubled))
		add(doubled+"77", value.ShortColor(doubled+"77"))
		values := minified(fmt.Sprintf("a{color:rgb(%d, %d, %d);fill:rgba(%d %d %d)}", i, 255-i, i*3%256, i, i, i/2))
		add(fmt.Sprintf("rgb(%d, %d, %d)", i, 255-i, i*3%256), between(values, "color:", ";"))
		add(fmt.Sprintf("rgb(%d, %d, %d)", i, i, i/2), between(values, "fill:", "}"))
		for _, source := range []string{fmt.Sprintf("hsl(%d, %d%%, %d%%)", i*2, i*7%101, i*3%101),
			fmt.Sprintf("hsla(%ddeg %d%% %d%% / %d%%)", i, i*5%101, i*11%101, i%101),
			fmt.Sprintf("rgba(%d, %d, %d, .%d)", i, i/3, i/2, i), fmt.Sprintf("hwb(%d %d%% %d%%)", i*3, i%60, i%40),
			fmt.Sprintf("color-mix(in oklab, hsl(%d 33%% 41%%), rgb(%d 0 0))", i, i)} {
			add(source, between(minified("a{color:"+source+"}"), "color:", "}"))
		}
	}
	list, err := json.Marshal(pairs)
	if err != nil {
		t.Fatal(err)
	}
	var different [][]string
	page.Eval(fmt.Sprintf(`(pairs => {
		const e = document.createElement("div");
		document.body.append(e);
		const read = c => { e.style.color = ""; e.style.color = c; return e.style.color === "" ? "invalid" : getComputedStyle(e).color };
		return pairs.map(([a, b]) => [a, b, read(a), read(b)]).filter(([, , a, b]) => a !== b || a === "invalid");
	})(%s)`, list), &different)
	for _, d := range different {
		t.Errorf("%s became %s: %s is not %s", d[0], d[1], d[3], d[2])
	}
	if len(pairs) < 2500 {
		t.Errorf("only %d colours were compared", len(pairs))
	}
}

// between returns the text of s after a and before b.
func between(s, a, b string) string {
	for i := 0; i+len(a) <= len(s); i++ {
		if s[i:i+len(a)] != a {
			continue
		}
		rest := s[i+len(a):]
		for k := 0; k+len(b) <= len(rest); k++ {
			if rest[k:k+len(b)] == b {
				return rest[:k]
			}
		}
	}
	return ""
}

// TestNumbersAreTheSame checks in a browser that shortened numbers mean the
// same in properties that accept them, and that invalid values stay invalid.
func TestNumbersAreTheSame(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	numbers := []string{"0", "0.0", "-0", "+0", "00", "1", "1.0", "+1.0", "-1.50", "0.50", ".5", "-.50", "+.5", "1e1",
		"1.0E1", "1.50e+1", "10.00", "010", "1e-1", "0e3", "100.0"}
	units := []string{"", "px", "em", "%", "deg", "s", "fr", "EM"}
	properties := []string{"margin-left", "z-index", "order", "opacity", "line-height", "flex-grow", "rotate",
		"transition-duration",
		"font-weight", "column-count", "width", "tab-size", "animation-iteration-count", "letter-spacing", "grid-row-start", "scale", "aspect-ratio"}
	var checks []valueCheck
	for _, p := range properties {
		for _, n := range numbers {
			for _, u := range units {
				for _, form := range []string{"%s", "calc(%s)", "calc(2 * %s)", "max(%s, 1px)"} {
					value := fmt.Sprintf(form, n+u)
					checks = append(checks, valueCheck{p, value, between(minified("a{"+p+": "+value+"}"), ":", "}")})
				}
			}
		}
	}
	compareValues(t, page, checks)
}

// TestValuesAreTheSame checks in a browser that rewritten values mean the same,
// and that invalid ones stay invalid.
func TestValuesAreTheSame(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	lengths := []string{"0", "0px", "1px", "-2em", "calc(1px - 1px)", "50%"}
	var shadows, lines []string
	for _, a := range lengths {
		for _, b := range lengths {
			for _, c := range lengths {
				for _, form := range []string{"%s %s %s red", "inset %s %s %s", "#0000 %s 0 %s %s", "%s %s %s 0 red, 0 0 0 0 blue"} {
					shadows = append(shadows, fmt.Sprintf(form, a, b, c))
				}
			}
		}
	}
	for _, a := range []string{"1", "-1", "auto", "pier", "span 2", "span pier", "2 pier", "PIER", "inherit"} {
		for _, b := range []string{"1", "auto", "pier", "span 2", "Pier"} {
			lines = append(lines, a+" / "+b, a)
		}
	}
	gradients := []string{"linear-gradient(to bottom, red, blue)", "linear-gradient(to bottom left, red, blue)",
		"repeating-linear-gradient(TO BOTTOM, transparent, blue 20px)", "linear-gradient(to bottom)",
		"linear-gradient(to bottom, red)", "linear-gradient(180deg, red, transparent)", "conic-gradient(to bottom, red, blue)"}
	positions := []string{"left", "top", "center", "right center", "top right", "left top", "bottom", "center left", "10px center",
		"center 10px", "10px top", "left 10px", "right 10px bottom 5px", "0 50%", "left left", "initial"}
	transforms := []string{"translate(0px, 1px)", "translate3d(0, 0, 0)", "translate3d(1px, 0, 0)", "translate3d(0, 2em, 0)", "scale(1, 2)",
		"scale(2, 2)", "scale3d(2, 2, 1)", "rotateZ(45deg)", "rotate3d(0, 0, 1, 45deg)", "skew(1deg, 0)", "translateX(5%) translate(0)",
		"matrix(1, 0, 0, 1, 0, 0)", "none", "scale(1) rotate(0)"}
	flexes := []string{"1 1 0%", "1 1 auto", "0 0 auto", "0 1 auto", "2 1 10px", "1", "1 1 0px", "0 1 0%", "initial", "none", "1 0 auto", "1 1 0"}
	times := []string{"all 0.3s ease 0s", "opacity 100ms linear 1s", "top 0s", "none", "all 0s", "left 1500ms cubic-bezier(.4, 0, 1, 1)",
		"color 1s steps(1, end), top .5s steps(2, jump-start)", "ease-in .1s top 0s"}
	var checks []valueCheck
	for property, list := range map[string][]string{"box-shadow": shadows, "text-shadow": shadows, "grid-row": lines, "grid-column": lines,
		"background-image": gradients, "background": gradients, "border-image-source": gradients, "background-position": positions,
		"object-position": positions, "transform-origin": positions, "transform": transforms, "flex": flexes, "transition": times} {
		for _, value := range list {
			checks = append(checks, valueCheck{property, value, between(minified("a{"+property+": "+value+"}"), ":", "}")})
		}
	}
	compareValues(t, page, checks)
}

// valueCheck is a value and its minified form.
type valueCheck struct{ Property, Source, Short string }

// compareValues reports those that a browser does not compute to the same.
func compareValues(t *testing.T, page *browsertest.Page, checks []valueCheck) {
	t.Helper()
	list, err := json.Marshal(checks)
	if err != nil {
		t.Fatal(err)
	}
	var different [][]string
	page.Eval(fmt.Sprintf(`(checks => {
		const e = document.createElement("div");
		document.body.append(e);
		const read = (p, v) => { e.style.cssText = ""; e.style.setProperty(p, v); return e.style.cssText === "" ? "invalid" : getComputedStyle(e).getPropertyValue(p) };
		return checks.map(c => [c.Property, c.Source, c.Short, read(c.Property, c.Source), read(c.Property, c.Short)]).filter(c => c[3] !== c[4]);
	})(%s)`, list), &different)
	for _, d := range different {
		t.Errorf("%s: %s became %s: %s is not %s", d[0], d[1], d[2], d[4], d[3])
	}
}

// TestAcceptedSelectors checks that a browser accepts each selector of which
// accept says so: one that it does not know would spoil a list.
func TestAcceptedSelectors(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	parts := []string{"a", "*", ".b", "#c", "[d]", "[d=e i]", ":hover", ":first-child", ":is(a, .b)", ":is(a b)", ":not(.b)", ":not(a b)",
		":where(.b)", ":has(> .b)", ":nth-child(2n + 1)", ":nth-child(a)", ":nth-child(2n of .b)", ":first-child(2)", ":not", ":lang(de)",
		":dir(ltr)", "::before", ":after", "::before(a)", "::slotted(a)", "::part(p)", "::first-line", "::marker", "::placeholder",
		"::selection", ":host", ":host(.b)", ":host-context(.b)", ":focus-visible", ":is(::before)", ":has(::before)", ":unknown",
		"::unknown", "::-webkit-scrollbar", ":-moz-any(a)", ":root", ":target", "::backdrop", ":empty", ":checked", ":state(x)",
		"::highlight(x)", "::view-transition", ":popover-open"}
	combinators := []string{"", " ", " > ", " + ", " ~ ", " || "}
	targets := accept.Of(browsers.Default())
	var accepted []string
	add := func(text string) {
		tree, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text+"{top:0}"))
		if rule, ok := tree.Nodes[0].(*ast.StyleRule); ok && len(rule.Selectors) == 1 && targets.Selector(rule.Selectors[0]) {
			accepted = append(accepted, text)
		}
	}
	for _, a := range parts {
		add(a)
		add("> " + a)
		for _, b := range parts {
			for _, c := range combinators {
				add(a + c + b)
			}
		}
	}
	list, err := json.Marshal(accepted)
	if err != nil {
		t.Fatal(err)
	}
	var refused []string
	page.Eval(fmt.Sprintf("%s.filter(s => !CSS.supports('selector(' + s + ')'))", list), &refused)
	for _, s := range refused {
		t.Errorf("the browser does not accept %s", s)
	}
	if len(accepted) < 2000 {
		t.Errorf("only %d selectors are accepted", len(accepted))
	}
}
