// Package intern numbers selectors and declarations, so that what is known about
// one can be kept in a list, and two are compared by their numbers.
package intern

import (
	"hash/maphash"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// Selectors numbers selectors. Those that [ast.EqualSelectors] reports as equal
// have the same number. Use [NewSelectors] to get one.
type Selectors struct{ table[ast.Selector] }

// NewSelectors returns a Selectors without numbers.
func NewSelectors() *Selectors { return &Selectors{newTable[ast.Selector]()} }

// Number returns the number of a selector. New selectors are numbered from 0, in
// the order in which they are first seen.
func (s *Selectors) Number(of ast.Selector) int {
	return s.number(hashSelector(s.seed, 0, of), of, func(o ast.Selector) bool {
		return len(o) == len(of) && (len(o) == 0 || &o[0] == &of[0] || ast.EqualSelectors([]ast.Selector{o}, []ast.Selector{of}))
	})
}

// Declarations numbers declarations. Those with the same name, equal values and
// the same importance have the same number. Use [NewDeclarations] to get one.
type Declarations struct{ table[*ast.Declaration] }

// NewDeclarations returns a Declarations without numbers.
func NewDeclarations() *Declarations { return &Declarations{newTable[*ast.Declaration]()} }

// Number returns the number of a declaration, like [Selectors.Number].
func (d *Declarations) Number(of *ast.Declaration) int {
	hash := mix(0, maphash.String(d.seed, of.Name))
	if of.Important {
		hash++
	}
	return d.number(hashValues(d.seed, hash, of.Value), of, func(o *ast.Declaration) bool {
		return o == of || o.Important == of.Important && o.Name == of.Name && ast.EqualValues(o.Value, of.Value)
	})
}

// table has numbers by hash. Different things with the same hash form a chain.
type table[T any] struct {
	seed   maphash.Seed
	first  map[uint64]int32 // the first of a chain
	chains []link[T]        // by number
}

// link is a thing with a number, and the next one of its chain; -1 for none.
type link[T any] struct {
	of   T
	next int32
}

// newTable returns a table without numbers.
func newTable[T any]() table[T] {
	return table[T]{seed: maphash.MakeSeed(), first: make(map[uint64]int32)}
}

// Len returns the number of different things.
func (t *table[T]) Len() int { return len(t.chains) }

// Of returns the first thing that got a number.
func (t *table[T]) Of(number int) T { return t.chains[number].of }

// number returns the number of a thing with a hash; is reports whether another
// one is equal to it.
func (t *table[T]) number(hash uint64, of T, is func(T) bool) int {
	next, ok := t.first[hash]
	if !ok {
		next = -1
	}
	for at := next; at >= 0; at = t.chains[at].next {
		if is(t.chains[at].of) {
			return int(at)
		}
	}
	n := len(t.chains)
	t.chains = append(t.chains, link[T]{of, next})
	t.first[hash] = int32(n)
	return n
}

// mix adds a number to a hash.
func mix(hash, number uint64) uint64 { return (hash^number)*0x9e3779b97f4a7c15 ^ hash>>29 }

// hashValues adds values to a hash, without what [ast.EqualValues] ignores.
func hashValues(seed maphash.Seed, hash uint64, values []ast.Value) uint64 {
	for i := range values {
		v := &values[i]
		mark := uint64(v.Kind) << 1
		if v.Space {
			mark |= 1
		}
		hash = mix(hash, hashText(seed, v.Text)^mark)
		if v.Inner != nil {
			hash = mix(hashValues(seed, hash, v.Inner.Values), 1)
		}
	}
	return hash
}

// hashText returns the hash of a token, however its escapes are written.
func hashText(seed maphash.Seed, text string) uint64 {
	return maphash.String(seed, token.Unescape(text))
}

// hashSelector adds a selector to a hash, without what [ast.EqualSelectors]
// ignores.
func hashSelector(seed maphash.Seed, hash uint64, s ast.Selector) uint64 {
	for i := range s {
		hash = mix(hash, hashText(seed, s[i].Name)^uint64(s[i].Kind))
		if args := s[i].Args; args != nil {
			hash = mix(mix(hash, hashText(seed, args.Matcher)), hashText(seed, args.Value.Text))
			for i := range args.Values {
				if args.Values[i].Kind != token.Comment {
					hash = mix(hash, hashText(seed, args.Values[i].Text))
				}
			}
			for _, inner := range args.Selectors {
				hash = mix(hashSelector(seed, hash, inner), 2)
			}
		}
	}
	return hash
}
