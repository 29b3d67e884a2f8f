package std_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
	"rinzel/internal/std"
	"rinzel/internal/step/compose"
)

var update = flag.Bool("update", false, "write the documentation of the sheets")

// sheetOf parses one of the sheets, which must have no findings.
func sheetOf(t *testing.T, name string) (*source.File, []ast.Node) {
	t.Helper()
	text, ok := std.Sheet(name)
	if !ok {
		t.Fatalf("no sheet %s", name)
	}
	file := new(source.Set).Add(source.Path{Root: std.Root, Name: name}, "std:"+name, text)
	sheet, found := parse.Sheet(file)
	if len(found) > 0 {
		t.Fatal(found)
	}
	return file, sheet.Nodes
}

// composed composes sheets with classes in use, without findings.
func composed(t *testing.T, classes []string, sheets ...[]ast.Node) (*compose.Families, []ast.Node) {
	t.Helper()
	slices.Sort(classes)
	var out []ast.Node
	var found []diag.Diagnostic
	f := compose.ResolveHoisted(func() []string { return slices.Compact(classes) }, func(s *compose.Scope) {
		out, found = nil, nil
		c := &compose.Composer{Report: func(d diag.Diagnostic) { found = append(found, d) }}
		for _, nodes := range sheets {
			out = append(out, c.Nodes(nodes, s)...)
		}
	})
	if len(found) > 0 {
		t.Fatal(found)
	}
	return f, out
}

// samples are values for the types of slots.
var samples = strings.Fields("3 1 2 0.5 1.5em 3px 50% 45deg 0.3s teal #123 opacity")

// candidates returns classes of a family: with every key and keyword of the last slot,
// or with samples if it has none, and the first key of each other slot. keyed are those
// with keys of groups and lists.
func candidates(f compose.Family) (all, keyed []string) {
	name := strings.TrimPrefix(f.Pattern, ".")
	if len(f.Slots) == 0 {
		return []string{name}, []string{name}
	}
	last := len(f.Slots) - 1
	for i, s := range f.Slots {
		if i < last {
			key := "1"
			if keys := s.Sources[0].Keys; len(keys) > 0 {
				key = keys[0]
			}
			name = strings.ReplaceAll(name, "("+s.Name+")", key)
		}
	}
	for _, from := range f.Slots[last].Sources {
		keys := from.Keys
		if from.Type {
			keys = slices.Concat(keys, samples)
		}
		for _, key := range keys {
			class := strings.ReplaceAll(name, "("+f.Slots[last].Name+")", key)
			all = append(all, class)
			if !from.Type {
				keyed = append(keyed, class)
			}
		}
	}
	return all, keyed
}

// TestFamilies checks that each key of each family makes a valid class, and that a
// browser knows the declarations.
func TestFamilies(t *testing.T) {
	_, nodes := sheetOf(t, "families.css")
	empty, made := composed(t, nil, nodes)
	if ast.Walk(made, func(n ast.Node) bool {
		if _, isComment := n.(*ast.Comment); !isComment {
			t.Errorf("without classes in use there is a %T", n)
		}
		return true
	}); empty == nil {
		t.Fatal("no families")
	}
	var classes []string
	for _, f := range empty.List() {
		all, _ := candidates(f)
		classes = append(classes, all...)
	}
	used, rules := composed(t, classes, nodes)
	family := make(map[string]string)
	for _, f := range used.List() {
		if len(f.Members) == 0 {
			t.Errorf("no class of the family %s is valid", f.Pattern)
		}
		_, keyed := candidates(f)
		for _, class := range keyed {
			if !used.Has(class) {
				t.Errorf("the class %s of the family %s is invalid", class, f.Pattern)
			}
		}
		for _, m := range f.Members {
			if before := family[m.Class]; before != "" {
				t.Errorf("two families have the class %s: %s and %s", m.Class, before, f.Pattern)
			}
			family[m.Class] = f.Pattern
		}
	}
	if len(family) < 1000 {
		t.Errorf("%d classes", len(family))
	}

	page := browsertest.Start(t).Open("about:blank")
	text, _ := json.Marshal(print.Sheet(rules, print.Options{}))
	var known []string
	page.Eval(fmt.Sprintf(`(() => { const sheet = new CSSStyleSheet(); sheet.replaceSync(%s);
		return [...sheet.cssRules].filter(r => r.style.length > 0).map(r => r.selectorText.slice(1).replaceAll("\\", "")) })()`, text), &known)
	inBrowser := make(map[string]bool)
	for _, class := range known {
		inBrowser[family[class]] = true
	}
	for _, f := range used.List() {
		if !inBrowser[f.Pattern] {
			t.Errorf("the browser knows no class of the family %s", f.Pattern)
		}
	}
	t.Logf("%d families, %d classes, %d of them known to the browser", len(used.List()), len(family), len(known))
}

// TestModes checks that each mode works on a class, in a browser.
func TestModes(t *testing.T) {
	_, families := sheetOf(t, "families.css")
	_, modes := sheetOf(t, "modes.css")
	all, _ := composed(t, nil, families, modes)
	var classes []string
	for _, m := range all.Modes() {
		classes = append(classes, m.Prefix+"color-teal", m.Prefix+"hover-color-teal")
	}
	used, rules := composed(t, classes, families, modes)
	for _, class := range classes {
		if !used.Has(class) && class != "hover-hover-color-teal" {
			t.Errorf("%s is no member", class)
		}
	}
	if _, _, nested, ok := used.Member("dark-hover-color-teal"); !ok || len(nested) != 2 || nested[0].Prefix != "dark-" {
		t.Error(nested, ok)
	}
	page := browsertest.Start(t).Open("about:blank")
	text, _ := json.Marshal(print.Sheet(rules, print.Options{}))
	var declared int
	page.Eval(fmt.Sprintf(`(() => { const sheet = new CSSStyleSheet(); sheet.replaceSync(%s);
		const count = list => [...list].reduce((n, r) => n + (r.style?.length > 0 ? 1 : 0) + count(r.cssRules ?? []), 0);
		return count(sheet.cssRules) })()`, text), &declared)
	if want := len(classes) - 1; declared < want {
		t.Errorf("the browser has %d rules with declarations, want at least %d", declared, want)
	}
}

// TestReset compares elements that browsers style on their own, and checks that each
// rule has a reason.
func TestReset(t *testing.T) {
	_, nodes := sheetOf(t, "reset.css")
	page := browsertest.Start(t).Open("about:blank")
	text, _ := std.Sheet("reset.css")
	style, _ := json.Marshal(text)
	var got []string
	page.Eval(fmt.Sprintf(`(() => {
		document.documentElement.innerHTML = "<body><h1>x</h1><ul role=list><li>x</ul><p hidden style='display:grid'>x</p><button>x</button><img><textarea></textarea>";
		const style = document.createElement("style"); style.textContent = %s; document.head.append(style);
		document.body.style.font = "italic 20px serif";
		const of = (selector, property) => getComputedStyle(document.querySelector(selector))[property];
		return [of("h1", "fontSize"), of("h1", "marginTop"), of("ul", "listStyleType"), of("[hidden]", "display"), of("button", "fontStyle"),
			of("img", "maxWidth"), of("textarea", "boxSizing"), of("body", "marginLeft")] })()`, style), &got)
	if want := []string{"20px", "0px", "none", "none", "italic", "100%", "border-box", "0px"}; !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
	explained := false
	for _, n := range nodes {
		_, isComment := n.(*ast.Comment)
		if _, isRule := n.(*ast.StyleRule); isRule && !explained {
			t.Errorf("a rule without a reason: %s", print.Sheet([]ast.Node{n}, print.Options{Compact: true}))
		}
		explained = explained || isComment
	}
}

// TestNames checks that no class of the families has the short forms that need a
// dictionary: each one begins with the name of a property.
func TestNames(t *testing.T) {
	_, nodes := sheetOf(t, "families.css")
	all, _ := composed(t, nil, nodes)
	others := map[string]string{".background-(tone)": "background-color", ".grid-columns-(count)": "grid-template-columns",
		".grid-rows-(count)": "grid-template-rows", ".grid-columns-fit-(size)": "grid-template-columns",
		".spoken-only": "position", ".single-line": "overflow", ".top-(step)": "(side)", ".right-(step)": "(side)",
		".bottom-(step)": "(side)", ".left-(step)": "(side)"}
	for _, f := range all.List() {
		body := bodyOf(t, nodes, f)
		property, _, _ := strings.Cut(body, ":")
		for _, s := range f.Slots {
			property = strings.ReplaceAll(property, "("+s.Name+")", "")
		}
		property = strings.Trim(property, "-")
		if known := others[f.Pattern]; known != "" && strings.HasPrefix(body, known+":") {
			continue
		}
		plain := strings.TrimPrefix(f.Pattern, ".")
		for _, s := range f.Slots {
			plain = strings.ReplaceAll(plain, "("+s.Name+")", "")
		}
		plain = strings.ReplaceAll(plain, "--", "-")
		if property != "" && !strings.HasPrefix(plain, strings.ReplaceAll(property, "--", "-")) {
			t.Errorf("the family %s sets %s", f.Pattern, property)
		}
	}
}

// bodyOf returns the declarations of a family as they are written, in one line.
func bodyOf(t *testing.T, nodes []ast.Node, f compose.Family) string {
	t.Helper()
	var body []ast.Node
	ast.Walk(nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		if ok && token.EqualFold(r.Name, "family") && ast.SpanOf(r.Prelude) == f.At {
			for _, n := range r.Block.Nodes {
				if slot, ok := n.(*ast.AtRule); !ok || slot.Name != "slot" {
					body = append(body, n)
				}
			}
		}
		return true
	})
	if body == nil {
		t.Fatalf("no declarations of %s", f.Pattern)
	}
	return strings.Join(strings.Fields(print.Sheet(body, print.Options{})), " ")
}

// TestDocumentation compares docs/std.md with the sheets.
func TestDocumentation(t *testing.T) {
	const file = "../../docs/std.md"
	text := documentation(t)
	if *update {
		if err := os.WriteFile(file, []byte(text), 0o666); err != nil {
			t.Fatal(err)
		}
		return
	}
	got, err := os.ReadFile(file)
	if err != nil || string(got) != text {
		t.Errorf("%s is not what the sheets say: go test ./internal/std -update writes it", file)
	}
}

// introduction is the start of the documentation.
const introduction = `# Sheets of the program

Rinzel has three sheets inside, in the root ` + "`std`" + `. Import what you need:

` + "```css" + `
@import "std:reset.css";
@import "std:families.css";
@import "std:modes.css";
` + "```" + `

Nothing is added to a site that does not import them, and no class of a family is a rule until something uses it (see
[families.md](families.md)). ` + "`rinzel std families.css`" + ` prints a sheet, to copy and change it;
` + "`rinzel families`" + ` lists the classes that your pages use.

The families read groups of constants. Set a group before the import, and its keys are classes, besides the default
ones. Keys of the default group that you set have your values:

` + "```css" + `
@const color { sea: #0b5563; sand: #e8dcc0; }
@const space { 4: 14px; }
@import "std:families.css";   /* .background-sea, .color-sand, .padding-4, … */
` + "```" + `

A class also takes what its property takes as one word, number or colour: ` + "`.padding-13px`" + `,
` + "`.color-#c8501f`, `.width-50%`" + `.
`

// documentation returns the page about the sheets.
func documentation(t *testing.T) string {
	var b strings.Builder
	b.WriteString(introduction)

	file, nodes := sheetOf(t, "families.css")
	empty, _ := composed(t, nil, nodes)
	var classes []string
	for _, f := range empty.List() {
		all, _ := candidates(f)
		classes = append(classes, all...)
	}
	used, _ := composed(t, classes, nodes)
	fmt.Fprintf(&b, "\n## std:families.css\n\n%d families. In the column of what fills the slots, names in angle brackets are types: "+
		"`<'display'>` is\nall that the property `display` takes.\n", len(used.List()))
	list := used.List()
	for i, n := range nodes {
		end := uint32(len(file.Text))
		comment, ok := n.(*ast.Comment)
		if !ok || i == 0 {
			continue
		}
		for _, later := range nodes[i+1:] {
			if c, ok := later.(*ast.Comment); ok {
				end = c.At.Off
				break
			}
		}
		title, lead, _ := strings.Cut(sentenceOf(comment), ". ")
		fmt.Fprintf(&b, "\n### %s\n\n", strings.TrimSuffix(title, "."))
		if lead != "" {
			fmt.Fprintf(&b, "%s\n\n", lead)
		}
		b.WriteString("| class | sets | filled by | example |\n|---|---|---|---|\n")
		for _, f := range list {
			if f.At.Start.Off > comment.At.Off && f.At.Start.Off < end {
				fmt.Fprintf(&b, "| `%s` | `%s` | %s | `%s` |\n", f.Pattern, cell(bodyOf(t, nodes, f)), filledBy(f), example(f))
			}
		}
	}

	b.WriteString("\n### Groups\n\n| group | default keys |\n|---|---|\n")
	for _, n := range nodes {
		if r, ok := n.(*ast.AtRule); ok && r.Name == "default" {
			entries := strings.Join(strings.Fields(print.Sheet(r.Block.Nodes, print.Options{})), " ")
			fmt.Fprintf(&b, "| `%s` | `%s` |\n", print.Values(r.Prelude), cell(strings.TrimSuffix(entries, ";")))
		}
	}

	_, modes := sheetOf(t, "modes.css")
	with, _ := composed(t, nil, modes)
	b.WriteString("\n## std:modes.css\n\nThe group `breakpoint` has the widths; each key is a mode.\n\n| mode | rule |\n|---|---|\n")
	blocks := make(map[source.Span]string)
	ast.Walk(modes, func(n ast.Node) bool {
		if r, ok := n.(*ast.AtRule); ok && r.Name == "mode" {
			blocks[ast.SpanOf(r.Prelude)] = strings.Join(strings.Fields(print.Sheet(r.Block.Nodes, print.Options{})), " ")
		}
		return true
	})
	for _, m := range with.Modes() {
		fmt.Fprintf(&b, "| `%s` | `%s` |\n", m.Prefix, cell(blocks[m.At]))
	}

	_, reset := sheetOf(t, "reset.css")
	b.WriteString("\n## std:reset.css\n\n| rule | reason |\n|---|---|\n")
	reason := ""
	for _, n := range reset[1:] {
		if c, ok := n.(*ast.Comment); ok {
			reason = sentenceOf(c)
			continue
		}
		rule := strings.Join(strings.Fields(print.Sheet([]ast.Node{n}, print.Options{})), " ")
		fmt.Fprintf(&b, "| `%s` | %s |\n", cell(rule), reason)
	}
	return b.String()
}

// sentenceOf returns the text of a comment.
func sentenceOf(c *ast.Comment) string {
	return strings.Join(strings.Fields(strings.TrimSuffix(strings.TrimPrefix(c.Text, "/*"), "*/")), " ")
}

// cell escapes text in a table.
func cell(text string) string { return strings.ReplaceAll(text, "|", "\\|") }

// filledBy returns what fills the slots of a family.
func filledBy(f compose.Family) string {
	var out []string
	for _, s := range f.Slots {
		var from []string
		for _, source := range s.Sources {
			from = append(from, "`"+cell(source.Text)+"`")
		}
		out = append(out, s.Name+": "+strings.Join(from, ", "))
	}
	return strings.Join(out, "; ")
}

// example returns a class of a family, with a key from the middle of a group, or else
// the first value that is valid.
func example(f compose.Family) string {
	byClass := make(map[string]bool)
	for _, m := range f.Members {
		byClass[m.Class] = true
	}
	all, keyed := candidates(f)
	if len(keyed) > 0 {
		return keyed[len(keyed)/2]
	}
	return all[slices.IndexFunc(all, func(class string) bool { return byClass[class] })]
}
