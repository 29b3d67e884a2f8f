package site_test

import (
	"context"
	"fmt"
	"runtime/debug"
	"testing"
	"testing/fstest"
	"time"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/check"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/prefix"
)

// BenchmarkProduction builds one sheet for production, with its map. The
// garbage collector has the settings of the program.
func BenchmarkProduction(b *testing.B) {
	defer debug.SetGCPercent(debug.SetGCPercent(400))
	for _, size := range []int{1 << 20, 16 << 20} {
		text := csstest.Generate(size)
		files := fstest.MapFS{"site.css": {Data: []byte(text)}}
		for i := range 40 {
			files[fmt.Sprintf("img/wave-%d.svg", i)] = &fstest.MapFile{}
		}
		folder := source.Folder{FS: files}
		b.Run(fmt.Sprintf("%dMB", size>>20), func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			b.ReportAllocs()
			for b.Loop() {
				p := &project.Project{Settings: project.Default(), Tree: source.NewTree(folder)}
				res, err := site.Sheet(context.Background(), p, "site.css", "out.css", site.Options{Profile: project.Production})
				if err != nil || len(res.Outputs) != 2 || len(res.Diagnostics) > 0 {
					b.Fatal(err, res.Diagnostics)
				}
			}
		})
	}
}

// BenchmarkStepsBesideParsing measures lower, prefix and check as a multiple of
// parsing. Both run in turns, so that the ratio is valid on a busy machine.
func BenchmarkStepsBesideParsing(b *testing.B) {
	defer debug.SetGCPercent(debug.SetGCPercent(400))
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(4<<20))
	targets := browsers.Default()
	var parsing, lowering, fitting, checking time.Duration
	timed := func(total *time.Duration, run func()) {
		start := time.Now()
		run()
		*total += time.Since(start)
	}
	for b.Loop() {
		var nodes []ast.Node
		timed(&parsing, func() {
			sheet, _ := parse.Sheet(f)
			nodes = sheet.Nodes
		})
		timed(&checking, func() { check.New(targets).Nodes(nodes) })
		timed(&lowering, func() { nodes = lower.Nodes(nodes, lower.Options{Targets: targets}) })
		timed(&fitting, func() { nodes, _ = prefix.Nodes(nodes, prefix.Options{Targets: targets}) })
		timed(&checking, func() { check.New(targets).Support(nodes) })
	}
	for name, took := range map[string]time.Duration{"lower": lowering, "prefix": fitting, "check": checking} {
		b.ReportMetric(took.Seconds()/parsing.Seconds(), name+"/parse")
	}
}
