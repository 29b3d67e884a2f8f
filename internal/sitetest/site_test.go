// Package sitetest compares whole sites in a browser: the original pages, and
// those built with both profiles. It only contains tests.
package sitetest

import (
	"context"
	"errors"
	"fmt"
	"mime"
	"net/http"
	"net/http/httptest"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"golang.org/x/tools/txtar"

	"rinzel/internal/browsertest"
	"rinzel/internal/emit"
	"rinzel/internal/site"

	"rinzel/internal/css/parse"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// profiles are the profiles that every site is built with.
var profiles = []string{project.Development, project.Production}

// serve serves a folder as a plain web server does. It sends no charset, so
// that the files determine it.
func serve(t *testing.T, dir string) string {
	t.Helper()
	files := http.FileServer(http.Dir(dir))
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		kind, _, _ := strings.Cut(mime.TypeByExtension(path.Ext(r.URL.Path)), ";")
		switch path.Ext(r.URL.Path) {
		case ".webmanifest":
			kind = "application/manifest+json"
		case ".vtt":
			kind = "text/vtt"
		case "", ".html", ".htm":
			kind = "text/html"
		case ".xhtml":
			kind = "application/xhtml+xml"
		}
		if kind != "" {
			w.Header().Set("Content-Type", kind)
		}
		files.ServeHTTP(w, r)
	}))
	t.Cleanup(s.Close)
	return s.URL
}

// built is the result of building a folder with one profile.
type built struct {
	found   string // the displayed findings
	failed  bool
	outputs []emit.Output
	result  *site.Result
}

// buildSite builds the project in a folder into another folder.
func buildSite(t *testing.T, dir, out, profile string) built {
	t.Helper()
	opts := project.Options{Output: out}
	if file := filepath.Join(dir, project.FileName); source.Exists(file) {
		opts.Settings = file
	} else {
		opts.Settings, opts.Source = "", dir
	}
	p, diags, err := project.Open(opts)
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	b := built{result: new(site.Result)}
	if !diag.HasErrors(diags) {
		if b.result, err = site.Build(context.Background(), p, site.Options{Profile: profile}); err != nil {
			t.Fatal(err)
		}
		diags = append(diags, b.result.Diagnostics...)
	}
	var text strings.Builder
	r := diag.Renderer{Files: p.Tree.Set}
	_ = r.Render(&text, diags)
	b.found, b.failed, b.outputs = strings.ReplaceAll(text.String(), dir+"/", ""), diag.HasErrors(diags), b.result.Outputs
	if !b.failed {
		finished(t, b.outputs)
		if _, err := source.Publish(t.Context(), p.Output, emit.Files(b.outputs), source.PublishOptions{}); err != nil {
			t.Fatal(err)
		}
	}
	return b
}

// finished checks that the sheets of a build contain no build-time syntax.
func finished(t *testing.T, outputs []emit.Output) {
	t.Helper()
	for _, o := range outputs {
		if o.Kind != emit.StyleKind {
			continue
		}
		sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", string(o.Data)))
		if _, what, ok := compose.Leftover(sheet.Nodes); ok {
			t.Errorf("%s holds %s:\n%s", o.Path, what, o.Data)
		}
	}
}

// comparison compares pages with their builds. Each version has a browser tab,
// and another one for a repetition.
type comparison struct {
	unbuilt, again [2]*browsertest.Page // the second is for a repetition
	built          [2]*browsertest.Page // by profile
	wait           time.Duration        // for scripts
}

func newComparison(t *testing.T, wait time.Duration) *comparison {
	b := browsertest.Start(t)
	open := func() *browsertest.Page { return b.Open("about:blank") }
	return &comparison{[2]*browsertest.Page{open(), open()}, [2]*browsertest.Page{open(), open()},
		[2]*browsertest.Page{open(), open()}, wait}
}

// page compares the unbuilt page with those of other servers. It returns the
// differences by profile, and the number of compared elements. A server without
// an address is skipped.
func (c *comparison) page(unbuilt string, servers [2]string, name string) (diff [2][]string, elements int) {
	var before *browsertest.Look
	var after [2]*browsertest.Look
	var tabs sync.WaitGroup // they wait for scripts concurrently
	tabs.Go(func() { before = c.unbuilt[0].Look(unbuilt+"/"+name, c.wait) })
	for i, server := range servers {
		if server != "" {
			tabs.Go(func() { after[i] = c.built[i].Look(server+"/"+name, c.wait) })
		}
	}
	tabs.Wait()
	for i := range servers {
		if before == nil || after[i] == nil {
			continue // skipped, or the test has failed
		}
		diff[i] = before.Diff(after[i], 8, func() (*browsertest.Look, *browsertest.Look) {
			return c.unbuilt[1].Look(unbuilt+"/"+name, c.wait), c.again[i].Look(servers[i]+"/"+name, c.wait)
		})
	}
	if before == nil {
		return diff, 0
	}
	return diff, before.Elements()
}

// writeFiles writes the files of a txtar archive to a folder. A file with an
// extension such as .latin1 or .utf16 is written in that encoding, without the
// extension.
func writeFiles(t *testing.T, dir string, files []txtar.File) {
	t.Helper()
	for _, f := range files {
		name, data := encoded(t, f)
		file := filepath.Join(dir, filepath.FromSlash(name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o755), os.WriteFile(file, data, 0o644)); err != nil {
			t.Fatal(err)
		}
	}
}

// pagesIn returns the paths of the pages in a folder.
func pagesIn(dir string) []string {
	var out []string
	_ = filepath.WalkDir(dir, func(name string, d os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".") && name != dir) {
			return filepath.SkipDir
		}
		switch strings.ToLower(filepath.Ext(name)) {
		case ".html", ".htm", ".xhtml":
			rel, _ := filepath.Rel(dir, name)
			out = append(out, filepath.ToSlash(rel))
		}
		return nil
	})
	return out
}

// TestTraps builds small sites, each of which is a trap, and compares them in a
// browser with the same sites unbuilt. The comment of an archive may say what
// is expected beside that:
//
//	pages: a.html b.html     the pages that are compared, instead of all
//	found: CODE CODE         the findings that a production build reports, instead of none
//	output: PATH PATH        files that must be there, in both profiles
//	lost: TEXT               text that no sheet of the production build may hold
//	kept: TEXT               text that the sheets of the production build hold
//	differs                  the browser is not asked: the unbuilt site does not work by itself
func TestTraps(t *testing.T) {
	archives, err := filepath.Glob("testdata/*.txtar")
	if err != nil || len(archives) == 0 {
		t.Fatal("no traps", err)
	}
	compare := newComparison(t, 200*time.Millisecond)
	count := 0
	for _, archive := range archives {
		data, err := os.ReadFile(archive)
		if err != nil {
			t.Fatal(err)
		}
		subject := strings.TrimSuffix(filepath.Base(archive), ".txtar")
		for _, trap := range traps(string(data)) {
			count++
			t.Run(subject+"/"+trap.name, func(t *testing.T) { trap.run(t, compare) })
		}
	}
	t.Logf("%d traps", count)
}

// trap is a small site with its expectations.
type trap struct {
	name, comment string
	files         []txtar.File
}

// traps splits a file of traps, each of which starts with a line "=== name".
func traps(text string) (out []trap) {
	for _, part := range strings.Split("\n"+text, "\n=== ")[1:] {
		name, rest, _ := strings.Cut(part, "\n")
		a := txtar.Parse([]byte(rest))
		out = append(out, trap{strings.TrimSpace(name), string(a.Comment), a.Files})
	}
	return out
}

// expected returns the words after a key in the comment.
func (t trap) expected(key string) (words []string, ok bool) {
	for _, line := range strings.Split(t.comment, "\n") {
		if rest, found := strings.CutPrefix(line, key); found {
			words, ok = append(words, strings.Fields(rest)...), true
		}
	}
	return words, ok
}

// lines returns the texts after a key in the comment, one for each line.
func (t trap) lines(key string) (out []string) {
	for _, line := range strings.Split(t.comment, "\n") {
		if rest, found := strings.CutPrefix(line, key); found {
			out = append(out, strings.TrimSpace(rest))
		}
	}
	return out
}

func (tr trap) run(t *testing.T, compare *comparison) {
	dir := t.TempDir()
	writeFiles(t, dir, tr.files)
	from := dir
	if source.IsFolder(filepath.Join(dir, "site")) {
		from = filepath.Join(dir, "site")
		if !source.Exists(filepath.Join(dir, project.FileName)) {
			writeFiles(t, dir, []txtar.File{{Name: project.FileName, Data: []byte("source = \"site\"\n")}})
		}
	}
	names, ok := tr.expected("pages:")
	if !ok {
		names = pagesIn(from)
	}
	unbuilt := serve(t, from)
	var servers [2]string
	for i, profile := range profiles {
		out := filepath.Join(dir, "out-"+profile)
		b := buildSite(t, dir, out, profile)
		if profile == project.Production {
			tr.checkFindings(t, b)
			tr.checkText(t, b)
		}
		if b.failed {
			if profile == project.Development {
				t.Errorf("development fails:\n%s", b.found)
			}
			continue
		}
		tr.checkOutput(t, profile, out)
		servers[i] = serve(t, out)
	}
	if strings.Contains("\n"+tr.comment, "\ndiffers") {
		return
	}
	for _, name := range names {
		diff, _ := compare.page(unbuilt, servers, name)
		for i, lines := range diff {
			for _, line := range lines {
				t.Errorf("%s, %s: %s", profiles[i], name, line)
			}
		}
	}
}

func (tr trap) checkFindings(t *testing.T, b built) {
	want, _ := tr.expected("found:")
	var got []string
	for _, d := range b.result.Diagnostics {
		if d.Severity != diag.Note && !slices.Contains(got, string(d.Code)) {
			got = append(got, string(d.Code))
		}
	}
	slices.Sort(want)
	slices.Sort(got)
	if !slices.Equal(got, want) {
		t.Errorf("found %v, want %v:\n%s", got, want, b.found)
	}
}

// hashed matches the hash in a file name.
var hashed = regexp.MustCompile(`\.[a-z2-7]{10}\.`)

// checkOutput checks that files exist, optionally with a hash in their names.
func (tr trap) checkOutput(t *testing.T, profile, out string) {
	names, _ := tr.expected("output:")
	there := make(map[string]bool)
	_ = filepath.WalkDir(out, func(name string, _ os.DirEntry, err error) error {
		rel, _ := filepath.Rel(out, name)
		there[hashed.ReplaceAllString(filepath.ToSlash(rel), ".")] = true
		return err
	})
	for _, name := range names {
		if !there[name] {
			t.Errorf("%s: there is no %s in the output", profile, name)
		}
	}
}

// checkText checks the text of the sheets and pages of a build.
func (tr trap) checkText(t *testing.T, b built) {
	var all strings.Builder
	for _, o := range b.outputs {
		if o.Kind == emit.StyleKind || o.Kind == emit.PageKind {
			all.Write(o.Data)
		}
	}
	for _, text := range tr.lines("kept:") {
		if !strings.Contains(all.String(), text) {
			t.Errorf("the output lacks %q:\n%s", text, all.String())
		}
	}
	for _, text := range tr.lines("lost:") {
		if strings.Contains(all.String(), text) {
			t.Errorf("the output holds %q:\n%s", text, all.String())
		}
	}
}

// trialDir is the environment variable with the folder of sites for
// TestTrialSites, which scripts/trial-sites fills from packages.
const trialDir = "RINZEL_TRIAL_SITES"

// TestTrialSites builds every subfolder of a folder, and compares all its pages
// in a browser with the unbuilt ones.
func TestTrialSites(t *testing.T) {
	top := os.Getenv(trialDir)
	if top == "" {
		t.Skip(trialDir + " names no folder of sites; see scripts/trial-sites")
	}
	entries, err := os.ReadDir(top)
	if err != nil {
		t.Fatal(err)
	}
	const mostPages = 14 // of one site
	var table strings.Builder
	fmt.Fprintf(&table, "%-32s %6s %9s %9s %9s %s\n", "site", "pages", "elements", "dev diff", "prod diff", "errors")
	for _, e := range entries {
		if !e.IsDir() {
			continue
		}
		t.Run(e.Name(), func(t *testing.T) {
			compare := newComparison(t, 1200*time.Millisecond)
			dir := filepath.Join(top, e.Name())
			names := pagesIn(dir)
			if len(names) > mostPages {
				step := len(names) / mostPages
				var some []string
				for i := 0; i < len(names) && len(some) < mostPages; i += step {
					some = append(some, names[i])
				}
				names = some
			}
			unbuilt := serve(t, dir)
			var differ [2]int
			elements, errs := 0, ""
			var servers [2]string
			for i, profile := range profiles {
				out := filepath.Join(t.TempDir(), profile)
				start := time.Now()
				b := buildSite(t, dir, out, profile)
				if b.failed {
					b = tolerant(t, dir, out, profile, b)
				}
				if b.failed {
					errs += " " + profile
					t.Errorf("%s fails:\n%s", profile, firstLines(b.found, 80))
					continue
				}
				t.Logf("%s: %d outputs, %d findings, %v\n%s", profile, len(b.outputs), len(b.result.Diagnostics),
					time.Since(start), firstLines(b.found, 80))
				servers[i] = serve(t, out)
			}
			for _, name := range names {
				start := time.Now()
				diff, n := compare.page(unbuilt, servers, name)
				t.Logf("%s: %d elements in %v", name, n, time.Since(start))
				elements += n
				for i, lines := range diff {
					differ[i] += min(1, len(lines))
					for _, line := range lines {
						t.Errorf("%s, %s: %s", profiles[i], name, line)
					}
				}
			}
			fmt.Fprintf(&table, "%-32s %6d %9d %9d %9d %s\n", e.Name(), len(names), elements, differ[0], differ[1], errs)
			if file := os.Getenv(trialDir + "_TABLE"); file != "" { // of each site, since many take long
				if err := os.WriteFile(file, []byte(table.String()), 0o644); err != nil {
					t.Error(err)
				}
			}
		})
	}
	t.Log("\n" + table.String())
}

// tolerant builds a failed site again, with its missing files declared as
// external, as its author would do.
func tolerant(t *testing.T, dir, out, profile string, b built) built {
	var external []string
	for _, d := range b.result.Diagnostics {
		switch {
		case d.Severity != diag.Error:
		case d.Code == "missing-file" && d.Cause != "":
			external = append(external, fmt.Sprintf("%q", d.Cause))
		default:
			return b
		}
	}
	settings := fmt.Sprintf("external = [%s]\n", strings.Join(external, ", "))
	t.Logf("built again with %s", settings)
	if err := os.WriteFile(filepath.Join(dir, project.FileName), []byte(settings), 0o644); err != nil {
		t.Fatal(err)
	}
	return buildSite(t, dir, out, profile)
}

func firstLines(text string, n int) string {
	lines := strings.SplitN(text, "\n", n+1)
	return strings.Join(lines[:min(n, len(lines))], "\n")
}

// encoded returns a file of an archive in its encoding.
func encoded(t *testing.T, f txtar.File) (name string, data []byte) {
	ext := path.Ext(f.Name)
	encode, ok := encodings[ext]
	if !ok {
		return f.Name, f.Data
	}
	data, err := encode.NewEncoder().Bytes(f.Data)
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSuffix(f.Name, ext), data
}
