package serve

import (
	"encoding/json"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// livePage has everything that an update must preserve.
const livePage = `<!doctype html>
<html lang=en>
<head>
<title>Quay</title>
<link rel=stylesheet href=site.css>
<link rel=stylesheet href=print.css media=print>
<style>.tide { width: 11px }</style>
</head>
<body>
<p class=boat id=boat>Petrel</p>
<p class=tide id=tide title=low>Low</p>
<img id=picture src=boat.svg srcset="boat.svg 1x, other.svg 2x" width=8 height=8>
<input id=name>
<details id=more><summary>More</summary>Text</details>
<div id=host></div>
<div style="height: 4000px"></div>
<script>
window.mark = Math.random();
const shadow = document.getElementById("host").attachShadow({ mode: "open" });
shadow.innerHTML = "<link rel=stylesheet href=shadow.css><b class=buoy>Buoy</b>";
document.body.append(Object.assign(document.createElement("p"), { id: "added", textContent: "by a script" }));
</script>
</body>
</html>
`

// liveFiles returns the files of a site with livePage, with replacements in
// them: pairs of an old and a new text.
func liveFiles(replace ...string) []string {
	files := []string{
		"index.html", livePage,
		"site.css", ".boat { color: rgb(0, 0, 1); background: url(boat.svg) }\n.tide { color: rgb(9, 9, 9) }\n",
		"print.css", ".boat { color: rgb(0, 0, 2) }\n", "shadow.css", ".buoy { color: rgb(0, 0, 3) }\n",
		"boat.svg", `<svg xmlns="http://www.w3.org/2000/svg" width="8" height="8"/>`,
		"other.svg", `<svg xmlns="http://www.w3.org/2000/svg" width="8" height="8"/>`,
		"app.js", "window.app = 1;\n", "other.html", "<!doctype html><title>Other</title><p>Other</p>",
	}
	r := strings.NewReplacer(replace...)
	for i := 1; i < len(files); i += 2 {
		files[i] = r.Replace(files[i])
	}
	return files
}

// liveState is what a page looks like, and what an update must preserve.
type liveState struct {
	Boat, Tide, Buoy, Width, Text, Title, Class string
	Sheets                                      int
	Mark, Scroll                                float64
	Name, Focus                                 string
	Open, Added                                 bool
}

// readState reads the state of a page.
const readState = `(() => {
	const get = (id, name) => getComputedStyle(document.getElementById(id))[name];
	const shadow = document.getElementById("host").shadowRoot;
	return {
		Boat: get("boat", "color"), Tide: get("tide", "color"), Width: get("tide", "width"),
		Buoy: getComputedStyle(shadow.querySelector("b")).color,
		Text: document.getElementById("tide").textContent, Title: document.getElementById("tide").title,
		Class: document.getElementById("boat").className,
		Sheets: document.querySelectorAll("link").length + shadow.querySelectorAll("link").length,
		Mark: window.mark, Scroll: scrollY, Name: document.getElementById("name").value,
		Focus: document.activeElement.id, Open: document.getElementById("more").open,
		Added: !!document.getElementById("added"),
	};
})()`

// until evaluates a condition in a page until it is true. The page may reload
// meanwhile.
func until(t *testing.T, page *browsertest.Page, condition string) {
	t.Helper()
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); time.Sleep(5 * time.Millisecond) {
		var ok bool
		err := page.TryEval(`(() => { try { return !!(`+condition+`); } catch { return false; } })()`, &ok)
		if err == nil && ok {
			return
		}
	}
	var text string
	_ = page.TryEval(`document.documentElement.outerHTML`, &text)
	t.Fatalf("never true: %s\n%.2000s", condition, text)
}

// connected waits until a number of browsers receives updates.
func connected(t *testing.T, s *Server, n int) {
	t.Helper()
	for end := time.Now().Add(10 * time.Second); s.Clients() != n; time.Sleep(5 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("%d connections, want %d", s.Clients(), n)
		}
	}
}

// republish publishes other contents.
func republish(s *Server, files ...string) {
	s.Publish(NewSnapshot(s.current.Load(), "/", outputsOf(files...), false))
}

// TestUpdatesInPlace updates sheets, images, text, attributes and a style
// element of a page, and checks that everything else is preserved.
func TestUpdatesInPlace(t *testing.T) {
	b := browsertest.Start(t)
	s, address := started(t, "/", liveFiles()...)
	page := b.Open(address + "/")
	connected(t, s, 1)
	page.Eval(`document.getElementById("name").value = "Anna"; document.getElementById("name").focus({ preventScroll: true });
		document.getElementById("more").open = true; scrollTo(0, 300); 0`, new(int))
	var first liveState
	page.Eval(readState, &first)
	for _, edit := range []struct {
		name    string
		replace []string
		until   string
		want    func(*liveState)
	}{
		{"sheet", []string{"(0, 0, 1)", "(1, 0, 1)"}, `getComputedStyle(boat).color === "rgb(1, 0, 1)"`,
			func(s *liveState) { s.Boat = "rgb(1, 0, 1)" }},
		{"removed rule", []string{".tide { color: rgb(9, 9, 9) }", ""}, `getComputedStyle(tide).color === "rgb(0, 0, 0)"`,
			func(s *liveState) { s.Tide = "rgb(0, 0, 0)" }},
		{"sheet of a shadow root", []string{"(0, 0, 3)", "(1, 0, 3)"},
			`getComputedStyle(host.shadowRoot.querySelector("b")).color === "rgb(1, 0, 3)"`,
			func(s *liveState) { s.Buoy = "rgb(1, 0, 3)" }},
		{"style element", []string{"11px", "12px"}, `getComputedStyle(tide).width === "12px"`,
			func(s *liveState) { s.Width = "12px" }},
		{"text and attributes", []string{">Low<", ">H&amp;t<", "title=low", "title=high", "class=boat", "class='boat far'"},
			`tide.textContent === "H&t"`,
			func(s *liveState) { s.Text, s.Title, s.Class = "H&t", "high", "boat far" }},
		{"print sheet", []string{"(0, 0, 2)", "(1, 0, 2)"},
			`[...document.styleSheets].some(s => s.media.mediaText === "print" && s.cssRules[0].cssText.includes("1, 0, 2"))`,
			func(*liveState) {}},
		{"another page", []string{"<p>Other", "<p>Another"}, `true`, func(*liveState) {}},
	} {
		republish(s, liveFiles(edit.replace...)...)
		until(t, page, edit.until)
		until(t, page, `document.querySelectorAll("link").length === 2 &&
			host.shadowRoot.querySelectorAll("link").length === 1`) // the old one is removed
		want := first
		edit.want(&want)
		var got liveState
		page.Eval(readState, &got)
		if got != want {
			t.Errorf("%s:\ngot  %+v\nwant %+v", edit.name, got, want)
		}
		republish(s, liveFiles()...)
		until(t, page, `getComputedStyle(boat).color === "rgb(0, 0, 1)" && tide.textContent === "Low" && tide.title === "low" &&
			getComputedStyle(tide).color === "rgb(9, 9, 9)" && getComputedStyle(tide).width === "11px" &&
			getComputedStyle(host.shadowRoot.querySelector("b")).color === "rgb(0, 0, 3)" && boat.className === "boat"`)
	}
	republish(s, liveFiles(`width="8" height="8"/>`, `width="16" height="8"/>`)...)
	// Browsers prefer the larger of two images once they have it.
	until(t, page, `picture.complete && (picture.naturalWidth === 16 || /other/.test(picture.currentSrc)) &&
		picture.currentSrc.includes("rinzel=") && picture.srcset.includes("rinzel=")`)
	// A reload closes details, which would move the rest of the page.
	page.Eval(`new Promise(done => { more.open = false; requestAnimationFrame(() => requestAnimationFrame(() => done(0))); })`, new(int))
	var before liveState
	page.Eval(readState, &before)
	republish(s, liveFiles("window.app = 1", "window.app = 2")...)
	until(t, page, `window.mark !== `+jsonOf(first.Mark))
	until(t, page, `scrollY === `+jsonOf(before.Scroll))
}

// TestNoFlash samples the colour of an element in each frame during updates: it
// is never that of the page without the sheet.
func TestNoFlash(t *testing.T) {
	b := browsertest.Start(t)
	s, address := started(t, "/", liveFiles()...)
	page := b.Open(address + "/")
	connected(t, s, 1)
	page.Eval(`window.colors = new Set(); (function sample() {
		colors.add(getComputedStyle(boat).color); requestAnimationFrame(sample);
	})(); new MutationObserver(() => colors.add(getComputedStyle(boat).color)).observe(document.head, { childList: true }); 0`, new(int))
	for _, c := range []string{"1, 0, 1", "2, 0, 1", "3, 0, 1"} {
		republish(s, liveFiles("0, 0, 1)", c+")")...)
		until(t, page, `getComputedStyle(boat).color === "rgb(`+c+`)"`)
	}
	var colors []string
	page.Eval(`[...colors]`, &colors)
	for _, c := range colors {
		if c == "rgb(0, 0, 0)" {
			t.Errorf("the page was without the sheet: %q", colors)
		}
	}
	if len(colors) < 2 {
		t.Errorf("only %q were sampled", colors)
	}
}

// TestTabs checks that tabs share one connection, that one with an older page
// catches up, and that all reconnect to a server that was started again.
func TestTabs(t *testing.T) {
	b := browsertest.Start(t)
	s := New(Options{})
	republish(s, liveFiles()...)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	server := &http.Server{Handler: s}
	go server.Serve(l)
	address := "http://" + l.Addr().String()
	var tabs []*browsertest.Page
	for range 20 {
		tabs = append(tabs, b.Open(address+"/"))
	}
	connected(t, s, 1)
	var marks []float64
	for _, page := range tabs {
		var state liveState
		page.Eval(readState, &state)
		marks = append(marks, state.Mark)
	}
	check := func(color string) {
		t.Helper()
		for i, page := range tabs {
			until(t, page, `getComputedStyle(boat).color === "rgb(`+color+`)" && window.mark === `+jsonOf(marks[i]))
		}
	}
	republish(s, liveFiles("0, 0, 1)", "1, 0, 1)")...)
	check("1, 0, 1")
	// Restarted without a change: nothing reloads, and later changes arrive.
	s.Close()
	server.Close()
	again := New(Options{})
	republish(again, liveFiles("0, 0, 1)", "1, 0, 1)")...)
	if l, err = net.Listen("tcp", l.Addr().String()); err != nil {
		t.Fatal(err)
	}
	server = &http.Server{Handler: again}
	t.Cleanup(func() { server.Close() })
	go server.Serve(l)
	connected(t, again, 1)
	republish(again, liveFiles("0, 0, 1)", "2, 0, 1)")...)
	check("2, 0, 1")
	again.Close()
}

// TestHeals checks that a page of an error is replaced by the site.
func TestHeals(t *testing.T) {
	b := browsertest.Start(t)
	s := New(Options{})
	s.Publish(Failed(nil, "/", problemOf("site.css", "p { tide: low }\n", 4, 8, "unknown property")))
	server := httptest.NewServer(s)
	defer server.Close()
	defer s.Close()
	page := b.Open(server.URL + "/")
	until(t, page, `document.querySelector("h2").textContent.includes("site.css:1:5: error: unknown property")`)
	connected(t, s, 1)
	republish(s, liveFiles()...)
	until(t, page, `getComputedStyle(boat).color === "rgb(0, 0, 1)"`)
}

// TestStrictPolicy checks that updates work under a strict content security
// policy.
func TestStrictPolicy(t *testing.T) {
	b := browsertest.Start(t)
	policy := `<meta http-equiv=content-security-policy content="default-src 'self'">`
	body := func(color string) []string {
		return []string{"index.html", "<!doctype html><html><head>" + policy + "<link rel=stylesheet href=a.css><p id=boat>x",
			"a.css", "#boat { color: rgb(" + color + ") }"}
	}
	s, address := started(t, "/", body("0, 0, 1")...)
	page := b.Open(address + "/")
	connected(t, s, 1)
	republish(s, body("1, 0, 1")...)
	until(t, page, `getComputedStyle(boat).color === "rgb(1, 0, 1)"`)
}

// jsonOf returns a value as JSON.
func jsonOf(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(data)
}
