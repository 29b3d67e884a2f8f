// Package cache keeps the results of work for the next build. A result is stored together with the questions about files that
// were asked for it and the answers they got, and is used again only while all of these answers are the same. So a result
// depends on what was read for it, files that were missing included, and nothing is invalidated by hand.
//
// [Table.Get] is the place to start reading.
package cache

import (
	"sync"

	"rinzel/internal/source"
)

// Store is what the tables of one project have in common. The builds of a store run one after another.
type Store struct {
	tree     *source.Tree
	revision uint64
	tables   []interface{ sweep() }
}

// NewStore returns a store for results that depend on the files of a tree.
func NewStore(tree *source.Tree) *Store { return &Store{tree: tree, revision: 1} }

// Advance tells the store that files may have changed: each result is compared with them before it is used again. It must not be
// called during a build.
func (s *Store) Advance() { s.revision++ }

// Sweep drops the results that nothing has asked for since the last [Store.Advance]. It is called after a build that was
// completed.
func (s *Store) Sweep() {
	for _, t := range s.tables {
		t.sweep()
	}
}

// Table holds results of one kind by key. It is safe for concurrent use: work on one key is done once, work on different keys
// side by side.
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
	checked uint64 // the revision in which the result was last asked for and found valid
}

// NewTable returns an empty table of a store.
func NewTable[K comparable, V any](s *Store) *Table[K, V] {
	t := &Table[K, V]{store: s, cells: make(map[K]*cell[V])}
	s.tables = append(s.tables, t)
	return t
}

// Get returns the result for a key: that of before if what was read for it is unchanged and, unless it is nil, valid says that
// all else it depends on is, too. Otherwise work is done. It reads files through its argument alone. If it returns false, as it
// does when the build was cancelled, its result is not stored. Work must not ask for the same key.
//
// The result is asked for by work that reads through from. If that is a [Reads], it depends on what this result depends on.
func (t *Table[K, V]) Get(from source.Reader, key K, valid func(V) bool, work func(*Reads) (value V, done bool)) V {
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
	if c.full && (c.checked == now || c.reads.unchanged()) && (valid == nil || valid(c.value)) {
		c.checked = now
	} else {
		var done bool
		c.full, c.reads = false, newReads(t.store.tree)
		if value, done = work(c.reads); done {
			c.full, c.value, c.checked = true, value, now
		}
	}
	if asker, ok := from.(*Reads); ok {
		asker.include(c.reads)
	}
	return value
}

// Each calls visit with all results that are stored, in no order. The table must not be used meanwhile.
func (t *Table[K, V]) Each(visit func(K, V)) {
	for key, c := range t.cells {
		if c.full {
			visit(key, c.value)
		}
	}
}

func (t *Table[K, V]) sweep() {
	for key, c := range t.cells {
		if c.checked != t.store.revision {
			delete(t.cells, key)
		}
	}
}
