package browsertest

import (
	"encoding/json"
	"fmt"
)

// rulesOf lists the rules that the browser parses in two style sheets, as serialized by the
// browser, and returns the differences. If two texts differ, style rules are compared by the
// computed style of an element with their declarations.
const rulesOf = `(source, built) => {
	const list = (rules, depth, out) => { for (const r of rules) {
		const inner = r.cssRules && r.constructor.name !== "CSSKeyframesRule" ? [...r.cssRules] : null;
		let text = r.cssText;
		if (inner) {
			const head = r.selectorText ?? r.cssText.slice(0, r.cssText.indexOf("{"));
			text = head + "{" + (r.style ? r.style.cssText : "") + "}";
		}
		out.push({ depth, text, style: r.style ? r.style.cssText : null, selector: r.selectorText ?? r.constructor.name });
		if (inner) list(inner, depth + 1, out);
	} return out };
	const loose = text => text.replace(/\s*([:,])\s*/g, "$1").replaceAll("'", '"');
	const read = text => { const s = new CSSStyleSheet(); s.replaceSync(text); return list(s.cssRules, 0, []) };
	const computed = css => {
		const e = document.createElement("div");
		e.style.cssText = css;
		document.body.append(e);
		const s = getComputedStyle(e);
		const out = [];
		for (const n of s) out.push(n + ":" + s.getPropertyValue(n));
		e.remove();
		return out.join(";");
	};
	const a = read(source), b = read(built), diff = [];
	if (a.length !== b.length) diff.push("the source has " + a.length + " rules, the output " + b.length);
	for (let i = 0; i < Math.min(a.length, b.length) && diff.length < 10; i++) {
		if (a[i].depth === b[i].depth && (a[i].style === null ? loose(a[i].text) === loose(b[i].text) : a[i].text === b[i].text)) continue;
		if (a[i].style !== null && loose(a[i].selector) === loose(b[i].selector) && computed(a[i].style) === computed(b[i].style)) continue;
		diff.push("rule " + i + ": " + a[i].text.slice(0, 300) + "\n became " + b[i].text.slice(0, 300));
	}
	return { rules: a.length, diff };
}`

// DiffRules compares the rules that the browser parses in two style sheets. It returns the number
// of rules in the first, and at most ten differences.
func (p *Page) DiffRules(source, built string) (rules int, diff []string) {
	p.b.t.Helper()
	a, err1 := json.Marshal(source)
	b, err2 := json.Marshal(built)
	if err1 != nil || err2 != nil {
		p.b.t.Fatal(err1, err2)
	}
	var out struct {
		Rules int
		Diff  []string
	}
	p.Eval(fmt.Sprintf("(%s)(%s, %s)", rulesOf, a, b), &out)
	return out.Rules, out.Diff
}
