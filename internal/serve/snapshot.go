package serve

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/klauspost/compress/gzip"

	"rinzel/internal/emit"
)

// Snapshot is the result of a build as it is served. It does not change.
type Snapshot struct {
	// Base is the URL path of the outputs; it starts and ends with a slash.
	Base string
	// Fallback is the path of the output that is served instead of a missing
	// page, relative to the output folder; empty for none. It is for
	// applications that interpret the URL in a script.
	Fallback string
	// Proxy are the paths that other servers answer.
	Proxy []Route
	// Problem is shown on open pages, and instead of pages if there are no
	// outputs; nil for none.
	Problem *Problem
	// Linked are the sheets that pages of the application server link, and that
	// the build was asked for; see [Application.Wants].
	Linked []string

	files    map[string]*file  // by path relative to the output folder
	hash     string            // of all files and of pages
	number   int               // of different snapshots before this one
	sum      string            // hash and number: contents that come back have another sum
	versions map[string]string // see noteVersions; by URL path
	pages    int               // number of changes of pages of the application server
	variants *sync.Map         // path to *variant, of files that are served in another form here
}

// file is a served output.
type file struct {
	emit.Output
	*forms
}

// forms are derived from the contents of a file on first use.
type forms struct {
	tagged sync.Once
	tag    string  // hash of the contents
	plain  variant // the contents as they are, if they are in memory
}

// variant is a text file as it is served.
type variant struct {
	making  sync.Once
	content []byte
	tag     string
	packing sync.Once
	packed  []byte // compressed with gzip; nil if that is not smaller
}

// NewSnapshot returns the snapshot of outputs. Files that are the same in
// before, which may be nil, share their derived forms with it.
//
// pagesChanged reports whether files changed that the application server may
// make its pages from.
func NewSnapshot(before *Snapshot, base string, outputs []emit.Output, pagesChanged bool) *Snapshot {
	n := &Snapshot{Base: base, files: make(map[string]*file, len(outputs)), variants: new(sync.Map)}
	if before != nil {
		n.pages = before.pages
	}
	if pagesChanged {
		n.pages++
	}
	for i := range outputs {
		o := &outputs[i]
		if o.Adopts != "" {
			o = registering(o)
		}
		if before != nil {
			if old := before.files[o.Path]; old != nil && old.Same(o) {
				// The old output may be a copy from a project that was closed.
				n.files[o.Path] = &file{*o, old.forms}
				continue
			}
		}
		n.files[o.Path] = &file{*o, new(forms)}
	}
	h := sha256.New()
	for _, name := range slices.Sorted(maps.Keys(n.files)) {
		io.WriteString(h, name+"\x00"+n.files[name].hash()+"\x00")
	}
	fmt.Fprint(h, n.pages)
	n.hash = encoded(h.Sum(nil))
	if before != nil {
		n.number = before.number
		if before.hash != n.hash {
			n.number++
		}
	}
	n.sum = fmt.Sprintf("%s.%d", n.hash, n.number)
	n.noteVersions(before)
	return n
}

// registering returns a module that adds a constructed sheet to the page, with
// a statement that makes the sheet known to the client.
func registering(o *emit.Output) *emit.Output {
	out := *o
	out.Data = slices.Concat(o.Data, []byte(`(self[Symbol.for("rinzel")] ??= new Map()).set(import.meta.url, `+o.Adopts+");\n"))
	return &out
}

// Failed returns a snapshot with the files of before, which may be nil, after a
// build that must not be published.
func Failed(before *Snapshot, base string, problem *Problem) *Snapshot {
	n := &Snapshot{Base: base}
	if before != nil {
		*n = *before
	}
	n.Problem = problem
	return n
}

// Pages returns the URL paths of the pages, in order. The page of a folder has
// the path of the folder.
func (n *Snapshot) Pages() []string {
	var out []string
	for name, f := range n.files {
		if f.Kind == emit.PageKind {
			out = append(out, n.Base+strings.TrimSuffix(name, "index.html"))
		}
	}
	slices.Sort(out)
	return out
}

// find returns the file at a URL path, or the path to redirect to. The path is
// only used to look up outputs: nothing else can be reached.
func (n *Snapshot) find(urlPath string) (f *file, redirect string) {
	name, ok := strings.CutPrefix(urlPath, n.Base)
	if !ok {
		if urlPath+"/" == n.Base || urlPath == "/" {
			return nil, n.Base
		}
		return nil, ""
	}
	if f := n.files[name]; f != nil {
		return f, ""
	}
	if name == "" || strings.HasSuffix(name, "/") {
		return n.files[name+"index.html"], ""
	}
	if n.files[name+"/index.html"] != nil {
		return nil, (&url.URL{Path: urlPath + "/"}).EscapedPath()
	}
	return n.files[name+".html"], ""
}

// Output returns the output at a path relative to the output folder; nil if
// there is none. The receiver may be nil.
func (n *Snapshot) Output(name string) *emit.Output {
	if n == nil || n.files[name] == nil {
		return nil
	}
	return &n.files[name].Output
}

// asset returns the file at exactly a URL path, unless it is a page.
func (n *Snapshot) asset(urlPath string) *file {
	name, ok := strings.CutPrefix(urlPath, n.Base)
	if f := n.files[name]; ok && f != nil && f.Kind != emit.PageKind {
		return f
	}
	return nil
}

// hash returns the hash of the contents.
func (f *file) hash() string {
	f.tagged.Do(func() {
		if f.Copy != nil {
			f.tag = encoded(f.Copy.Sum[:])
			return
		}
		sum := sha256.Sum256(f.Data)
		f.tag = encoded(sum[:])
	})
	return f.tag
}

// encoded returns the start of a hash as text.
func encoded(sum []byte) string { return base64.RawURLEncoding.EncodeToString(sum[:12]) }

// variant returns the file as it is served in a snapshot: pages have the client
// script, sheets the versions of assets. The error is that a copied file changed.
func (n *Snapshot) variant(f *file) (*variant, error) {
	if f.Copy != nil {
		content, err := f.Content()
		return &variant{content: content, tag: f.hash()}, err
	}
	v := &f.plain
	if f.Kind == emit.PageKind || f.Kind == emit.StyleKind && len(n.versions) > 0 {
		made, _ := n.variants.LoadOrStore(f.Path, new(variant))
		v = made.(*variant)
	}
	v.making.Do(func() {
		v.content, v.tag = f.Data, f.hash()
		switch f.Kind {
		case emit.PageKind:
			v.content, v.tag = inject(f.Data, n.sum, n.Base+f.Path), v.tag+"."+n.sum
		case emit.StyleKind:
			if text, changed := n.versioned(n.Base+f.Path, string(f.Data)); changed {
				v.content, v.tag = []byte(text), v.tag+"."+n.sum
			}
		}
	})
	return v, nil
}

// serve writes the file as a response.
func (f *file) serve(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	h := w.Header()
	text := isText(mediaType(f.Path))
	if f.Copy != nil && !text {
		f.stream(w, r)
		return
	}
	v, err := n.variant(f)
	if err != nil {
		http.Error(w, "the file changed: reload the page", http.StatusServiceUnavailable)
		return
	}
	content, tag := v.content, v.tag
	h.Set("Content-Type", contentType(f.Path, content))
	if text {
		h.Set("Vary", "Accept-Encoding")
		if r.Header.Get("Range") == "" && acceptsGzip(r) {
			v.packing.Do(func() { v.packed = pack(content) })
			if v.packed != nil {
				content, tag = v.packed, tag+".gz"
				h.Set("Content-Encoding", "gzip")
			}
		}
	}
	h.Set("ETag", `"`+tag+`"`)
	// ServeContent answers HEAD, ranges and conditional requests.
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(content))
}

// stream serves a copied file without reading it as a whole.
func (f *file) stream(w http.ResponseWriter, r *http.Request) {
	open, err := f.Copy.Open()
	if err != nil {
		http.Error(w, "the file changed: reload the page", http.StatusServiceUnavailable)
		return
	}
	defer open.Close()
	w.Header().Set("Content-Type", mediaType(f.Path))
	w.Header().Set("ETag", `"`+f.hash()+`"`)
	if seeker, ok := open.(io.ReadSeeker); ok {
		http.ServeContent(w, r, "", time.Time{}, seeker)
		return
	}
	_, _ = io.Copy(w, open)
}

// minPacked is the size in bytes from which files are compressed.
const minPacked = 1 << 10

// pack compresses content quickly, or returns nil if the result is not smaller.
func pack(content []byte) []byte {
	if len(content) < minPacked {
		return nil
	}
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestSpeed)
	if err != nil {
		return nil
	}
	_, err = z.Write(content)
	if err != nil || z.Close() != nil || b.Len() >= len(content) {
		return nil
	}
	return b.Bytes()
}

// acceptsGzip reports whether a request accepts gzip (RFC 9110, section
// 12.5.3).
func acceptsGzip(r *http.Request) bool {
	for part := range strings.SplitSeq(r.Header.Get("Accept-Encoding"), ",") {
		name, params, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.EqualFold(strings.TrimSpace(name), "gzip") {
			q := strings.ReplaceAll(params, " ", "")
			return q != "q=0" && q != "q=0.0" && q != "q=0.00" && q != "q=0.000"
		}
	}
	return false
}
