package sitetest

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/browsertest"
	"rinzel/internal/site"

	"rinzel/internal/project"
)

// TestMadeNames builds sites whose scripts join class names in all ways of a
// grammar, and runs them in a browser: no rule for a class that an element gets
// may be purged. It logs the ratio of kept rules to used ones.
func TestMadeNames(t *testing.T) {
	rounds := 120
	if os.Getenv("RINZEL_LONG") != "" {
		rounds = 500
	}
	page := browsertest.Start(t).Open("about:blank")
	rules, used, kept := 0, 0, 0
	for round := range rounds {
		g := nameMaker{Rand: rand.New(rand.NewPCG(17, uint64(round)))}
		script, names := g.script()
		sheet := g.sheet(names)
		dir := t.TempDir()
		writeFiles(t, dir, []txtar.File{
			{Name: "index.html", Data: []byte("<!doctype html><link rel=stylesheet href=main.css><body data-zone=dock><p class=note data-part=keel>a</p><script src=main.js></script>")},
			{Name: "main.js", Data: []byte(script)},
			{Name: "main.css", Data: []byte(sheet)},
		})
		page.Load(serve(t, dir) + "/index.html")
		for _, p := range page.Problems() {
			t.Fatalf("round %d: %s\n%s", round, p, script)
		}
		var got []string
		page.Eval(`[...new Set([...document.querySelectorAll("*")].flatMap(e => [...e.classList]))]`, &got)
		left := keptClasses(t, dir)
		for _, name := range got {
			if strings.Contains(sheet, "."+name+" ") && !left[name] {
				t.Errorf("round %d: .%s is in use, and purged:\n%s", round, name, script)
			}
		}
		for _, name := range names {
			if !slices.Contains(got, name) {
				t.Errorf("round %d: the script does not make %s:\n%s", round, name, script)
			}
		}
		all := strings.Count(sheet, "\n")
		rules, used, kept = rules+all, used+len(names)+1, kept+len(left)
	}
	t.Logf("%d sites with %d rules: the browser uses %.1f%%, purging keeps %.1f%%", rounds, rules,
		100*float64(used)/float64(rules), 100*float64(kept)/float64(rules))
	if kept > rules/2 {
		t.Error("purging keeps more than half of all rules: it proves nothing")
	}
}

// keptClasses returns the classes in the sheets of a production build.
func keptClasses(t *testing.T, dir string) map[string]bool {
	p, _, err := project.Open(project.Options{Source: dir, Output: filepath.Join(dir, "out")})
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	res, err := site.Build(context.Background(), p, site.Options{Profile: project.Production, RecordVerdicts: true})
	if err != nil {
		t.Fatal(err)
	}
	out := make(map[string]bool)
	for _, v := range res.Verdicts {
		if v.Kept {
			out[strings.TrimPrefix(v.Text(), ".")] = true
		}
	}
	return out
}

// nameMaker generates scripts that join names.
type nameMaker struct {
	*rand.Rand
	vars int
}

var (
	blocks    = strings.Fields("card board ticket notice ferry pier tide berth gauge chart")
	elements  = strings.Fields("title price list row head foot mark line text icon")
	modifiers = strings.Fields("calm alert large small open shut first last wide dark")
	others    = strings.Fields("anchor buoy winch sail mast hull deck cabin galley helm rudder stern")
)

func (g *nameMaker) pick(list []string) string { return list[g.IntN(len(list))] }

func (g *nameMaker) fresh() string {
	g.vars++
	return fmt.Sprintf("v%d", g.vars)
}

// script returns a script and the classes that it gives to elements.
func (g *nameMaker) script() (text string, names []string) {
	var b strings.Builder
	b.WriteString("function put(c) { var i = document.createElement('i'); i.className = c; document.body.appendChild(i) }\n")
	for range 3 + g.IntN(4) {
		code, made := g.statement()
		if g.IntN(3) == 0 {
			code = g.wrap(code)
		}
		b.WriteString(code + "\n")
		for _, n := range made {
			if !slices.Contains(names, n) {
				names = append(names, n)
			}
		}
	}
	return b.String(), names
}

// wrap puts a statement into another scope.
func (g *nameMaker) wrap(code string) string {
	switch g.IntN(5) {
	case 0:
		return "(function () { " + code + " })();"
	case 1:
		return "(() => { " + code + " })();"
	case 2:
		f := g.fresh()
		return "function " + f + "(a, b) { if (a) { " + code + " } } " + f + "(1);"
	case 3:
		return "class C" + g.fresh() + " { static { " + code + " } }"
	}
	return "if (true) { for (var q = 0; q < 1; q++) { " + code + " } }"
}

// statement returns a statement and the classes that it joins.
func (g *nameMaker) statement() (code string, names []string) {
	b, e, m := g.pick(blocks), g.pick(elements), g.pick(modifiers)
	x, y, z := g.fresh(), g.fresh(), g.fresh()
	sep := g.pick([]string{"-", "_", "--", "__"})
	one := b + sep + e
	switch g.IntN(26) {
	case 0:
		return fmt.Sprintf("const %s = '%s', %s = '%s', %s = '%s'; put(`${%s}__${%s}--${%s}`);", x, b, y, e, z, m, x, y,
			z), []string{b + "__" + e + "--" + m}
	case 1:
		return fmt.Sprintf("var %s = %q, %s = %q; put(%s + %q + %s);", x, b, y, e, x, sep, y), []string{one}
	case 2:
		return fmt.Sprintf("put([%q, %q].join(%q));", b, e, sep), []string{one}
	case 3:
		return fmt.Sprintf("put(''.concat(%q, %q).concat(%q));", b, sep, e), []string{one}
	case 4:
		return fmt.Sprintf("var %s = %q; put(%s + %q);", x, b, x, strings.ToUpper(e[:1])+e[1:]),
			[]string{b + strings.ToUpper(e[:1]) + e[1:]}
	case 5:
		return fmt.Sprintf("function %s(a, b) { put(a + %q + b) } %s(%q, %q); %s(%q, %q);", x, sep, x, b, e, x, b, m),
			[]string{one, b + sep + m}
	case 6:
		return fmt.Sprintf("const %s = (k) => `%s%s${k}`; [%q, %q].forEach(k => put(%s(k)));", x, b, sep, e, m, x),
			[]string{one, b + sep + m}
	case 7:
		return fmt.Sprintf("var %s = { part: %q }; put(%q + %s.part);", x, e, b+sep, x), []string{one}
	case 8:
		return fmt.Sprintf("function %s() { this.part = %q } %s.prototype.show = function () { put(%q + this.part) }; new %s().show();", x, e, x, b+sep, x), []string{one}
	case 9:
		return fmt.Sprintf("let %s = %q; %s += %q; %s += %q; put(%s);", x, b, x, sep, x, e, x), []string{one}
	case 10:
		return fmt.Sprintf("var %s = [%q]; %s.push(%q); put(%s.join(%q));", x, b, x, e, x, sep), []string{one}
	case 11:
		return fmt.Sprintf("put(%q + (Math.random() < 2 ? %q : 'none'));", b+sep, e), []string{one}
	case 12:
		return fmt.Sprintf("function %s(n) { switch (n) { case 1: return %q; default: return %q } } put(%q + %s(1)); put(%q + %s(2));", x, e, m, b+sep, x, b+sep, x), []string{one, b + sep + m}
	case 13:
		return fmt.Sprintf("put((%q + %q + %q).toLowerCase());", strings.ToUpper(b), sep, e), []string{one}
	case 14:
		return fmt.Sprintf("put('%s%sNAME'.replace('NAME', %q));", b, sep, e), []string{one}
	case 15:
		return fmt.Sprintf("var %s = { ['%s%s' + %q]: 1 }; Object.keys(%s).forEach(put);", x, b, sep, e, x), []string{one}
	case 16:
		return fmt.Sprintf("var %s = 1, %s = 2; Object.keys({ %s, %s }).forEach(put);", b+x, e+y, b+x, e+y),
			[]string{b + x, e + y}
	case 17:
		return fmt.Sprintf("var %s = { %s() {}, get %s() { return 1 } }; for (var %s in %s) put(%s);", x, b+x, e+x, z, x,
			z), []string{b + x, e + x}
	case 18:
		return fmt.Sprintf("var %s = JSON.parse('{\"a\": \"%s\"}'); put(%s.a);", x, one, x), []string{one}
	case 19:
		return fmt.Sprintf("put(%q + document.body.dataset.zone);", b+sep), []string{b + sep + "dock"}
	case 20:
		return fmt.Sprintf("document.body.insertAdjacentHTML('beforeend', '<b class=\"' + %q + '%s' + %q + ' plain-%s\">x</b>');", b, sep, e, m), []string{one, "plain-" + m}
	case 21:
		n := 1 + g.IntN(9)
		return fmt.Sprintf("for (var %s = %d; %s < %d; %s++) put(%q + %s);", x, n, x, n+2, x, b+sep, x),
			[]string{fmt.Sprint(b, sep, n), fmt.Sprint(b, sep, n+1)}
	case 22:
		return fmt.Sprintf("class K%s { part = %q; get name() { return `%s%s${this.part}` } } put(new K%s().name);", x, e,
			b, sep, x), []string{one}
	case 23:
		return fmt.Sprintf("function %s({ tone = %q } = {}) { put(%q + tone) } %s();", x, e, b+sep, x), []string{one}
	case 24:
		return fmt.Sprintf("var %s = { %s: { %s: %q } }; put(%q + %s.%s.%s);", x, b, e, m, b+sep, x, b, e),
			[]string{b + sep + m}
	}
	return fmt.Sprintf("for (const %s of [%q, %q]) document.querySelector('p').classList.add(%q + %s);", x, e, m,
		b+sep, x), []string{one, b + sep + m}
}

// sheet returns a sheet with a rule for each name, and many unused ones.
func (g *nameMaker) sheet(names []string) string {
	var b strings.Builder
	seen := map[string]bool{"note": true}
	b.WriteString(".note { color: navy }\n")
	rule := func(name string) {
		if !seen[name] {
			seen[name] = true
			fmt.Fprintf(&b, ".%s { color: teal }\n", name)
		}
	}
	for _, n := range names {
		rule(n)
	}
	for range 60 {
		rule(g.pick(others) + g.pick([]string{"-", "__", "--", "_"}) + g.pick(slices.Concat(others, modifiers, elements)))
		rule(g.pick(blocks) + "-" + g.pick(others))
		rule(g.pick(others) + strings.ToUpper("x") + g.pick(elements))
	}
	return b.String()
}
