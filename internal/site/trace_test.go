package site_test

import (
	"context"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/demo"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/selector"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/trace"
)

// openTree writes a site to a temporary folder and opens it, with source maps
// as files in every profile.
func openTree(t *testing.T, files fstest.MapFS) *project.Project {
	t.Helper()
	dir, err := source.WriteTree(filepath.Join(t.TempDir(), "site"), files)
	if err != nil {
		t.Fatal(err)
	}
	p, diags, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
	if err != nil || diag.HasErrors(diags) {
		t.Fatal(err, diags)
	}
	t.Cleanup(func() { _ = p.Close() })
	for name, profile := range p.Settings.Profiles {
		profile.Maps = project.FileMaps
		p.Settings.Profiles[name] = profile
	}
	return p
}

// tracerOf builds a project for tracing, and writes the outputs.
func tracerOf(t *testing.T, p *project.Project, profile string) *trace.Tracer {
	t.Helper()
	tracer, errs, err := trace.New(t.Context(), p, profile)
	if err != nil || len(errs) > 0 {
		t.Fatal(err, errs)
	}
	files := emit.Files(tracer.Result().Outputs)
	if _, err := source.Publish(t.Context(), p.Output, files, source.PublishOptions{}); err != nil {
		t.Fatal(err)
	}
	return tracer
}

// placesOf are the places of a sheet where a declaration starts.
func placesOf(text string) (out []trace.Place) {
	f := new(source.Set).Add(source.Path{}, "", text)
	sheet, _ := parse.Sheet(f)
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		if d, ok := n.(*ast.Declaration); ok {
			line := f.Line(d.NamePos.Off)
			out = append(out, trace.Place{Line: line + 1, Column: f.UTF16Column(line, d.NamePos.Off) + 1})
		}
		return true
	})
	return out
}

// checkOutputs traces declarations of all outputs back, as many as most, and
// compares the sources with those of the source maps, which inspectors read. It
// returns how many it traced.
func checkOutputs(t *testing.T, p *project.Project, tracer *trace.Tracer, g *rand.Rand, most int) (traced int) {
	t.Helper()
	outputs := make(map[string]emit.Output)
	for _, o := range tracer.Result().Outputs {
		outputs[o.Path] = o
	}
	for _, o := range tracer.Result().Outputs {
		if o.Kind != emit.StyleKind {
			continue
		}
		m, err := sourcemap.Read(outputs[o.Path+".map"].Data)
		if err != nil {
			t.Fatal(err)
		}
		places := placesOf(string(o.Data))
		g.Shuffle(len(places), func(i, j int) { places[i], places[j] = places[j], places[i] })
		for _, at := range places[:min(len(places), most-traced)] {
			at.File = path.Join(filepath.ToSlash(p.Output), o.Path)
			found, err := tracer.Find(at)
			if err != nil {
				t.Fatal(err)
			}
			traced++
			want, ok := m.Find(at.Line-1, at.Column-1)
			if !ok {
				t.Fatalf("%v has no mapping", at)
			}
			f := p.Tree.Set.File(found.Found.Start.File)
			line, _ := f.Position(found.Found.Start.Off)
			name := m.Sources[want.Source].URL
			if line != want.SourceLine+1 || !strings.HasSuffix(f.Name, strings.TrimLeft(name, "./")) {
				t.Errorf("%s:%d:%d: traced to %s:%d, the source map leads to %s:%d", o.Path, at.Line, at.Column, f.Name, line,
					name, want.SourceLine+1)
			}
			if w := found.Traced[0].Written; found.Stale || len(w) != 1 || w[0].Line != at.Line || w[0].Column != at.Column {
				t.Errorf("%s:%d:%d is not where it is: %v, stale %v", o.Path, at.Line, at.Column, w, found.Stale)
			}
		}
	}
	return traced
}

// checkSources traces declarations of each source of a site, as many as most:
// each must be in an output, from which it is traced back, or be gone for a
// reason.
func checkSources(t *testing.T, tracer *trace.Tracer, g *rand.Rand, most int) (written, gone int) {
	t.Helper()
	seen := make(map[string]bool)
	for i := range tracer.Result().Staged {
		for _, f := range tracer.Result().Staged[i].Files() {
			if seen[f.Name] || !strings.HasSuffix(f.Name, ".css") {
				continue
			}
			seen[f.Name] = true
			places := placesOf(f.Text)
			g.Shuffle(len(places), func(i, j int) { places[i], places[j] = places[j], places[i] })
			for _, at := range places[:min(len(places), most)] {
				at.File = f.Name
				found, err := tracer.Find(at)
				if err != nil {
					t.Fatal(err)
				}
				for _, one := range found.Traced {
					if (one.Gone == nil) == (len(one.Written) == 0) {
						t.Errorf("%v in %s: gone %v, written %v", at, one.Bundle, one.Gone, one.Written)
					}
					if one.Gone != nil {
						gone++
						if one.Gone.Step == "purge" && len(one.Gone.Why) == 0 ||
							one.Gone.Step == "minify" && one.Gone.Instead == "" {
							t.Errorf("%v in %s is gone for no reason: %+v", at, one.Bundle, one.Gone)
						}
						continue
					}
					for _, w := range one.Written {
						written++
						back, err := tracer.Find(trace.Place{File: w.File, Line: w.Line, Column: w.Column})
						if err != nil || back.Found != found.Found {
							t.Errorf("%v is written at %s:%d:%d, which is traced to another place: %v", at, w.File, w.Line, w.Column, err)
						}
					}
				}
			}
		}
	}
	return written, gone
}

// demoTree returns the files of the sample site.
func demoTree(t *testing.T) *project.Project {
	t.Helper()
	dir, err := source.WriteTree(filepath.Join(t.TempDir(), "harbour"), demo.Site())
	if err != nil {
		t.Fatal(err)
	}
	p, _, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	return p
}

// TestTraceDemo traces every declaration of the sample site, from its outputs
// and from its sources.
func TestTraceDemo(t *testing.T) {
	for _, profile := range []string{project.Development, project.Production} {
		p := demoTree(t)
		own := p.Settings.Profiles[profile]
		own.Maps = project.FileMaps
		p.Settings.Profiles[profile] = own
		tracer := tracerOf(t, p, profile)
		traced := checkOutputs(t, p, tracer, rand.New(rand.NewPCG(1, 1)), 1_000_000)
		written, gone := checkSources(t, tracer, rand.New(rand.NewPCG(1, 2)), 1_000_000)
		if traced < 300 || written < 300 || gone == 0 && profile == project.Production {
			t.Errorf("%s: only %d traced, %d written, %d gone", profile, traced, written, gone)
		}
	}
}

// composedSite returns a random site whose sheets have loops, mixins, nested
// rules, imports, repeated declarations and unused rules.
func composedSite(seed uint64) fstest.MapFS {
	g := rand.New(rand.NewPCG(seed, 3))
	properties := []string{"color: #%06x", "margin: %dpx", "margin-left: %dpx", "padding: %dpx 2px", "order: %d", "--tide: %d",
		"border-top-width: %dpx", "background: rgb(0 0 0 / %d%%)", "inset: %dpx", "top: %dpx", "display: flex; order: %d"}
	declaration := func() string { return fmt.Sprintf(properties[g.IntN(len(properties))], g.IntN(40)) + ";" }
	body := func() string {
		text := ""
		for range 1 + g.IntN(3) {
			text += " " + declaration()
		}
		return text
	}
	name := func() string { return fmt.Sprintf(".%c", 'a'+g.IntN(10)) }
	files := fstest.MapFS{"rinzel.toml": {Data: []byte("")}}
	for i := range 3 {
		var b strings.Builder
		if i < 2 && g.IntN(2) == 0 {
			fmt.Fprintf(&b, "@import \"s%d.css\"%s;\n", i+1, []string{"", " layer(kit)", " print", " without(selector(\".c\"))"}[g.IntN(4)])
		}
		fmt.Fprintf(&b, "@mixin --m%d(--w) {%s width: var(--w); &:hover {%s } @contents; }\n", i, body(), body())
		for range 4 + g.IntN(8) {
			switch g.IntN(7) {
			case 0:
				fmt.Fprintf(&b, "@loop k over range(1, %d) { .%c-(k) { order: const(k);%s } }\n", 1+g.IntN(4), 'a'+g.IntN(10), body())
			case 1:
				fmt.Fprintf(&b, "%s { @apply --m%d(%dpx) {%s } }\n", name(), i, g.IntN(9), body())
			case 2:
				fmt.Fprintf(&b, "@media (width >= %dpx) { %s {%s } }\n", 100*g.IntN(3), name(), body())
			case 3:
				fmt.Fprintf(&b, "%s {%s %s & {%s } &:focus {%s } @media print {%s } }\n", name(), body(), name(), body(), body(), body())
			case 4:
				fmt.Fprintf(&b, "%s, %s {%s }\n", name(), name(), body())
			case 5:
				fmt.Fprintf(&b, ".unused%d, .lost {%s }\n", g.IntN(3), body())
			default:
				fmt.Fprintf(&b, "%s {%s }\n", name(), body())
			}
		}
		files[fmt.Sprintf("s%d.css", i)] = &fstest.MapFile{Data: []byte(b.String())}
	}
	for i := range 1 + g.IntN(3) {
		html := "<!doctype html>"
		for k := range 3 {
			if k == 0 || g.IntN(3) == 0 {
				html += fmt.Sprintf("<link rel=stylesheet href=s%d.css>", k)
			}
		}
		html += "<style>\n.d {" + body() + " }\n</style>"
		for _, c := range "abcdefghij" {
			if g.IntN(3) > 0 {
				html += fmt.Sprintf("<p class=\"%c %c-1 %c-2 %c-3\">x</p>", c, c, c, c)
			}
		}
		files[fmt.Sprintf("p%d.html", i)] = &fstest.MapFile{Data: []byte(html)}
	}
	return files
}

// TestTraceRandom traces random places of random sites.
func TestTraceRandom(t *testing.T) {
	sites, most := 40, 100
	if os.Getenv("RINZEL_LONG") != "" {
		sites, most = 250, 200
	}
	traced, written, gone := 0, 0, 0
	for seed := range uint64(sites) {
		profile := []string{project.Development, project.Production}[seed%2]
		p := openTree(t, composedSite(seed))
		tracer := tracerOf(t, p, profile)
		traced += checkOutputs(t, p, tracer, rand.New(rand.NewPCG(seed, 1)), most)
		w, o := checkSources(t, tracer, rand.New(rand.NewPCG(seed, 2)), 1_000_000)
		written, gone = written+w, gone+o
		if t.Failed() {
			t.Fatalf("seed %d", seed)
		}
	}
	t.Logf("%d places of outputs, %d of sources that are written, %d that are gone", traced, written, gone)
	if traced < sites*10 || written < sites*20 || gone < sites*5 {
		t.Error("too few")
	}
}

// TestTrialTrace traces random places of real sheets, in a site with a page that
// has half of their classes.
func TestTrialTrace(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip(trialDir + " names no folder of style sheets; see scripts/trial")
	}
	traced, written, gone := 0, 0, 0
	err := filepath.WalkDir(dir, func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".css") {
			return err
		}
		text, err := os.ReadFile(file)
		if err != nil || len(text) > 400_000 {
			return err
		}
		t.Run(filepath.ToSlash(file), func(t *testing.T) {
			g := rand.New(rand.NewPCG(uint64(len(text)), 1))
			classes := make(map[string]bool)
			sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", string(text)))
			ast.Walk(sheet.Nodes, func(n ast.Node) bool {
				if r, ok := n.(*ast.StyleRule); ok {
					for _, s := range r.Selectors {
						selector.AddClasses(s, classes)
					}
				}
				return true
			})
			page := "<!doctype html><link rel=stylesheet href=lib.css><body class=\""
			for _, c := range slices.Sorted(maps.Keys(classes)) {
				if g.IntN(2) == 0 && !strings.ContainsAny(c, "\"&") {
					page += " " + c
				}
			}
			css, _, _ := strings.Cut(string(text), "/*# sourceMappingURL")
			p := openTree(t, fstest.MapFS{"rinzel.toml": {}, "index.html": {Data: []byte(page + "\">")}, "lib.css": {Data: []byte(css)}})
			tracer, errs, err := trace.New(t.Context(), p, project.Production)
			if err != nil || len(errs) > 0 {
				t.Skip("it has errors")
			}
			files := emit.Files(tracer.Result().Outputs)
			if _, err := source.Publish(t.Context(), p.Output, files, source.PublishOptions{}); err != nil {
				t.Fatal(err)
			}
			traced += checkOutputs(t, p, tracer, g, 60)
			w, o := checkSources(t, tracer, g, 60)
			written, gone = written+w, gone+o
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d places of outputs, %d of sources that are written, %d that are gone", traced, written, gone)
}

// TestStages checks that the last stages are what is written, that the stages
// on sheets lead to the joined sheets, and that sheets alone have stages.
func TestStages(t *testing.T) {
	projects := []*project.Project{demoTree(t)}
	for seed := range uint64(10) {
		projects = append(projects, openTree(t, composedSite(seed)))
	}
	for _, p := range projects {
		for _, profile := range []string{project.Development, project.Production} {
			res, err := site.Build(context.Background(), p, site.Options{Profile: profile, KeepStages: true})
			if err != nil {
				t.Fatal(err)
			}
			checkStages(t, res)
		}
	}
}

func checkStages(t *testing.T, res *site.Result) {
	t.Helper()
	written := make(map[string]string) // by logical name
	for _, b := range res.Bundles {
		for _, o := range res.Outputs {
			if o.Path == b.Path && o.Kind == emit.StyleKind {
				written[b.Name], _, _ = strings.Cut(string(o.Data), "/*# sourceMappingURL")
			}
		}
	}
	pages := ""
	for _, o := range res.Outputs {
		if o.Kind == emit.PageKind {
			pages += string(o.Data)
		}
	}
	for i := range res.Staged {
		s := &res.Staged[i]
		last := string(s.Last().Text())
		if want, ok := written[s.Name]; ok && !s.Element && last != want {
			t.Errorf("%s: the last stage is\n%s\nwritten is\n%s", s.Name, last, want)
		} else if !ok && s.Element && !strings.Contains(pages, strings.TrimSpace(last)) {
			t.Errorf("%s: no page has the style element\n%s", s.Name, last)
		}
		for k := range s.Stages {
			if s.Stages[k].Step != "join" {
				continue
			}
			before, after := s.Stages[k-1].Text(), s.Stages[k].Text()
			if withoutURLs(string(before)) != withoutURLs(string(after)) {
				t.Errorf("%s: joined sheets\n%s\nare not the last stage of the sheets\n%s", s.Name, after, before)
			}
		}
		want := []string{"source", "compose", "lower", "prefix", "join", "purge", "minify"}
		own := []string{"import", "plan", "banner"} // where they are needed, and the steps of the demo
		got := slices.DeleteFunc(names(s), func(name string) bool { return slices.Contains(own, name) })
		if !slices.Equal(got, want) && !slices.Equal(got, want[:5]) {
			t.Errorf("%s has the stages %v", s.Name, got)
		}
	}
}

func names(s *site.Staged) (out []string) {
	for _, g := range s.Stages {
		out = append(out, g.Step)
	}
	return out
}

// withoutURLs returns a sheet without the contents of url().
func withoutURLs(css string) string {
	var b strings.Builder
	for {
		before, after, ok := strings.Cut(css, "url(")
		b.WriteString(before)
		if !ok {
			return b.String()
		}
		_, css, _ = strings.Cut(after, ")")
	}
}
