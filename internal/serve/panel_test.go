package serve

import (
	"fmt"
	"math"
	"net/http"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// inPanel evaluates an expression for the panel of a page, which it calls panel.
func inPanel(expression string) string {
	return `(panel => panel && (` + expression + `))([...document.documentElement.children].at(-1).shadowRoot)`
}

// TestPanel shows an error over a page, changes it, closes it, and fixes it. The
// page must not change, whatever its own styles are.
func TestPanel(t *testing.T) {
	b := browsertest.Start(t)
	files := liveFiles("rgb(9, 9, 9) }", "rgb(9, 9, 9) } div, main, a, button { display: none !important; all: unset; font-size: 90px }",
		"<head>", `<head><meta http-equiv=content-security-policy content="default-src 'self'; script-src 'self' 'unsafe-inline'; style-src 'self' 'unsafe-inline'; require-trusted-types-for 'script'">`,
		"shadow.innerHTML = ", "shadow.textContent = ", `"<link rel=stylesheet href=shadow.css><b class=buoy>Buoy</b>"`, `"";
shadow.append(Object.assign(document.createElement("b"), { className: "buoy", textContent: "Buoy" }))`)
	s, address := started(t, "/", files...)
	page := b.Open(address + "/")
	connected(t, s, 1)
	page.Eval(`document.getElementById("name").focus(); document.getElementById("name").value = "half"; scrollTo(0, 40); 0`, new(int))
	var before liveState
	page.Eval(readState, &before)

	const text = "p { tide: low }\n"
	s.Publish(Failed(s.current.Load(), "/", problemOf("quay/site.css", text, 4, 8, "unknown property <tide>")))
	until(t, page, inPanel(`panel.querySelector("h2").textContent.includes("quay/site.css:1:5: error: unknown property <tide> [bad-value]")`))
	var shown struct {
		Frame, Link, Role, Display, Size string
		Top, Bottom, Left, Width, Height float64
	}
	page.Eval(inPanel(`(() => {
		const main = panel.querySelector("main"), box = main.getBoundingClientRect(), style = getComputedStyle(main);
		return { Frame: panel.querySelector("pre").textContent, Link: panel.querySelector("a").href, Role: main.role,
			Display: style.display, Size: style.fontSize, Top: box.top, Bottom: document.documentElement.clientHeight - box.bottom, Left: box.left,
			Width: box.width / innerWidth, Height: box.height };
	})()`), &shown)
	// A scroll bar may come or go while the panel is measured.
	if shown.Frame != "    1 | p { tide: low }\n      |     ^^^^" || shown.Role != "alert" || shown.Display != "block" ||
		shown.Size != "16px" || math.Abs(shown.Bottom) > 20 || shown.Left != 0 || shown.Width < 0.9 || shown.Height < 100 {
		t.Errorf("the panel: %+v", shown)
	}
	var after liveState
	page.Eval(readState, &after)
	if after != before {
		t.Errorf("the page with the panel: %+v\nwithout: %+v", after, before)
	}

	// Its link leads to the line.
	source := b.Open(shown.Link)
	until(t, source, `document.querySelector(".marked").textContent === "p { tide: low }\n"`)
	until(t, source, `document.querySelector("h1").textContent === "quay/site.css"`)
	source.Close()

	// Another error takes its place. Escape closes it, until there is a new one.
	s.Publish(Failed(s.current.Load(), "/", problemOf("quay/site.css", text, 0, 1, "second")))
	until(t, page, inPanel(`panel.querySelector("h2").textContent.includes("second")`))
	until(t, page, `[...document.documentElement.children].length === 3`)
	page.Call("Input.dispatchKeyEvent", map[string]any{"type": "keyDown", "key": "Escape"}, nil)
	until(t, page, `[...document.documentElement.children].length === 2`)
	s.Publish(Failed(s.current.Load(), "/", problemOf("quay/site.css", text, 0, 1, "third")))
	until(t, page, inPanel(`panel.querySelector("h2").textContent.includes("third")`))
	page.Eval(inPanel(`panel.querySelector("button").click()`), nil)
	until(t, page, `[...document.documentElement.children].length === 2`)
	s.Publish(Failed(s.current.Load(), "/", problemOf("quay/site.css", text, 0, 1, "fourth")))
	until(t, page, inPanel(`panel.querySelector("h2").textContent.includes("fourth")`))

	// A page that is opened now shows it as well, and so does one that is opened
	// in the same browser after the connection was made.
	second := b.Open(address + "/other.html")
	until(t, second, inPanel(`panel.querySelector("h2").textContent.includes("fourth")`))

	// When it is fixed, the panel disappears.
	republish(s, files...)
	for _, page := range []*browsertest.Page{page, second} {
		until(t, page, `[...document.documentElement.children].length === 2`)
	}
	page.Eval(readState, &after)
	if after != before {
		t.Errorf("the page afterwards: %+v\nbefore: %+v", after, before)
	}

	// An error of one page is shown on no other.
	p := problemOf("quay/site.css", text, 0, 1, "fifth")
	p.Pages = []string{"/other.html"}
	n := NewSnapshot(s.current.Load(), "/", outputsOf(files...), false)
	n.Problem = p
	s.Publish(n)
	until(t, second, inPanel(`panel.querySelector("h2").textContent.includes("fifth")`))
	until(t, page, `[...document.documentElement.children].length === 2`)
}

// TestProblemOf checks which findings a problem has, and their links.
func TestProblemOf(t *testing.T) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "quay.css"}, "css/kai/quay ü.css", "a {\n\tb: c;\n}\n")
	g := set.Add(source.Path{Name: "main.css"}, "main.css", "@import \"quay ü.css\";\n")
	at := source.SpanOf(f.Pos(5), 1)
	var ds []diag.Diagnostic
	for i := range maxFindings + 3 {
		ds = append(ds, diag.Diagnostic{Code: "bad-value", Severity: diag.Error, Span: at, Message: fmt.Sprintf("error %d", i),
			Related: []diag.Related{{Span: source.SpanOf(f.Pos(0), 1), Message: "the rule"}},
			Imports: []source.Span{source.SpanOf(g.Pos(0), 7)}, Fix: "write d"})
	}
	ds = append(ds, diag.Diagnostic{Severity: diag.Warning, Message: "warning"})
	p := NewProblem(set, ds, "")
	if p.Title != fmt.Sprintf("%d errors", maxFindings+3) || len(p.Findings) != maxFindings ||
		p.More != "3 more errors and 1 other finding in the terminal" {
		t.Errorf("%q, %d findings, %q", p.Title, len(p.Findings), p.More)
	}
	text := p.String()
	for _, want := range []string{"css/kai/quay ü.css:2:2: error: error 0 [bad-value]\n    2 |     b: c;\n      |     ^\n",
		"  css/kai/quay ü.css:1:1: the rule\n", "  imported by main.css:1:1\n", "  fix: write d"} {
		if !strings.Contains(text, want) {
			t.Errorf("no %q in\n%s", want, text)
		}
	}
	var links []string
	for _, part := range p.Findings[0].Text {
		if part.Link != "" {
			links = append(links, part.Text+" "+string(part.Link))
		}
	}
	want := []string{"css/kai/quay ü.css:1:1 /.rinzel/source?file=css%2Fkai%2Fquay+%C3%BC.css&line=1#L1",
		"main.css:1:1 /.rinzel/source?file=main.css&line=1#L1"}
	if strings.Join(links, "\n") != strings.Join(want, "\n") {
		t.Errorf("links %q", links)
	}
	edit := NewProblem(set, ds, "edit://open?file={path}&at={line}:{column}").Findings[0].Place[0]
	if !strings.HasPrefix(string(edit.Link), "edit://open?file=/") ||
		!strings.HasSuffix(string(edit.Link), "/css/kai/quay%20%C3%BC.css&at=2:2") {
		t.Errorf("link to the editor %q", edit.Link)
	}
	if other := NewProblem(set, ds[:1], ""); other.id == p.id || other.id == "" {
		t.Errorf("ID %q", other.id)
	}
}

// TestSource checks that source files are only served while findings mention
// them, and that large files are served in part.
func TestSource(t *testing.T) {
	s, address := started(t, "/", harbour...)
	get := func(query string) (int, string) {
		res, body := ask(t, "GET", address+"/.rinzel/source?"+query)
		return res.StatusCode, body
	}
	if status, _ := get("file=a.css&line=1"); status != http.StatusNotFound {
		t.Errorf("without errors: %d", status)
	}
	long := strings.Repeat("p { color: teal }\n", 5000) + "<b>&\n"
	s.Publish(Failed(s.current.Load(), "/", problemOf("a.css", long, len(long)-5, len(long)-4, "x")))
	status, body := get("file=a.css&line=5001")
	if status != 200 || !strings.Contains(body, `<span id="L5001" data-line="5001" class="marked">&lt;b&gt;&amp;`) ||
		strings.Contains(body, `id="L4000"`) || !strings.Contains(body, "Lines 4002 to 5002 of 5002.") {
		t.Errorf("%d %.3000s", status, body)
	}
	for _, query := range []string{"file=b.css&line=1", "file=../serve_test.go", "file=serve_test.go", "file=/etc/passwd", "file=", ""} {
		if status, body := get(query); status != http.StatusNotFound {
			t.Errorf("%s: %d %s", query, status, body)
		}
	}
	for _, query := range []string{"file=a.css", "file=a.css&line=x", "file=a.css&line=-5", "file=a.css&line=99999999999999999999"} {
		if status, _ := get(query); status != 200 {
			t.Errorf("%s: %d", query, status)
		}
	}
	s.Publish(NewSnapshot(s.current.Load(), "/", outputsOf(harbour...), false))
	if status, _ := get("file=a.css&line=1"); status != http.StatusNotFound {
		t.Errorf("after the fix: %d", status)
	}
}
