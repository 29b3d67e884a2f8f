package serve

import (
	_ "embed" // embeds the templates
	"html/template"
	"net/http"
	"net/url"
	"strings"

	"rinzel/internal/diag"
)

// This file makes the pages of the server itself. They use no file of the site,
// so that they also work while nothing is built.

// message is what a page of the server itself shows.
type message struct {
	Title   string
	Lead    string
	Problem *shown
	Panel   bool // it is for the panel
	Near    []string
	Pages   []string
	More    int // number of pages that are not listed
	Source  []sourceLine
	Again   int // seconds until the page is loaded again; 0 for never

	// For the client.
	Client, Sheet, Sum, ID string
}

// maxListed is the number of pages that are listed.
const maxListed = 40

// pages are the templates.
var pages = template.Must(template.New("page").Parse(pageSource))

// pageSource are the templates as text.
//
//go:embed pages.html
var pageSource string

// write writes the page. n may be nil.
func (m message) write(w http.ResponseWriter, status int, n *Snapshot) {
	m.Client, m.Sheet = ownPrefix+clientName, ownPrefix+panelName
	if n != nil {
		m.Sum, m.ID = n.sum, n.Problem.hash()
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_ = pages.Execute(w, m)
}

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

// serveUnreachable answers a request that should have been passed on to a
// server that does not respond. A page is loaded again until it does.
func serveUnreachable(w http.ResponseWriter, r *http.Request, target *url.URL, err error) {
	text := "the server " + target.Redacted() + " does not respond: " + err.Error()
	if r.Method != http.MethodGet || !wantsPage(r) {
		http.Error(w, text, http.StatusBadGateway)
		return
	}
	message{Title: "The server " + target.Redacted() + " does not respond",
		Lead: "This page is loaded again every two seconds. The error is: " + err.Error(), Again: 2}.
		write(w, http.StatusBadGateway, nil)
}
