package cache

import (
	"errors"
	"maps"
	"strings"
	"sync"

	"rinzel/internal/source"
)

// Reads is a [source.Reader] that records questions and answers. It is safe for
// concurrent use.
type Reads struct {
	tree    *source.Tree
	mu      sync.Mutex
	answers map[question]any
	expired bool // see [Reads.Expire]
}

// question is a question about the files of a project.
type question struct {
	what what
	path source.Path
}

// what is the kind of a question.
type what uint8

// The kinds of questions, with the type of the answer.
const (
	text     what = iota // its text: a *source.File, or the error as a string
	exists               // whether the file exists: a bool
	content              // its hash: a source.Sum, or the error as a string
	head                 // its first bytes: a string
	siblings             // the names in its folder, as one string
	listing              // the files of a root: a *source.Listing; the question has no name
)

// newReads returns a Reads without questions.
func newReads(tree *source.Tree) *Reads {
	return &Reads{tree: tree, answers: make(map[question]any)}
}

// note records a question and its answer.
func (r *Reads) note(what what, p source.Path, answer any) {
	r.mu.Lock()
	r.answers[question{what, p}] = answer
	r.mu.Unlock()
}

// Include adds the questions of another Reads so far.
func (r *Reads) Include(other *Reads) {
	if r == other {
		return
	}
	other.mu.Lock() // somebody may still read through it
	answers, expired := maps.Clone(other.answers), other.expired
	other.mu.Unlock()
	r.mu.Lock()
	defer r.mu.Unlock()
	maps.Copy(r.answers, answers)
	r.expired = r.expired || expired
}

// Expire makes results that depend on these reads not be reused in the next build:
// they depend on more than was read here.
func (r *Reads) Expire() {
	r.mu.Lock()
	r.expired = true
	r.mu.Unlock()
}

// unchanged reports whether each question still has the same answer.
func (r *Reads) unchanged() bool {
	if r.expired {
		return false
	}
	for q, answer := range r.answers {
		if answer != q.ask(r.tree) {
			return false
		}
	}
	return true
}

// ask answers a question now.
func (q question) ask(tree *source.Tree) any {
	switch q.what {
	case text:
		return answerOf(tree.Text(q.path))
	case exists:
		return tree.Exists(q.path)
	case content:
		return sumOf(tree.Copy(q.path))
	case head:
		return tree.Head(q.path)
	case listing:
		return tree.List(q.path.Root)
	}
	return joined(tree.Siblings(q.path))
}

// answerOf returns the answer to a question about a text.
func answerOf(f *source.File, err error) any {
	var encoding *source.EncodingError
	switch {
	case errors.As(err, &encoding):
		return encoding.File // its text ends at the first invalid byte
	case err != nil:
		return err.Error()
	}
	return f
}

// sumOf returns the answer to a question about a hash.
func sumOf(c *source.Copy, err error) any {
	if err != nil {
		return err.Error()
	}
	return c.Sum
}

// joined returns names as one string.
func joined(names []string) string { return strings.Join(names, "/") }

// Text returns a text file; see [source.Tree.Text].
func (r *Reads) Text(p source.Path) (*source.File, error) {
	f, err := r.tree.Text(p)
	r.note(text, p, answerOf(f, err))
	return f, err
}

// Exists reports whether a file exists and can be opened.
func (r *Reads) Exists(p source.Path) bool {
	there := r.tree.Exists(p)
	r.note(exists, p, there)
	return there
}

// Copy returns the size and hash of a file; see [source.Tree.Copy].
func (r *Reads) Copy(p source.Path) (*source.Copy, error) {
	c, err := r.tree.Copy(p)
	r.note(content, p, sumOf(c, err))
	return c, err
}

// Siblings returns the names in the folder of a path; see
// [source.Tree.Siblings].
func (r *Reads) Siblings(p source.Path) []string {
	names := r.tree.Siblings(p)
	r.note(siblings, p, joined(names))
	return names
}

// Head returns the first bytes of a file; see [source.Tree.Head].
func (r *Reads) Head(p source.Path) string {
	text := r.tree.Head(p)
	r.note(head, p, text)
	return text
}

// List returns the files of the source folder or of a root; see
// [source.Tree.List].
func (r *Reads) List(root string) *source.Listing {
	l := r.tree.List(root)
	r.note(listing, source.Path{Root: root}, l)
	return l
}

// HasRoot reports whether a root exists. The roots of a project do not change,
// so this is not recorded.
func (r *Reads) HasRoot(name string) bool { return r.tree.HasRoot(name) }

// Roots returns the names of all roots, sorted.
func (r *Reads) Roots() []string { return r.tree.Roots() }

// Show returns the path for display, relative to the working folder.
func (r *Reads) Show(p source.Path) string { return r.tree.Show(p) }
