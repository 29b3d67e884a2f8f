package serve

import (
	"html/template"
	"net/http"
	"strings"

	"rinzel/internal/diag"
)

// message is what a page of the server itself shows.
type message struct {
	Title  string
	Lead   string
	Text   string // preformatted
	Near   []string
	Pages  []string
	More   int // number of pages that are not listed
	Client string
	Sum    string
}

// maxListed is the number of pages that are listed.
const maxListed = 40

// pages are the pages of the server itself. They use no file, so that they also
// work while nothing is built.
var pages = template.Must(template.New("page").Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>{{.Title}}</title>
<script src="{{.Client}}" data-sum="{{.Sum}}" async></script>
<style>
:root { color-scheme: light dark; font: 1rem/1.5 system-ui, sans-serif; }
body { max-width: 60rem; margin: 3rem auto; padding: 0 1.5rem; }
h1 { font-size: 1.5rem; margin: 0 0 0.5rem; }
h2 { font-size: 1rem; margin: 2rem 0 0.25rem; }
ul { margin: 0; padding-left: 1.25rem; }
pre { overflow-x: auto; padding: 1rem; border-left: 4px solid #b3261e; background: rgb(128 128 128 / 12%);
	font: 0.875rem/1.5 ui-monospace, monospace; }
code { font-family: ui-monospace, monospace; overflow-wrap: anywhere; }
</style>
<h1>{{.Title}}</h1>
<p>{{.Lead}}</p>
{{with .Text}}<pre>{{.}}</pre>{{end}}
{{with .Near}}<h2>Similar names</h2>
<ul>{{range .}}<li><a href="{{.}}"><code>{{.}}</code></a></li>{{end}}</ul>{{end}}
{{with .Pages}}<h2>Pages of this site</h2>
<ul>{{range .}}<li><a href="{{.}}"><code>{{.}}</code></a></li>{{end}}</ul>{{end}}
{{if .More}}<p>and {{.More}} more</p>{{end}}
`))

// serveMissing answers a request for a file that does not exist. A browser that
// wants a page gets one that lists similar names and the pages that exist.
func serveMissing(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	if !wantsPage(r) {
		http.Error(w, "no such file: "+r.URL.Path, http.StatusNotFound)
		return
	}
	m := message{Title: "No such page", Lead: "This site has no page at " + r.URL.Path, Pages: n.Pages()}
	if !strings.HasPrefix(r.URL.Path, n.Base) {
		m.Lead += ". It is published at " + n.Base
	}
	candidates := n.Pages()
	for name := range n.files {
		candidates = append(candidates, n.Base+name)
	}
	if near := diag.Nearest(r.URL.Path, candidates); near != "" {
		m.Near = []string{near}
	}
	if m.More = len(m.Pages) - maxListed; m.More > 0 {
		m.Pages = m.Pages[:maxListed]
	} else {
		m.More = 0
	}
	m.write(w, http.StatusNotFound, n)
}

// serveProblem answers a request while nothing could be built. The page reloads
// when a build succeeds.
func serveProblem(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	if !wantsPage(r) {
		http.Error(w, n.Problem, http.StatusInternalServerError)
		return
	}
	m := message{Title: "The site could not be built", Lead: "This page reloads when the errors are fixed.",
		Text: n.Problem}
	m.write(w, http.StatusInternalServerError, n)
}

// write writes the page.
func (m message) write(w http.ResponseWriter, status int, n *Snapshot) {
	m.Client, m.Sum = ownPrefix+clientName, n.sum
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_ = pages.Execute(w, m)
}
