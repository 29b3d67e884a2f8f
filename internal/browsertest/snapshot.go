package browsertest

import (
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"time"
)

// This file compares whole pages: the same page loaded from two servers, in several states.

// State is a condition under which a page is looked at.
type State struct {
	Name  string
	Width int    // of the window, in CSS pixels; 0 for 1280
	Media string // the emulated media type; empty for screen
	Dark  bool   // prefers-color-scheme: dark
	// Forced applies :hover, :focus and :active to every element.
	Forced bool
	// Clicked clicks every control once before the page is looked at.
	Clicked bool
}

// States are those in which the tests of whole sites look at pages.
var States = []State{
	{Name: "wide"},
	{Name: "narrow", Width: 480},
	{Name: "print", Media: "print"},
	{Name: "dark", Dark: true},
	{Name: "forced", Forced: true},
	{Name: "clicked", Clicked: true},
}

// Look is what a page looked like in all states.
type Look struct {
	page     *Page
	hashes   map[string]map[string]uint32 // by state and element
	problems []string
}

// Elements returns how many elements and pseudo-elements were looked at in the first state.
func (l *Look) Elements() int { return len(l.hashes[States[0].Name]) }

// snapshotScript defines functions that gather the computed styles and boxes of all elements,
// open shadow roots and pseudo-elements included. What they return is a hash for each element;
// the values stay in the page until they are asked for.
const snapshotScript = `(() => {
	const snaps = {};
	const clean = text => text.replaceAll(location.origin, "").replace(/\.[a-z2-7]{10}\.(?=[a-z0-9]+\b)/g, ".");
	const hash = text => { let h = 2166136261; for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 16777619); return h >>> 0 };
	const pseudos = ["::before", "::after", "::marker", "::placeholder", "::backdrop", "::first-letter"];
	const settle = async wait => {
		await document.fonts.ready;
		await new Promise(done => setTimeout(done, wait));
		scrollTo({ top: 0, left: 0, behavior: "instant" });
		await Promise.race([new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done))), new Promise(done => setTimeout(done, 300))]);
		for (const a of document.getAnimations()) { try { a.finish() } catch { a.cancel() } }
	};
	const names = (root, out) => {
		const collect = rules => { for (const r of rules) {
			if (r.style) for (const name of r.style) if (name.startsWith("--")) out.add(name);
			try { if (r.styleSheet) collect(r.styleSheet.cssRules) } catch {}
			if (r.cssRules) collect(r.cssRules);
		} };
		for (const sheet of [...root.styleSheets, ...root.adoptedStyleSheets]) { try { collect(sheet.cssRules) } catch {} }
		return out;
	};
	const take = (root, path, out, customs) => {
		customs = names(root, new Set(customs));
		let n = 0;
		for (const e of root.querySelectorAll("*")) {
			if (e.closest("head")) continue;
			const key = path + n++ + " " + e.localName + (e.id ? "#" + e.id : "") + [...e.classList].map(c => "." + c).join("");
			const read = pseudo => {
				const style = getComputedStyle(e, pseudo);
				if (pseudo && pseudo !== "::marker" && pseudo !== "::placeholder" && pseudo !== "::backdrop" && (style.content === "none" || style.content === "normal")) return;
				let text = style.cssText;
				for (const name of [...customs].sort()) { const v = style.getPropertyValue(name); if (v !== "" && !v.includes("url(")) text += " " + name + ": " + v.trim().replaceAll(";", ",") + ";" }
				if (!pseudo) { const b = e.getBoundingClientRect(); text += " box: " + [b.x + scrollX, b.y + scrollY, b.width, b.height].map(v => Math.round(v * 4) / 4).join(" ") }
				out[key + (pseudo || "")] = text;
			};
			read(null);
			for (const p of pseudos) {
				if (p === "::marker" && getComputedStyle(e).display !== "list-item") continue;
				if (p === "::placeholder" && !("placeholder" in e)) continue;
				if (p === "::backdrop" && e.localName !== "dialog") continue;
				if (p === "::first-letter") continue;
				read(p);
			}
			if (e.shadowRoot) take(e.shadowRoot, path + n + "/", out, customs);
		}
	};
	window.__look = {
		async snap(label, wait) {
			await settle(wait);
			const out = {};
			take(document, "", out, new Set());
			snaps[label] = out;
			const hashes = {};
			for (const key in out) { if (out[key].includes("url(")) out[key] = clean(out[key]); hashes[key] = hash(out[key]) }
			return hashes;
		},
		values: (label, keys) => keys.map(k => (snaps[label][k] || "").split(/; (?=[\w-]+: )/)),
		click() {
			addEventListener("click", e => { const a = e.composedPath().find(x => x.localName === "a" || x.localName === "area"); if (a && a.href) e.preventDefault() });
			addEventListener("submit", e => e.preventDefault());
			window.open = () => null;
			for (const e of document.querySelectorAll("a, button, summary, label, input, select, option, [onclick], [tabindex], [role=button], [role=tab]")) {
				if (!e.isConnected || e.type === "file") continue;
				try { e.dispatchEvent(new MouseEvent("mouseover", { bubbles: true })); e.focus({ preventScroll: true }); e.click() } catch {}
			}
			scrollTo({ top: 0, left: 0, behavior: "instant" });
		},
	};
})()`

// deterministic makes what scripts see the same on every load: time of day and chance.
const deterministic = `(() => {
	let seed = 7;
	Math.random = () => (seed = seed * 16807 % 2147483647) / 2147483647;
	const start = performance.now(), base = Date.UTC(2024, 4, 5, 10, 0, 0), Old = Date;
	const now = () => base + Math.floor((performance.now() - start) / 60000) * 60000;
	window.Date = class extends Old { constructor(...a) { if (a.length) super(...a); else super(now()) } static now() { return now() } };
	window.alert = window.print = () => {}; window.confirm = () => true; window.prompt = () => null;
})()`

// Look loads an address and looks at the page in all states. wait is how long scripts are
// given after each change.
func (p *Page) Look(url string, wait time.Duration) *Look {
	p.b.t.Helper()
	if !p.prepared {
		p.must("Page.addScriptToEvaluateOnNewDocument", map[string]any{"source": deterministic}, nil)
		p.must("Page.setBypassCSP", map[string]any{"enabled": false}, nil)
		p.prepared = true
	}
	l := &Look{page: p, hashes: make(map[string]map[string]uint32)}
	p.enter(State{})
	p.Load(url)
	p.Eval(snapshotScript, nil)
	for i, s := range States {
		p.enter(s)
		if s.Forced {
			p.force(true)
		}
		if s.Clicked {
			p.Eval("__look.click()", nil)
		}
		var hashes map[string]uint32
		pause := wait
		if i > 0 && !s.Clicked {
			pause /= 4 // only what media queries make a script do
		}
		p.Eval(fmt.Sprintf("__look.snap(%q, %d)", s.Name, pause.Milliseconds()), &hashes)
		if s.Forced {
			p.force(false)
		}
		l.hashes[s.Name] = hashes
	}
	l.problems = p.Problems()
	return l
}

// enter emulates what a state says of the window and the media.
func (p *Page) enter(s State) {
	width := s.Width
	if width == 0 {
		width = 1280
	}
	scheme := "light"
	if s.Dark {
		scheme = "dark"
	}
	p.must("Emulation.setDeviceMetricsOverride", map[string]any{"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": false}, nil)
	p.must("Emulation.setEmulatedMedia", map[string]any{"media": s.Media, "features": []map[string]string{{"name": "prefers-color-scheme", "value": scheme}}}, nil)
}

// force has every element match :hover, :focus and :active, or no longer.
func (p *Page) force(on bool) {
	var doc struct{ Root struct{ NodeID int } }
	p.must("DOM.getDocument", map[string]any{"depth": 0}, &doc)
	var all struct{ NodeIDs []int }
	p.must("DOM.querySelectorAll", map[string]any{"nodeId": doc.Root.NodeID, "selector": "body, body *"}, &all)
	classes := []string{}
	if on {
		classes = []string{"hover", "focus", "focus-visible", "focus-within", "active"}
	}
	const most = 1500
	for _, id := range all.NodeIDs[:min(len(all.NodeIDs), most)] {
		_, _ = p.b.call(p.session, "CSS.forcePseudoState", map[string]any{"nodeId": id, "forcedPseudoClasses": classes})
	}
}

// Diff returns what is different between two looks at a page, at most limit lines. again looks at
// both a second time: what differs between two looks at one page, or only once between the two, is
// left to chance and not reported.
func (l *Look) Diff(o *Look, limit int, again func() (*Look, *Look)) []string {
	var l2, o2 *Look
	secondLook := func() {
		if l2 == nil {
			if l2, o2 = l, o; again != nil {
				l2, o2 = again()
			}
		}
	}
	chance := func(state, key string) bool {
		secondLook()
		first, second := l2.hashes[state], o2.hashes[state]
		same := first[key] == l.hashes[state][key] && second[key] == o.hashes[state][key]
		return !same || first[key] == second[key]
	}
	var out []string
	for _, s := range States {
		a, b := l.hashes[s.Name], o.hashes[s.Name]
		var changed []string
		for _, key := range slices.Sorted(maps.Keys(a)) {
			hash, ok := b[key]
			switch {
			case ok && hash == a[key], len(out)+len(changed) >= limit, chance(s.Name, key):
			case !ok:
				out = append(out, fmt.Sprintf("%s: %s is missing", s.Name, key))
			default:
				changed = append(changed, key)
			}
		}
		for _, key := range slices.Sorted(maps.Keys(b)) {
			if _, ok := a[key]; !ok && len(out) < limit && !chance(s.Name, key) {
				out = append(out, fmt.Sprintf("%s: %s is new", s.Name, key))
			}
		}
		out = append(out, l.differences(o, s.Name, changed)...)
	}
	for _, p := range l.newProblems(o) {
		secondLook()
		if slices.Contains(l2.newProblems(o2), p) && slices.Contains(l2.newProblems(o), p) {
			out = append(out, p)
		}
	}
	return out
}

// differences lists the values that differ for some elements in a state.
func (l *Look) differences(o *Look, state string, keys []string) []string {
	if len(keys) == 0 {
		return nil
	}
	list, err := json.Marshal(keys)
	if err != nil {
		l.page.b.t.Fatal(err)
	}
	read := func(p *Page) (values [][]string) {
		p.Eval(fmt.Sprintf("__look.values(%q, %s)", state, list), &values)
		return values
	}
	const most = 6 // values of one element
	was, is := read(l.page), read(o.page)
	var out []string
	for i, key := range keys {
		have := make(map[string]bool)
		for _, line := range was[i] {
			have[line] = true
		}
		n := 0
		for _, line := range is[i] {
			if !have[line] && n < most {
				name, _, _ := strings.Cut(line, ":")
				before := slices.IndexFunc(was[i], func(w string) bool { return strings.HasPrefix(w, name+":") })
				old := "not set"
				if before >= 0 {
					old = was[i][before]
				}
				out = append(out, fmt.Sprintf("%s: %s: %s, was %s", state, key, line, old))
				n++
			}
		}
		if n == 0 {
			out = append(out, fmt.Sprintf("%s: %s: fewer values", state, key))
		}
	}
	return out
}

var (
	originInText = regexp.MustCompile(`https?://127\.0\.0\.1:\d+`)
	hashInText   = regexp.MustCompile(`\.[a-z2-7]{10}\.([a-z0-9]+)\b`)
)

// newProblems returns what failed on the second page and not on the first.
func (l *Look) newProblems(o *Look) []string {
	clean := func(text string) string {
		return hashInText.ReplaceAllString(originInText.ReplaceAllString(text, ""), ".$1")
	}
	known := make(map[string]bool)
	for _, p := range l.problems {
		known[clean(p)] = true
	}
	var out []string
	for _, p := range o.problems {
		if text := clean(p); !known[text] {
			known[text] = true
			out = append(out, "new problem: "+text)
		}
	}
	return out
}
