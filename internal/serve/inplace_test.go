package serve

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image/color"
	"image/png"
	"testing"
	"time"

	"rinzel/internal/browsertest"
	"rinzel/internal/emit"
)

// pixel returns the colour of a page at the centre of an element.
func pixel(t *testing.T, page *browsertest.Page, id string) color.RGBA {
	t.Helper()
	var box struct{ X, Y float64 }
	page.Eval(fmt.Sprintf(`(({ x, y, width, height }) => ({ X: x + width / 2, Y: y + height / 2 }))(
		document.getElementById(%q).getBoundingClientRect())`, id), &box)
	var shot struct{ Data string }
	page.Call("Page.captureScreenshot", map[string]any{"format": "png",
		"clip": map[string]any{"x": box.X, "y": box.Y, "width": 1, "height": 1, "scale": 1}}, &shot)
	data, err := base64.StdEncoding.DecodeString(shot.Data)
	if err != nil {
		t.Fatal(err)
	}
	picture, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	return color.RGBAModel.Convert(picture.At(0, 0)).(color.RGBA)
}

// TestImages changes an image that a page shows in many ways, and looks at the
// page.
func TestImages(t *testing.T) {
	b := browsertest.Start(t)
	ids := []string{"element", "set", "linked", "style", "inline", "object", "vector", "adopted", "custom", "shadowed"}
	files := func(fill string) []string {
		page := `<!doctype html><link rel=stylesheet href=site.css>
<style>#style { background: url("flag.svg") } div, img, object, svg { display: block; width: 16px; height: 16px; margin: 4px }</style>
<img id=element src=flag.svg><img id=set srcset="flag.svg 1x, other.svg 2x"><div id=linked></div><div id=style></div>
<div id=inline style="background: url(flag.svg?v=1)"></div><object id=object data=flag.svg></object>
<svg id=vector><image href=flag.svg width=16 height=16 /></svg><div id=adopted></div><div id=custom></div><div id=shadowed></div>
<script>
const sheet = new CSSStyleSheet();
sheet.replaceSync("#adopted { background: url(flag.svg) }");
document.adoptedStyleSheets = [sheet];
const root = document.getElementById("shadowed").attachShadow({ mode: "open" });
root.innerHTML = "<style>p { background: url(flag.svg); height: 16px; margin: 0 }</style><p>";
window.mark = 1;
</script>`
		return []string{"index.html", page,
			"site.css", "#linked { background: url(flag.svg) }\n#custom { --flag: url(flag.svg); background: var(--flag) }\n",
			"flag.svg", `<svg xmlns="http://www.w3.org/2000/svg" width="16" height="16"><rect width="16" height="16" fill="` + fill + `"/></svg>`,
			"other.svg", `<svg xmlns="http://www.w3.org/2000/svg"/>`}
	}
	s, address := started(t, "/", files("#010000")...)
	page := b.Open(address + "/")
	connected(t, s, 1)
	page.Eval(`window.mark = 2`, new(int))
	for i := range 3 {
		want := color.RGBA{byte(i + 1), 0, 0, 255}
		if i > 0 {
			republish(s, files(fmt.Sprintf("#%02x0000", want.R))...)
		}
		for _, id := range ids {
			got := pixel(t, page, id)
			for end := time.Now().Add(5 * time.Second); got != want && time.Now().Before(end); {
				got = pixel(t, page, id)
			}
			if got != want {
				t.Errorf("version %d: %s is %v, want %v", i, id, got, want)
			}
		}
	}
	until(t, page, `window.mark === 2`)
}

// TestConstructedSheets changes sheets that scripts made: in a module of the
// build, as a CSS module, and from a text that was fetched.
func TestConstructedSheets(t *testing.T) {
	b := browsertest.Start(t)
	outputs := func(n int) []emit.Output {
		out := outputsOf("index.html", `<!doctype html><p id=boat>x</p><p id=tide>x</p><p id=buoy>x</p><div id=host></div>
<script type=module src=app.js></script>`,
			"app.js", `import "./index.css.js";
import tide from "./tide.css" with { type: "css" };
const buoy = new CSSStyleSheet();
buoy.replaceSync(await (await fetch("buoy.css")).text());
const last = new CSSStyleSheet();
last.replaceSync("#boat { left: 9px }");
document.adoptedStyleSheets = [...document.adoptedStyleSheets, tide, buoy, last];
const root = host.attachShadow({ mode: "open" });
root.innerHTML = "<p id=tide>x</p>";
root.adoptedStyleSheets = [tide];
window.mark = 1;
`, "tide.css", fmt.Sprintf("#tide { color: rgb(%d, 0, 2); background: url(a.svg) }\n", n),
			"buoy.css", fmt.Sprintf("#buoy { color: rgb(%d, 0, 3) }\n", n), "unused.css", fmt.Sprintf("p { top: %dpx }", n))
		return append(out, emit.Output{Path: "index.css.js", Kind: emit.ScriptKind, Adopts: "sheet",
			Data: fmt.Appendf(nil, "const sheet = new CSSStyleSheet();\nsheet.replaceSync(`#boat { color: rgb(%d, 0, 1); left: 8px }`);\n"+
				"document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];\n", n)})
	}
	s, address := started(t, "/")
	s.Publish(NewSnapshot(nil, "/", outputs(0), false))
	page := b.Open(address + "/")
	connected(t, s, 1)
	until(t, page, `mark === 1`)
	page.Eval(`window.mark = 7`, new(int))
	for n := range 5 {
		s.Publish(NewSnapshot(s.current.Load(), "/", outputs(n), false))
		until(t, page, fmt.Sprintf(`[boat, tide, buoy, host.shadowRoot.querySelector("p")].map(e => getComputedStyle(e).color).join() ===
			"rgb(%d, 0, 1),rgb(%d, 0, 2),rgb(%d, 0, 3),rgb(%d, 0, 2)"`, n, n, n, n))
		until(t, page, `mark === 7 && document.adoptedStyleSheets.length === 4 && getComputedStyle(boat).left === "9px"`)
	}
	// A script that changed is a reason to load the page again.
	changed := outputs(4)
	changed[1].Data = append(changed[1].Data, "window.mark = 2;\n"...)
	s.Publish(NewSnapshot(s.current.Load(), "/", changed, false))
	until(t, page, `mark === 2`)
}

// TestSheetsComeAndGo adds and removes links and style elements of a page, which
// stays loaded.
func TestSheetsComeAndGo(t *testing.T) {
	b := browsertest.Start(t)
	files := func(head, body string) []string {
		return []string{"index.html", "<!doctype html><html><head><title>x</title>\n" + head + "\n<meta name=a></head><body><p id=boat>x</p>" + body +
			"<script>window.mark ??= 1</script></body></html>",
			"a.css", "#boat { color: rgb(1, 0, 0) }", "b.css", "#boat { color: rgb(2, 0, 0) }"}
	}
	s, address := started(t, "/", files("", "")...)
	page := b.Open(address + "/")
	connected(t, s, 1)
	page.Eval(`window.mark = 2`, new(int))
	for _, test := range []struct{ head, body, color string }{
		{"<link rel=stylesheet href=a.css>", "", "1, 0, 0"},
		{"<link rel=stylesheet href=a.css>\n<link rel=stylesheet href=b.css>", "", "2, 0, 0"},
		{"<link rel=stylesheet href=b.css>\n<link rel=stylesheet href=a.css>", "", "1, 0, 0"},
		{"<link rel=stylesheet href=a.css>\n<style>#boat { color: rgb(3, 0, 0) }</style>", "", "3, 0, 0"},
		{"<!-- none -->", "", "0, 0, 0"},
		{"<link rel=stylesheet href=b.css media=print>", "", "0, 0, 0"},
		{"<link rel=stylesheet href=b.css>", "", "2, 0, 0"},
		{"", "<style>#boat { color: rgb(4, 0, 0) }</style>", "4, 0, 0"},
	} {
		republish(s, files(test.head, test.body)...)
		until(t, page, `getComputedStyle(boat).color === "rgb(`+test.color+`)" && mark === 2`)
	}
}

// TestSheetGone deletes a sheet that a page still links: the page must look as
// if it was loaded now.
func TestSheetGone(t *testing.T) {
	b := browsertest.Start(t)
	const page = "<!doctype html><link rel=stylesheet href=a.css><p id=boat>x"
	s, address := started(t, "/", "index.html", page, "a.css", "p { left: 1px }")
	open := b.Open(address + "/")
	connected(t, s, 1)
	until(t, open, `getComputedStyle(boat).left === "1px"`)
	open.Eval(`window.mark = 1`, new(int))
	republish(s, "index.html", page)
	until(t, open, `getComputedStyle(boat).left === "auto" && mark === 1`)
	republish(s, "index.html", page, "a.css", "p { left: 2px }")
	until(t, open, `getComputedStyle(boat).left === "2px" && mark === 1`)
}
