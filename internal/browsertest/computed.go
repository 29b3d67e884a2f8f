package browsertest

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
)

// Styles are the computed styles of all elements of a page, including ::before and ::after, by a
// path that identifies the element.
type Styles map[string]map[string]string

// computedStyles collects them. Animations and transitions are finished first, and fonts are
// loaded. The page is laid out twice, because on a busy machine some margins are reported late.
const computedStyles = `(async () => {
	await document.fonts.ready;
	const painted = new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)));
	await Promise.race([painted, new Promise(done => setTimeout(done, 500))]);
	const at = scrollY; // it is lost while the page is short
	document.body.hidden = !document.body.hidden;
	document.body.getBoundingClientRect();
	document.body.hidden = !document.body.hidden;
	document.body.getBoundingClientRect();
	scrollTo({ top: at, behavior: "instant" });
	for (const a of document.getAnimations()) { try { a.finish() } catch { a.cancel() } }
	const out = {};
	const paths = new Map();
	const read = (element, path, pseudo) => {
		const style = getComputedStyle(element, pseudo);
		if (pseudo && (style.content === "none" || style.content === "normal")) return;
		const values = {};
		for (const name of style) values[name] = style.getPropertyValue(name);
		for (const name of customNames) { const v = style.getPropertyValue(name); if (v !== "") values[name] = v.trim(); }
		out[path + (pseudo || "")] = values;
	};
	const customNames = new Set();
	const collect = rules => { for (const r of rules) {
		if (r.style) for (const name of r.style) if (name.startsWith("--")) customNames.add(name);
		if (r.styleSheet) collect(r.styleSheet.cssRules);
		if (r.cssRules) collect(r.cssRules);
	} };
	for (const sheet of document.styleSheets) { try { collect(sheet.cssRules) } catch {} }
	let n = 0;
	for (const element of document.querySelectorAll("*")) {
		if (element.closest("head")) continue;
		const path = n++ + " " + element.tagName.toLowerCase() + (element.className.baseVal ?? element.className ? "." + (element.className.baseVal ?? element.className) : "");
		read(element, path, null);
		read(element, path, "::before");
		read(element, path, "::after");
	}
	return out;
})()`

// ComputedStyles returns the computed styles of all elements in the body of the page.
func (p *Page) ComputedStyles() Styles {
	p.b.t.Helper()
	var out Styles
	p.Eval(computedStyles, &out)
	return out
}

// From returns the styles with URLs relative to an address that they start with,
// and without the versions of a development server, for comparison with those of
// a page that has another address.
func (s Styles) From(address string) Styles {
	out := make(Styles, len(s))
	for path, values := range s {
		out[path] = make(map[string]string, len(values))
		for name, value := range values {
			out[path][name] = versions.ReplaceAllString(strings.ReplaceAll(value, address, ""), "")
		}
	}
	return out
}

// versions matches what the development server adds to URLs.
var versions = regexp.MustCompile(`[?&]rinzel=[\w.-]*`)

// Diff returns the differences of two pages' styles, at most limit lines.
func (s Styles) Diff(o Styles, limit int) []string {
	var out []string
	add := func(format string, args ...any) {
		if len(out) < limit {
			out = append(out, fmt.Sprintf(format, args...))
		}
	}
	for _, path := range slices.Sorted(maps.Keys(s)) {
		other, ok := o[path]
		if !ok {
			add("%s is missing", path)
			continue
		}
		for _, name := range slices.Sorted(maps.Keys(s[path])) {
			if a, b := s[path][name], other[name]; a != b {
				add("%s: %s is %q, was %q", path, name, b, a)
			}
		}
	}
	for _, path := range slices.Sorted(maps.Keys(o)) {
		if _, ok := s[path]; !ok {
			add("%s is new", path)
		}
	}
	return out
}
