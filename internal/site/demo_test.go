package site_test

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"

	"rinzel/demo"
	"rinzel/internal/browsertest"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// buildDemo writes the demo site to a folder, builds it, and returns the
// folder.
func buildDemo(t *testing.T, profile string) string {
	t.Helper()
	return buildChangedDemo(t, profile, nil)
}

// buildChangedDemo builds the sample site after a change of its folder.
func buildChangedDemo(t *testing.T, profile string, change func(dir string)) string {
	t.Helper()
	dir, err := source.WriteTree(filepath.Join(t.TempDir(), "harbour"), demo.Site())
	if err != nil {
		t.Fatal(err)
	}
	if change != nil {
		change(dir)
	}
	p, diags, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
	if err != nil || len(diags) > 0 {
		t.Fatal(diags, err)
	}
	defer p.Close()
	res, err := site.Build(context.Background(), p, site.Options{Profile: profile})
	if err != nil {
		t.Fatal(err)
	}
	if len(res.Diagnostics) > 0 {
		var b strings.Builder
		r := diag.Renderer{Files: p.Tree.Set}
		_ = r.Render(&b, res.Diagnostics)
		t.Fatalf("the sample site has findings:\n%s", b.String())
	}
	if _, err := source.Publish(t.Context(), p.Output, emit.Files(res.Outputs), source.PublishOptions{}); err != nil {
		t.Fatal(err)
	}
	return dir
}

func serve(t *testing.T, dir string) string {
	t.Helper()
	s := httptest.NewServer(http.FileServer(http.Dir(dir)))
	t.Cleanup(s.Close)
	return s.URL
}

// evaluated replaces the constants of the demo site that plain pages use by
// their values.
var evaluated = strings.NewReplacer(
	"oklch(from const(shade.deep) l c h / 92%)", "oklch(0.332216 0.055536 215.158 / 92%)",
	"const(shade.deep)", "oklch(0.332216 0.055536 215.158)",
	"const(shade.night)", "oklch(0.259995 0.043635 215.158)",
	"const(shade.well)", "oklch(0.216662 0.035701 215.158)",
	"const(shade.haze)", "oklch(0.768883 0.051569 215.158)",
	"oklch(from const(color.sea) 0.95 calc(c * 0.2) h)", "oklch(0.95 0.015867 215.158)",
	"oklch(from const(color.sea) 0.26 calc(c * 0.35) h)", "oklch(0.26 0.027768 215.158)",
	"oklch(from const(color.sea) 0.53 calc(c * 0.35) h)", "oklch(0.53 0.027768 215.158)",
	"oklch(from const(color.sea) 0.88 calc(c * 0.18) h)", "oklch(0.88 0.014281 215.158)",
	"const(color.sea)", "#14697a", "const(color.buoy)", "#c8501f",
)

// serveUnbuilt serves the source folder of the demo site, with constants
// evaluated.
func serveUnbuilt(t *testing.T, dir string) string {
	t.Helper()
	files := http.FileServer(http.Dir(dir))
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasSuffix(r.URL.Path, ".css") {
			files.ServeHTTP(w, r)
			return
		}
		text, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(r.URL.Path)))
		if err != nil {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/css; charset=utf-8")
		_, _ = evaluated.WriteString(w, string(text))
	}))
	t.Cleanup(s.Close)
	return s.URL
}

// demoPages are the pages of the demo site. A browser can read the sheets of
// plain pages without a build, once their constants are evaluated.
var demoPages = []struct {
	name  string
	plain bool
}{
	{"index.html", false}, {"timetable.html", true}, {"tickets.html", false}, {"notices.html", true}, {"islands/gannet.html", true},
}

// hashInName matches the hash in a file name.
var hashInName = regexp.MustCompile(`\.[a-z2-7]{10}\.`)

// stylesOf loads a page and returns the computed styles of its elements, with
// the address of the server removed.
func stylesOf(t *testing.T, page *browsertest.Page, server, name string) browsertest.Styles {
	t.Helper()
	page.Load("about:blank") // after another page of the site, a busy browser reported margins from before the layout
	page.Load(server + "/" + name)
	if problems := page.Problems(); len(problems) > 0 {
		t.Errorf("%s: %s", name, problems)
	}
	styles := page.ComputedStyles()
	for _, values := range styles {
		for k, v := range values {
			values[k] = hashInName.ReplaceAllString(strings.ReplaceAll(v, server, ""), ".")
		}
	}
	return styles
}

// TestDemoLooksTheSame loads every page of the demo site unbuilt and built with
// both profiles, and compares the computed styles of all elements. Pages that
// browsers cannot read unbuilt are compared between the profiles, and with
// expected values.
func TestDemoLooksTheSame(t *testing.T) {
	browser := browsertest.Start(t)
	development, production := buildDemo(t, project.Development), buildDemo(t, project.Production)
	unbuilt := serveUnbuilt(t, filepath.Join(development, "site"))
	dev, prod := serve(t, filepath.Join(development, "public")), serve(t, filepath.Join(production, "public"))
	page := browser.Open("about:blank")
	for _, p := range demoPages {
		t.Run(p.name, func(t *testing.T) {
			d, r := stylesOf(t, page, dev, p.name), stylesOf(t, page, prod, p.name)
			if len(d) < 30 {
				t.Fatalf("only %d elements", len(d))
			}
			for _, line := range d.Diff(r, 10) {
				t.Errorf("production: %s", line)
			}
			if !p.plain {
				return
			}
			for _, line := range stylesOf(t, page, unbuilt, p.name).Diff(d, 10) {
				t.Errorf("development: %s", line)
			}
		})
	}
	for _, server := range []string{dev, prod} {
		t.Run("expectations", func(t *testing.T) { checkDemo(t, page, server) })
		t.Run("sheets", func(t *testing.T) { checkSheets(t, page, server) })
	}
}

// checkSheets checks which sheets each page loads, in order, and that
// tide-week.js loads its own.
func checkSheets(t *testing.T, page *browsertest.Page, server string) {
	const loaded = `[...document.styleSheets].map((s) => new URL(s.href).pathname.slice(1).replace(/\.[a-z2-7]{10}\./, ".")).join(" ")`
	for name, want := range map[string]string{
		"index.html": "shared.css shared-2.css index.css", "timetable.html": "shared.css timetable.css", "notices.html": "shared.css notices.css",
		"tickets.html": "shared.css shared-2.css tickets.css", "islands/gannet.html": "shared.css islands/gannet.css",
	} {
		page.Load(server + "/" + name)
		var got string
		if page.Eval(loaded, &got); got != want {
			t.Errorf("%s loads %s, want %s", name, got, want)
		}
	}
	page.Load(server + "/index.html")
	var got []string
	page.Eval(`(async () => {
		document.querySelector("[data-tides] button").click();
		for (let i = 0; i < 500 && document.querySelectorAll(".tide-day").length < 7; i++) await new Promise((done) => setTimeout(done, 10));
		return [`+loaded+`, getComputedStyle(document.querySelector(".tide-week")).display, getComputedStyle(document.querySelector(".is-spring")).borderTopColor];
	})()`, &got)
	if want := "shared.css shared-2.css index.css js/tide-week.css grid rgb(200, 80, 31)"; strings.Join(got, " ") != want {
		t.Errorf("with the week of tides: %s, want %s", got, want)
	}
	if problems := page.Problems(); len(problems) > 0 {
		t.Error(problems)
	}
}

// checkDemo compares computed values of the pages that use constants with
// expected ones.
func checkDemo(t *testing.T, page *browsertest.Page, server string) {
	tests := []struct{ page, selector, property, want string }{
		{"index.html", ".button:not(.button-quiet)", "background-color", "rgb(200, 80, 31)"}, // const(kit-accent), set by the site from a design token
		{"index.html", ".button", "border-radius", "10px"},
		{"tickets.html", ".button", "padding", "10px 20px"},
		{"index.html", ".button", "user-select", "none"},
		{"index.html", ".button-quiet", "background-color", "rgb(255, 255, 255)"},
		{"index.html", ".card", "border-bottom-color", "rgb(201, 214, 216)"}, // the default of the kit
		{"index.html", ".card", "box-shadow", "rgba(13, 59, 74, 0.6) 0px 10px 30px -18px"},
		{"index.html", ".card-body", "padding", "20px"},
		{"index.html", ".badge-sea", "background-color", "rgb(185, 223, 228)"}, // a variation that the site added to those of the kit
		{"index.html", ".badge-warm", "background-color", "rgb(248, 221, 201)"},
		{"index.html", ".card", "transition-property", "transform"}, // of the page, which overrides the layer of the kit
		{"index.html", ".board .time", "font-family", `"Berth Digits", "DejaVu Sans Mono", monospace`},
		{"index.html", ".notice-watch", "border-left-color", "rgb(217, 162, 27)"}, // a class name that the script joins
		{"index.html", ".card-gannet", "border-top-color", "rgb(201, 162, 39)"},   // from a loop
		{"index.html", ".card-tern", "background-color", "oklab(0.964166 -0.001385 -0.003986)"},
		{"index.html", ".home-board", "box-shadow", "rgba(13, 59, 74, 0.6) 0px 10px 30px -18px"}, // a shadow token
		{"index.html", ".hero .button", "padding-left", "24px"},                                  // custom media, a custom selector, a calculation
		{"index.html", ".card-tern", "view-transition-name", "island-tern"},                      // a name with an interpolated value
		{"index.html", ".home-board tr:nth-child(3)", "animation-delay", "0.18s"},                // a loop over a range
		{"tickets.html", ".by-post", "margin-top", "48px"},                                       // a token file of the sheet
		{"tickets.html", ".gauge", "height", "14px"},                                             // a plain library
		{"tickets.html", ".gauge", "border-radius", "10px"},                                      // set on its import
		{"tickets.html", ".gauge > span", "background-color", "rgb(20, 105, 122)"},
		{"tickets.html", ".gauge-note", "border-left-color", "rgb(20, 105, 122)"}, // replaced on its import
		{"tickets.html", ".order", "padding", "24px"},                             // if() on a constant of the settings
		{"tickets.html", ".field input", "padding", "8px 12px"},
		{"tickets.html", ".field", "row-gap", "4px"},
		{"tickets.html", ".button[disabled]", "opacity", "0.5"},
		{"tickets.html", ".machine", "display", "none"},
	}
	at := ""
	for _, test := range tests {
		if at != test.page {
			at = test.page
			page.Load(server + "/" + at)
		}
		var got string
		selector, _ := json.Marshal(test.selector)
		property, _ := json.Marshal(test.property)
		page.Eval(fmt.Sprintf("document.fonts.ready.then(() => getComputedStyle(document.querySelector(%s)).getPropertyValue(%s))", selector, property), &got)
		if got != test.want {
			t.Errorf("%s: %s of %s is %q, want %q", test.page, test.property, test.selector, got, test.want)
		}
	}
	page.Load(server + "/index.html")
	var fonts bool
	page.Eval(`document.fonts.ready.then(() => document.fonts.check('20px "Berth Digits"', "12:30"))`, &fonts)
	if !fonts {
		t.Error("the font of the departure board did not load")
	}
}

// TestInspectorFindsSources reads the maps of the built demo with the browser's
// own inspector: from each declaration that the browser matches to an element,
// it must find the line of a source with the declaration.
func TestInspectorFindsSources(t *testing.T) {
	browser := browsertest.Start(t)
	reader := browser.Open(browser.Inspector() + "/json/version")
	for _, profile := range []string{project.Development, project.Production} {
		t.Run(profile, func(t *testing.T) {
			dir := buildDemo(t, profile)
			inspectDemo(t, browser, reader, dir)
		})
	}
}

// inspectDemo checks the maps of a built demo.
func inspectDemo(t *testing.T, browser *browsertest.Browser, reader *browsertest.Page, dir string) {
	t.Helper()
	server := serve(t, dir)
	page := browser.Open(server + "/public/index.html")
	defer page.Close()
	checked := inspectPage(t, page, reader, server)
	if checked < 100 {
		t.Errorf("only %d declarations were checked", checked)
	}
	t.Logf("%d declarations lead to their sources", checked)
}

// TestInspectorThroughSteps does the same after three steps of the settings: one
// adds lines to each sheet, one indents all and gives a map, and one adds a comment
// to bundles. The sheets of the pages come with source maps as well, which lead to
// sheets in a folder "first".
func TestInspectorThroughSteps(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the programs of this test are those of Unix")
	}
	const steps = `
[step.lines]
on = "sheet"
run = ["awk", "{ print \"\"; print } /^ +[a-z-]+: [^*]*;$/ { print \"/* quay */\" }"]
protocol = "text"

[step.indented]
on = "sheet"
run = ["sh", "tools/indented.sh"]
protocol = "text"

[step.stamp]
on = "bundle"
run = ["sh", "-c", "echo '/*! Gull Point */'; cat"]
protocol = "text"

[cache]
folder = "stored"
`
	const indented = `awk '{ print "  " $0; maps = maps (NR == 1 ? "EAAA" : ";EACA") } END {
	printf "/*# sourceMappingURL=data:application/json,{\"version\":3,\"sources\":[\"\"],\"names\":[],\"mappings\":\"%s\"} */\n", maps }'`
	browser := browsertest.Start(t)
	reader := browser.Open(browser.Inspector() + "/json/version")
	for profile, finish := range map[string]string{project.Development: `"stamp"`, project.Production: `"purge", "stamp", "minify"`} {
		t.Run(profile, func(t *testing.T) {
			dir := buildChangedDemo(t, profile, func(dir string) {
				settings := strings.ReplaceAll(mustRead(t, dir, "rinzel.toml"), `"lower", "prefix"]`, `"lower", "lines", "prefix", "indented"]`)
				profiles := "\n[profile." + profile + "]\nfinish = [" + finish + "]\n"
				if before, _, ok := strings.Cut(settings, "\n[profile."+profile+"]\n"); ok {
					settings = before // the last table
				}
				if profile != project.Production {
					before, after, _ := strings.Cut(settings, "\n[profile.production]\n")
					if settings = before + profiles; after == "" {
						t.Fatal("the settings of the demo have no profile")
					}
				} else {
					settings += profiles
				}
				writeFile(t, dir, "rinzel.toml", settings+steps)
				writeFile(t, dir, "tools/indented.sh", indented)
				pages, err := filepath.Glob(filepath.Join(dir, "site/css/pages/*.css"))
				if err != nil || len(pages) == 0 {
					t.Fatal(pages, err)
				}
				for _, name := range pages {
					rel, _ := filepath.Rel(dir, name)
					writeFile(t, dir, rel, withInputMap(t, filepath.Base(name), mustRead(t, dir, rel)))
				}
			})
			inspectDemo(t, browser, reader, dir)
		})
	}
}

// withMap starts each line of a sheet that has an input map.
const withMap = "/* with a map */ "

// withInputMap returns a sheet with a comment in each line outside of others, and with a source map that
// leads from each word to the sheet as it was, in a folder "first".
func withInputMap(t *testing.T, name, text string) string {
	t.Helper()
	words := regexp.MustCompile(`[A-Za-z-]+`)
	var out, mappings strings.Builder
	last, lastColumn := 0, 0
	inComment := false
	for i, line := range strings.Split(strings.TrimSuffix(text, "\n"), "\n") {
		column, start := 0, withMap
		if inComment {
			start = ""
		}
		if i := strings.LastIndex(line, "/*"); i >= 0 || inComment {
			inComment = !strings.Contains(line[max(i, 0):], "*/")
		}
		for k, at := range words.FindAllStringIndex(line, -1) {
			if k > 0 {
				mappings.WriteByte(',')
			}
			mappings.WriteString(vlq(at[0]+len(start)-column) + vlq(0) + vlq(i-last) + vlq(at[0]-lastColumn))
			column, last, lastColumn = at[0]+len(start), i, at[0]
		}
		mappings.WriteByte(';')
		out.WriteString(start + line + "\n")
	}
	data, err := json.Marshal(map[string]any{"version": 3, "sources": []string{"first/" + name}, "sourcesContent": []string{text},
		"names": []string{}, "mappings": mappings.String()})
	if err != nil {
		t.Fatal(err)
	}
	return out.String() + "/*# sourceMappingURL=data:application/json;base64," + base64.StdEncoding.EncodeToString(data) + " */\n"
}

// vlq returns a number in the form that mappings have (ECMA-426, section 6).
func vlq(n int) (out string) {
	const digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"
	v := n << 1
	if n < 0 {
		v = -n<<1 | 1
	}
	for {
		digit := v & 31
		if v >>= 5; v > 0 {
			out += digits[digit|32 : digit|32+1]
			continue
		}
		return out + digits[digit:digit+1]
	}
}

// sheetAddress has the URLs of a style sheet and its map.
type sheetAddress struct{ mapURL, address string }

// inspectPage returns the number of checked declarations.
func inspectPage(t *testing.T, page, reader *browsertest.Page, server string) int {
	sheets := make(map[string]sheetAddress)
	for _, h := range page.Sheets() {
		mapURL, err := url.Parse(h.SourceURL)
		if err == nil {
			mapURL, err = mapURL.Parse(h.SourceMapURL)
		}
		if err != nil {
			t.Fatal(err)
		}
		sheets[h.StyleSheetID] = sheetAddress{mapURL.String(), h.SourceURL}
	}
	var root struct{ Root struct{ NodeID int } }
	page.Call("DOM.getDocument", nil, &root)
	var all struct{ NodeIDs []int }
	page.Call("DOM.querySelectorAll", map[string]any{"nodeId": root.Root.NodeID, "selector": "body, body *"}, &all)
	places := make(map[string]map[place]string) // of properties, by style sheet
	for _, id := range all.NodeIDs {
		var matched struct {
			MatchedCSSRules []struct {
				Rule struct {
					StyleSheetID string
					Origin       string
					Style        struct {
						CSSProperties []struct {
							Name  string
							Range *struct{ StartLine, StartColumn int }
						}
					}
				}
			}
		}
		page.Call("CSS.getMatchedStylesForNode", map[string]any{"nodeId": id}, &matched)
		for _, m := range matched.MatchedCSSRules {
			for _, p := range m.Rule.Style.CSSProperties {
				if p.Range == nil || m.Rule.Origin != "regular" {
					continue
				}
				if places[m.Rule.StyleSheetID] == nil {
					places[m.Rule.StyleSheetID] = make(map[place]string)
				}
				places[m.Rule.StyleSheetID][place{p.Range.StartLine, p.Range.StartColumn}] = p.Name
			}
		}
	}
	checked := 0
	for id, properties := range places {
		checked += checkPlaces(t, reader, server, sheets[id], properties)
	}
	return checked
}

type place struct{ line, column int }

// checkPlaces resolves positions in a style sheet with the inspector's reader.
func checkPlaces(t *testing.T, reader *browsertest.Page, server string, sheet sheetAddress,
	properties map[place]string) int {
	var list [][2]int
	var names []string
	for at, name := range properties {
		list, names = append(list, [2]int{at.line, at.column}), append(names, name)
	}
	mapJSON := fetchMap(t, sheet)
	args, err := json.Marshal([]any{sheet.address, sheet.mapURL, mapJSON, list})
	if err != nil {
		t.Fatal(err)
	}
	var found []struct {
		URL    string
		Line   int
		Column int
		Text   string
		Whole  string // the line
	}
	reader.Eval(fmt.Sprintf(`(async ([address, mapURL, json, places]) => {
		const { SourceMap } = (await import("/devtools/core/sdk/sdk.js")).SourceMap;
		const map = new SourceMap(address, mapURL.startsWith("data:") ? address + ".map" : mapURL, JSON.parse(json));
		return places.map(([line, column]) => {
			const e = map.findEntry(line, column);
			if (!e) return { url: "", line: 0, column: 0, text: "" };
			const text = map.embeddedContentByURL(e.sourceURL) ?? "";
			const whole = text.split(/\r\n|[\r\n]/)[e.sourceLineNumber] ?? "";
			return { url: e.sourceURL, line: e.sourceLineNumber, column: e.sourceColumnNumber, whole,
				text: whole.slice(e.sourceColumnNumber) };
		});
	})(%s)`, args), &found)
	for i, f := range found {
		name := names[i]
		plain := strings.TrimPrefix(name, "-webkit-")
		if !strings.HasPrefix(f.Text, name) && !strings.HasPrefix(f.Text, plain) || strings.HasPrefix(f.Whole, withMap) {
			t.Errorf("%s at %v of %s leads to %s:%d:%d %q", name, list[i], sheet.address, f.URL, f.Line+1, f.Column+1, f.Text)
			continue
		}
		path := strings.Replace(strings.TrimPrefix(f.URL, server+"/"), "/first/", "/", 1)
		if text, err := fs.ReadFile(demo.Site(), path); err != nil || !strings.Contains(string(text), f.Text) {
			t.Errorf("%s leads to %s, which is not a source with %q: %v", name, f.URL, f.Text, err)
		}
	}
	return len(found)
}

// fetchMap returns the JSON of a style sheet's map.
func fetchMap(t *testing.T, sheet sheetAddress) string {
	t.Helper()
	if _, data, ok := strings.Cut(sheet.mapURL, ";base64,"); ok {
		text, err := base64.StdEncoding.DecodeString(data)
		if err != nil {
			t.Fatal(err)
		}
		return string(text)
	}
	res, err := http.Get(sheet.mapURL)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var raw json.RawMessage
	if err := json.NewDecoder(res.Body).Decode(&raw); err != nil {
		t.Fatalf("map of %s: %v", sheet.address, err)
	}
	return string(raw)
}

// TestDemoSteps checks what the steps of the demo make of its files in production,
// and that there is one of each kind.
func TestDemoSteps(t *testing.T) {
	dir := buildDemo(t, project.Production)
	read := func(pattern string) string {
		t.Helper()
		names, err := filepath.Glob(filepath.Join(dir, "public", pattern))
		if err != nil || len(names) != 1 {
			t.Fatalf("%s: %v, %v", pattern, names, err)
		}
		return mustRead(t, dir, "public/"+filepath.ToSlash(names[0][len(filepath.Join(dir, "public"))+1:]))
	}
	sheet := read("tickets.*.css")
	has(t, "the sheet", sheet, []string{".berth-petrel{grid-column:1/span 5;--boat:#14697a}", ".berth-night{grid-column:9/span 4;"}, nil)
	if !strings.HasPrefix(sheet, "/*! Sallow Quay, harbour office */") {
		t.Errorf("the bundle starts with %.60q", sheet)
	}
	has(t, "the page", read("tickets.html"), []string{"\n<title>Tickets", "\n<li class=\"berth-auk\">"}, []string{"\n "})
	has(t, "the script", read("js/tide-week.js"), []string{"` <p class=\"tide-day${height>4"}, []string{"\n "})
	has(t, "the manifest", read("quay.webmanifest"), []string{`{"name":"Sallow Quay","start_url":`}, []string{"\n", ": "})
	has(t, "the picture", read("img/ferry.*svg"), []string{"<circle"}, []string{"\n"})

	settings := mustRead(t, dir, "rinzel.toml")
	for _, on := range []pipeline.Stage{pipeline.OnSheet, pipeline.OnBundle, pipeline.OnScript, pipeline.OnPage, pipeline.OnAsset} {
		if !strings.Contains(settings, "\non = \""+string(on)+"\"\n") {
			t.Errorf("the demo has no step with on = %q", on)
		}
	}
	for _, name := range []string{"tools/banner.c", "tools/json.c", "tools/markup.c", "tools/page.c", "tools/plan.c", "tools/text.h"} {
		mustRead(t, dir, name) // the source of each module
	}
}
