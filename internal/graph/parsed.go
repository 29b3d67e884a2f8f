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

// Load returns what the file at a path, whose text files reads, was parsed to. The error is as [source.Tree.Text] returns it.
func (x Parsed[T]) Load(files source.Reader, p source.Path) (parsed T, err error) {
	f, err := files.Text(p)
	if err != nil {
		return parsed, err
	}
	return x.results.Get(f, func() T { return x.parse(f) }), nil
}

func newParsed[T any](s *cache.Store, parse func(*source.File) T) Parsed[T] {
	return Parsed[T]{cache.NewPerFile[T](s), parse}
}
