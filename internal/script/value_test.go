package script

import (
	"slices"
	"strings"
	"testing"
)

// joinedOf returns the strings that a script joins from parts, with * for
// unknown parts.
func joinedOf(src string) string {
	var out []string
	Visit(src, Visitor{Joined: func(text string, _ int) {
		if text = strings.ReplaceAll(text, hole, "*"); !slices.Contains(out, text) {
			out = append(out, text)
		}
	}})
	return strings.Join(out, "|")
}

func TestJoined(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"plus", `x = 'a' + '-' + 'b'`, "a-b"},
		{"unknown parts", `f(a + '-' + b)`, "*-*"},
		{"template", "`${b}__${e}--${m}`", "*__*--*"},
		{"template of constants", "const b = 'card', e = 'title'; f(`${b}__${e}`)", "card__title"},
		{"var", `var prefix = 'cbox'; f(prefix + 'Close'); g(prefix + id)`, "cboxClose|cbox*"},
		{"join", `['card','title'].join('__')`, "card__title"},
		{"join of nothing", `[a, 'b'].join("")`, "*b"},
		{"join of variables", `const b = 'card'; [b, "big"].join('--')`, "card--big"},
		{"commas", `['a', 'b'].join()`, "a,b"},
		{"concat", `"".concat(b, "__").concat('e')`, "*__e"},
		{"concat of arrays", `['a'].concat(['b'], 'c').join('-')`, "a-b-c"},
		{"member", `'opens' + this.opens`, "opens*"},
		{"member with values", `const o = { side: 'left' }; 'opens-' + o.side`, "opens-left"},
		{"member that is set", `this.side = 'left'; f('opens-' + this.side)`, "opens-*|opens-left"},
		{"argument", `fn(tag + 'Overlay')`, "*Overlay"},
		{"parameters", `function f(a) { return 'x-' + a } f('one'); f("two")`, "x-one|x-two|x-*"},
		{"parameters of arrows", `const f = (a, b) => a + '-' + b; f('p', 'q')`, "p-q|p-*|*-q|*-*"},
		{"methods", `const o = { put(tone) { el.className = 'n-' + tone } }; o.put('calm')`, "n-calm|n-*"},
		{"what a function returns", "const name = (b) => 'card'; f(name() + '__x')", "card__x"},
		{"choice", `'a-' + (x ? 'b' : 'c')`, "a-b|a-c"},
		{"or", `var k = x || 'b'; f('a-' + k)`, "a-*|a-b"},
		{"and", `'a' + (x && '-on')`, "a-on|a"},
		{"each", `['calm', 'alert'].forEach(t => f('tone-' + t))`, "tone-calm|tone-alert|tone-*"},
		{"for of", `for (const t of ['calm', 'alert']) f('tone-' + t)`, "tone-calm|tone-alert"},
		{"added", `let c = 'card'; c += '--' + m; c += '!'`, "--*|card|card--*|*--*|card--*!|*!*"},
		{"assigned twice", `let t = 'a'; if (x) t = 'b'; f('t-' + t)`, "t-a|t-b"},
		{"numbers", "'col-' + 3 + `-${4}`", "col-3-4"},
		{"sums", `a - 1 + 'px'; 'x' + a * 2 + 'y'; 'z' + (a == b)`, "*px|x*y|z*"},
		{"comparison", `'a' + b == 'c'`, "a*"},
		{"case", `'A' + 'B'.toLowerCase() + x.toUpperCase()`, "Ab*"},
		{"markup", `'<p class="a-' + b + '">'`, `<p class="a-*">`},
		{"computed keys", "x = { ['is-' + s]: 1 }", "is-*"},
		{"scopes", `var p = 'a'; function f(p) { g(p + '-x') } h(p + '-y')`, "*-x|a-y"},
		{"shadowing in blocks", `const p = 'a'; { const p = 'b'; f(p + '-x') } f(p + '-y')`, "b-x|a-y"},
		{"hoisting", `f(p + '-x'); var p = 'a'`, "a-x"},
		{"pushes", `var c = ['card']; if (x) c.push('big'); f(c.join('--'))`, "card|card--big|*--*"},
		{"patterns", `const { a } = o; f('x-' + a)`, "x-*"},
		{"catch and import", `import i from "./i.js"; try {} catch (e) { f('x-' + e) } f(i + '-y')`, "x-*|*-y"},
		{"classes", `class A { b() { return 'x-' + this.c } static d = 'y-' + e }`, "x-*|y-*"},
		{"in arguments of calls", `f(g('a' + h('b' + c)))`, "b*|a*"},
		{"tagged", "html`<a class=\"x-${y}\">`", `<a class="x-*">`},
		{"in a hole", "`a-${`b-${c}`}`", "a-b-*"},
		{"itself", `let a = 'x'; a = a + '-y'; f(a)`, "x-y|*-y"},
		{"async", `async function f(x) { return await g('a-' + x) } const h = async (y) => 'b-' + y`, "a-*|b-*"},
		{"regular expressions and division", `a / 2 + 'px'; /'/.test('b-' + c)`, "*px|b-*"},
		{"spread", `f(...['a', 'b'], 'c-' + d)`, "c-*"},
		{"conditional chain", `'m-' + (a ? 'x' : b ? 'y' : 'z')`, "m-x|m-y|m-z"},
		{"optional chaining", `'x-' + a?.b?.[c]?.(d)`, "x-*"},
		{"minified", `function(e,t){e.className="is-"+t,t&&(e.id="id-"+t)}`, "is-*|id-*"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			if got := joinedOf(test.src); got != test.want {
				t.Errorf("%s:\ngot  %s\nwant %s", test.src, got, test.want)
			}
		})
	}
}

func TestMoreKeys(t *testing.T) {
	src := `cx({ active, disabled }); ({ open() {}, get shut() {}, async *busy() {}, "quoted-name": 1, ['x']: 2 });
		class A { toggle() {} static #count = 1; set dark(v) {} } theme.light = 1; const { wide, tall: high, deep: { inner } } = o; function f({ param, other = 1 }, plain) {}`
	var keys []string
	Visit(src, Visitor{Key: func(name string, at int) {
		if !strings.HasPrefix(src[at:], name) {
			t.Errorf("%s at %q", name, src[at:])
		}
		keys = append(keys, name)
	}, Joined: func(string, int) {}})
	for _, want := range strings.Fields("active disabled open shut busy quoted-name toggle dark light wide tall deep inner param other") {
		if !slices.Contains(keys, want) {
			t.Errorf("%s is no key of %v", want, keys)
		}
	}
	if slices.Contains(keys, "plain") {
		t.Error("a parameter counts as a key")
	}
}

func FuzzJoined(f *testing.F) {
	f.Add("var p = 'a'; f(`x-${p + b}`, ['c', d].join('-'))")
	f.Add(strings.Repeat("(`${", 30))
	f.Add(strings.Repeat("a?b:", 60))
	f.Add(strings.Repeat("x=>", 60) + "'a'+b")
	f.Add(strings.Repeat("{a:[", 60))
	f.Fuzz(func(t *testing.T, src string) {
		Visit(src, Visitor{
			Joined: func(text string, offset int) {
				if offset < 0 || offset > len(src) || len(text) > 2*maxJoined {
					t.Fatalf("%d bytes at %d of %d", len(text), offset, len(src))
				}
			},
			Key: func(name string, offset int) {
				if offset < 0 || offset > len(src) {
					t.Fatalf("key %q at %d of %d", name, offset, len(src))
				}
			},
		})
	})
}

// TestDeepScripts checks that the time for deeply nested scripts grows with
// their length.
func TestDeepScripts(t *testing.T) {
	for _, part := range []string{"(`${", "a?b:", "x=>", "{a:[", "({a:[", "f(", "'a'+", "a.b().c()", "[", "!", "function(){return ", "class{a=", "if(a){", "`${a}"} {
		found := 0
		Visit(strings.Repeat(part, 20_000)+"; f('x-' + y)", Visitor{Joined: func(string, int) { found++ }})
		if found == 0 && strings.ContainsAny(part, ".!?") {
			t.Errorf("%s: nothing was found behind it", part)
		}
	}
}
