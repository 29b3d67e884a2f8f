package cache

import (
	"sync"

	"rinzel/internal/source"
)

// PerFile holds what was worked out from the text of each file and from nothing else: what was parsed, for instance. It is safe
// for concurrent use.
type PerFile[V any] struct {
	tree  *source.Tree
	mu    sync.Mutex
	files map[*source.File]*derived[V]
}

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

// Get returns the result for a file. Work is done when it is first asked for.
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

// sweep drops the results of files that were changed or removed.
func (t *PerFile[V]) sweep() {
	for f := range t.files {
		if !t.tree.Holds(f) {
			delete(t.files, f)
		}
	}
}
