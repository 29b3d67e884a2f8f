package prefix

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

func prefixed(src string, targets browsers.Targets) (string, []Change) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	nodes, changes := Nodes(sheet.Nodes, Options{Targets: targets})
	return print.Sheet(nodes, print.Options{Compact: true}), changes
}

// shown formats changes without their features.
func shown(changes []Change) string {
	list := slices.Clone(changes)
	for i := range list {
		list[i].Feature, list[i].Prefix = "", ""
	}
	return strings.ReplaceAll(fmt.Sprint(list), "   ", " ")
}

func TestPrefix(t *testing.T) {
	safari := browsers.AtLeast(map[string]browsers.Version{"safari": 15004})
	modern := browsers.AtLeast(map[string]browsers.Version{"chrome": 130000, "firefox": 130000})
	of := func(browser string, v browsers.Version) browsers.Targets {
		return browsers.AtLeast(map[string]browsers.Version{browser: v})
	}
	tests := []struct {
		name    string
		targets browsers.Targets
		src     string
		want    string
		changes string
	}{
		{"added", safari, `a { user-select: none }`, `a{-webkit-user-select:none;user-select:none}`, `[{-webkit-user-select false 1}]`},
		{"in any case", safari, `a { USER-SELECT: none }`, `a{-webkit-user-select:none;USER-SELECT:none}`, `[{-webkit-user-select false 1}]`},
		{"not needed", modern, `a { user-select: none }`, `a{user-select:none}`, `[]`},
		{"several", browsers.AtLeast(map[string]browsers.Version{"safari": 15004, "firefox": 40000}), `a { user-select: none }`,
			`a{-moz-user-select:none;-webkit-user-select:none;user-select:none}`, `[{-moz-user-select false 1} {-webkit-user-select false 1}]`},
		{"written already", safari, `a { -webkit-user-select: text; user-select: none }`, `a{-webkit-user-select:text;user-select:none}`, `[]`},
		{"important", safari, `a { user-select: none !important }`, `a{-webkit-user-select:none!important;user-select:none!important}`, `[{-webkit-user-select false 1}]`},
		{"counted", safari, `a { user-select: none } b { user-select: auto }`,
			`a{-webkit-user-select:none;user-select:none}b{-webkit-user-select:auto;user-select:auto}`, `[{-webkit-user-select false 2}]`},
		{"dropped", modern, `a { -webkit-border-radius: 1px; -moz-border-radius: 1px; border-radius: 1px }`, `a{border-radius:1px}`,
			`[{-webkit-border-radius true 1} {-moz-border-radius true 1}]`},
		{"another value stays", modern, `a { -webkit-border-radius: 2px; border-radius: 1px }`, `a{-webkit-border-radius:2px;border-radius:1px}`, `[]`},
		{"behind the standard stays", modern, `a { border-radius: 1px; -webkit-border-radius: 1px }`, `a{border-radius:1px;-webkit-border-radius:1px}`, `[]`},
		{"alone stays", modern, `a { -webkit-border-radius: 1px }`, `a{-webkit-border-radius:1px}`, `[]`},
		{"needed stays", safari, `a { -webkit-user-select: none; user-select: none }`, `a{-webkit-user-select:none;user-select:none}`, `[]`},
		{"without a standard stays", modern, `a { -webkit-box-orient: vertical; -webkit-tap-highlight-color: red }`,
			`a{-webkit-box-orient:vertical;-webkit-tap-highlight-color:red}`, `[]`},
		{"custom property", safari, `a { --user-select: none }`, `a{--user-select:none}`, `[]`},
		{"in media and keyframes", safari, `@media print { a { user-select: none } } @keyframes x { to { backdrop-filter: none } }`,
			`@media print{a{-webkit-user-select:none;user-select:none}}@keyframes x{to{-webkit-backdrop-filter:none;backdrop-filter:none}}`,
			`[{-webkit-user-select false 1} {-webkit-backdrop-filter false 1}]`},
		{"keyword", of("safari", 12000), `a { position: sticky; top: 0 }`, `a{position:-webkit-sticky;position:sticky;top:0}`, `[{position: -webkit- false 1}]`},
		{"keyword with another name", of("chrome", 109000), `a { width: stretch !important }`, `a{width:-webkit-fill-available!important;width:stretch!important}`,
			`[{width: -webkit-fill-available false 1}]`},
		{"keyword written already", of("safari", 12000), `a { position: -webkit-sticky; position: sticky }`, `a{position:-webkit-sticky;position:sticky}`, `[]`},
		{"the first grid was another", of("edge", 12000), `a { display: grid }`, `a{display:grid}`, `[]`},
		{"function", of("chrome", 109000), `a { background: image-set(url(x.png) 1x) no-repeat }`,
			`a{background:-webkit-image-set(url(x.png) 1x) no-repeat;background:image-set(url(x.png) 1x) no-repeat}`, `[{background: -webkit- false 1}]`},
		{"function in a function", of("chrome", 20000), `a { width: f(calc(1px + 1em)) }`, `a{width:f(-webkit-calc(1px + 1em));width:f(calc(1px + 1em))}`, `[{width: -webkit- false 1}]`},
		{"property in transition", of("safari", 15004), `a { transition: backdrop-filter 1s, color 2s; will-change: backdrop-filter; transition-property: backdrop-filter, color }`,
			`a{transition:backdrop-filter 1s,color 2s;will-change:backdrop-filter;transition-property:backdrop-filter,color}` +
				`@supports not (backdrop-filter:inherit){a{transition:-webkit-backdrop-filter 1s,color 2s;will-change:-webkit-backdrop-filter;transition-property:-webkit-backdrop-filter,color}}`,
			`[{transition: -webkit-backdrop-filter false 1} {will-change: -webkit-backdrop-filter false 1} {transition-property: -webkit-backdrop-filter false 1}]`},
		{"property in transition, without @supports", of("chrome", 20000), `a { transition: transform 1s, color 2s }`,
			`a{-webkit-transition:transform 1s,color 2s,-webkit-transform 1s;transition:transform 1s,color 2s,-webkit-transform 1s}`,
			`[{transition: -webkit-transform false 1} {-webkit-transition false 1}]`},
		{"keyframes", of("chrome", 30000), `@keyframes x { to { transform: none; user-select: none } }`,
			`@-webkit-keyframes x{to{-webkit-transform:none;transform:none;-webkit-user-select:none;user-select:none}}@keyframes x{to{-webkit-transform:none;transform:none;-webkit-user-select:none;user-select:none}}`,
			`[{@-webkit-keyframes false 1} {-webkit-transform false 1} {-webkit-user-select false 1}]`},
		{"keyframes of one prefix", browsers.AtLeast(map[string]browsers.Version{"chrome": 30000, "firefox": 10000}), `@keyframes x { to { transform: none } }`,
			`@-moz-keyframes x{to{-moz-transform:none;transform:none}}@-webkit-keyframes x{to{-webkit-transform:none;transform:none}}` +
				`@keyframes x{to{-moz-transform:none;-webkit-transform:none;transform:none}}`,
			`[{@-moz-keyframes false 1} {@-webkit-keyframes false 1} {-moz-transform false 1} {-webkit-transform false 1}]`},
		{"selector", of("safari", 15004), `a:fullscreen b { c: d }`, `a:-webkit-full-screen b{c:d}a:fullscreen b{c:d}`, `[{-webkit-full-screen false 1}]`},
		{"selector in a list", of("chrome", 50000), `.x, ::placeholder, p::placeholder { c: d; user-select: none }`,
			`.x{c:d;-webkit-user-select:none;user-select:none}::-webkit-input-placeholder,p::-webkit-input-placeholder{c:d;-webkit-user-select:none;user-select:none}::placeholder,p::placeholder{c:d;-webkit-user-select:none;user-select:none}`,
			`[{-webkit-user-select false 1} {-webkit-input-placeholder false 1}]`},
		{"selector with several names", browsers.AtLeast(map[string]browsers.Version{"safari": 9000, "firefox": 30000}), `::placeholder { c: d }`,
			`::-moz-placeholder{c:d}::-webkit-input-placeholder{c:d}::placeholder{c:d}`, `[{-moz-placeholder false 1} {-webkit-input-placeholder false 1}]`},
		{"selector with another name", of("safari", 13000), `input::file-selector-button { c: d }`, `input::-webkit-file-upload-button{c:d}input::file-selector-button{c:d}`, `[{-webkit-file-upload-button false 1}]`},
		{"selectors that some targets do not know", of("safari", 9000), `:fullscreen, ::placeholder { c: d }`,
			`:-webkit-full-screen{c:d}:fullscreen{c:d}::-webkit-input-placeholder{c:d}::placeholder{c:d}`, `[{-webkit-full-screen false 1} {-webkit-input-placeholder false 1}]`},
		{"selector written already", of("chrome", 50000), `::-webkit-input-placeholder { c: e } ::placeholder { c: d }`, `::-webkit-input-placeholder{c:e}::placeholder{c:d}`, `[]`},
		{"selector not needed", modern, `::placeholder, :fullscreen { c: d }`, `::placeholder,:fullscreen{c:d}`, `[]`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			got, changes := prefixed(test.src, test.targets)
			if got != test.want+"\n" || shown(changes) != test.changes {
				t.Errorf("%s\n got %s%v\nwant %s\n%s", test.src, got, changes, test.want, test.changes)
			}
			if twice, changes := prefixed(got, test.targets); twice != got || len(changes) > 0 {
				t.Errorf("%s\nonce  %stwice %s", test.src, got, twice)
			}
		})
	}
}

// TestOldForms checks features whose old forms differ in more than a prefix.
func TestOldForms(t *testing.T) {
	of := func(browser string, v browsers.Version) browsers.Targets {
		return browsers.AtLeast(map[string]browsers.Version{browser: v})
	}
	chrome20, chrome22, firefox15 := of("chrome", 20000), of("chrome", 22000), of("firefox", 15000)
	tests := []struct {
		targets   browsers.Targets
		src, want string
	}{
		{chrome20, `a { display: flex }`, `a{display:-webkit-box;display:-webkit-flex;display:flex}`},
		{chrome22, `a { display: flex }`, `a{display:-webkit-flex;display:flex}`},
		{firefox15, `a { display: inline-flex }`, `a{display:-moz-inline-box;display:inline-flex}`},
		{firefox15, `a { flex-direction: column-reverse; justify-content: space-between; align-items: flex-end }`,
			`a{-moz-box-orient:vertical;-moz-box-direction:reverse;flex-direction:column-reverse;-moz-box-pack:justify;justify-content:space-between;-moz-box-align:end;align-items:flex-end}`},
		{firefox15, `a { flex-flow: row wrap; flex: 2 1 0; order: 3 }`,
			`a{-moz-box-orient:horizontal;-moz-box-direction:normal;flex-flow:row wrap;-moz-box-flex:2;flex:2 1 0;-moz-box-ordinal-group:4;order:3}`},
		{firefox15, `a { flex: none } b { flex: auto } c { flex: 10px } d { order: -1; justify-content: space-around; align-items: last baseline; flex-flow: wrap }`,
			`a{-moz-box-flex:0;flex:none}b{-moz-box-flex:1;flex:auto}c{flex:10px}d{order:-1;justify-content:space-around;align-items:last baseline;flex-flow:wrap}`},
		{firefox15, `a { -moz-box-flex: 5; flex: 1; display: -moz-box; display: flex }`, `a{-moz-box-flex:5;flex:1;display:-moz-box;display:flex}`},
		{firefox15, `a { background: linear-gradient(to right, red, blue) }`, `a{background:-moz-linear-gradient(left,red,blue);background:linear-gradient(to right,red,blue)}`},
		{chrome22, `a { background: url(x) no-repeat, linear-gradient(to bottom left, red 1px, rgba(0, 0, 0, 0.5) 50%) }`,
			`a{background:url(x) no-repeat,-webkit-linear-gradient(top right,red 1px,rgba(0,0,0,0.5) 50%);background:url(x) no-repeat,linear-gradient(to bottom left,red 1px,rgba(0,0,0,0.5) 50%)}`},
		{chrome22, `a { background: linear-gradient(30deg, red, blue); mask: repeating-linear-gradient(0.5turn, red, blue 10px) }`,
			`a{background:-webkit-linear-gradient(60deg,red,blue);background:linear-gradient(30deg,red,blue);-webkit-mask:repeating-linear-gradient(0.5turn,red,blue 10px);` +
				`mask:-webkit-repeating-linear-gradient(-90deg,red,blue 10px);mask:repeating-linear-gradient(0.5turn,red,blue 10px)}`},
		{chrome22, `a { background: linear-gradient(red, blue) } b { background: linear-gradient(red, 30%, blue) } c { background: linear-gradient(calc(1deg + 2deg), red, blue) }`,
			`a{background:-webkit-linear-gradient(red,blue);background:linear-gradient(red,blue)}b{background:linear-gradient(red,30%,blue)}c{background:linear-gradient(calc(1deg + 2deg),red,blue)}`},
		{chrome22, `a { background: radial-gradient(circle closest-side at 10px 20%, red, blue) } b { background: radial-gradient(red, blue) } c { background: radial-gradient(circle, red, blue) }`,
			`a{background:-webkit-radial-gradient(10px 20%,circle closest-side,red,blue);background:radial-gradient(circle closest-side at 10px 20%,red,blue)}` +
				`b{background:-webkit-radial-gradient(red,blue);background:radial-gradient(red,blue)}c{background:-webkit-radial-gradient(center,circle,red,blue);background:radial-gradient(circle,red,blue)}`},
		{chrome22, `a { background: radial-gradient(at left, red, blue) } b { background: radial-gradient(10px 20px at left, red, blue) }`,
			`a{background:-webkit-radial-gradient(left,red,blue);background:radial-gradient(at left,red,blue)}b{background:radial-gradient(10px 20px at left,red,blue)}`},
		{of("chrome", 60000), `a { gap: 1px; column-gap: 2px } b { grid-gap: 3px; gap: 1px }`, `a{grid-gap:1px;gap:1px;grid-column-gap:2px;column-gap:2px}b{grid-gap:3px;gap:1px}`},
		{of("chrome", 20000), `a { overflow-wrap: anywhere }`, `a{word-wrap:anywhere;overflow-wrap:anywhere}`},
	}
	for _, test := range tests {
		got, _ := prefixed(test.src, test.targets)
		if got != test.want+"\n" {
			t.Errorf("%s\n got %swant %s", test.src, got, test.want)
		}
		if twice, changes := prefixed(got, test.targets); twice != got || len(changes) > 0 {
			t.Errorf("%s\nonce  %stwice %s%v", test.src, got, twice, changes)
		}
	}
}

func TestAsIs(t *testing.T) {
	targets := browsers.AtLeast(map[string]browsers.Version{"safari": 9000, "chrome": 40000})
	const src = `a, ::placeholder { user-select: none; width: fit-content; background: image-set(url(x) 1x); /* rinzel as-is */ backdrop-filter: none; clip-path: none } /* rinzel as-is */ b { clip-path: none } @keyframes k { to { transform: none } }`
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	nodes, _ := Nodes(sheet.Nodes,
		Options{Targets: targets, AsIs: []string{"user-select", "fit-content", "image-set", "::placeholder", "@keyframes"}})
	want := `a,::placeholder{user-select:none;width:fit-content;background:image-set(url(x) 1x);backdrop-filter:none;-webkit-clip-path:none;clip-path:none}b{clip-path:none}@keyframes k{to{transform:none}}` + "\n"
	if got := print.Sheet(nodes, print.Options{Compact: true}); got != want {
		t.Errorf("got %s\nwant %s", got, want)
	}
}

func TestReasons(t *testing.T) {
	targets := browsers.AtLeast(map[string]browsers.Version{"safari": 12000, "chrome": 50000})
	for src, want := range map[string]string{
		`a { user-select: none }`:                              "-webkit-user-select for chrome up to 53, safari up to 27.2",
		`a { -webkit-border-radius: 1px; border-radius: 1px }`: "-webkit-border-radius no target needs it",
		`a { position: sticky }`:                               "position: -webkit- for safari up to 12.1",
		`::placeholder { top: 0 }`:                             "-webkit-input-placeholder for chrome up to 56",
		`a { gap: 1px }`:                                       "grid-gap for chrome up to 65",
		`a { transition: backdrop-filter 1s }`:                 "transition: -webkit-backdrop-filter for safari up to 17.6",
		`a { background: image-set(url(x) 1x) }`:               "background: -webkit- for chrome up to 112, safari up to 16.6",
	} {
		_, changes := prefixed(src, targets)
		if len(changes) == 0 {
			t.Errorf("%s: no change", src)
			continue
		}
		if got := changes[0].Property + " " + changes[0].Reason(targets); got != want {
			t.Errorf("%s: %s, want %s", src, got, want)
		}
	}
}

func BenchmarkPrefix(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	targets := browsers.Default()
	for b.Loop() {
		Nodes(sheet.Nodes, Options{Targets: targets})
	}
}

// TestPrefixTwice checks that a second run changes nothing, for old targets.
func TestPrefixTwice(t *testing.T) {
	old := browsers.AtLeast(map[string]browsers.Version{"chrome": 20000, "firefox": 10000, "safari": 6000, "edge": 12000})
	for _, src := range append(csstest.Valid, csstest.Generate(1<<15)) {
		once, _ := prefixed(src, old)
		if twice, changes := prefixed(once, old); twice != once || len(changes) > 0 {
			t.Errorf("%.200q\nonce  %.300s\ntwice %.300s\n%v", src, once, twice, changes)
		}
	}
}

// TestDataDemands uses targets from very old to new. It compares the prefixed
// forms of every property with those that the data requires, derived here from
// the text of the table alone.
func TestDataDemands(t *testing.T) {
	features := make(map[string]string)
	table, err := os.ReadFile("../../browsers/facts.txt")
	if err != nil {
		t.Fatal(err)
	}
	for _, line := range strings.Split(string(table), "\n") {
		id, facts, _ := strings.Cut(line, " ")
		name, isProperty := strings.CutPrefix(id, "css.properties.")
		if isProperty && !strings.Contains(name, ".") && strings.Contains(facts, ":-") {
			features[name] = facts
		}
	}
	for _, target := range []string{"chrome 4", "chrome 20", "chrome 40", "chrome 60", "chrome 109", "chrome 150",
		"firefox 3", "firefox 15", "firefox 45", "firefox 115",
		"safari 4", "safari 7", "safari 10", "safari 15.4", "safari 26", "edge 12", "edge 18", "edge 100", "opera 15", "samsung 5", "safari-ios 9"} {
		browser, version, _ := strings.Cut(target, " ")
		v, err := browsers.ParseVersion(version)
		if err != nil {
			t.Fatal(err)
		}
		targets := browsers.AtLeast(map[string]browsers.Version{browser: v})
		for name, facts := range features {
			got, _ := prefixed("a { "+name+": inherit }", targets)
			for _, prefix := range []string{"-webkit-", "-moz-", "-ms-", "-o-"} {
				has := strings.Contains(got, prefix+name+":") && name[0] != '-'
				if want := demanded(facts, browser, v, prefix); has && !servedBy(facts, browser, v, prefix) || !has && want &&
					name[0] != '-' {
					t.Errorf("%s for %s: %s is %v in %s, by %s", name, target, prefix, has, got, facts)
				}
			}
		}
	}
}

// TestDataDemandsOfSelectors does for selectors what [TestDataDemands] does for
// properties: exactly the forms that the data requires get rules of their own
// before the standard one.
func TestDataDemandsOfSelectors(t *testing.T) {
	table, err := os.ReadFile("../../browsers/facts.txt")
	if err != nil {
		t.Fatal(err)
	}
	met := 0
	for _, target := range []string{"chrome 4", "chrome 20", "chrome 50", "chrome 88", "chrome 150", "firefox 4",
		"firefox 20", "firefox 60", "firefox 120",
		"safari 4", "safari 9", "safari 14", "safari 26", "edge 12", "edge 79", "samsung 4", "safari-ios 8"} {
		browser, version, _ := strings.Cut(target, " ")
		v, err := browsers.ParseVersion(version)
		if err != nil {
			t.Fatal(err)
		}
		targets := browsers.AtLeast(map[string]browsers.Version{browser: v})
		for _, line := range strings.Split(string(table), "\n") {
			id, facts, _ := strings.Cut(line, " ")
			name, isSelector := strings.CutPrefix(id, "css.selectors.")
			if !isSelector || strings.Contains(name, ".") || otherMeaning[name] {
				continue
			}
			forms := make(map[string]bool) // by the name in the rule
			ranges(facts, browser, func(_, _ browsers.Version, prefix string) {
				other, isName := strings.CutPrefix(prefix, "=")
				switch {
				case isName:
					forms[strings.TrimLeft(other, ":")] = forms[other] || demanded(facts, browser, v, prefix)
				case prefix != "":
					forms[prefix+name] = forms[prefix+name] || demanded(facts, browser, v, prefix)
				}
			})
			got, _ := prefixed("a:"+name+" { top: 0 }", targets)
			for form, want := range forms {
				rule := "a:" + form + "{top:0}"
				if has := strings.Contains(got, rule); has != want && !(has && served(facts, browser, v, form, name)) {
					t.Errorf("%s for %s: %q is %v in %s, by %s", name, target, rule, has, got, facts)
				} else if has {
					met++
				}
			}
			if !strings.HasSuffix(got, "a:"+name+"{top:0}\n") {
				t.Errorf("%s for %s: the standard one is not last in %s", name, target, got)
			}
		}
	}
	if met < 30 {
		t.Errorf("only %d forms were demanded: they prove nothing", met)
	}
}

// TestDataDemandsOfValues does for keywords, functions and @keyframes what
// [TestDataDemands] does for properties.
func TestDataDemandsOfValues(t *testing.T) {
	table, err := os.ReadFile("../../browsers/facts.txt")
	if err != nil {
		t.Fatal(err)
	}
	met := 0
	for _, target := range []string{"chrome 4", "chrome 22", "chrome 40", "chrome 67", "chrome 109", "chrome 150",
		"firefox 4", "firefox 15", "firefox 60", "firefox 93",
		"safari 5", "safari 8", "safari 12", "safari 26", "edge 79", "edge 120", "opera 15", "samsung 4", "safari-ios 8"} {
		browser, version, _ := strings.Cut(target, " ")
		v, err := browsers.ParseVersion(version)
		if err != nil {
			t.Fatal(err)
		}
		targets := browsers.AtLeast(map[string]browsers.Version{browser: v})
		for _, line := range strings.Split(string(table), "\n") {
			id, facts, _ := strings.Cut(line, " ")
			src, before, name, after := valueOf(id)
			if src == "" {
				continue
			}
			got, _ := prefixed(src, targets)
			forms := make(map[string]string) // prefixes by their forms
			ranges(facts, browser, func(_, _ browsers.Version, prefix string) {
				if prefix != "" {
					forms[before+renamed(prefix, name)+after] = prefix
				}
			})
			for form, prefix := range forms {
				has := strings.Contains(got, form)
				if want := demanded(facts, browser, v, prefix); has && !servedBy(facts, browser, v, prefix) || !has && want {
					t.Errorf("%s for %s: %q is %v in %s, by %s", id, target, form, has, got, facts)
				} else if has {
					met++
				}
			}
		}
	}
	if met < 100 {
		t.Errorf("only %d forms were demanded: they prove nothing", met)
	}
}

// TestNothingNeeded checks that nodes that need no change are returned, not
// copied.
func TestNothingNeeded(t *testing.T) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css",
		"@media print { a { color: red } } b { top: 0 } @keyframes x { to { top: 0 } }"))
	targets := browsers.AtLeast(map[string]browsers.Version{"safari": 15004})
	if nodes, changes := Nodes(sheet.Nodes, Options{Targets: targets}); !slices.Equal(nodes, sheet.Nodes) ||
		len(changes) > 0 {
		t.Errorf("other nodes: %v, with %v", nodes, changes)
	}
}

// valueOf returns a sheet with a feature that is a keyword, a function or
// @keyframes, its name, and the surrounding text; none for other features.
func valueOf(id string) (src, before, name, after string) {
	if id == "css.at-rules.keyframes" {
		return "@keyframes x { to { top: 0 } }", "@", "keyframes", " x{"
	}
	for function, feature := range functionFeatures {
		if feature == id {
			return "a { content: " + function + "(red, blue) }", "content:", function, "("
		}
	}
	property, isProperty := strings.CutPrefix(id, "css.properties.")
	property, keyword, _ := strings.Cut(property, ".")
	if !isProperty || keyword == "" || strings.ContainsAny(keyword, "._") || notTheSame[id+" -ms-"] ||
		functionFeatures[keyword] != "" {
		return "", "", "", ""
	}
	return "a { " + property + ": " + keyword + " }", property + ":", keyword, ""
}

// served reports whether some version supports a selector with a form, and not
// without it.
func served(facts, browser string, floor browsers.Version, form, name string) bool {
	for _, prefix := range []string{"=:" + form, "=::" + form, strings.TrimSuffix(form, name)} {
		if servedBy(facts, browser, floor, prefix) {
			return true
		}
	}
	return false
}

// ranges calls f with each range of versions of a browser in the table.
func ranges(facts, browser string, f func(since, until browsers.Version, prefix string)) {
	for _, part := range strings.Fields(facts) {
		list, ok := strings.CutPrefix(part, browser+"=")
		if !ok {
			continue
		}
		for _, item := range strings.Split(list, ",") {
			versions, prefix, _ := strings.Cut(item, ":")
			from, to, ends := strings.Cut(versions, "-")
			since, _ := browsers.ParseVersion(from)
			until := browsers.Version(1 << 30)
			if ends {
				until, _ = browsers.ParseVersion(to)
			}
			f(since, until, prefix)
		}
	}
}

// versionsOf returns the versions that a floor selects.
func versionsOf(browser string, floor browsers.Version) []browsers.Version {
	out := []browsers.Version{floor}
	for _, r := range browsers.Releases(browser) {
		if r.Version > floor {
			out = append(out, r.Version)
		}
	}
	return append(out, 1<<29)
}

// demanded reports whether some version supports a feature only with this
// prefix, and therefore needs it in any case.
func demanded(facts, browser string, floor browsers.Version, prefix string) bool {
	for _, v := range versionsOf(browser, floor) {
		only, others := false, false
		ranges(facts, browser, func(since, until browsers.Version, p string) {
			if since <= v && v < until {
				only = only || p == prefix
				others = others || p != prefix
			}
		})
		if only && !others {
			return true
		}
	}
	return false
}

// servedBy reports whether some version supports a feature with a prefix, and
// not without it.
func servedBy(facts, browser string, floor browsers.Version, prefix string) bool {
	for _, v := range versionsOf(browser, floor) {
		under, plain := false, false
		ranges(facts, browser, func(since, until browsers.Version, p string) {
			if since <= v && v < until {
				under = under || p == prefix
				plain = plain || p == ""
			}
		})
		if under && !plain {
			return true
		}
	}
	return false
}

func TestMerge(t *testing.T) {
	a := []Change{{Property: "-webkit-x", Count: 1}, {Property: "-moz-x", Dropped: true, Count: 2}}
	got := Merge(a, []Change{{Property: "-moz-x", Dropped: true, Count: 3}, {Property: "-moz-x", Count: 4}})
	want := []Change{{Property: "-webkit-x", Count: 1}, {Property: "-moz-x", Dropped: true, Count: 5},
		{Property: "-moz-x", Count: 4}}
	if !slices.Equal(got, want) || a[1].Count != 2 {
		t.Errorf("got %v of %v", got, a)
	}
}
