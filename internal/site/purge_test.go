package site_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/site"
)

// purgeSite is a generated page with a script that changes it, and a sheet with
// many unused rules.
func purgeSite(seed uint64) string {
	g := rand.New(rand.NewPCG(seed, 21))
	pick := func(list ...string) string { return list[g.IntN(len(list))] }
	class := func() string {
		return pick("berth", "boat", "Board", "note-1", "note-2", "note-3", "is-open", "late", "mole", "pier")
	}
	element := func() string {
		return pick("p", "b", "ul", "li", "button", "a", "input", "section", "svg", "circle", "dialog")
	}
	attr := func() string {
		return pick(`data-tone="calm"`, `data-tone="alert"`, `hidden`, `lang="en"`, `lang="en-GB"`, `type="text"`,
			`type="radio"`, `href="#quay"`, `href="https://quay.example/"`, `aria-expanded="true"`, `title="Quay boats"`)
	}
	id := func() string { return pick("quay", "mole", "head-1", "head-2") }

	var page strings.Builder
	page.WriteString(pick("<!doctype html>", "<!doctype html>", "") +
		"<html><head><link rel=stylesheet href=main.css></head><body>\n")
	for range 12 {
		tag := pick("p", "b", "ul", "section", "button", "a", "input", "svg")
		fmt.Fprintf(&page, "<%s", tag)
		if g.IntN(2) == 0 {
			fmt.Fprintf(&page, " class=%q", class()+" "+class())
		}
		if g.IntN(5) == 0 {
			fmt.Fprintf(&page, " id=%s", id())
		}
		if g.IntN(3) == 0 {
			fmt.Fprintf(&page, " %s", attr())
		}
		page.WriteString(">")
		if tag == "ul" {
			page.WriteString("<li>a<li class=" + class() + ">b")
		}
		if tag != "input" {
			page.WriteString("x</" + tag + ">")
		}
		page.WriteString("\n")
	}
	page.WriteString("<script src=main.js></script></body></html>\n")

	var script strings.Builder
	script.WriteString("const some = (list) => list[1] ?? document.body;\nconst all = document.querySelectorAll('body > *');\n")
	for range 4 {
		switch g.IntN(7) {
		case 0:
			fmt.Fprintf(&script, "some(all).classList.add(%q);\n", class())
		case 1:
			fmt.Fprintf(&script, "all[2].className = `note-${%d} ${%q}`;\n", 1+g.IntN(3), class())
		case 2:
			fmt.Fprintf(&script, "all[3].setAttribute('data-tone', ['calm', 'alert'][%d]);\n", g.IntN(2))
		case 3:
			fmt.Fprintf(&script, "all[4].dataset.tone = 'cal' + 'm';\nall[5].hidden = %v;\n", g.IntN(2) == 0)
		case 4:
			fmt.Fprintf(&script, "all[6].insertAdjacentHTML('beforeend', '<%s class=\"%s\" %s>new');\n", element(), class(),
				attr())
		case 5:
			fmt.Fprintf(&script,
				"all[7].append(Object.assign(document.createElement(%q), { id: 'head-' + %d, ariaExpanded: 'true' }));\n", pick("dialog", "b", "li"), 1+g.IntN(2))
		case 6:
			fmt.Fprintf(&script,
				"for (const [name, on] of Object.entries({ %s: true })) all[8].classList.toggle(name, on);\n", pick("berth", "boat", "late"))
		}
	}

	simple := func() string {
		switch g.IntN(9) {
		case 0, 1, 2, 3:
			return "." + class()
		case 4:
			return "#" + id()
		case 5:
			a := attr()
			if name, value, ok := strings.Cut(a, "="); ok && g.IntN(3) > 0 {
				return "[" + name + pick("=", "^=", "$=", "*=", "~=", "|=") + value + pick("", " i") + "]"
			} else if ok {
				return "[" + name + "]"
			}
			return "[" + a + "]"
		case 6:
			return ":is(." + class() + ", " + element() + ")"
		case 7:
			return ":not(." + class() + ")"
		}
		return ":has(." + class() + ")"
	}
	var sheet strings.Builder
	properties := []string{"color", "order", "margin-left", "z-index", "--tone", "outline-offset"}
	for i := range 60 {
		var list []string
		for range 1 + g.IntN(2) {
			s := pick(element(), "", "") + simple()
			if g.IntN(3) == 0 {
				s += pick(" ", " > ", " + ", " ~ ") + pick(element(), simple())
			}
			list = append(list, s+pick("", "", "", "::before", ":nth-child(2n + 1)", ":first-child"))
		}
		property := properties[g.IntN(len(properties))]
		value := fmt.Sprintf("%dpx", i)
		switch property {
		case "color":
			value = fmt.Sprintf("rgb(%d, 0, 0)", i)
		case "order", "z-index":
			value = fmt.Sprint(i)
		}
		fmt.Fprintf(&sheet, "%s { %s: %s; content: \"x\" }\n", strings.Join(list, ", "), property, value)
		if i%12 == 0 {
			fmt.Fprintf(&sheet, "@keyframes k%d { to { order: %d } }\n.%s { animation: k%d 1s paused }\n", i, i, class(), i)
		}
	}
	return "-- site/index.html --\n" + page.String() + "-- site/main.js --\n" + script.String() +
		"-- site/main.css --\n" + sheet.String() +
		"-- rinzel.toml --\nsource = \"site\"\n" + []string{"", "[purge]\nstructure = true\n"}[seed%2] + "[profile.whole]\ninherits = \"production\"\nfinish = []\n" +
		"[profile.purged]\ninherits = \"production\"\nfinish = [\"purge\"]\n"
}

// usedSelectors returns the selectors of the page's sheets that match an
// element, ignoring pseudo-elements.
const usedSelectors = `[...document.styleSheets].flatMap((s) => [...s.cssRules]).filter((r) => r.selectorText).flatMap((r) => r.selectorText.split(/,(?![^(]*\))/))
	.map((s) => s.trim()).filter((s) => document.querySelector(s.replace(/::?(before|after)/g, "") || "*"))`

// coverage returns the rules that the browser reports as used after a page is
// loaded and its scripts have run.
func coverage(page *browsertest.Page, url string) []string {
	page.Call("CSS.startRuleUsageTracking", nil, nil)
	page.Load(url)
	page.Eval("document.body.getBoundingClientRect().width", nil)
	var usage struct {
		RuleUsage []struct {
			StyleSheetID           string
			StartOffset, EndOffset float64
			Used                   bool
		}
	}
	texts := make(map[string]string)
	var out []string
	for _, h := range page.Sheets() {
		var text struct{ Text string }
		page.Call("CSS.getStyleSheetText", map[string]any{"styleSheetId": h.StyleSheetID}, &text)
		texts[h.StyleSheetID] = text.Text
	}
	page.Call("CSS.stopRuleUsageTracking", nil, &usage)
	for _, u := range usage.RuleUsage {
		if text := texts[u.StyleSheetID]; u.Used && int(u.EndOffset) <= len(text) {
			out = append(out, text[int(u.StartOffset):int(u.EndOffset)])
		}
	}
	return out
}

// TestPurgeInBrowser checks that pages with purged sheets look the same after
// their scripts have run, and that no matching selector is removed.
func TestPurgeInBrowser(t *testing.T) {
	browser := browsertest.Start(t).Open("about:blank")
	removed, rules, coveredRules := 0, 0, 0
	for seed := range uint64(12) {
		archive := purgeSite(seed)
		s := newSite(t, archive)
		_, minified := s.build(t, project.Production)
		purged, found := s.build(t, "purged")
		_, whole := s.build(t, "whole")
		if all := minified + found + whole; all != "" && !strings.Contains(all, "opposite") {
			t.Fatalf("seed %d: %s\n%s", seed, all, archive)
		}
		a, b := serve(t, s.output("whole")), serve(t, s.output(project.Production))
		covered := coverage(browser, a+"/index.html")
		want := stylesOf(t, browser, a, "index.html")
		var used, left []string
		browser.Eval(usedSelectors, &used)
		got := stylesOf(t, browser, b, "index.html")
		browser.Load(serve(t, s.output("purged")) + "/index.html")
		browser.Eval(usedSelectors, &left)
		for _, line := range want.Diff(got, 5) {
			t.Errorf("seed %d: %s\n%s", seed, line, archive)
		}
		css := string(purged.Outputs[0].Data)
		for _, rule := range covered {
			selectors, _, _ := strings.Cut(rule, "{")
			if !slices.ContainsFunc(strings.Split(selectors, ","), func(s string) bool {
				return strings.Contains(css, strings.TrimSpace(s))
			}) {
				t.Errorf("seed %d: the browser used %s, and it is gone\n%s", seed, rule, archive)
			}
		}
		coveredRules += len(covered)
		for _, sel := range used {
			if !slices.Contains(left, sel) {
				t.Errorf("seed %d: %s matches something, and is gone\n%s", seed, sel, archive)
			}
		}
		for _, bundle := range purged.Bundles {
			rules += bundle.Rules.Rules
			removed += bundle.Rules.RemovedRules
		}
	}
	if removed < rules/10 {
		t.Errorf("only %d of %d rules were removed: the sites prove little", removed, rules)
	}
	if coveredRules < 100 {
		t.Errorf("the browser used only %d rules", coveredRules)
	}
	t.Logf("%d of %d rules were removed; the browser used %d", removed, rules, coveredRules)
}

// TestPurgeOfDefinitions checks that animations and other definitions are
// removed if no bundle uses them, and kept if another bundle, a style element
// or a script does.
func TestPurgeOfDefinitions(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=shared.css><link rel=stylesheet href=home.css><style>.a { animation-name: inline }</style><p class=a style="animation-name: attribute"><script>a.style.animationName = "scripted"</script>
-- site/other.html --
<link rel=stylesheet href=shared.css><p class=a>
-- site/shared.css --
@keyframes home { to { top: 0 } } @keyframes dead { to { top: 0 } } @keyframes inline { to { top: 0 } } @keyframes attribute { to { top: 0 } } @keyframes scripted { to { top: 0 } }
@keyframes from-dead { to { top: 0 } } @keyframes by-property { to { top: 0 } }
.a { top: 0; --motion: by-property } .gone { animation: from-dead 1s }
/* rinzel as-is: purge */
.spared { animation: spared 1s }
@keyframes spared { to { top: 0 } }
-- site/home.css --
.a { animation: home 1s }
-- rinzel.toml --
source = "site"
[split]
min-bytes = 0
`)
	if _, found := s.build(t, project.Production); found != "" {
		t.Fatal(found)
	}
	sheets, _ := filepath.Glob(filepath.Join(s.output(project.Production), "*.css"))
	var text string
	for _, name := range sheets {
		text += s.read(t, project.Production, filepath.Base(name))
	}
	for name, want := range map[string]bool{"home": true, "inline": true, "attribute": true, "scripted": true,
		"by-property": true, "spared": true, "dead": false, "from-dead": false} {
		if got := strings.Contains(text, "@keyframes "+name+"{"); got != want {
			t.Errorf("@keyframes %s: kept %v, want %v\n%s", name, got, want, text)
		}
	}
	if !strings.Contains(text, ".spared{") {
		t.Errorf("what a comment keeps is gone: %s", text)
	}
}

// TestPurging checks single selectors.
func TestPurging(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<!doctype html><link rel=stylesheet href=main.css><p class="board bord">x<script src=main.js></script>
-- site/main.js --
el.classList.add("note-" + kind);
-- site/main.css --
.board, .pier { color: red }
.note-calm { color: blue }
@keyframes drift { to { top: 0 } }
@media print { .pier p { top: 0 } .board p { top: 0 } }
-- site/page.rb --
x
-- rinzel.toml --
source = "site"
`)
	p, diags, err := project.Open(project.Options{Settings: filepath.Join(s.dir, project.FileName)})
	if err != nil || len(diags) > 0 {
		t.Fatal(diags, err)
	}
	defer p.Close()
	purged, err := query.Purging(context.Background(), p, site.Options{Profile: project.Production})
	if err != nil {
		t.Fatal(err)
	}
	for question, want := range map[string]string{
		".pier": "false .pier; false .pier p", "pier": "false .pier; false .pier p", ".board": "true .board; true .board p", ".note-calm": "true .note-calm", "@keyframes drift": "false @keyframes drift",
		"drift": "false @keyframes drift", "p.board": "true .board p", ".boord": "near .board", "p": "false .pier p; true .board p",
	} {
		a, ok := purged.Ask(question)
		var got []string
		for _, j := range a.Verdicts {
			got = append(got, fmt.Sprint(j.Kept, " ", j.Text()))
		}
		for _, near := range a.Near {
			got = append(got, "near "+near)
		}
		if text := strings.Join(got, "; "); !ok || text != want {
			t.Errorf("%s: got %s, want %s", question, text, want)
		}
	}
	if _, ok := purged.Ask(".."); ok {
		t.Error("what is no selector has an answer")
	}
	if len(purged.NoRule) != 1 || purged.NoRule[0].Class != "bord" || purged.NoRule[0].Near != "board" {
		t.Errorf("classes without a rule: %v", purged.NoRule)
	}
	if len(purged.Sheets) != 1 || purged.Sheets[0].Rules != 6 || purged.Sheets[0].Removed != 3 {
		t.Errorf("sheets: %v", purged.Sheets)
	}
	if kinds, err := site.ProposeEvidence(context.Background(), p); err != nil || strings.Join(kinds, " ") != "**/*.rb" {
		t.Errorf("proposed: %v %v", kinds, err)
	}
}

// TestKeptLibrary keeps all rules of a library, and removes its unused custom
// properties if enabled.
func TestKeptLibrary(t *testing.T) {
	const archive = `
-- site/index.html --
<!doctype html><link rel=stylesheet href=main.css><p class=a>
-- site/main.css --
@import "kit:kit.css";
@import "kit:more.css";
.a { --read: 1px; --unread: 2px; margin: var(--read) }
.dead { top: 0 }
-- kit/kit.css --
.card { animation: lift 1s } @media print { .card { top: 0 } }
@keyframes lift { to { top: 0 } }
-- kit/more.css --
.more { top: 0 }
-- rinzel.toml --
source = "site"
[roots]
kit = "kit"
[purge]
keep = ["kit:kit.css"]
properties = true
`
	s := newSite(t, archive)
	res, found := s.build(t, project.Production)
	if found != "" {
		t.Fatal(found)
	}
	text := string(res.Outputs[0].Data)
	for part, want := range map[string]bool{".card{": true, "@keyframes lift": true, "@media print{.card": true,
		"--read:": true, "--unread": false, ".dead": false, ".more": false} {
		if strings.Contains(text, part) != want {
			t.Errorf("%s: want %v in %s", part, want, text)
		}
	}
	s = newSite(t, strings.Replace(archive, "kit:kit.css\"]", "kit:kitt.css\"]", 1))
	if _, found := s.build(t, project.Production); !strings.Contains(found, "unmatched-keep") {
		t.Errorf("got %s", found)
	}
}

// TestEvidenceGlobs checks the suggestions for globs without matches, and the
// note about pages that are evidence and not built.
func TestEvidenceGlobs(t *testing.T) {
	for glob, want := range map[string]string{
		"tempaltes/**/*.php": `did you mean "templates/**/*.php"?`, "templates/*.phpp": `did you mean "templates/*.php"?`, "**/*.erb": `no file in the folder has the extension ".erb"`,
		"templates/none-*.php": "paths are relative to the source folder", "kit:pgaes/*.html": `did you mean "kit:pages/*.html"?`,
		"kit:**/*.html": `"kit/pages/old.html" is evidence but not built: outside`, "kit:**/part.html": "",
		"kit:**/layout.html": `class "{{ kind }}" comes from data, also at 1 other position: purging`, "templates/*.php": "",
	} {
		s := newSite(t, "-- rinzel.toml --\nsource = \"site\"\n[roots]\nkit = \"kit\"\n[purge]\nevidence = [\""+glob+"\"]\n-- kit/pages/old.html --\n<!doctype html><p>\n-- kit/part.html --\n<p class=a>\n-- kit/layout.html --\n<!doctype html><p class=\"{{ kind }} {{ tone }}\">\n-- site/templates/berth.php --\n<?php ?>\n-- site/index.html --\n<!doctype html><link rel=stylesheet href=main.css><p>\n-- site/main.css --\np { top: 0 }\n")
		if _, found := s.build(t, project.Production); (found == "") != (want == "") || !strings.Contains(found, want) {
			t.Errorf("%s: got %s, want %s", glob, found, want)
		}
	}
}
