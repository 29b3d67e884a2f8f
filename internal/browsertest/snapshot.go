package browsertest

import (
	"fmt"
	"hash/fnv"
	"maps"
	"regexp"
	"slices"
	"strings"
	"time"
)

// This file compares whole pages: the same page from two servers, in several states.

// State is a condition under which a page is compared.
type State struct {
	Name  string
	Width int    // width of the window in CSS pixels; 0 for 1280
	Media string // emulated media type; empty for screen
	Dark  bool   // prefers-color-scheme: dark
	// Forced applies :hover, :focus and :active to all elements.
	Forced bool
	// Clicked clicks every control once before the page is compared.
	Clicked bool
}

// States are the states in which whole sites are compared.
var States = []State{
	{Name: "wide"},
	{Name: "narrow", Width: 480},
	{Name: "print", Media: "print"},
	{Name: "dark", Dark: true},
	{Name: "forced", Forced: true},
	{Name: "clicked", Clicked: true},
}

// Look is the appearance of a page in all states.
type Look struct {
	page     *Page
	states   map[string]*snapshot
	problems []string
}

// Elements returns the number of elements and pseudo-elements in the first state.
func (l *Look) Elements() int { return len(l.states[States[0].Name].elements) }

// snapshot is the computed styles and boxes of all rendered elements, including open shadow roots
// and pseudo-elements.
type snapshot struct {
	strings  []string
	elements map[string]element // by a path that identifies the element
}

// element is the appearance of one element.
type element struct {
	hash   uint64
	styles []int // values of the properties, in order: numbers of strings
	box    string
}

// properties are the names of all properties, in the order of snapshots.
var properties []string

// look takes a snapshot.
func (p *Page) look() *snapshot {
	p.b.t.Helper()
	var raw struct {
		Strings   []string
		Documents []struct {
			Nodes struct {
				NodeType, NodeName []int
				Attributes         [][]int
				PseudoType         struct{ Index, Value []int }
			}
			Layout struct {
				NodeIndex []int
				Styles    [][]int
				Bounds    [][]float64
			}
		}
	}
	p.b.mu.Lock()
	names := properties
	p.b.mu.Unlock()
	p.must("DOMSnapshot.captureSnapshot", map[string]any{"computedStyles": names, "includeDOMRects": true}, &raw)
	out := &snapshot{strings: raw.Strings, elements: make(map[string]element)}
	text := func(i int) string {
		if i < 0 { // no text
			return ""
		}
		return out.strings[i]
	}
	for i, text := range out.strings {
		if strings.Contains(text, "url(") {
			out.strings[i] = cleaned(text)
		}
	}
	doc := raw.Documents[0]
	pseudo := make(map[int]string)
	for i, n := range doc.Nodes.PseudoType.Index {
		pseudo[n] = text(doc.Nodes.PseudoType.Value[i])
	}
	count := 0
	for i, n := range doc.Layout.NodeIndex {
		if doc.Nodes.NodeType[n] != 1 {
			continue
		}
		key := fmt.Sprintf("%d %s", count, strings.ToLower(text(doc.Nodes.NodeName[n])))
		count++
		for k := 0; k+1 < len(doc.Nodes.Attributes[n]); k += 2 {
			if name := text(doc.Nodes.Attributes[n][k]); name == "class" || name == "id" {
				key += " " + name + "=" + strings.Join(strings.Fields(text(doc.Nodes.Attributes[n][k+1])), ".")
			}
		}
		if name, ok := pseudo[n]; ok {
			key += "::" + name
		}
		e := element{styles: doc.Layout.Styles[i]}
		for _, v := range doc.Layout.Bounds[i] {
			e.box += fmt.Sprintf("%.1f ", v)
		}
		h := fnv.New64a()
		for _, v := range e.styles {
			_, _ = h.Write([]byte(text(v)))
			_, _ = h.Write([]byte{0})
		}
		_, _ = h.Write([]byte(e.box))
		e.hash = h.Sum64()
		out.elements[key] = e
	}
	return out
}

// cleaned returns a value without differences between servers and builds: the address of the
// server, and hashes in names.
func cleaned(text string) string {
	return hashInText.ReplaceAllString(originInText.ReplaceAllString(text, ""), ".$1")
}

// finishScript finishes animations.
const finishScript = `(() => {
	scrollTo({ top: 0, left: 0, behavior: "instant" });
	for (const a of document.getAnimations()) { try { a.finish() } catch { a.cancel() } }
})()`

// clickScript clicks every control of a page once. Links are disabled.
const clickScript = `(() => {
	addEventListener("click", e => { const a = e.composedPath().find(x => x.localName === "a" || x.localName === "area"); if (a && a.href) e.preventDefault() });
	addEventListener("submit", e => e.preventDefault());
	window.open = () => null;
	for (const e of document.querySelectorAll("a, button, summary, label, input, select, option, [onclick], [tabindex], [role=button], [role=tab]")) {
		if (!e.isConnected || e.type === "file") continue;
		try { e.dispatchEvent(new MouseEvent("mouseover", { bubbles: true })); e.focus({ preventScroll: true }); e.click() } catch {}
	}
	scrollTo({ top: 0, left: 0, behavior: "instant" });
})()`

// deterministic makes everything that scripts can observe the same on each load: random numbers,
// frames, and answers to dialogs.
const deterministic = `(() => {
	let seed = 7;
	Math.random = () => (seed = seed * 16807 % 2147483647) / 2147483647;
	window.requestAnimationFrame = f => setTimeout(() => f(performance.now()), 16);
	window.cancelAnimationFrame = clearTimeout;
	window.alert = window.print = () => {}; window.confirm = () => true; window.prompt = () => null;
})()`

// frame is about the time a browser needs to draw, which its virtual clock does not wait for.
const frame = 20 * time.Millisecond

// firstMoment is the time, in seconds since 1970, at which pages are loaded.
const firstMoment = 1714903200

// loadIn loads a URL and advances the clock by d, repeatedly if the page takes longer.
func (p *Page) loadIn(url string, d time.Duration) {
	p.b.t.Helper()
	loaded := p.navigate(url, func() { p.grant(d, map[string]any{"initialVirtualTime": firstMoment}) })
	for begin := time.Now(); ; p.grant(d, nil) {
		p.awaitSpent()
		select {
		case <-loaded:
			return
		default:
		}
		if time.Since(begin) > patience {
			p.b.t.Fatalf("%s did not load in %v", url, patience)
		}
	}
}

// spend advances the virtual clock of the page: timers run in order without waiting, except for
// requests.
func (p *Page) spend(d time.Duration) {
	p.b.t.Helper()
	p.grant(d, nil)
	p.awaitSpent()
}

// grant starts the virtual clock, which stops after a duration.
func (p *Page) grant(d time.Duration, options map[string]any) {
	p.b.t.Helper()
	p.b.mu.Lock()
	p.spent = make(chan struct{})
	p.b.mu.Unlock()
	params := map[string]any{"policy": "pauseIfNetworkFetchesPending", "budget": d.Milliseconds(),
		"maxVirtualTimeTaskStarvationCount": 10000}
	maps.Copy(params, options)
	p.must("Emulation.setVirtualTimePolicy", params, nil)
}

// awaitSpent waits until the granted time has passed.
func (p *Page) awaitSpent() {
	p.b.t.Helper()
	p.b.mu.Lock()
	spent := p.spent
	p.b.mu.Unlock()
	if spent == nil {
		return // already passed
	}
	select {
	case <-spent:
	case <-time.After(patience):
		p.b.t.Fatalf("the page did not advance its clock for %v", patience)
	}
}

// Look loads a URL and captures the page in all states. wait is the time that scripts get after
// each change.
func (p *Page) Look(url string, wait time.Duration) *Look {
	p.b.t.Helper()
	if !p.prepared {
		p.must("Page.addScriptToEvaluateOnNewDocument", map[string]any{"source": deterministic}, nil)
		p.must("Page.setBypassCSP", map[string]any{"enabled": false}, nil)
		p.prepared = true
	}
	l := &Look{page: p, states: make(map[string]*snapshot)}
	p.enter(State{})
	p.b.mu.Lock()
	known := properties != nil
	p.b.mu.Unlock()
	if !known { // read once before, because this page may navigate immediately
		var names []string
		p.Eval(`[...getComputedStyle(document.documentElement)].filter(n => !n.startsWith("--"))`, &names)
		p.b.mu.Lock()
		properties = names
		p.b.mu.Unlock()
	}
	p.loadIn(url, wait)
	for _, s := range States {
		p.enter(s)
		if s.Forced {
			p.force(true)
		}
		if s.Clicked {
			p.Eval(clickScript, nil)
		}
		rounds := 1 + wait/(500*time.Millisecond)
		for range rounds {
			p.spend(wait / rounds)
			time.Sleep(frame)
		}
		for range 20 {
			var fonts string
			if p.Eval("document.fonts.status", &fonts); fonts != "loading" {
				break
			}
			p.spend(wait / 4)
		}
		p.Eval(finishScript, nil)
		l.states[s.Name] = p.look()
		if s.Forced {
			p.force(false)
		}
	}
	l.problems = p.Problems()
	return l
}

// enter emulates the window and media of a state.
func (p *Page) enter(s State) {
	width := s.Width
	if width == 0 {
		width = 1280
	}
	scheme := "light"
	if s.Dark {
		scheme = "dark"
	}
	p.must("Emulation.setDeviceMetricsOverride",
		map[string]any{"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": false}, nil)
	p.must("Emulation.setEmulatedMedia",
		map[string]any{"media": s.Media,
			"features": []map[string]string{{"name": "prefers-color-scheme", "value": scheme}}}, nil)
}

// force makes every element match :hover, :focus and :active, or undoes that.
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

// Diff returns the differences of two looks at a page, at most limit lines. again looks at both
// once more, up to three times: differences that are not reproducible are not reported.
func (l *Look) Diff(o *Look, limit int, again func() (*Look, *Look)) []string {
	r := repeater{l, o, again, nil}
	var out []string
	for _, s := range States {
		a, b := l.states[s.Name].elements, o.states[s.Name].elements
		for _, key := range slices.Sorted(maps.Keys(a)) {
			other, ok := b[key]
			if ok && other.hash == a[key].hash || len(out) >= limit || r.isChance(s.Name, key) {
				continue
			}
			if !ok {
				out = append(out, fmt.Sprintf("%s: %s is missing", s.Name, key))
				continue
			}
			out = append(out, fmt.Sprintf("%s: %s: %s", s.Name, key, l.states[s.Name].difference(o.states[s.Name], key)))
		}
		for _, key := range slices.Sorted(maps.Keys(b)) {
			if _, ok := a[key]; !ok && len(out) < limit && !r.isChance(s.Name, key) {
				out = append(out, fmt.Sprintf("%s: %s is new", s.Name, key))
			}
		}
	}
	for _, p := range l.newProblems(o) {
		if l2, o2 := r.look(0); slices.Contains(l2.newProblems(o2), p) && slices.Contains(l2.newProblems(o), p) {
			out = append(out, p)
		}
	}
	return out
}

// repeater looks at two pages again, to exclude random differences.
type repeater struct {
	l, o  *Look
	again func() (*Look, *Look)
	more  [][2]*Look
}

// look returns the n-th pair of further looks.
func (r *repeater) look(n int) (*Look, *Look) {
	if r.again == nil {
		return r.l, r.o
	}
	for len(r.more) <= n {
		a, b := r.again()
		r.more = append(r.more, [2]*Look{a, b})
	}
	return r.more[n][0], r.more[n][1]
}

// isChance reports whether an element differs between two looks at one page, or is the same in
// another look at both.
func (r *repeater) isChance(state, key string) bool {
	const most = 3
	for n := range most {
		l2, o2 := r.look(n)
		first, second := l2.states[state].elements[key].hash, o2.states[state].elements[key].hash
		same := first == r.l.states[state].elements[key].hash && second == r.o.states[state].elements[key].hash
		if !same || first == second {
			return true
		}
	}
	return false
}

// difference lists the different values of an element.
func (s *snapshot) difference(o *snapshot, key string) string {
	const most = 5
	was, is := s.elements[key], o.elements[key]
	var out []string
	for i := range was.styles {
		a, b := s.text(was.styles[i]), o.text(is.styles[i])
		if a != b && len(out) < most {
			out = append(out, fmt.Sprintf("%s is %s, was %s", properties[i], b, a))
		}
	}
	if was.box != is.box {
		out = append(out, fmt.Sprintf("box is %s, was %s", is.box, was.box))
	}
	return strings.Join(out, "; ")
}

// text returns the string with a number.
func (s *snapshot) text(i int) string {
	if i < 0 {
		return ""
	}
	return s.strings[i]
}

// Patterns of values that are cleaned.
var (
	originInText = regexp.MustCompile(`https?://127\.0\.0\.1:\d+`)
	hashInText   = regexp.MustCompile(`\.[a-z2-7]{10}\.([a-z0-9]+)\b`)
)

// newProblems returns the failures of the second page that the first does not have.
func (l *Look) newProblems(o *Look) []string {
	known := make(map[string]bool)
	for _, p := range l.problems {
		known[cleaned(p)] = true
	}
	var out []string
	for _, p := range o.problems {
		if text := cleaned(p); !known[text] {
			known[text] = true
			out = append(out, "new problem: "+text)
		}
	}
	return out
}
