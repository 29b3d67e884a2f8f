package report_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"runtime/debug"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/report"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/trace"
)

// largeSite is a site of 500 sheets of 20 rules and 25 pages.
func largeSite() fstest.MapFS {
	g := rand.New(rand.NewPCG(5, 5))
	files := fstest.MapFS{"rinzel.toml": {Data: []byte("")}}
	const sheets, pages = 500, 25
	for i := range sheets {
		var b strings.Builder
		if i%10 == 0 {
			fmt.Fprintf(&b, "@const gap-%d: %dpx;\n", i, i)
			for k := 1; k < 10; k++ {
				fmt.Fprintf(&b, "@import \"s%d.css\";\n", i+k)
			}
		}
		for k := range 20 {
			fmt.Fprintf(&b, ".c%d-%d { margin: const(gap-%d); color: #%06x; &:hover { top: %dpx } }\n", i, k, i/10*10, g.IntN(1<<24), k)
		}
		files[fmt.Sprintf("css/s%d.css", i)] = &fstest.MapFile{Data: []byte(b.String())}
	}
	for i := range pages {
		text := "<!doctype html>"
		for k := range 2 {
			text += fmt.Sprintf("<link rel=stylesheet href=css/s%d.css>", (i*2+k)*10)
		}
		for range 200 {
			text += fmt.Sprintf("<p class=\"c%d-%d\">x", i*20+g.IntN(20), g.IntN(20))
		}
		files[fmt.Sprintf("p%d.html", i)] = &fstest.MapFile{Data: []byte(text)}
	}
	return files
}

// BenchmarkAnswers measures questions about a site of 500 sheets, from opening
// the project on.
func BenchmarkAnswers(b *testing.B) {
	dir, err := source.WriteTree(filepath.Join(b.TempDir(), "harbour"), largeSite())
	if err != nil {
		b.Fatal(err)
	}
	sheet := filepath.ToSlash(filepath.Join(dir, "css/s15.css"))
	for _, question := range []struct {
		name string
		ask  func(context.Context, *project.Project) error
	}{
		{"build", func(ctx context.Context, p *project.Project) error {
			res, err := site.Build(ctx, p, site.Options{Profile: project.Production})
			if err == nil && len(res.Blocking()) > 0 {
				err = fmt.Errorf("%v", res.Blocking())
			}
			return err
		}},
		{"stages", func(ctx context.Context, p *project.Project) error {
			_, _, err := site.Stages(ctx, p, site.Subject{Name: sheet, Sheet: "css/s15.css"},
				site.Options{Profile: project.Production})
			return err
		}},
		{"trace", func(ctx context.Context, p *project.Project) error {
			at := trace.Place{File: sheet, Line: 3}
			t, errs, err := trace.For(ctx, p, project.Production, at, nil)
			if err != nil || len(errs) > 0 {
				return errors.Join(err, fmt.Errorf("%v", errs))
			}
			_, err = t.Find(at)
			return err
		}},
		{"why", func(ctx context.Context, p *project.Project) error {
			purged, err := query.Purging(ctx, p, site.Options{Profile: project.Production})
			if err == nil {
				purged.Ask(".c15-3")
			}
			return err
		}},
		{"constants", func(ctx context.Context, p *project.Project) error {
			_, err := query.ListConstants(ctx, p)
			return err
		}},
		{"report", func(ctx context.Context, p *project.Project) error {
			_, _, err := report.Make(ctx, p, project.Production, nil, nil)
			return err
		}},
	} {
		b.Run(question.name, func(b *testing.B) {
			defer debug.SetGCPercent(debug.SetGCPercent(400)) // as in the program
			for b.Loop() {
				p, _, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
				if err != nil {
					b.Fatal(err)
				}
				if err := question.ask(b.Context(), p); err != nil {
					b.Fatal(err)
				}
				p.Close()
			}
		})
	}
}
