// Package cache stores the results of work for the next build.
//
// A result is stored together with the reads that it was computed from: every
// question about the project's files, and its answer. It is reused only while
// all answers are still the same. So dependencies are exactly what was read,
// including files that were looked for and missing, and nothing has to be
// invalidated by hand.
//
// A [Store] belongs to one project. Each kind of result has a [Table]; results
// that only depend on the text of one file, such as syntax trees, have a
// [PerFile]. Work reads files through the [Reads] that [Table.Get] passes to
// it. Start reading at [Table.Get].
package cache

import (
	"sync"

	"rinzel/internal/source"
)

// Store is the common state of the tables of one project. Builds with the same
// store must not run concurrently.
type Store struct {
	tree     *source.Tree
	revision uint64
	tables   []interface{ sweep() }
}

// NewStore returns a store for results that depend on the files of a tree.
func NewStore(tree *source.Tree) *Store { return &Store{tree: tree, revision: 1} }

// Advance must be called before a build if files may have changed: results are
// validated before they are used again. It must not be called during a build.
func (s *Store) Advance() { s.revision++ }

// Sweep removes the results that were not used since the last [Store.Advance].
// It is called after a complete build.
func (s *Store) Sweep() {
	for _, t := range s.tables {
		t.sweep()
	}
}

// Table holds results of one kind by key. It is safe for concurrent use: work
// for one key is done once, work for different keys in parallel.
type Table[K comparable, V any] struct {
	store *Store
	mu    sync.Mutex
	cells map[K]*cell[V]
}

// cell is the result for a key.
type cell[V any] struct {
	mu      sync.Mutex
	full    bool
	value   V
	reads   *Reads
	checked uint64 // revision in which the result was last used and valid
}

// NewTable returns an empty table of a store.
func NewTable[K comparable, V any](s *Store) *Table[K, V] {
	t := &Table[K, V]{store: s, cells: make(map[K]*cell[V])}
	s.tables = append(s.tables, t)
	return t
}

// Get returns the result for a key. The stored result is reused if everything
// that it read is unchanged, and if valid, unless nil, accepts it. Otherwise
// work is called. It must read files only through its argument. If it returns
// false, for example because the build was cancelled, its result is not stored.
// It must not request the same key.
//
// from is the reader of the caller. If it is a [Reads], the caller's own result
// depends on what this result depends on.
func (t *Table[K, V]) Get(from source.Reader, key K, valid func(V) bool, work func(*Reads) (value V, done bool)) V {
	return t.Renew(from, key, valid, func(r *Reads, _ *V) (V, bool) { return work(r) })
}

// Renew is [Table.Get] for work that can use parts of the stored result: it gets it if
// everything that was read for it is unchanged, so that only valid has refused it; else nil.
func (t *Table[K, V]) Renew(from source.Reader, key K, valid func(V) bool,
	work func(r *Reads, before *V) (value V, done bool)) V {
	t.mu.Lock()
	c := t.cells[key]
	if c == nil {
		c = new(cell[V])
		t.cells[key] = c
	}
	t.mu.Unlock()

	c.mu.Lock()
	defer c.mu.Unlock()
	now := t.store.revision
	value := c.value
	current := c.full && (c.checked == now || c.reads.unchanged())
	if current && (valid == nil || valid(c.value)) {
		c.checked = now
	} else {
		var done bool
		var before *V
		if current {
			before = &value
		}
		c.full, c.reads = false, newReads(t.store.tree)
		if value, done = work(c.reads, before); done {
			c.full, c.value, c.checked = true, value, now
		}
	}
	if asker, ok := from.(*Reads); ok {
		asker.Include(c.reads)
	}
	return value
}

// Each calls visit for all stored results, in no particular order. The table
// must not be used at the same time.
func (t *Table[K, V]) Each(visit func(K, V)) {
	for key, c := range t.cells {
		if c.full {
			visit(key, c.value)
		}
	}
}

// sweep removes unused results.
func (t *Table[K, V]) sweep() {
	for key, c := range t.cells {
		if c.checked != t.store.revision {
			delete(t.cells, key)
		}
	}
}
