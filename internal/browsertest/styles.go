package browsertest

import (
	"encoding/json"
	"fmt"
	"strings"
)

// buildDocument makes elements for the selectors of a sheet: those that each
// selector matches, near misses, and elements that match two selectors. States
// such as :hover are attributes, so that they can be set.
const buildDocument = `(sheet => {
	const states = /:(hover|active|focus-visible|focus-within|focus)(?![\w-])/g;
	const compounds = /(?:\\.|\[(?:"[^"]*"|'[^']*'|[^\]])*\]|\((?:[^()]|\((?:[^()]|\([^()]*\))*\))*\)|[^\s>+~,([\\])+/g;
	const listParts = s => {
		const out = []; let depth = 0, start = 0;
		for (let i = 0; i < s.length; i++) {
			if (s[i] === "\\") i++;
			else if ("([".includes(s[i])) depth++;
			else if (")]".includes(s[i])) depth--;
			else if (s[i] === "," && depth === 0) { out.push(s.slice(start, i)); start = i + 1; }
		}
		return [...out, s.slice(start)].map(s => s.trim());
	};
	document.head.replaceChildren();
	document.documentElement.replaceChildren(document.head, document.createElement("body"));
	window.plainStates = s => s.replace(states, "[data-is-$1]");
	const style = document.createElement("style");
	style.textContent = plainStates(sheet);
	document.head.append(style);
	const selectors = [];
	const collect = (rules, outer) => { for (const r of rules) {
		if (r.selectorText !== undefined && r.style) {
			for (const s of listParts(r.selectorText)) {
				const whole = outer ? (s.includes("&") ? s.replaceAll("&", outer) : outer + " " + s) : s;
				selectors.push(whole);
				if (r.cssRules) collect(r.cssRules, whole);
			}
		} else if (r.cssRules && r.type !== CSSRule.KEYFRAMES_RULE) collect(r.cssRules, outer);
	} };
	collect(style.sheet.cssRules, "");
	style.remove();
	const unescape = s => s.replace(/\\([0-9a-f]{1,6})\s?|\\(.)/gi, (_, hex, c) => hex ? String.fromCodePoint(parseInt(hex, 16)) : c);
	const dress = (element, compound) => {
		for (const m of compound.matchAll(/\.((?:[\w-]|[^\x00-\x7f]|\\[0-9a-f]{1,6}\s?|\\.)+)/gi)) element.classList.add(unescape(m[1]));
		for (const m of compound.matchAll(/\[([\w-]+)(?:[~|^$*]?=(?:"([^"]*)"|'([^']*)'|([^\]\s]*)))?[^\]]*\]/g)) {
			const value = m[2] ?? m[3] ?? m[4] ?? "";
			try { m[1] === "class" ? element.className += " " + value : element.setAttribute(m[1], value); } catch {}
		}
		const id = compound.match(/#((?:[\w-]|\\.)+)/);
		if (id) element.id = unescape(id[1]);
	};
	const bare = s => s.replace(/:(?:is|where|any|-webkit-any|matches)\(([^(),]*)[^()]*\)/g, "$1").replace(/::?[\w-]+(?:\((?:[^()]|\((?:[^()]|\([^()]*\))*\))*\))?/g, "");
	const make = compound => {
		const tag = compound.match(/^[a-z][\w-]*/i);
		const element = document.createElement(tag && !/^(html|body|head)$/i.test(tag[0]) ? tag[0] : "div");
		dress(element, compound);
		return element;
	};
	const subjects = [];
	const build = selector => {
		const text = bare(selector).trim();
		const parts = text.match(compounds) ?? ["div"];
		const combinators = text.replace(compounds, "\u0001").split("\u0001").map(s => s.trim());
		let parent = document.body, last = null;
		parts.forEach((compound, i) => {
			const combinator = i ? combinators[i] : " ";
			const element = make(compound);
			if (combinator === "+" || combinator === "~") last.after(element);
			else (last ?? parent).append(element);
			last = element;
		});
		last.append("x");
		return [last, parts.at(-1)];
	};
	const limit = 500;
	const step = Math.max(1, selectors.length / limit);
	const seen = new Set();
	for (let n = 0; n < selectors.length; n += step) {
		const selector = selectors[Math.floor(n)];
		if (seen.has(selector)) continue;
		seen.add(selector);
		try {
			const [element, compound] = build(selector);
			subjects.push([element, compound]);
			const [miss] = build(selector);
			if (miss.classList.length) miss.classList.remove(miss.classList[miss.classList.length - 1]);
			const [both] = build(selector);
			const other = subjects[(n * 7919 | 0) % subjects.length];
			dress(both, bare(other[1]));
			if (subjects.length > 1) dress(build(selector)[0], bare(subjects.at(-2)[1]));
		} catch {}
	}
	window.builtBody = document.body;
	return document.querySelectorAll("body *").length;
})`

// compareStyles returns the differences of computed styles under two sheets.
const compareStyles = `((a, b, limit) => {
	const style = document.createElement("style");
	// All longhands and custom properties that one of the sheets sets: others can only differ if one of these does.
	const longhands = new Set(getComputedStyle(document.documentElement)), declared = new Set();
	const collect = rules => { for (const r of rules) {
		for (const n of r.style ?? []) if (longhands.has(n)) declared.add(n);
		if (r.cssRules) collect(r.cssRules);
	} };
	for (const text of [a, b]) {
		style.textContent = text;
		document.head.append(style);
		collect(style.sheet.cssRules);
		style.remove();
	}
	const custom = new Set((a + b).match(/--[\w-]+/g) ?? []);
	const names = [...declared, ...[...custom].slice(0, 300)];
	// Chromium keeps the notation of easing functions.
	const easings = { "cubic-bezier(0.25, 0.1, 0.25, 1)": "ease", "cubic-bezier(0.42, 0, 1, 1)": "ease-in",
		"cubic-bezier(0, 0, 0.58, 1)": "ease-out", "cubic-bezier(0.42, 0, 0.58, 1)": "ease-in-out",
		"cubic-bezier(0, 0, 1, 1)": "linear", "step-start": "steps(1, start)", "step-end": "steps(1)" };
	const valueOf = (s, n) => {
		const v = s.getPropertyValue(n);
		return n.endsWith("timing-function") ? v.replace(/cubic-bezier\([^)]*\)|step-(start|end)/g, f => easings[f] ?? f) : v;
	};
	const read = text => {
		builtBody.remove();
		style.textContent = plainStates(text);
		document.head.append(style);
		document.documentElement.append(builtBody);
		for (const a of document.getAnimations()) a.cancel();
		const out = [];
		const add = s => out.push(names.map(n => valueOf(s, n)));
		add(getComputedStyle(document.documentElement));
		add(getComputedStyle(builtBody));
		for (const e of builtBody.querySelectorAll("*")) {
			add(getComputedStyle(e));
			for (const pseudo of ["::before", "::after"]) {
				const s = getComputedStyle(e, pseudo);
				out.push(s.content === "none" || s.content === "normal" ? [] : names.map(n => valueOf(s, n)));
			}
		}
		style.remove();
		return out;
	};
	const x = read(a), y = read(b), found = [];
	const elements = [...builtBody.querySelectorAll("*")];
	for (let i = 0; i < x.length && found.length < limit; i++) {
		const n = Math.max(x[i].length, y[i].length);
		for (let k = 0; k < n; k++) if (x[i][k] !== y[i][k]) {
			const e = i < 2 ? "root" : elements[Math.floor((i - 2) / 3)].outerHTML.slice(0, 200) + ["", "::before", "::after"][(i - 2) % 3];
			found.push(e + ": " + names[k] + " is " + y[i][k] + ", was " + x[i][k]);
			break;
		}
	}
	return found;
})`

// environments are the viewports and media in which sheets are compared.
var environments = []struct {
	name  string
	width int
	media string
}{
	{"wide", 1300, ""}, {"narrow", 400, ""}, {"medium", 800, ""}, {"print", 1000, "print"},
}

// DiffStyles compares the computed styles of elements under two sheets: the
// page gets elements for the selectors of the first one. It returns the number
// of elements, and at most limit differences.
func (p *Page) DiffStyles(source, built string, limit int) (elements int, diff []string) {
	p.b.t.Helper()
	var standard bool
	if p.Eval("document.doctype !== null && document.URL.startsWith('data:')", &standard); !standard {
		p.Load("data:text/html,<!doctype html><title>x</title><body>")
	}
	a, b := quoted(source), quoted(built)
	p.Eval(fmt.Sprintf("%s(%s)", buildDocument, a), &elements)
	for i, e := range environments {
		if i > 0 && !strings.Contains(source+built, "@") {
			break // nothing depends on them
		}
		p.Call("Emulation.setDeviceMetricsOverride",
			map[string]any{"width": e.width, "height": 800, "deviceScaleFactor": 1, "mobile": false}, nil)
		p.Call("Emulation.setEmulatedMedia", map[string]any{"media": e.media}, nil)
		var found []string
		p.Eval(fmt.Sprintf("%s(%s, %s, %d)", compareStyles, a, b, limit), &found)
		for _, f := range found {
			diff = append(diff, e.name+": "+f)
		}
	}
	p.Call("Emulation.clearDeviceMetricsOverride", map[string]any{}, nil)
	p.Call("Emulation.setEmulatedMedia", map[string]any{"media": ""}, nil)
	return elements, diff
}

// quoted returns text as a JavaScript string.
func quoted(text string) string {
	out, err := json.Marshal(text)
	if err != nil {
		panic(err) // a string can always be written
	}
	return string(out)
}
