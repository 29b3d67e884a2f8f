package site_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path"
	"regexp"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// generatedSite is a site of many pages and sheets. Each sheet has rules of its
// own and imports later ones, each page links some. It is determined by the
// seed.
type generatedSite struct {
	files   fstest.MapFS
	imports map[string][]string
	rules   map[string][]rule
	links   map[string][]string // by page
}

// rule is a rule with one declaration.
type rule struct{ selector, property, value string }

func generateSite(seed uint64, pages, sheets int) *generatedSite {
	g := rand.New(rand.NewPCG(seed, 7))
	s := &generatedSite{fstest.MapFS{}, make(map[string][]string), make(map[string][]rule), make(map[string][]string)}
	name := func(i int) string { return fmt.Sprintf("css/s%03d.css", i) }
	properties := []string{"color", "margin-left", "order", "z-index", "opacity", "--tone", "width", "float",
		"line-height"}
	for i := range sheets {
		var text strings.Builder
		for range []int{0, 0, 1, 1, 1, 2}[g.IntN(6)] {
			if to := i + 1 + g.IntN(sheets/10); to < sheets && !slices.Contains(s.imports[name(i)], name(to)) {
				s.imports[name(i)] = append(s.imports[name(i)], name(to))
				fmt.Fprintf(&text, "@import %q;\n", path.Base(name(to)))
			}
		}
		for k := range 1 + g.IntN(4) {
			r := rule{fmt.Sprintf(".%c", 'a'+g.IntN(8)), properties[g.IntN(len(properties))], fmt.Sprint(i*10 + k)}
			if g.IntN(3) == 0 {
				r.selector = fmt.Sprintf(".s%d", i) // only of this sheet
			}
			s.rules[name(i)] = append(s.rules[name(i)], r)
			fmt.Fprintf(&text, "%s { %s: %s }\n", r.selector, r.property, r.value)
		}
		s.files[name(i)] = &fstest.MapFile{Data: []byte(text.String())}
	}
	for i := range pages {
		page := fmt.Sprintf("p%02d.html", i)
		html := "<!doctype html>\n"
		for k := range 20 {
			link := name(sheets - 20 + k) // which all pages may link first
			if k >= 16 {
				link = name(g.IntN(sheets - 20))
			} else if g.IntN(4) == 0 {
				continue
			}
			if !slices.Contains(s.links[page], link) {
				s.links[page] = append(s.links[page], link)
				html += fmt.Sprintf("<link rel=stylesheet href=%s>\n", link)
			}
		}
		s.files[page] = &fstest.MapFile{Data: []byte(html + "<p class=a>")}
	}
	return s
}

// cascade returns the rules of a page in the order of a browser, derived from
// the imports alone.
func (s *generatedSite) cascade(page string) []rule {
	var out []rule
	var follow func(sheet string)
	follow = func(sheet string) {
		for _, to := range s.imports[sheet] {
			follow(to)
		}
		out = append(out, s.rules[sheet]...)
	}
	for _, link := range s.links[page] {
		follow(link)
	}
	return out
}

// winners returns, for each property, the selectors that set it with the
// winning values, in the order of their last positions. Two equal lists look
// the same on every element.
func winners(rules []rule) map[string][]string {
	out := make(map[string][]string)
	for _, r := range rules {
		list := slices.DeleteFunc(out[r.property], func(s string) bool { return strings.HasPrefix(s, r.selector+" ") })
		out[r.property] = append(list, r.selector+" "+r.value)
	}
	return out
}

var (
	linkHref  = regexp.MustCompile(`<link rel=stylesheet href="?([^">]+)"?>`)
	builtRule = regexp.MustCompile(`(\.\w+) \{([^}]*)\}`)
	builtDecl = regexp.MustCompile(`([\w-]+): (\d+);`)
)

// builtRules returns the rules that a built page loads, in order.
func builtRules(t *testing.T, outputs map[string]string, page string) []rule {
	var out []rule
	for _, link := range linkHref.FindAllStringSubmatch(outputs[page], -1) {
		text, ok := outputs[link[1]]
		if !ok {
			t.Fatalf("%s links %s, which is not written", page, link[1])
		}
		for _, r := range builtRule.FindAllStringSubmatch(text, -1) {
			for _, d := range builtDecl.FindAllStringSubmatch(r[2], -1) {
				out = append(out, rule{r[1], d[1], d[2]})
			}
		}
	}
	return out
}

// TestGeneratedSite builds a site of 50 pages and 500 sheets, and compares the
// bundles of each page with the expected cascade.
func TestGeneratedSite(t *testing.T) {
	for seed := range uint64(4) {
		s := generateSite(seed, 50, 500)
		settings := project.Default()
		settings.Check.InBuild = project.CheckOff // the values are numbers, to distinguish them
		settings.Split = project.Split{Shared: 2, MinBytes: int(seed) % 2 * 60}
		p := &project.Project{Settings: settings, Tree: source.NewTree(source.Folder{FS: s.files})}
		res, err := site.Build(context.Background(), p, site.Options{})
		if err != nil {
			t.Fatal(err)
		}
		outputs := make(map[string]string)
		for _, o := range res.Outputs {
			outputs[o.Path] = contentOf(o)
		}
		shared := 0
		for _, b := range res.Bundles {
			if len(b.Pages) > 1 {
				shared++
			}
		}
		if shared < 4 || len(res.Pages) != 50 {
			t.Errorf("seed %d: %d pages, %d bundles, %d of them shared: they prove nothing", seed, len(res.Pages),
				len(res.Bundles), shared)
		}
		for page := range s.links {
			got, want := winners(builtRules(t, outputs, page)), winners(s.cascade(page))
			for property := range want {
				if !slices.Equal(got[property], want[property]) {
					t.Errorf("seed %d, %s: %s is set by\n%s, want\n%s", seed, page, property, got[property], want[property])
					break
				}
			}
			if len(got) != len(want) {
				t.Errorf("seed %d, %s: %d properties, want %d", seed, page, len(got), len(want))
			}
		}
	}
}

// BenchmarkSite builds a site of 50 pages and 500 sheets.
func BenchmarkSite(b *testing.B) {
	s := generateSite(1, 50, 500)
	settings := project.Default()
	for b.Loop() {
		p := &project.Project{Settings: settings, Tree: source.NewTree(source.Folder{FS: s.files})}
		if _, err := site.Build(context.Background(), p, site.Options{}); err != nil {
			b.Fatal(err)
		}
	}
}
