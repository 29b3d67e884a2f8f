package replace_test

import (
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/replace"
	"rinzel/internal/source"
)

// parsed returns the values of replace() and the nodes of a sheet.
func parsed(t testing.TB, rules, sheet string) ([]ast.Value, []ast.Node) {
	t.Helper()
	var set source.Set
	values, diags := parse.Values(set.Add(source.Path{}, "rules", rules))
	if len(diags) > 0 {
		t.Fatalf("%s: %s", rules, diags[0].Message)
	}
	tree, _ := parse.Sheet(set.Add(source.Path{}, "sheet.css", sheet))
	return values, tree.Nodes
}

// replaced returns a sheet with values replaced, on one line.
func replaced(t testing.TB, rules, sheet string) (string, *replace.Set) {
	t.Helper()
	values, nodes := parsed(t, rules, sheet)
	s, err := replace.Read(values)
	if err != nil {
		t.Fatalf("%s: %v", rules, err)
	}
	return strings.TrimSpace(print.Sheet(s.Nodes(nodes), print.Options{Compact: true})), s
}

var cases = []struct{ name, rules, sheet, want string }{
	{"every spelling of a colour", "#2b6cb0: teal", "a{color:#2B6CB0;background:rgb(43,108,176);fill:rgb(43 108 176/100%);stroke:#2b6cb0ff}",
		"a{color:teal;background:teal;fill:teal;stroke:teal}"},
	{"in functions", "#2b6cb0: teal", "a{background:linear-gradient(90deg,#2b6cb0,#fff 3px)}", "a{background:linear-gradient(90deg,teal,#fff 3px)}"},
	{"the alpha stays", "#2b6cb0: teal", "a{color:rgba(43,108,176,.35)}", "a{color:rgba(0,128,128,0.35)}"},
	{"the alpha stays with what a browser knows", "#2b6cb0: var(--sea)", "a{color:rgba(43,108,176,.35)}", "a{color:color-mix(in srgb,var(--sea) 35%,transparent)}"},
	{"the alpha multiplies", "#2b6cb0: rgb(0 128 128 / .5)", "a{color:rgba(43,108,176,.5)}", "a{color:rgba(0,128,128,0.25)}"},
	{"a translucent colour of its own", "#2b6cb0: teal; rgb(43 108 176 / .35): pink", "a{color:rgba(43,108,176,.35);fill:#2b6cb0}", "a{color:pink;fill:teal}"},
	{"transparent is not black", "#000: red", "a{color:transparent;fill:black}", "a{color:transparent;fill:red}"},
	{"a name is no colour where names are", "tan: brown", "a{animation:tan 1s;color:tan;--x:tan}", "a{animation:tan 1s;color:brown;--x:brown}"},
	{"a name where it is asked for", `property("animation") tan: drift`, "a{animation:tan 1s;color:tan}", "a{animation:drift 1s;color:tan}"},
	{"several at once", "#245a94, #1d4a7a: oklch(from old l c 190)", "a{color:#245a94}b{color:#1d4a7a}", "a{color:oklch(0.461789 0.110378 190)}b{color:oklch(0.40358 0.094801 190)}"},
	{"the old alpha", "rgb(0 0 0 / .2): rgb(from old 43 108 176 / calc(alpha * 2))", "a{color:#0003}", "a{color:color(srgb 0.168627 0.423529 0.690196 / 0.4)}"},
	{"numbers by value", "0.5rem: 1rem", "a{margin:.5rem 0.50REM .5em 5rem}", "a{margin:1rem 1rem .5em 5rem}"},
	{"worked out", "4px, 6px: calc(old * 2)", "a{padding:4px 6px 8px}", "a{padding:8px 12px 8px}"},
	{"within a calculation", "4px: 8px", "a{width:calc(100% - 4px)}", "a{width:calc(100% - 8px)}"},
	{"not its negative", "4px: 8px", "a{margin:-4px 4px}", "a{margin:-4px 8px}"},
	{"by property", `property("*radius") 4px: 0`, "a{border-radius:4px;padding:4px}", "a{border-radius:0;padding:4px}"},
	{"by property first", `4px: 1px; property("padding*") 4px: 2px`, "a{border-radius:4px;padding:4px}", "a{border-radius:1px;padding:2px}"},
	{"the last one counts", "4px: 1px; 4px: 2px", "a{padding:4px}", "a{padding:2px}"},
	{"once only", "4px: 8px; 8px: 16px", "a{padding:4px 8px}", "a{padding:8px 16px}"},
	{"several values", "0 1px 2px: none", "a{box-shadow:0 1px 2px #000;margin:0 1px 3px}", "a{box-shadow:none #000;margin:0 1px 3px}"},
	{"the longer pattern first", "1px: 9px; 1px solid: 2px dashed", "a{border:1px solid red;width:1px}", "a{border:2px dashed red;width:9px}"},
	{"a list", "{43, 108, 176}: {0, 128, 128}", "a{--rgb:43, 108,176;--other:43,108,177}", "a{--rgb:0, 128, 128;--other:43,108,177}"},
	{"fonts", `"Open Sans", Arial: "Harbour Sans"`, "a{font:1rem/1.5 'open sans',serif}b{font-family:arial,serif}", `a{font:1rem/1.5 "Harbour Sans",serif}b{font-family:"Harbour Sans",serif}`},
	{"custom properties keep their space", "#2b6cb0: teal", "a{--ring:0  0 3px #2b6cb0 ;--empty:}", "a{--ring:0  0 3px teal;--empty: }"},
	{"pictures", "#2b6cb0: teal; #fff: #123456", `a{background:url("data:image/svg+xml,%3csvg fill='%232b6cb0' stroke='%23FFF' id='%232b6cb0x'/%3e")}`,
		`a{background:url("data:image/svg+xml,%3csvg fill='%23008080' stroke='%23123456' id='%232b6cb0x'/%3e")}`},
	{"pictures without what a picture cannot hold", "#2b6cb0: var(--sea)", `a{background:url("data:image/svg+xml,%232b6cb0")}`, `a{background:url("data:image/svg+xml,%232b6cb0")}`},
	{"no other data", "#2b6cb0: teal", `a{background:url("data:text/css,%232b6cb0")}`, `a{background:url("data:text/css,%232b6cb0")}`},
	{"conditions", `feature("*width") 768px: 800px`, "@media (min-width:768px) and (height>768px){a{width:768px}}@media not (width<768px){b{top:0}}", "@media(min-width:800px) and (height>768px){a{width:768px}}@media not (width<800px){b{top:0}}"},
	{"containers", `feature("width") 40em: 50em`, "@container hull (width > 40em) or (40em<=width){a{top:0}}", "@container hull (width > 50em) or (50em<=width){a{top:0}}"},
	{"not in conditions", "768px: 800px", "@media (min-width:768px){a{width:768px}}", "@media(min-width:768px){a{width:800px}}"},
	{"nested rules", "red: blue", "@layer x{@supports (color:red){a{&:hover{color:red}}}}", "@layer x{@supports(color:red){a{&:hover{color:blue}}}}"},
	{"descriptors", `"Open Sans": Sail`, `@font-face{font-family:"Open Sans";src:url(x)}`, `@font-face{font-family:Sail;src:url(x)}`},
	{"other functions", "cubic-bezier(.4,0,.2,1): ease", "a{transition:color 1s cubic-bezier( .4, 0, .2, 1 )}", "a{transition:color 1s ease}"},
	{"important stays", "red: blue", "a{color:red!important}", "a{color:blue!important}"},
}

func TestReplace(t *testing.T) {
	t.Parallel()
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			if got, _ := replaced(t, c.rules, c.sheet); got != c.want {
				t.Errorf("replace(%s) of %s\n got %s\nwant %s", c.rules, c.sheet, got, c.want)
			}
		})
	}
}

// A value that is replaced by itself leaves the sheet unchanged.
func TestReplaceByItself(t *testing.T) {
	t.Parallel()
	for _, c := range cases {
		_, nodes := parsed(t, "", c.sheet)
		var counter replace.Counter
		counter.Add(nodes)
		before := strings.TrimSpace(print.Sheet(nodes, print.Options{Compact: true}))
		for _, r := range counter.Repeats() {
			if r.Group > replace.Times || r.IsChannels() {
				continue
			}
			if got, s := replaced(t, r.Text+": old", c.sheet); got != before || s.Replaced() < len(r.Uses) {
				t.Errorf("%s by itself: %d of %d uses replaced in\n got %s\nwant %s", r.Text, s.Replaced(), len(r.Uses), got,
					before)
			}
		}
	}
}

func TestReadErrors(t *testing.T) {
	t.Parallel()
	for rules, want := range map[string]string{
		"":                   "empty",
		";":                  "empty",
		"red":                "expected ':'",
		": red":              "both sides",
		"red:":               "both sides",
		"red,, blue: green":  "between commas",
		`property("x"): red`: "before ':'",
	} {
		values, _ := parsed(t, rules, "")
		if _, err := replace.Read(values); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: got error %v, want %q", rules, err, want)
		}
	}
}

// Replacements are limited: each import of a chain could double the sheet.
func TestLimit(t *testing.T) {
	t.Parallel()
	_, nodes := parsed(t, "", "a{--x:mast}")
	for i := range 40 {
		values, _ := parsed(t, "mast: old old", "")
		s, err := replace.Read(values)
		if err != nil {
			t.Fatal(err)
		}
		s.Limit = 10_000
		nodes = s.Nodes(nodes)
		if s.Exceeded() {
			if i < 10 || i > 14 {
				t.Errorf("the limit was met in step %d", i)
			}
			return
		}
	}
	t.Error("no limit was met")
}

func TestIdle(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ rules, sheet, pattern, near string }{
		{"#2b6cb1: teal", "a{color:#2b6cb0;fill:#fff}", "#2b6cb1", "#2b6cb0"},
		{"#2b6cb1: teal", "a{color:#fff}", "#2b6cb1", ""},
		{"15px: 1px", "a{width:16px;height:64px;top:15em}", "15px", "16px"},
		{`"Open": Sail`, `a{font-family:"Open Sans"}`, `"Open"`, `"Open Sans"`},
		{`property("color") red: blue`, "a{fill:red}", "red", "red"},
	} {
		_, s := replaced(t, c.rules, c.sheet)
		count := 0
		s.Unmatched(func(p *replace.Pattern, near string) {
			if count++; p.Text() != c.pattern || near != c.near {
				t.Errorf("%s: got %q, near %q, want %q, near %q", c.rules, p.Text(), near, c.pattern, c.near)
			}
		})
		if count != 1 {
			t.Errorf("%s: got %d idle patterns, want 1", c.rules, count)
		}
	}
}

func TestRepeats(t *testing.T) {
	t.Parallel()
	_, nodes := parsed(t, "", `
:root { --accent: #2b6cb0; --accent-rgb: 43, 108, 176; --ring: rgba(43,108,176,.35) }
a { color: #2B6CB0; background: rgb(43 108 176) transparent; font: italic 16px/1.5 "Open Sans", Arial, sans-serif }
a:hover { color: #245a94; fill: #b02b2b; transition: color .2s; margin: 0 4px; animation: tan 1s }
b { font-family: Open Sans, inherit; padding: 4.0px; background: url("data:image/svg+xml,%232b6cb0") }
@media (min-width: 768px) { b { color: #2b6cb0 } }
@container (768px <= width) { b { color: #2b6cb0 } }`)
	var counter replace.Counter
	counter.Add(nodes)
	var got []string
	for _, r := range counter.Repeats() {
		line := r.Group.String() + ": " + r.Text + " " + strings.Repeat("*", len(r.Uses))
		if r.From != "" {
			line += " " + r.From + " " + r.Relative
		}
		got = append(got, line)
	}
	want := []string{
		"colours: #2b6cb0 ******",
		"colours: {43, 108, 176} * #2b6cb0 the channels of old",
		"colours: rgba(43,108,176,.35) * #2b6cb0 rgb(from old r g b / 0.35)",
		"colours: #245a94 * #2b6cb0 oklch(from old calc(l - 0.062) calc(c * 0.877) calc(h + 0.42))",
		"colours: #b02b2b *",
		"lengths: 4px **", "lengths: 16px *",
		"times: .2s *", "times: 1s *",
		`fonts: "Open Sans" **`, "fonts: Arial *",
		"lengths in conditions: 768px **",
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// A colour that is derived from another one is exact: replacing it changes
// nothing.
func TestRelations(t *testing.T) {
	t.Parallel()
	colors := strings.Fields("#2b6cb0 #245a94 #1d4a7a #6b9bd1 #b02b2b #8c1f1f #d65a5a #14697a #0b4f5c #e85600 #f57f17 #5755d9 #302ecd #4b48d6")
	found := 0
	for _, base := range colors {
		for _, c := range colors {
			_, nodes := parsed(t, "", "a{color:"+base+";fill:"+base+"}b{color:"+c+"}")
			var counter replace.Counter
			counter.Add(nodes)
			for _, r := range counter.Repeats() {
				if r.From == "" {
					continue
				}
				found++
				got, _ := replaced(t, c+": "+strings.ReplaceAll(r.Relative, "old", base), "b{color:"+c+"}")
				if key := keyIn(t, got); key != keyIn(t, "b{color:"+c+"}") {
					t.Errorf("%s of %s: %s gives %s", c, base, r.Relative, got)
				}
			}
		}
	}
	if found < 20 {
		t.Errorf("only %d relations were found", found)
	}
}

// keyIn returns the key of the first value of the first declaration of a sheet.
func keyIn(t *testing.T, sheet string) string {
	_, nodes := parsed(t, "", sheet)
	d := ast.Body(nodes[0])[0].(*ast.Declaration)
	key, _ := replace.Key(&d.Value[0], "color")
	return key
}
