package site_test

import (
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// berths is a site with families of classes, which are in use in pages, scripts,
// templates and components.
const berths = `
-- rinzel.toml --
source = "site"
[components]
match = ["*.card"]
-- site/index.html --
<!doctype html>
<link rel="stylesheet" href="site.css">
<style>.board { @take .padding-2; } @import "families.css";</style>
<main class="padding-2 wide-padding-4 unknown padding-3">
<script type="module" src="app.js"></script>
-- site/other.html --
<!doctype html>
<link rel="stylesheet" href="site.css">
<link rel="stylesheet" href="plain.css">
<p class="plain color-sea">
-- site/plain.css --
.plain { top: 0 }
-- site/app.js --
import "./row.card";
element.classList.add("padding-50%", on ? "hover-color-#c8501f" : ` + "`padding-1/2`" + `);
const padding = { top: "color-buoy" };
-- site/row.card --
<b class="wide-color-sea"></b>
-- site/late.php --
<?php echo '<p class="padding-1.5em">' ?>
-- site/site.css --
@import "families.css";
@import "modes.css";
-- site/families.css --
@const space { 1: 4px; 2: 8px; 4: 16px; }
@family .padding-(step) {
  @slot step: const(space);
  @slot step: <length-percentage>;
  padding: const(step);
}
@family .color-(c) {
  @slot c: sea, buoy;
  @slot c: <color>;
  color: if(const(c: sea): #14697a; else: const(c));
}
-- site/modes.css --
@mode hover- { &:hover { @contents; } }
@mode wide- { @media (width >= 40em) { @contents; } }
`

// TestFamiliesOfSite checks that members are made for all kinds of files, in each
// profile, and that they are not purged.
func TestFamiliesOfSite(t *testing.T) {
	archive := strings.Replace(berths, "<style>.board { @take .padding-2; } @import \"families.css\";</style>\n", "", 1)
	archive = strings.Replace(archive, "sea, buoy;", "sea;", 1)
	s := newSite(t, archive)
	for profile, want := range map[string][]string{
		project.Development: {".padding-2 {\n  padding: 8px;", ".padding-1\\.5em {", ".padding-50\\% {", ".color-sea {\n  color: #14697a;",
			".hover-color-\\#c8501f:hover {", ".wide-color-sea {", ".wide-padding-4 {"},
		project.Production: {".padding-2{padding:8px}", ".padding-1\\.5em{", ".padding-50\\%{", ".color-sea{color:#14697a}",
			".hover-color-\\#c8501f:hover{", ".wide-padding-4{", ".wide-color-sea{"},
	} {
		res, found := s.build(t, profile)
		has(t, "the list of findings", found, []string{`site/index.html:3:47: warning: class "padding-3" has no rule: ` +
			`"3" does not fill the slot of the family ".padding-(step)"`, "accepts 1, 2, 4, <length-percentage>"},
			[]string{"error", "also at"})
		sheet := ""
		for name, text := range outputTexts(res) {
			if strings.HasSuffix(name, ".css") && strings.Contains(text, "padding:") {
				sheet, _, _ = strings.Cut(text, "/*# sourceMapping")
			}
		}
		has(t, profile, sheet, want, []string{"padding-3", "\n.padding-4", "buoy", "padding-1\\/2", "unknown", ".padding-1 ", "@family", "@mode"})
	}
}

// TestFamiliesAreRebuilt types classes into pages, and changes families, with a
// cache: the result is that of a build without one.
func TestFamiliesAreRebuilt(t *testing.T) {
	s := newSite(t, strings.Replace(berths, "sea, buoy;", "sea;", 1))
	p, found, err := project.Open(project.Options{Settings: filepath.Join(s.dir, "rinzel.toml")})
	if err != nil || len(found) > 0 {
		t.Fatal(err, found)
	}
	defer func() { _ = p.Close() }()
	opts := site.Options{Profile: project.Production, Cache: site.NewCache(p)}
	build := func(what, want string) {
		t.Helper()
		res, err := site.Build(t.Context(), p, opts)
		if err != nil {
			t.Fatal(err)
		}
		fresh, err := site.Build(t.Context(), p, site.Options{Profile: project.Production})
		if err != nil {
			t.Fatal(err)
		}
		sameOutputs(t, what, res, fresh)
		all := ""
		for _, text := range outputTexts(res) {
			all += text
		}
		if !strings.Contains(all, want) {
			t.Errorf("%s: no %q in %s", what, want, all)
		}
	}
	build("first", ".padding-2{padding:8px}")
	for _, c := range []struct{ name, from, to, want string }{
		{"index.html", "padding-2 ", "padding-2 padding-1 ", ".padding-1{padding:4px}"},
		{"index.html", "padding-1 ", "", ".padding-2{padding:8px}"},
		{"other.html", "color-sea", "hover-wide-padding-7px", ".hover-wide-padding-7px:hover{padding:7px}"},
		{"app.js", "50%", "51%", `.padding-51\%{padding:51%}`},
		{"families.css", "2: 8px", "2: 9px", ".padding-2{padding:9px}"},
		{"families.css", "padding: const(step)", "margin: const(step)", ".padding-2{margin:9px}"},
		{"modes.css", "&:hover", "&:focus", ":focus{"},
		{"modes.css", "hover-", "focus-", ".padding-2{margin:9px}"},
		{"plain.css", "top: 0", "top: 1px", ".plain{top:1px}"},
	} {
		text := strings.Replace(mustRead(t, s.dir, "site/"+c.name), c.from, c.to, 1)
		writeFile(t, s.dir, "site/"+c.name, text)
		opts.Cache.Apply([]source.Path{{Name: c.name}})
		build(c.name+": "+c.to, c.want)
	}
}

// TestImportedFamilies checks that what an import does to rules, it does to members.
func TestImportedFamilies(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<!doctype html><link rel="stylesheet" href="site.css"><p class="pad-1 pad-2 wide-pad-1 wide-pad-2 tone-red edge hover-edge print-pad-3">
-- site/site.css --
@const width: 2px;
@import "families.css" layer(kit) without(selector(".pad-2"), selector(".wide-*")) set(--ring: 5px);
@import "modes.css" layer(kit) without(selector(".wide-pad-2"));
@import "one.css" only(selector(".edge")) replace(1px: 7px);
@import "print.css" print;
-- site/families.css --
@default width: 1px;
@family .pad-(n) { @slot n: range(1, 3); padding: calc(const(width) * const(n)); --ring: 1px; }
-- site/modes.css --
@mode wide- { @media (width >= 40em) { @contents; } }
-- site/one.css --
@family .edge { border: 1px solid; }
@family .tone-(c) { @slot c: <color>; color: const(c); }
@mode hover- { &:hover { @contents; } }
-- site/print.css --
@mode print- { & { @contents; } }
`)
	res, found := s.build(t, project.Development)
	if !strings.Contains(found, `no imported selector matches ".wide-*"`) || strings.Count(found, "warning") != 1 {
		t.Errorf("the findings are %s", found)
	}
	sheet, _, _ := strings.Cut(outputTexts(res)["index.css"], "/*# sourceMapping")
	got := strings.Join(strings.Fields(sheet), " ")
	const want = "@layer kit { .pad-1 { padding: 2px; --ring: 5px; } } " +
		"@layer kit { @media (min-width: 40em) { .wide-pad-1 { padding: 2px; --ring: 1px; } } } " +
		".edge { border: 7px solid; } " +
		"@media print { .print-pad-3 { padding: 6px; --ring: 1px; } }"
	if got != want {
		t.Errorf("the bundle is\n%s\nwant\n%s", got, want)
	}
}
