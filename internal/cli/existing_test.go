package cli_test

import (
	"html/template"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/browsertest"
)

// existing are the sites of docs/existing.md by the headings of their sections.
var existing = map[string]struct {
	archive string
	serve   func(t *testing.T, dir, static string) string // serves the site without a build
	open    []string                                      // addresses of pages
	color   string                                        // of the element .notice of the first page
}{
	"Plain pages":               {"pages", serveFolder, []string{"/", "/timetable.html", "/islands/gull.html", "/404.html"}, "rgb(253, 243, 238)"},
	"Pages that a server makes": {"templates", serveTemplates, []string{"/", "/timetable"}, "rgb(253, 243, 238)"},
	"An application of modules": {"application", nil, []string{"/", "/timetable"}, "rgba(0, 0, 0, 0)"},
}

// serveFolder serves a folder.
func serveFolder(t *testing.T, dir, _ string) string {
	server := httptest.NewServer(http.FileServer(http.Dir(dir)))
	t.Cleanup(server.Close)
	return server.URL
}

// serveTemplates serves pages made from the templates of a site, and a folder at /static/.
func serveTemplates(t *testing.T, dir, static string) string {
	t.Helper()
	mux := http.NewServeMux()
	mux.Handle("/static/", http.StripPrefix("/static/", http.FileServer(http.Dir(filepath.Join(dir, static)))))
	views := map[string]string{"/": "today", "/timetable": "timetable"}
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		type ferry struct{ Name, Time, State string }
		type tab struct {
			Path, Title string
			Open        bool
		}
		view := views[r.URL.Path]
		page, err := template.ParseFiles(filepath.Join(dir, "views", "layout.html"), filepath.Join(dir, "views", "tabs.html"),
			filepath.Join(dir, "views", view+".html"))
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, map[string]any{
			"Section": map[string]string{"/": "home"}[r.URL.Path],
			"Pages":   []tab{{"/", "Today", view == "today"}, {"/timetable", "Timetable", view == "timetable"}},
			"Ferries": []ferry{{"Gull Island", "08:15", "on-time"}, {"Long Sand", "09:40", "late"}, {"Tern Rock", "10:10", "cancelled"}},
		})
	})
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	return server.URL
}

// TestExisting does what docs/existing.md says for each of its sites. Pages look the same
// without a build, under the server, and as a release.
func TestExisting(t *testing.T) {
	text, err := os.ReadFile("../../docs/existing.md")
	if err != nil {
		t.Fatal(err)
	}
	b := browsertest.Start(t)
	sections := strings.Split(string(text), "\n## ")[1:]
	if len(sections) != len(existing) {
		t.Errorf("%d sections, want %d", len(sections), len(existing))
	}
	for _, section := range sections {
		title, body, _ := strings.Cut(section, "\n")
		site, ok := existing[title]
		if !ok {
			t.Errorf("no site for the section %q", title)
			continue
		}
		t.Run(site.archive, func(t *testing.T) {
			dir := layArchive(t, site.archive)
			u := &tutorial{t: t, dir: dir}
			unbuilt := ""
			if site.serve != nil {
				unbuilt = site.serve(t, dir, "static")
				u.behind = unbuilt
			}
			if outputs := u.follow(body); outputs < 3 || u.address == "" {
				t.Errorf("%d outputs, served at %q", outputs, u.address)
			}
			released := ""
			switch site.archive {
			case "templates":
				released = site.serve(t, dir, "public")
			case "application": // the host answers all addresses with the page
				released = serveWith(t, filepath.Join(dir, "public"), "index.html")
			default:
				released = serveFolder(t, filepath.Join(dir, "public"), "")
			}
			compareSites(t, b, site.open, site.color, unbuilt, u.address, released)
		})
	}
}

// layArchive writes the files of a site into a temporary folder.
func layArchive(t *testing.T, name string) string {
	t.Helper()
	archive, err := txtar.ParseFile(filepath.Join("testdata", "existing", name+".txtar"))
	if err != nil {
		t.Fatal(err)
	}
	var files []string
	for _, f := range archive.Files {
		files = append(files, f.Name, string(f.Data))
	}
	return lay(t, files...)
}

// serveWith serves a folder, with one of its files in place of missing ones.
func serveWith(t *testing.T, dir, fallback string) string {
	t.Helper()
	files := http.FileServer(http.Dir(dir))
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if _, err := os.Stat(filepath.Join(dir, filepath.FromSlash(r.URL.Path))); err != nil {
			http.ServeFile(w, r, filepath.Join(dir, fallback))
			return
		}
		files.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	return server.URL
}

// compareSites opens pages of a site that is served unbuilt, unless that is empty, by
// Rinzel, and as a release. They must look the same.
func compareSites(t *testing.T, b *browsertest.Browser, pages []string, color, unbuilt, served, released string) {
	t.Helper()
	look := func(address, name string) browsertest.Styles {
		page := b.Open(address + name)
		defer page.Close()
		await(t, page, `document.readyState + document.querySelectorAll(".notice, .departures, .lead").length`, "complete1")
		styles := page.ComputedStyles().From(address)
		for _, values := range styles {
			for property, value := range values {
				values[property] = assetHash.ReplaceAllString(value, ".")
			}
		}
		if name == "/" {
			await(t, page, `getComputedStyle(document.querySelector(".notice")).backgroundColor`, color)
		}
		return styles
	}
	for _, name := range pages {
		want := look(released, name)
		for _, other := range []string{unbuilt, served} {
			if other == "" {
				continue
			}
			if diff := want.Diff(look(other, name), 5); len(want) < 4 || len(diff) > 0 {
				t.Errorf("%s: %d elements; a release differs from %s:\n%s", name, len(want), other, strings.Join(diff, "\n"))
			}
		}
	}
}

// assetHash matches the hash in the URL of an asset.
var assetHash = regexp.MustCompile(`\.[a-z2-7]{10}\.`)
