package graph

import (
	"rinzel/internal/cache"
	"rinzel/internal/source"
)

// Parsed parses each file of one kind once. It is safe for concurrent use.
type Parsed[T any] struct {
	results *cache.PerFile[T]
	parse   func(*source.File) T
}

// Load returns the parsed form of a file, whose text is read through files. The
// error is that of [source.Tree.Text].
func (x Parsed[T]) Load(files source.Reader, p source.Path) (parsed T, err error) {
	f, err := files.Text(p)
	if err != nil {
		return parsed, err
	}
	return x.results.Get(f, func() T { return x.parse(f) }), nil
}

// newParsed returns a Parsed that caches in s.
func newParsed[T any](s *cache.Store, parse func(*source.File) T) Parsed[T] {
	return Parsed[T]{cache.NewPerFile[T](s), parse}
}
