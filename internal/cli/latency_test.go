package cli_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// saver saves a version of a sheet in which an element of the open page has the
// colour rgb(n/250, n%250, 7).
type saver func(n int)

// sampleColors records when the colour of the first element that matches a
// selector is first seen, in milliseconds since 1970, by colour.
const sampleColors = `window.times = {}; (function sample() {
	times[getComputedStyle(document.querySelector(%q)).color] ??= performance.timeOrigin + performance.now();
	setTimeout(sample, 0);
})(); 0`

// saveToScreen saves a sheet a number of times, and returns how long it took
// until the open page had the new computed style, sorted.
func saveToScreen(t testing.TB, page *browsertest.Page, selector string, edits int, save saver) []time.Duration {
	t.Helper()
	// A page that was loaded while the first build was still under way is loaded again.
	for lost := true; lost; {
		page.Eval(fmt.Sprintf(sampleColors, selector), new(int))
		time.Sleep(300 * time.Millisecond)
		page.Eval("window.times === undefined", &lost)
	}
	var took []time.Duration
	for n := range edits {
		saved := time.Now()
		save(n)
		var seen float64
		for end := time.Now().Add(10 * time.Second); seen == 0 && time.Now().Before(end); time.Sleep(time.Millisecond) {
			page.Eval(fmt.Sprintf(`times["rgb(%d, %d, 7)"] ?? 0`, n/250, n%250), &seen)
		}
		if seen == 0 {
			t.Fatalf("edit %d never arrived", n)
		}
		at := time.UnixMicro(int64(seen * 1000))
		took = append(took, at.Sub(saved))
	}
	slices.Sort(took)
	return took
}

// demoSaver returns a saver for the sample site, and the selector of the element.
func demoSaver(t testing.TB, dir string) (saver, string) {
	name := filepath.Join(dir, "site", "css", "parts", "header.css")
	text, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return func(n int) {
		rule := fmt.Sprintf("\n.site-header { outline-color: rgb(%d, %d, 7); color: rgb(%[1]d, %[2]d, 7) }\n", n/250, n%250)
		if err := os.WriteFile(name, append(slices.Clone(text), rule...), 0o644); err != nil {
			t.Fatal(err)
		}
	}, ".site-header"
}

// layLarge writes a site of 50 pages and 500 sheets. A page links 20 sheets; 10
// of them are its own, and each imports one that many pages share.
func layLarge(t testing.TB) string {
	t.Helper()
	files := []string{"rinzel.toml", "source = \"site\"\n"}
	sheet := func(name string, lines ...string) {
		var b strings.Builder
		for _, line := range lines {
			b.WriteString(line)
		}
		for i := range 30 {
			fmt.Fprintf(&b, ".%s-%d { margin: %dpx; color: const(tone); &:hover { padding: 0 %[2]dpx } }\n",
				strings.NewReplacer("/", "-").Replace(name), i, i%9)
		}
		files = append(files, "site/css/"+name+".css", b.String())
	}
	for i := range 10 {
		sheet(fmt.Sprintf("shared/s%d", i), "@default tone: teal;\n")
	}
	for p := range 50 {
		links := ""
		for i := range 10 {
			links += fmt.Sprintf("<link rel=stylesheet href=css/shared/s%d.css>\n", i)
		}
		for i := range 10 {
			if p*10+i >= 490 {
				break
			}
			name := fmt.Sprintf("p%d/own%d", p, i)
			links += "<link rel=stylesheet href=css/" + name + ".css>\n"
			sheet(name, fmt.Sprintf("@import \"../shared/s%d.css\";\n@default tone: navy;\n", i))
		}
		files = append(files, fmt.Sprintf("site/page%d.html", p),
			"<!doctype html><html><head>"+links+"</head><body><p class=boat>Petrel</p><p class=shared-s1-1>x</p></body></html>")
	}
	return lay(t, files...)
}

// largeSaver returns a saver for the large site: it changes one of the sheets of
// the first page, own or shared.
func largeSaver(t testing.TB, dir string) (saver, string) {
	r := rand.New(rand.NewPCG(1, 2))
	last := ""
	return func(n int) {
		if last != "" { // only the changed sheet has the rule
			rewriteWithout(t, last)
		}
		last = filepath.Join(dir, "site", "css", "p0", "own9.css") // last of the page: it wins
		if r.IntN(2) == 0 {
			last = filepath.Join(dir, "site", "css", "p0", fmt.Sprintf("own%d.css", r.IntN(9)))
		}
		text, err := os.ReadFile(last)
		if err != nil {
			t.Fatal(err)
		}
		rule := fmt.Sprintf("/*+*/ .boat { color: rgb(%d, %d, 7) }\n", n/250, n%250)
		if err := os.WriteFile(last, append(text, rule...), 0o644); err != nil {
			t.Fatal(err)
		}
	}, ".boat"
}

// rewriteWithout removes the rule that a saver added to a sheet.
func rewriteWithout(t testing.TB, name string) {
	t.Helper()
	text, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	before, _, _ := strings.Cut(string(text), "/*+*/")
	if err := os.WriteFile(name, []byte(before), 0o644); err != nil {
		t.Fatal(err)
	}
}

// layFamilies adds families of 2,000 possible classes each to the large site, which all
// pages link.
func layFamilies(t testing.TB) string {
	t.Helper()
	dir := layLarge(t)
	var sheet strings.Builder
	sheet.WriteString("@const sizes {")
	for k := range 2000 {
		fmt.Fprintf(&sheet, " k%d: %dpx;", k, k)
	}
	sheet.WriteString(" }\n@family .color-(c) { @slot c: <color>; color: const(c); }\n")
	for f := range 20 {
		fmt.Fprintf(&sheet, "@family .f%d-(k) { @slot k: const(sizes); margin: const(k); }\n", f)
	}
	sheet.WriteString("@mode hover- { &:hover { @contents; } }\n")
	if err := os.WriteFile(filepath.Join(dir, "site", "families.css"), []byte(sheet.String()), 0o644); err != nil {
		t.Fatal(err)
	}
	for p := range 50 {
		name := filepath.Join(dir, "site", fmt.Sprintf("page%d.html", p))
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		classes := ""
		for k := range 40 {
			classes += fmt.Sprintf(" f%d-k%d", k%20, p*40+k)
		}
		page := strings.Replace(string(text), "</head><body>", "<link rel=stylesheet href=families.css></head><body class='"+classes+"'>", 1)
		if err := os.WriteFile(name, []byte(page), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// classSaver returns a saver for the large site with families: it types a class into
// the first page.
func classSaver(t testing.TB, dir string) (saver, string) {
	name := filepath.Join(dir, "site", "page0.html")
	text, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return func(n int) {
		class := fmt.Sprintf("<p class='boat hover-color-teal color-#%02x%02x07'>", n/250, n%250)
		page := strings.Replace(string(text), "<p class=boat>", class, 1)
		if err := os.WriteFile(name, []byte(page), 0o644); err != nil {
			t.Fatal(err)
		}
	}, ".boat"
}

// latencies are the sites whose latency is measured.
var latencies = []struct {
	name  string
	start func(t testing.TB) (dir, address string)
	saver func(t testing.TB, dir string) (saver, string)
}{
	{"sample site", func(t testing.TB) (string, string) {
		_, dir, address := startDemo(t)
		return dir, address
	}, demoSaver},
	{"50 pages, 500 sheets", func(t testing.TB) (string, string) {
		dir := layLarge(t)
		w, address := startServe(t, dir)
		w.expect("watching")
		return dir, address + "/page0.html"
	}, largeSaver},
	{"a class typed, 501 sheets, 40,000 classes", func(t testing.TB) (string, string) {
		dir := layFamilies(t)
		w, address := startServe(t, dir)
		w.expect("watching")
		return dir, address + "/page0.html"
	}, classSaver},
}

// TestSaveToScreen measures the time from saving a sheet to the computed style
// of an open page, and logs it.
func TestSaveToScreen(t *testing.T) {
	b := browsertest.Start(t)
	for _, l := range latencies {
		dir, address := l.start(t)
		save, selector := l.saver(t, dir)
		took := saveToScreen(t, b.Open(address), selector, 20, save)
		median := took[len(took)/2]
		t.Logf("%s: median %v, maximum %v of %d edits", l.name, median, took[len(took)-1], len(took))
		if median > time.Second { // 50 ms on a machine that does nothing else
			t.Errorf("%s: the median is %v", l.name, median)
		}
	}
}

// BenchmarkSaveToScreen prints the distribution of the time from saving a sheet
// to the computed style of an open page: run it with -benchtime=100x.
func BenchmarkSaveToScreen(b *testing.B) {
	for _, l := range latencies {
		b.Run(l.name, func(b *testing.B) {
			dir, address := l.start(b)
			save, selector := l.saver(b, dir)
			page := browsertest.Start(b).Open(address)
			b.ResetTimer()
			took := saveToScreen(b, page, selector, b.N, save)
			for _, p := range []int{50, 90, 99} {
				b.ReportMetric(float64(took[min(len(took)*p/100, len(took)-1)].Microseconds())/1000, fmt.Sprintf("p%d-ms", p))
			}
		})
	}
}
