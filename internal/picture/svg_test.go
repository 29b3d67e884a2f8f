package picture

import (
	"encoding/base64"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

const svgTag = `<svg xmlns="http://www.w3.org/2000/svg">`

// small returns a smaller SVG file; style sheets lose their white space.
func small(src string) string {
	out := ShrinkSVG([]byte(src), func(css string) string { return strings.Join(strings.Fields(css), "") })
	if out == nil {
		return "as it is"
	}
	return string(out)
}

func TestSVG(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"prolog", "<?xml version=\"1.0\"?>\n<!DOCTYPE svg PUBLIC \"a\" \"b\">\n<!-- x --><!--! y -->" + svgTag + "</svg>\n", "<!--! y -->" + svgTag + "</svg>"},
		{"white space", svgTag + "\n  <g  id = 'a'\n>\n <rect x=\" 1.50 \" /> </g>\n</svg >", svgTag + `<g id="a"><rect x="1.5"/></g></svg>`},
		{"text", svgTag + "  <text> a <tspan> b </tspan> <!-- c --> </text> <title> d </title></svg>", svgTag + "<text> a <tspan> b </tspan> <!-- c --> </text><title> d </title></svg>"},
		{"preserved space", svgTag + `<g xml:space="preserve"> <text/> </g>  </svg>`, svgTag + `<g xml:space="preserve"> <text/> </g></svg>`},
		{"metadata", svgTag + "<metadata><a>b</a><c/></metadata><g/></svg>", svgTag + "<g/></svg>"},
		{"other namespaces", `<svg xmlns="http://www.w3.org/2000/svg" xmlns:e="http://example.com/editor" xmlns:xlink="http://www.w3.org/1999/xlink" e:version="1"><e:view><e:grid/></e:view><use e:label="x" xlink:href="#a"/></svg>`,
			`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"><use xlink:href="#a"/></svg>`},
		{"a prefix for SVG", `<s:svg  xmlns:s="http://www.w3.org/2000/svg"><s:metadata/><s:g/></s:svg>`, `<s:svg xmlns:s="http://www.w3.org/2000/svg"><s:g/></s:svg>`},
		{"scripts", svgTag + "<metadata>a</metadata>  <script>f( )</script></svg>", svgTag + "<metadata>a</metadata><script>f( )</script></svg>"},
		{"handlers", `<svg xmlns="http://www.w3.org/2000/svg" onload="f()"> <metadata>a</metadata></svg>`, `<svg xmlns="http://www.w3.org/2000/svg" onload="f()"><metadata>a</metadata></svg>`},
		{"styles", svgTag + "<style> .a { top : 0 } </style> <metadata/></svg>", svgTag + "<style>.a{top:0}</style></svg>"},
		{"selectors about elements", svgTag + "<style>.a + .b { top : 0 }</style> <metadata/></svg>", svgTag + "<style>.a+.b{top:0}</style><metadata/></svg>"},
		{"styles that are not plain", svgTag + "<style> a &gt; b { } </style><style type='text/x'> c </style><style><![CDATA[ d ]]></style>  </svg>",
			svgTag + `<style> a &gt; b { } </style><style type="text/x"> c </style><style><![CDATA[ d ]]></style></svg>`},
		{"styles with comments", svgTag + "<style> a { <!-- b --> top : 0 } </style>   </svg>", svgTag + "<style> a { <!-- b --> top : 0 } </style></svg>"},
		{"paths", svgTag + `<path d="M 0.50, -1.50 L +10 20.0 l.5.5-1e-3 0 A 1 1 0 01.5 0.250 Z m 1 2 3 4"/></svg>`, svgTag + `<path d="M.5-1.5L10 20l.5.5-1e-3 0A1 1 0 0 1 .5.25Zm1 2 3 4"/></svg>`},
		{"paths with mistakes", svgTag + `<path d="M 0 0 L 1" />` + "\n" + `<path d="L 0 0"/><path d="M 0 0 A 1 1 0 2 0 1 1"/></svg>`, svgTag + `<path d="M 0 0 L 1"/><path d="L 0 0"/><path d="M 0 0 A 1 1 0 2 0 1 1"/></svg>`},
		{"lists", svgTag + `<polygon points=" 0.0,1.0  2.50,3 "/><g transform="translate( 1.0 , 2.0 )  rotate(45.0)"/><a width="10.0%" x="0.50em" y="a.0"/></svg>`,
			svgTag + `<polygon points="0 1 2.5 3"/><g transform="translate(1 2)rotate(45)"/><a width="10%" x=".5em" y="a.0"/></svg>`},
		{"quotes", svgTag + `<a  title='say "x"'/></svg>`, svgTag + `<a title='say "x"'/></svg>`},
		{"entities", `<!DOCTYPE svg [<!ENTITY a "b">]>` + svgTag + "   </svg>", "as it is"},
		{"another language", "<html>   <svg/></html>", "as it is"},
		{"no namespace", "<svg>   </svg>", "as it is"},
		{"tags that do not match", svgTag + "   <g></a></g></svg>", "as it is"},
		{"not closed", svgTag + "   <g>", "as it is"},
		{"another encoding", "<?xml version=\"1.0\" encoding=\"latin1\"?>" + svgTag + "<title>é</title></svg>", "as it is"},
		{"small already", svgTag + "</svg>", "as it is"},
	}
	for _, test := range tests {
		got := small(test.src)
		if got != test.want {
			t.Errorf("%s:\n got %s\nwant %s", test.name, got, test.want)
		}
		if again := small(got); got != "as it is" && again != "as it is" {
			t.Errorf("%s: a second time it becomes %s", test.name, again)
		}
	}
}

func TestNumbers(t *testing.T) {
	for n, want := range map[string]string{"0": "0", "-0": "0", "+1": "1", "00.50": ".5", "-0.0": "0", "10.0": "10", "1.50e+3": "1.5e3",
		"0.0e5": "0", ".5": ".5", "100": "100", "-.10": "-.1", "1E-5": "1e-5"} {
		if got := shortNumber(n); got != want {
			t.Errorf("%s becomes %s, want %s", n, got, want)
		}
	}
}

// differ returns how many pixels of two pictures the browser shows differently;
// -1 if it shows neither.
func differ(page *browsertest.Page, a, b []byte) int {
	address := func(data []byte) string {
		return "data:image/svg+xml;base64," + base64.StdEncoding.EncodeToString(data)
	}
	var out int
	page.Eval(fmt.Sprintf(`(async () => {
		const draw = async address => {
			const img = new Image; img.src = address;
			try { await img.decode() } catch { return null }
			const c = document.createElement("canvas"); c.width = c.height = 160;
			const to = c.getContext("2d"); to.drawImage(img, 0, 0, 160, 160);
			return to.getImageData(0, 0, 160, 160).data
		};
		const a = await draw(%q), b = await draw(%q);
		if (!a || !b) return a || b ? 1e6 : -1;
		let n = 0; for (let i = 0; i < a.length; i++) if (a[i] != b[i]) n++;
		return n })()`, address(a), address(b)), &out)
	return out
}

// TestSVGInBrowser compares pictures pixel by pixel.
func TestSVGInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	const open = `<svg  xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100.0 100.00">` + "\n"
	for _, body := range []string{
		`<path  d="M 10.50 10.50 L 90.0 10 l -10 +40.250 H 20.0 v 5 c 1 2 3 4 5 6 s 7 8 9 10 q 1 -2 3 -4 t 5 -6 a 20 10.5 30.0 1 0 -20.5 .5 A20 10 0 0150.5.5z m 1e1 2.0E1 l 5 5" stroke="navy" fill="teal" fill-opacity="0.50"/>`,
		`<polygon points="10,10.0 90 , 10  50 90" fill="#0b3c5d"  /> <circle cx="50.0" cy=" 050" r="20.00"/>`,
		`<g transform="translate( 50.0, 50 ) rotate(30.0)  scale(0.50)"><rect x="-20.0" y="-20" width="40.0" height="40" rx="5.0"/></g>`,
		`<style> .a { fill : red } </style> <metadata>x</metadata><rect class="a" width="50.0%" height="50%"/>`,
		`<style> rect + rect { fill : red } </style><rect width="20" height="20"/> <metadata/> <rect x="40" width="20" height="20"/>`,
		`<text x="10.0" y="50" font-size="20"> Gull   <tspan> Point </tspan> <!-- c --> </text>`,
		`<text xml:space="preserve" x="0" y="50.0" font-size="10"> a   b  <tspan>  c </tspan></text>`,
		`<defs> <linearGradient id="g" gradientTransform="rotate( 45.0 )"><stop offset="0.0%" stop-color="navy"/><stop offset="1.0" stop-color="white" stop-opacity="0.250"/></linearGradient></defs><rect width="100.0" height="100" fill="url(#g)"/>`,
		`<defs><path id="p" d="M0 0 50 0 50 50z"/></defs> <use xlink:href="#p" x="10.0" y="10"/> <use href="#p" x="50"/>`,
		`<path d="M 0 0 L 50 50 L 100" stroke="red"/> <path d="M0 0 L 90 10 20 80 zz 5" fill="navy"/>`,
		`<polyline points="0 0 1e1 1e1 20.50 -5 60,60.0" stroke="black" fill="none" stroke-dasharray="5.0, 2.50" stroke-width="2.0"/>`,
	} {
		src := open + "  " + body + "\n</svg>\n"
		out := ShrinkSVG([]byte(src), func(css string) string { return strings.TrimSpace(css) })
		if out == nil {
			t.Errorf("%s\nis not smaller", src)
			continue
		}
		if n := differ(page, []byte(src), out); n != 0 {
			t.Errorf("%d values of pixels differ:\n%s\n%s", n, src, out)
		}
	}
}

// TestTrialSVG compares all SVG files of a folder in the browser.
func TestTrialSVG(t *testing.T) {
	dir := os.Getenv("RINZEL_TRIAL")
	if dir == "" {
		t.Skip("the environment variable RINZEL_TRIAL names no folder")
	}
	page := browsertest.Start(t).Open("about:blank")
	var files, smaller, before, after int
	err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(name) != ".svg" {
			return err
		}
		data, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		out := ShrinkSVG(data, nil)
		files, before = files+1, before+len(data)
		if out == nil {
			after += len(data)
			return nil
		}
		smaller, after = smaller+1, after+len(out)
		if n := differ(page, data, out); n > 0 {
			t.Errorf("%s: %d values of pixels differ", name, n)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d pictures, %d of them smaller: %d kB to %d kB", files, smaller, before>>10, after>>10)
}

func FuzzSVG(f *testing.F) {
	f.Add(svgTag + "<path d='M0 0'/></svg>")
	f.Add(svgTag + "<a b='c'>d</a><!----></svg>")
	f.Fuzz(func(t *testing.T, src string) {
		out := ShrinkSVG([]byte(src), nil)
		if out != nil && ShrinkSVG(out, nil) != nil {
			t.Errorf("a second time, %q becomes smaller", out)
		}
	})
}
