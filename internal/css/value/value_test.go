package value

import (
	"errors"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// read parses a text that is one value.
func read(t testing.TB, text string) *ast.Value {
	t.Helper()
	values, diags := parse.Values(new(source.Set).Add(source.Path{}, "", text))
	if len(diags) > 0 || len(values) != 1 {
		t.Fatalf("%q: got %d values and %v", text, len(values), diags)
	}
	return &values[0]
}

// folded returns the folded form of a value in a context.
func folded(t testing.TB, text string, at Context) string {
	t.Helper()
	v := read(t, text)
	with, ok, err := Fold(v, at)
	switch {
	case err != nil:
		return "error: " + err.Error()
	case !ok:
		return text
	}
	return print.Values([]ast.Value{with})
}

var folds = []struct{ source, want string }{
	{"calc(1px + 2px)", "3px"},
	{"calc(1px - 3px)", "calc(-2px)"},
	{"calc(8px * 2)", "16px"},
	{"calc(2 * 8px + 1em)", "calc(16px + 1em)"},
	{"calc(100% / 3)", "33.333332%"},
	{"calc(100% / 3 - 2 * 1em - 2 * 1px)", "calc(33.333332% - 2em - 2px)"},
	{"calc(1in + 2px)", "98px"},
	{"calc(1in + 2in)", "3in"},
	{"calc(1s + 200ms)", "1.2s"},
	{"calc(1turn - 90deg)", "270deg"},
	{"calc(0.1px + 0.2px)", "0.3px"},
	{"calc((1px + 2px) * (1 + 2))", "9px"},
	{"calc(2 * (1em + 3px))", "calc(2em + 6px)"},
	{"calc(10px - (1em - 2px))", "calc(12px - 1em)"},
	{"calc(10px - (2px + 3px))", "5px"},
	{"calc(1em + 0px)", "1em"},
	{"calc(50% + 0px)", "calc(50% + 0px)"},
	{"calc(50% + 0px + 1em)", "calc(50% + 1em)"},
	{"calc(100px / 10px)", "10"},
	{"calc(2px * 3px / 4px)", "1.5px"},
	{"calc(1.5)", "calc(1.5)"},
	{"calc(2 + 1)", "3"},
	{"calc(2 - 2)", "calc(0)"},
	{"calc(pi * 1rad)", "3.1415927rad"},
	{"calc(1px / 0)", "calc(1px / 0)"},
	{"calc(infinity * 1px)", "calc(infinity * 1px)"},
	// What only a browser knows remains, and so does what its tokens could
	// change.
	{"calc(1px + var(--a))", "calc(1px + var(--a))"},
	{"calc(1px + 2px + var(--a))", "calc(3px + var(--a))"},
	{"calc(var(--a) - 1px - 2px)", "calc(var(--a) - 3px)"},
	{"calc(2 * var(--a) * 3)", "calc(2 * var(--a) * 3)"},
	{"calc(2 * 3 * var(--a))", "calc(6 * var(--a))"},
	{"calc(var(--a) / 2 / 2)", "calc(var(--a) / 4)"},
	{"calc(2 * (var(--a) + 1px))", "calc(2 * (var(--a) + 1px))"},
	{"calc(calc(var(--a)) * 2 * 3)", "calc(6 * (var(--a)))"},
	{"calc(1px - (2px + var(--a)))", "calc(1px - (2px + var(--a)))"},
	{"calc(1 * var(--a))", "calc(1 * var(--a))"},
	{"calc(3px * 3 * sibling-index() * 2)", "calc(18px * sibling-index())"},
	{"max(1px, var(--a), 2px)", "max(2px, var(--a))"},
	{"clamp(1rem, 2vw + 4px + 4px, 3rem)", "clamp(1rem, 2vw + 8px, 3rem)"},
	{"min(100%, 10px, 20px)", "min(100%, 10px)"},
	{"min(10%, 20%)", "min(10%, 20%)"}, // of what may be negative
	{"min(1em, 2em)", "1em"},
	{"min(1in, 100px)", "96px"},
	{"max(1px, min(5px, 3px))", "3px"},
	{"clamp(10px, 50px, 20px)", "20px"},
	{"clamp(30px, 50px, 20px)", "30px"},
	{"clamp(none, 50px, 20px)", "clamp(none, 50px, 20px)"},
	{"round(17px, 5px)", "15px"},
	{"round(up, 17px, 5px)", "20px"},
	{"round(down, 17px, 5px)", "15px"},
	{"round(to-zero, -17px, 5px)", "calc(-15px)"},
	{"round(2.5)", "3"},
	{"round(up, var(--a), 1px * 5)", "round(up, var(--a), 5px)"},
	{"mod(18px, 5px)", "3px"},
	{"mod(-18px, 5px)", "2px"},
	{"rem(-18px, 5px)", "calc(-3px)"},
	{"abs(-2em)", "2em"},
	{"sign(-2em)", "sign(-2em)"}, // a font size may be 0
	{"sign(-2px)", "calc(-1)"},
	{"sin(30deg)", "calc(0.5)"},
	{"tan(45deg)", "1"},
	{"asin(1)", "90deg"},
	{"atan2(1px, 1px)", "45deg"},
	{"pow(2, 10)", "1024"},
	{"calc(1rem * pow(1.25, 3))", "1.953125rem"},
	{"sqrt(16)", "4"},
	{"hypot(3px, 4px)", "5px"},
	{"hypot(-2em)", "2em"},
	{"log(8, 2)", "3"},
	{"exp(0)", "1"},
	{"calc(1px+2px)", `error: expected an operator before "+2px", which is read as one number`},
	{"calc(1px + 1s)", "error: the calculation adds a length and a time"},
	{"calc(2px * 3px)", "error: the result of the calculation is a length to the power of 2"},
	{"calc(1px + )", "error: incomplete calculation: expected a number after the operator"},
	{"min(1px, 2)", "error: min() expects values of one type, got a length and a number"},
	{"sqrt(4px)", "error: sqrt() expects numbers, got a length"},
	{"pow(2)", "error: pow() expects 2 values, got 1"},
	{"calc(1px + red)", "calc(1px + red)"},
	{"translate(1px)", "translate(1px)"},
}

func TestFold(t *testing.T) {
	for _, test := range folds {
		if got := folded(t, test.source, Context{}); got != test.want {
			t.Errorf("%s: got %s, want %s", test.source, got, test.want)
		}
	}
}

func TestFoldAtPlaces(t *testing.T) {
	for _, test := range []struct {
		source, want string
		at           Context
	}{
		{"calc(1px - 3px)", "-2px", ContextOf("margin")},
		{"calc(1px - 3px)", "calc(-2px)", ContextOf("padding")},
		{"calc(1 / 3)", "0.33333334", ContextOf("opacity")},
		{"calc(1 / 3)", "calc(0.33333334)", ContextOf("z-index")},
		{"calc(1 - 1)", "0", ContextOf("opacity")},
		{"calc(1 / 3)", "0.333333333333333", Anywhere},
		{"calc(-1px * 2)", "-2px", ContextOf("x-unknown").Inside("translate")},
		{"calc(1 / 4)", "0.25", ContextOf("x-unknown").Inside("RGB")},
		{"calc(-1 / 4)", "calc(-0.25)", ContextOf("filter").Inside("opacity")},
	} {
		if got := folded(t, test.source, test.at); got != test.want {
			t.Errorf("%s: got %s, want %s", test.source, got, test.want)
		}
	}
}

// TestProblemsHavePlaces checks that findings are at the invalid part.
func TestProblemsHavePlaces(t *testing.T) {
	const text = "calc(2 * (1px + 1s))"
	_, _, err := Fold(read(t, text), Context{})
	var problem *Problem
	if !errors.As(err, &problem) {
		t.Fatalf("got %v, want a problem", err)
	}
	if at := text[problem.At.Start.Off:problem.At.End]; at != "(1px + 1s)" {
		t.Errorf("the problem is at %q", at)
	}
}

func TestNumberText(t *testing.T) {
	for _, test := range []struct {
		n              float64
		single, double string
	}{
		{0, "0", "0"}, {1, "1", "1"}, {-0.5, "-0.5", "-0.5"},
		{0.1 + 0.2, "0.3", "0.3"}, {100.0 / 3, "33.333332", "33.3333333333333"},
		{16777217, "16777217", "16777217"}, {1e-9, "1e-09", "1e-09"}, {3e38, "3e+38", "3e+38"},
	} {
		if got := Single.text(test.n); got != test.single {
			t.Errorf("%v: got %s, want %s", test.n, got, test.single)
		}
		if got := Double.text(test.n); got != test.double {
			t.Errorf("%v: got %s, want %s", test.n, got, test.double)
		}
	}
}

func TestCompare(t *testing.T) {
	tests := []struct {
		a, b  string
		order int
		ok    bool
	}{
		{"1px", "2px", -1, true}, {"2", "2", 0, true}, {"1in", "96px", 0, true}, {"1s", "300ms", 1, true}, {"10%", "20%", -1, true},
		{"1em", "2em", -1, true}, {"1em", "1px", 0, false}, {"1px", "1s", 0, false}, {"1", "1px", 0, false}, {"0", "1px", -1, true},
		{"1turn", "360deg", 0, true}, {"96dpi", "1dppx", 0, true}, {"1foo", "2foo", -1, true}, {"1foo", "1px", 0, false}, {"0.1", "0.10", 0, true},
	}
	for _, test := range tests {
		a, okA := Read(read(t, test.a))
		b, okB := Read(read(t, test.b))
		order, ok := a.Compare(b)
		if !okA || !okB || order != test.order || ok != test.ok {
			t.Errorf("%s and %s: got %d, %v; want %d, %v", test.a, test.b, order, ok, test.order, test.ok)
		}
	}
}

func TestRead(t *testing.T) {
	for text, want := range map[string]Number{
		"1px": {1, "px"}, "-1.5E2EM": {-150, "em"}, "+.5%": {0.5, "%"}, "7": {7, ""}, `1\70 x`: {1, "px"}, "1e3": {1000, ""}, "1e": {1, "e"},
	} {
		if got, ok := Read(read(t, text)); !ok || got != want {
			t.Errorf("%s: got %v, %v", text, got, ok)
		}
	}
	for _, text := range []string{"a", "#123", "calc(1px)", `"1px"`} {
		if got, ok := Read(read(t, text)); ok {
			t.Errorf("%s: got %v", text, got)
		}
	}
	if n, ok := Read(read(t, "1e999px")); !ok || !n.finite() {
		t.Errorf("1e999px: got %v, %v", n, ok)
	}
}

func TestMeasures(t *testing.T) {
	for unit, want := range map[string]string{
		"px": "length", "cqmin": "length", "dvh": "length", "turn": "angle", "ms": "time", "khz": "frequency", "x": "resolution", "%": "", "fr": "", "foo": "", "": "",
	} {
		if got := Measures(unit); got != want {
			t.Errorf("%q: got %q, want %q", unit, got, want)
		}
	}
}

func TestRounded(t *testing.T) {
	for text, want := range map[string]string{
		"33.3333333333333%": "33.333332%", "0.333333333333333": "0.33333334", "1.5px": "", "33.333%": "", "123456789012345678": "", "abcdefghijklmnopqrs": "",
	} {
		got := ""
		if with, ok := Rounded(read(t, text)); ok {
			got = with.Text
		}
		if got != want {
			t.Errorf("%s: got %q, want %q", text, got, want)
		}
	}
}

func TestMeasure(t *testing.T) {
	named := map[string]float64{"l": 0.5, "alpha": 1}
	for text, want := range map[string]Number{
		"calc(l * 2)": {1, ""}, "3px": {3, "px"}, "max(l, 0.75)": {0.75, ""}, "calc(alpha * 50%)": {50, "%"}, "calc(1px + 1in)": {97, "px"},
	} {
		if got, ok := Measure(read(t, text), named); !ok || got != want {
			t.Errorf("%s: got %v, %v", text, got, ok)
		}
	}
	for _, text := range []string{"l", "calc(h * 2)", "calc(1px + 1em)", "calc(1px + 1s)", "calc(1px * 1px)",
		"var(--x)", "calc(1 / 0)"} {
		if got, ok := Measure(read(t, text), named); ok {
			t.Errorf("%s: got %v", text, got)
		}
	}
}

// TestTypes checks the types of calculations (CSS Values 4, section 10.8).
func TestTypes(t *testing.T) {
	for text, want := range map[string]string{
		"calc(1px)": "a length", "calc(1px * 2)": "a length", "calc(1px + 10%)": "a length", "calc(10% + 1deg)": "an angle", "calc(1px / 1px)": "a number",
		"calc(1px * 1s)": "a length times a time", "calc(1 / 1px)": "a length to the power of -1", "atan2(1px, 2px)": "an angle", "sin(1rad)": "a number",
		"sign(1px)": "a number", "hypot(1s, 2s)": "a time", "calc(10%)": "a percentage", "calc(1px * 10% / 1px)": "a percentage",
	} {
		n, err := readMath(read(t, text), nil)
		if err != nil || n.of.String() != want {
			t.Errorf("%s: got %v, %v; want %s", text, n.of, err, want)
		}
	}
}

// TestDeepCalculations checks deeply nested input.
func TestDeepCalculations(t *testing.T) {
	text := "1px"
	for range ast.MaxDepth - 2 {
		text = "(" + text + " + var(--x))"
	}
	if got := folded(t, "calc"+text, Context{}); got != "calc"+text {
		t.Errorf("got %.80s…", got)
	}
	text = "1px"
	for range ast.MaxDepth - 2 {
		text = "min(" + text + " * 2, 1em)"
	}
	if got := folded(t, text, Context{}); len(got) > len(text) {
		t.Errorf("got %.80s…", got)
	}
}

func TestTypeOf(t *testing.T) {
	for src, want := range map[string]string{
		"calc(1 + 2)": "number", "calc(1px + 2em)": "length", "calc(1px + 2%)": "length", "calc(50% * 2)": "percentage", "min(1s, 20ms)": "time", "atan2(1, 2)": "angle",
		"calc(1px / 2px)": "number", "max(1deg, 2turn)": "angle", "calc(1dppx * 2)": "resolution", "sign(-1px)": "number",
		"calc(1px + 1s)": "", "calc(1px * 1px)": "", "calc(var(--x) + 1px)": "", "calc()": "", "sin(1px)": "",
	} {
		got, ok := TypeOf(read(t, src))
		if got != want || ok != (want != "") {
			t.Errorf("%s: got %q, %v, want %q", src, got, ok, want)
		}
	}
}
