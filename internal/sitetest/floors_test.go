package sitetest

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/browsertest"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// floors are the oldest targets of some years.
var floors = []struct{ year, floor string }{
	{"2015", `chrome = "45", firefox = "40", safari = "9", edge = "12"`},
	{"2018", `chrome = "65", firefox = "60", safari = "11", edge = "16"`},
	{"2021", `chrome = "90", firefox = "88", safari = "14"`},
	{"2023", `chrome = "112", firefox = "115", safari = "16.4"`},
	{"now", `chrome = "140", firefox = "140", safari = "26"`},
}

// TestFloors builds random sheets for targets of several years, and compares
// the computed styles with those of their sources. Custom properties are
// ignored: their text may be written differently.
func TestFloors(t *testing.T) {
	rounds := 40 // for each floor
	if os.Getenv("RINZEL_LONG") != "" {
		rounds = 400
	}
	page := browsertest.Start(t).Open("about:blank")
	const markup = `<div id=i class=x dir=rtl><p class=y>1</p><p class="y z">2<b>3</b></p><div class="x z"><b class=x>4</b><p>5</p><input placeholder=p></div></div><p class=z>6<b class=y>7</b><a href="#">8</a></p>`
	for n, f := range floors {
		t.Run(f.year, func(t *testing.T) {
			g := sheetMaker{rand.New(rand.NewPCG(29, uint64(n)))}
			var cases [][2]string
			for range rounds {
				src := g.sheet()
				cases = append(cases, [2]string{src, builtSheet(t, src, f.floor)})
			}
			var different [][]string
			styled := 0
			for some := range slices.Chunk(cases, 40) { // limited by the time of one evaluation in the browser
				list, err := json.Marshal(some)
				if err != nil {
					t.Fatal(err)
				}
				var out struct {
					Different [][]string
					Styled    int
				}
				page.Load("about:blank")
				page.Eval(fmt.Sprintf(`((cases, markup) => {
				let styled = 0;
				const frame = document.createElement("iframe");
				frame.style.cssText = "width: 1200px; height: 700px";
				document.body.append(frame);
				const read = css => { // in a page of its own: no transition starts
					const doc = frame.contentDocument;
					doc.open();
					doc.write("<!doctype html><body>" + markup);
					doc.close();
					const sheet = new frame.contentWindow.CSSStyleSheet(); // whose text no rule can show
					sheet.replaceSync(css);
					doc.adoptedStyleSheets = [sheet];
					return [...doc.querySelectorAll("body, body *")].flatMap(e => [null, "::before", "::placeholder"].map(pseudo => { const s = frame.contentWindow.getComputedStyle(e, pseudo); return [...s].filter(n => !n.startsWith("--") && n !== "font-family").map(n => n + ": " + s.getPropertyValue(n)).join("; ") }));
				};
				const plain = read("");
				const different = [];
				for (const [source, built] of cases) {
					const a = read(source), b = read(built);
					styled += a.filter((v, i) => v !== plain[i]).length;
					const i = a.findIndex((v, i) => v !== b[i]);
					if (i < 0) continue;
					const was = new Set(a[i].split("; "));
					const is = new Set(b[i].split("; "));
					different.push([source, built, [...is].filter(v => !was.has(v)).join("; ") + ", was " + [...was].filter(v => !is.has(v)).join("; ")]);
				}
				return { Different: different, Styled: styled };
			})(%s, %q)`, list, markup), &out)
				different = append(different, out.Different...)
				styled += out.Styled
			}
			for i, d := range different {
				if i == 3 {
					t.Errorf("and %d more", len(different)-i)
					break
				}
				t.Errorf("an element has %s\nsource\n%s\nbuilt\n%s", d[2], d[0], d[1])
			}
			if styled < 10*rounds {
				t.Errorf("only %d elements were styled: the sheets prove nothing", styled)
			}
		})
	}
}

// builtSheet returns a sheet as a production build writes it for a floor,
// without purging.
func builtSheet(t *testing.T, src, floor string) string {
	dir := t.TempDir()
	writeFiles(t, dir, []txtar.File{{Name: "a.css", Data: []byte(src)},
		{Name: project.FileName, Data: []byte("[browsers]\nfloor = {" + floor + "}\n[profile.production]\nmaps = \"none\"\n")}})
	p, diags, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
	if err != nil || diag.HasErrors(diags) {
		t.Fatal(diags, err)
	}
	defer p.Close()
	res, err := site.Sheet(context.Background(), p, "a.css", "", site.Options{Profile: project.Production})
	if err != nil {
		t.Fatal(err)
	}
	if diag.HasErrors(res.Diagnostics) {
		t.Fatalf("%v\n%s", res.Diagnostics, src)
	}
	return string(res.Outputs[0].Data)
}

// sheetMaker generates random sheets.
type sheetMaker struct{ *rand.Rand }

func (g sheetMaker) pick(list ...string) string { return list[g.IntN(len(list))] }

func (g sheetMaker) compound(nested bool) string {
	base := g.pick("div", "p", "b", ".x", ".y", ".z", "#i", "*", "p.z", ":not(.y)", ":is(.x, #i)", ":where(p, .z)",
		"b:first-child", "[class]", "p:has(b)", ":any-link", "input::placeholder", ".x::before", ":dir(rtl)")
	if nested && !strings.Contains(base, "::") {
		switch g.IntN(6) {
		case 0:
			return "&"
		case 1:
			if strings.Contains("dpb*", base[:1]) {
				return base + "&"
			}
			return "&" + base
		case 2:
			return ":is(&, " + base + ")"
		}
	}
	return base
}

func (g sheetMaker) selector(nested bool) string {
	var b strings.Builder
	if nested && g.IntN(4) == 0 {
		b.WriteString(g.pick("> ", "+ ", "~ "))
	}
	for range g.IntN(2) {
		if c := g.compound(nested); !strings.Contains(c, "::") {
			b.WriteString(c + g.pick(" ", " > ", " + ", " ~ "))
		}
	}
	b.WriteString(g.compound(nested))
	return b.String()
}

func (g sheetMaker) list(nested bool) string {
	out := g.selector(nested)
	for range g.IntN(3) {
		out += ", " + g.selector(nested)
	}
	return out
}

func (g sheetMaker) block(depth int) string {
	var b strings.Builder
	b.WriteString("{ ")
	for range 1 + g.IntN(4) {
		switch {
		case depth > 0 && g.IntN(3) == 0:
			b.WriteString(g.list(true) + " " + g.block(depth-1))
		case depth > 0 && g.IntN(6) == 0:
			b.WriteString(g.condition() + g.block(depth-1))
		default:
			b.WriteString(g.declaration() + "; ")
		}
	}
	b.WriteString("} ")
	return b.String()
}

func (g sheetMaker) condition() string {
	return g.pick("@media (width >= 100px) ", "@media (100px < width <= 5000px) ", "@supports (order: 1) ",
		"@supports not (color: oklch(0 0 0)) ", "@layer l ", "@media print ", "@media (min-width: 1px) and (hover) ")
}

func (g sheetMaker) length() string {
	return g.pick("0", "1px", "2em", "3%", "calc(1px + 1em)", "clamp(1px, 2vw, 30px)", "calc(2px * 3 - 1px)",
		"max(1px, 2%)", "-0.50em", "calc(1px / -4)", "0.0px", "1e1px", "+.5em")
}

func (g sheetMaker) color() string {
	// Percentages that are whole bytes: browsers mix fractional colour channels
	// without rounding, but print them rounded.
	return g.pick("#f00c", "#12345678", "#FFFFFF", "rgb(1 2 3)", "rgb(20% 40% 60% / 40%)", "hsl(120deg 50% 50% / 0.5)",
		"hwb(20 20% 30%)", "oklch(0.6 0.1 200)", "color-mix(in srgb, red, blue)",
		"rgb(from red g r b / 0.4)", "lab(50 20 20)", "currentcolor", "light-dark(red, blue)",
		"var(--c, teal)", "rebeccapurple", "transparent", "rgba(0, 0, 0, 0)")
}

func (g sheetMaker) declaration() string {
	length, color := g.length, g.color
	important := ""
	if g.IntN(8) == 0 {
		important = " !important"
	}
	text := ""
	switch g.IntN(20) {
	case 0:
		text = "inset: " + length() + " " + length()
	case 1:
		text = g.pick("margin", "inset") + "-" + g.pick("inline: ", "block: ", "inline-start: ", "block-end: ") + length()
	case 2:
		text = "padding-" + g.pick("inline", "block-start") + ": 3px"
	case 3:
		text = "border-" + g.pick("inline", "block", "inline-start", "block-end") + ": 2px " +
			g.pick("solid ", "dotted ") + color()
	case 4:
		text = g.pick("place-items", "place-content", "place-self") + ": " +
			g.pick("center", "start end", "stretch", "baseline", "left", "end center")
	case 5:
		text = "overflow: " + g.pick("hidden auto", "scroll hidden", "auto", "clip")
	case 6:
		text = "display: " +
			g.pick("inline flex", "block flow-root", "grid block", "inline grid", "flex", "inline-block", "grid")
	case 7, 8, 9:
		text = g.pick("color", "background-color", "outline-color", "text-decoration-color", "border-color",
			"caret-color") + ": " + color()
	case 10:
		text = "background-image: " +
			g.pick("linear-gradient(to right, red 0 10px, blue 10px 20px)",
				"radial-gradient(circle, "+color()+" 0 50%, blue 70%)", "conic-gradient(red 0 25%, blue 0 50%)", "none")
	case 11:
		text = "transition: " +
			g.pick("backdrop-filter 1s, opacity 2s", "transform 1s", "user-select 1s, mask 2s, color 3s", "all 0.50s ease")
	case 12:
		text = "transition-" + g.pick("duration: 1s, 2s, 3s", "delay: 0.5s", "property: backdrop-filter, color")
	case 13:
		text = g.pick("--c: "+color(), "--d: "+length()+"  ", "--id: #face")
	case 14:
		text = g.pick("user-select: none", "backdrop-filter: blur(2px)", "mask: linear-gradient(red, blue)",
			"appearance: none", "hyphens: auto", "box-decoration-break: clone", "print-color-adjust: exact",
			"text-size-adjust: none")
	case 15:
		text = "font: " + g.pick("italic bold 1.50em/1.2 sans-serif", "12px/1 'Times New Roman', serif") + g.pick("", "")
	case 16:
		text = g.pick("width: ", "min-width: ", "inline-size: ", "max-block-size: ") +
			g.pick("fit-content", "min-content", "10px", "50%", "calc(100% - 1px * 3)")
	case 17:
		text = g.pick("z-index: 1", "order: calc(1 + 1)", "opacity: 0.50", "flex: 1 1 0px", "rotate: 0.25turn",
			"line-height: 1.0", "column-gap: "+g.pick("1px", "2%"))
	case 18:
		text = "content: " + g.pick(`"a"`, `'b"c'`, `"\201C"`, "attr(class)", "none")
	default:
		text = g.pick("margin: ", "padding: ", "border-radius: ", "letter-spacing: ") + length()
	}
	return text + important
}

func (g sheetMaker) sheet() string {
	var b strings.Builder
	if g.IntN(3) == 0 {
		b.WriteString("@layer k, l;\n")
	}
	for range 2 + g.IntN(4) {
		rule := g.list(false) + " " + g.block(2)
		if g.IntN(5) == 0 {
			rule = g.condition() + "{ " + rule + "}"
		}
		b.WriteString(rule + "\n")
	}
	if g.IntN(4) == 0 {
		b.WriteString("@keyframes k { from { " + g.declaration() + " } 50% { " + g.declaration() +
			" } } .x { animation: k 9s paused }\n")
	}
	return b.String()
}
