package build_test

import (
	"context"
	"fmt"
	"runtime/debug"
	"testing"
	"testing/fstest"

	"rinzel/internal/build"
	"rinzel/internal/css/csstest"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// BenchmarkProduction builds one sheet for production, map included.
// The collector is set as the program sets it.
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
				res, err := build.Sheet(context.Background(), p, "site.css", "out.css", build.Options{Profile: project.Production})
				if err != nil || len(res.Outputs) != 2 || len(res.Diagnostics) > 0 {
					b.Fatal(err, res.Diagnostics)
				}
			}
		})
	}
}
