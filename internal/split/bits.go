package split

// This file tests quickly whether claims compete: kinds, and kinds with a
// specificity, are numbered, and claims are bit sets of these numbers.

// bits is a bit set.
type bits []uint64

// with returns the set with a number added.
func (b bits) with(i int) bits {
	for len(b) <= i/64 {
		b = append(b, 0)
	}
	b[i/64] |= 1 << (i % 64)
	return b
}

// or returns the union of two sets; it may share the memory of b.
func (b bits) or(o bits) bits {
	for len(b) < len(o) {
		b = append(b, 0)
	}
	for i, word := range o {
		b[i] |= word
	}
	return b
}

// meets reports whether two sets have a common number.
func (b bits) meets(o bits) bool {
	for i := range min(len(b), len(o)) {
		if b[i]&o[i] != 0 {
			return true
		}
	}
	return false
}

// claimed are claims as bit sets: of kinds with a specificity, of kinds with
// any specificity, and of all claimed kinds.
type claimed struct {
	exact, any, kinds bits
	everything        bool
}

// add adds other claims.
func (c *claimed) add(o *claimed) {
	c.exact, c.any, c.kinds = c.exact.or(o.exact), c.any.or(o.any), c.kinds.or(o.kinds)
	c.everything = c.everything || o.everything
}

// competes reports whether [Claims.Overlap] would return something.
func (c *claimed) competes(o *claimed) bool {
	if c.everything || o.everything {
		return len(c.kinds) > 0 && len(o.kinds) > 0
	}
	return c.exact.meets(o.exact) || c.any.meets(o.kinds) || c.kinds.meets(o.any)
}

// numbering assigns numbers to what is claimed.
type numbering struct {
	numbers map[any]int
}

// of returns the number of a value.
func (n *numbering) of(what any) int {
	i, ok := n.numbers[what]
	if !ok {
		i = len(n.numbers)
		n.numbers[what] = i
	}
	return i
}

// claimed returns claims as bit sets.
func (n *numbering) claimed(c *Claims) *claimed {
	type weighed struct {
		kind   string
		weight any
	}
	out := &claimed{everything: c.weights[everything] != nil}
	for kind, weights := range c.weights {
		out.kinds = out.kinds.with(n.of(kind))
		for _, w := range weights {
			if w == anyWeight {
				out.any = out.any.with(n.of(kind))
			} else {
				out.exact = out.exact.with(n.of(weighed{kind, w}))
			}
		}
	}
	return out
}
