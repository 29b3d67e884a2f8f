package site_test

import (
	"context"
	"fmt"
	"runtime/debug"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// familySites returns a site of 50 pages that use 2,000 of 200,000 classes of 100
// families, and the same site with these classes as plain rules.
func familySites() (families, rules fstest.MapFS) {
	const keys, pages = 2000, 50
	sheet, plain := new(strings.Builder), new(strings.Builder)
	sheet.WriteString("@const sizes {")
	for k := range keys {
		fmt.Fprintf(sheet, "k%d: %dpx; ", k, k)
	}
	sheet.WriteString("}\n")
	classes := make([][]string, pages)
	for f := range 100 {
		fmt.Fprintf(sheet, "@family .f%d-(k) { @slot k: const(sizes); padding: const(k); margin: 0; }\n", f)
		for i := range 20 {
			k := (f*7 + i*97) % keys
			page := (f*20 + i) % pages
			classes[page] = append(classes[page], fmt.Sprintf("f%d-k%d", f, k))
			fmt.Fprintf(plain, ".f%d-k%d { padding: %dpx; margin: 0; }\n", f, k, k)
		}
	}
	families, rules = make(fstest.MapFS), make(fstest.MapFS)
	for i, list := range classes {
		text := "<!doctype html><link rel=stylesheet href=main.css>"
		for _, class := range list {
			text += fmt.Sprintf("<p class=%q>Boats leave from berth %d</p>\n", class, i)
		}
		file := &fstest.MapFile{Data: []byte(text)}
		families[fmt.Sprintf("p%d.html", i)], rules[fmt.Sprintf("p%d.html", i)] = file, file
	}
	families["main.css"] = &fstest.MapFile{Data: []byte(sheet.String())}
	rules["main.css"] = &fstest.MapFile{Data: []byte(plain.String())}
	return families, rules
}

// BenchmarkFamilies builds a site with families and the same site with rules in turns,
// and reports the ratio of their times.
func BenchmarkFamilies(b *testing.B) {
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // as in the program
	withFamilies, withRules := familySites()
	for _, profile := range []string{project.Development, project.Production} {
		b.Run(profile, func(b *testing.B) {
			build := func(files fstest.MapFS) time.Duration {
				start := time.Now()
				p := &project.Project{Settings: project.Default(), Tree: source.NewTree(source.Folder{FS: files})}
				res, err := site.Build(context.Background(), p, site.Options{Profile: profile})
				if err != nil || len(res.Diagnostics) > 0 {
					b.Fatal(err, res.Diagnostics)
				}
				return time.Since(start)
			}
			var families, rules time.Duration
			for b.Loop() {
				families += build(withFamilies)
				rules += build(withRules)
			}
			b.ReportMetric(families.Seconds()/rules.Seconds(), "families/rules")
			b.ReportMetric(float64(rules.Milliseconds())/float64(b.N), "rules-ms")
		})
	}
}

// BenchmarkClassTyped types a class of a family into a page of a site with 500 sheets
// and 2,000 possible classes in each of 100 families, and builds again: with sheets that
// pages link, and with one linked sheet that imports the others.
func BenchmarkClassTyped(b *testing.B) {
	for _, one := range []bool{false, true} {
		b.Run(map[bool]string{false: "linked", true: "imported"}[one], func(b *testing.B) {
			files := generateSite(1, 50, 500).files
			withFamilies, _ := familySites()
			for i := range 50 {
				name, links := fmt.Sprintf("p%02d.html", i), ""
				if !one {
					links = string(files[name].Data)
				}
				files[name] = &fstest.MapFile{Data: append([]byte(links), withFamilies[fmt.Sprintf("p%d.html", i)].Data...)}
			}
			imports := ""
			if one {
				for i := range 500 {
					imports += fmt.Sprintf("@import \"css/s%03d.css\";\n", i)
				}
			}
			files["families.css"] = withFamilies["main.css"]
			files["main.css"] = &fstest.MapFile{Data: []byte(imports + "@import \"families.css\";")}
			timeRebuilds(b, files, project.Development, func(n int) (string, string) {
				name := fmt.Sprintf("p%02d.html", n*7%50)
				return name, string(files[name].Data) + fmt.Sprintf("<p class=f%d-k%d>", n%100, n*37%2000)
			})
		})
	}
}
