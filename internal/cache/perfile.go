package cache

import (
	"sync"

	"rinzel/internal/source"
)

// PerFile holds results that only depend on the text of a file, such as its
// syntax tree. It is safe for concurrent use.
type PerFile[V any] struct {
	tree  *source.Tree
	mu    sync.Mutex
	files map[*source.File]*derived[V]
}

// derived is the result for a file.
type derived[V any] struct {
	once  sync.Once
	value V
}

// NewPerFile returns an empty table of a store.
func NewPerFile[V any](s *Store) *PerFile[V] {
	t := &PerFile[V]{tree: s.tree, files: make(map[*source.File]*derived[V])}
	s.tables = append(s.tables, t)
	return t
}

// Get returns the result for a file. work is called on first use.
func (t *PerFile[V]) Get(f *source.File, work func() V) V {
	t.mu.Lock()
	d := t.files[f]
	if d == nil {
		d = new(derived[V])
		t.files[f] = d
	}
	t.mu.Unlock()
	d.once.Do(func() { d.value = work() })
	return d.value
}

// sweep removes the results of files that were changed or deleted.
func (t *PerFile[V]) sweep() {
	for f := range t.files {
		if !t.tree.Holds(f) {
			delete(t.files, f)
		}
	}
}
