package accept

import (
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

// ruleOf returns the first rule of a sheet.
func ruleOf(t *testing.T, text string) *ast.StyleRule {
	t.Helper()
	tree, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text))
	rule, ok := tree.Nodes[0].(*ast.StyleRule)
	if !ok {
		t.Fatalf("%q is not a rule", text)
	}
	return rule
}

func TestDeclaration(t *testing.T) {
	old := Of(browsers.AtLeast(map[string]browsers.Version{"chrome": 60000, "safari": 12000, "firefox": 60000}))
	today := Of(browsers.Default())
	tests := []struct {
		text       string
		old, today bool
	}{
		{"color: red", true, true},
		{"color: reddish", false, false},
		{"color: #ff000080", false, true},
		{"color: rgb(255 0 0)", false, true},
		{"color: color(display-p3 1 0 0)", false, false},
		{"color: var(--x)", true, true},
		{"colour: red", false, false},
		{"--x: anything", true, true},
		{"position: sticky", false, true}, // with a prefix only
		{"position: -webkit-sticky", false, false},
		{"width: 1vw", true, true},
		{"width: 1dvh", false, true},
		{"width: min(1px, 2px)", false, true},
		{"overflow: hidden", true, true},
		{"overflow: hidden scroll", false, true},
		{"margin: 0 auto", true, true},
		{"margin: 0 0 0 0 0", false, false},
		{"inset: 0", false, true},
		{"background: linear-gradient(red, blue)", true, true},
		{"background: linear-gradient(red, blue 10% 20%)", false, true},
		{"background: linear-gradient(in oklab, red, blue)", false, false},
		{"-webkit-transform: none", false, false},
		{"color: initial", true, true},
	}
	for _, test := range tests {
		d := ruleOf(t, "a { "+test.text+" }").Nodes[0].(*ast.Declaration)
		if got := old.Declaration(d); got != test.old {
			t.Errorf("%s: old browsers: got %v", test.text, got)
		}
		if got := today.Declaration(d); got != test.today {
			t.Errorf("%s: today's browsers: got %v", test.text, got)
		}
		if Of(browsers.Targets{}).Declaration(d) {
			t.Errorf("%s: any browser accepts it", test.text)
		}
	}
}

func TestSupersedes(t *testing.T) {
	any := Of(browsers.Targets{})
	tests := []struct {
		earlier, later string
		want           bool
	}{
		{"color: red", "color: red", true},
		{"color: red", "color: blue", true},
		{"color: red", "color: rgb(0 0 0)", false},
		{"color: rgb(0 0 0)", "color: red", true},
		{"width: 1vw", "width: 1px", true},
		{"width: 1px", "width: 1vw", false},
		{"width: 1vh", "width: 1vw", false},
		{"display: -webkit-box", "display: block", true},
		{"display: block", "display: -webkit-box", false},
		{"display: -webkit-box", "display: -webkit-box", true},
		{"color: mistake", "color: red", true},
		{"color: red", "color: mistake", false},
		{"-moz-x: 0.50px", "-moz-x: .5px", true},
		{"margin: 0 0 0 0 0px", "margin: 0 0 0 0 0", true}, // as invalid as before
		{"-moz-x: of(red)", "-moz-x: of(#f00)", true},
		{"-moz-x: of(red)", "-moz-x: of(#f01)", false},
		{"color: f(rgba(0, 0, 0, 0))", "color: f(rgba(0, 0, 0, .1))", false},
		{"color: f(transparent)", "color: f(#0000)", false}, // younger
		{"-moz-x: of(rebeccapurple)", "-moz-x: of(#639)", false},
	}
	for _, test := range tests {
		rule := ruleOf(t, "a { "+test.earlier+"; "+test.later+" }")
		earlier, later := rule.Nodes[0].(*ast.Declaration), rule.Nodes[1].(*ast.Declaration)
		if got := any.Supersedes(later, earlier); got != test.want {
			t.Errorf("%s supersedes %s: got %v", test.later, test.earlier, got)
		}
	}
}

// TestImplied supersedes a declaration that needs a feature by one that needs
// another feature, which the same targets have.
func TestImplied(t *testing.T) {
	old := Of(browsers.AtLeast(map[string]browsers.Version{"ie": 11000, "chrome": 30000}))
	rule := ruleOf(t, "a { object-position: left center; object-position: 0 50%; width: 1dvh; width: 1vh }")
	for i, want := range []bool{true, true, false} {
		a, b := rule.Nodes[i].(*ast.Declaration), rule.Nodes[i+1].(*ast.Declaration)
		if got := old.Supersedes(a, b); got != want {
			t.Errorf("%s supersedes %s: got %v", text(a.Value), text(b.Value), got)
		}
	}
}

// TestGradientKeywords accepts a direction in a property whose own keyword of the
// same name some browsers lack.
func TestGradientKeywords(t *testing.T) {
	old := Of(browsers.AtLeast(map[string]browsers.Version{"ie": 11000, "safari": 9000}))
	for text, want := range map[string]bool{"linear-gradient(to bottom, red, blue)": true, "bottom": false} {
		if got := old.Declaration(ruleOf(t, "a { background: "+text+" }").Nodes[0].(*ast.Declaration)); got != want {
			t.Errorf("%s: got %v", text, got)
		}
	}
}

func TestSelector(t *testing.T) {
	old := Of(browsers.AtLeast(map[string]browsers.Version{"chrome": 60000, "safari": 12000, "firefox": 60000}))
	today := Of(browsers.Default())
	tests := []struct {
		text       string
		old, today bool
	}{
		{"a > .b:hover::before", true, true},
		{"a:first-line", true, true},
		{":not(.a)", true, true},
		{":not(.a, .b)", false, true},
		{":not(.a .b)", false, true},
		{":is(.a, .b)", false, true},
		{":nth-child(2n)", true, true},
		{":nth-child(2n of .a)", false, false},
		{":focus-visible", false, true},
		{"::placeholder", true, true},
		{"::-webkit-scrollbar", false, false},
		{":-moz-any(a)", false, false},
		{"[a=b]", true, true},
		{"[a=b i]", true, true},
		{".a:nth-child(2n + 1)", true, true},
		{":nth-child(-n+3)", true, true},
		{":nth-last-of-type(+3)", true, true},
		{":nth-child(EVEN)", true, true},
		{"a::after .b", false, false}, // nothing may follow a pseudo-element
		{"a::after:hover", false, false},
		{":is(a::before)", false, false},
		{":not(::before)", false, false},
		{":nth-child(a)", false, false},
		{":first-child(a)", false, false},
		{"a || b", false, false},
	}
	for _, test := range tests {
		s := ruleOf(t, test.text+" {}").Selectors[0]
		if got := old.Selector(s); got != test.old {
			t.Errorf("%s: old browsers: got %v", test.text, got)
		}
		if got := today.Selector(s); got != test.today {
			t.Errorf("%s: today's browsers: got %v", test.text, got)
		}
	}
}
