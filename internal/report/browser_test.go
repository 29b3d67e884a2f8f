package report_test

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"path"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// coverage is what a browser used of a sheet.
type coverage struct{ rules, bytes int }

// coverageOf loads a page and returns what the browser used of each sheet, by
// the name of its file.
func coverageOf(p *browsertest.Page, address string) map[string]coverage {
	p.Call("CSS.startRuleUsageTracking", nil, nil)
	p.Load(address)
	var usage struct {
		RuleUsage []struct {
			StyleSheetID           string
			StartOffset, EndOffset float64
			Used                   bool
		}
	}
	p.Call("CSS.stopRuleUsageTracking", nil, &usage)
	names := make(map[string]string)
	for _, s := range p.Sheets() {
		names[s.StyleSheetID] = path.Base(s.SourceURL)
	}
	type place struct {
		sheet      string
		start, end float64
	}
	seen := make(map[place]bool) // rules in nested layers are listed several times
	out := make(map[string]coverage)
	for _, u := range usage.RuleUsage {
		at := place{u.StyleSheetID, u.StartOffset, u.EndOffset}
		if u.Used && !seen[at] {
			seen[at] = true
			c := out[names[u.StyleSheetID]]
			c.rules++
			c.bytes += int(u.EndOffset - u.StartOffset)
			out[names[u.StyleSheetID]] = c
		}
	}
	return out
}

// TestUseInBrowser compares what pages use of their bundles with the coverage of
// a browser, on random sites without scripts, states and combinators, about
// which the two differ on purpose.
func TestUseInBrowser(t *testing.T) {
	browser := browsertest.Start(t)
	tab := browser.Open("about:blank")
	defer tab.Close()
	compared := 0
	for seed := range uint64(40) {
		files := randomSite(seed)
		files["rinzel.toml"].Data = []byte("[split]\nmin-bytes = 1\n[profile.production]\nmaps = \"none\"\n")
		for _, f := range files { // a browser does not use rules for print, and counts blocks of layers as rules
			f.Data = []byte(strings.NewReplacer(" print;", ";", " layer(kit);", ";").Replace(string(f.Data)))
		}
		p := open(t, files)
		r := reportOf(t, p, project.Production)
		publish(t, p)
		server := httptest.NewServer(http.FileServer(http.Dir(p.Output)))
		for _, page := range r.Pages {
			used := coverageOf(tab, server.URL+"/"+filepath.Base(page.Name))
			for _, load := range page.Loads {
				for _, b := range r.Bundles {
					if b.Name != load.Bundle {
						continue
					}
					compared++
					if got := used[path.Base(b.Path)]; got.rules != load.UsedRules {
						t.Errorf("seed %d: %s uses %d of the rules of %s, the browser %d", seed, page.Name, load.UsedRules, b.Name,
							got.rules)
					}
				}
			}
		}
		server.Close()
		if t.Failed() {
			return
		}
	}
	if compared < 100 {
		t.Errorf("only %d bundles of pages were compared", compared)
	}
}

// publish writes the outputs of a build for release.
func publish(t *testing.T, p *project.Project) {
	t.Helper()
	res := buildOf(t, p, project.Production)
	if _, err := source.Publish(t.Context(), p.Output, emit.Files(res.Outputs), source.PublishOptions{}); err != nil {
		t.Fatal(err)
	}
}

// TestReportInBrowser opens the report of the sample site in both schemes and on
// a narrow screen: no errors, no sideways scrolling, and the filters and the
// sorting work.
func TestReportInBrowser(t *testing.T) {
	browser := browsertest.Start(t)
	var page bytes.Buffer
	if err := reportOf(t, demoSite(t), project.Production).Write(&page); err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = w.Write(page.Bytes())
	}))
	defer server.Close()
	tab := browser.Open(server.URL)
	defer tab.Close()
	for _, width := range []int{1280, 390} {
		tab.Call("Emulation.setDeviceMetricsOverride",
			map[string]any{"width": width, "height": 844, "deviceScaleFactor": 1, "mobile": false}, nil)
		for _, scheme := range []string{"light", "dark"} {
			tab.Call("Emulation.setEmulatedMedia",
				map[string]any{"features": []map[string]string{{"name": "prefers-color-scheme", "value": scheme}}}, nil)
			var problems []string
			tab.Eval(checkPage, &problems)
			for _, problem := range problems {
				t.Errorf("%d pixels, %s: %s", width, scheme, problem)
			}
		}
	}
	var shown, sorted []string
	tab.Eval(`(() => { const i = document.querySelector("[data-rows=sheet-rows]"); i.value = "board"; i.dispatchEvent(new Event("input"));
		return [...document.querySelectorAll("#sheet-rows tr")].filter((r) => !r.hidden).map((r) => r.cells[0].textContent) })()`, &shown)
	if len(shown) != 1 || !strings.HasSuffix(shown[0], "board.css") {
		t.Errorf("the filter shows %q", shown)
	}
	tab.Eval(`(() => { const h = document.querySelectorAll("#pages thead th"); h[1].firstChild.click(); h[1].firstChild.click();
		return [...document.querySelectorAll("#page-rows tr")].map((r) => r.cells[1].dataset.v) })()`, &sorted)
	for i := 1; i < len(sorted); i++ {
		if len(sorted[i-1]) > len(sorted[i]) || len(sorted[i-1]) == len(sorted[i]) && sorted[i-1] > sorted[i] {
			t.Errorf("not sorted by size: %q", sorted)
		}
	}
	if problems := tab.Problems(); len(problems) > 0 {
		t.Errorf("problems: %q", problems)
	}
}

// checkPage returns what is wrong with the page: text that is hard to read,
// controls without a name, and parts that are wider than the window.
const checkPage = `(() => {
	const out = [];
	if (document.documentElement.scrollWidth > innerWidth) out.push("scrolls sideways: " + document.documentElement.scrollWidth);
	const light = (c) => {
		const [r, g, b] = c.match(/[\d.]+/g).map((x) => x / 255).map((x) => x <= .03928 ? x / 12.92 : ((x + .055) / 1.055) ** 2.4);
		return .2126 * r + .7152 * g + .0722 * b;
	};
	const ground = (e) => {
		for (; e; e = e.parentElement) {
			const c = getComputedStyle(e).backgroundColor;
			if (c !== "rgba(0, 0, 0, 0)") return c;
		}
		return "rgb(255, 255, 255)";
	};
	const seen = new Set();
	for (const e of document.querySelectorAll("main *, header *, nav *")) {
		if (e.ownerSVGElement || ![...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim())) continue;
		const a = light(getComputedStyle(e).color), b = light(ground(e));
		const ratio = (Math.max(a, b) + .05) / (Math.min(a, b) + .05);
		const key = e.tagName + "." + e.className;
		if (ratio < 4.5 && !seen.has(key)) { seen.add(key); out.push("contrast " + ratio.toFixed(2) + " of " + key); }
	}
	for (const e of document.querySelectorAll("text")) {
		const box = e.parentElement.querySelector("rect");
		if (!box) continue;
		const a = light(getComputedStyle(e).fill), b = light(getComputedStyle(box).fill);
		const ratio = (Math.max(a, b) + .05) / (Math.min(a, b) + .05);
		if (ratio < 4.5 && !seen.has("text")) { seen.add("text"); out.push("contrast " + ratio.toFixed(2) + " of a label"); }
		const t = e.getBoundingClientRect(), r = box.getBoundingClientRect();
		if (e.parentElement.tagName === "a" && t.right > r.right + 2) out.push("label wider than its box: " + e.textContent);
	}
	for (const e of document.querySelectorAll("input, button, [role=region], a")) {
		if (!(e.getAttribute("aria-label") || e.textContent.trim())) out.push("no name: " + e.outerHTML.slice(0, 80));
	}
	return out;
})()`
