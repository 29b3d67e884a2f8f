package compose

import (
	"maps"
	"slices"
)

// Group is an immutable ordered map of constants. Setting a key returns a new
// group, in nearly constant time; the old one is unchanged. The zero Group is
// empty. It is not safe for concurrent use.
type Group struct {
	keys    []string  // in the order in which they were first set
	longest *[]string // the longest key list that extends this one in the same memory
	entries overlay[Constant]
	words   []*Constant   // keys as values; nil until a loop needs them
	flat    *fills        // values by the keys to them; nil until a slot needs them
	dropped overlay[Drop] // keys that defaults must not set
}

// overlay is an immutable map made of layers: the last layer with a key wins.
// Each layer is larger than the next one, so that there are few. nil marks a
// deleted key.
type overlay[V any] []map[string]*V

// at returns the value of a key, or nil.
func (o overlay[V]) at(key string) *V {
	for _, layer := range slices.Backward(o) {
		if v, ok := layer[key]; ok {
			return v
		}
	}
	return nil
}

// with returns the overlay with a key set, or deleted if v is nil. It shares
// the layers that it does not merge.
func (o overlay[V]) with(key string, v *V) overlay[V] {
	out := append(slices.Clip(o), map[string]*V{key: v})
	for n := len(out); n > 1 && len(out[n-1]) >= len(out[n-2]); n = len(out) {
		merged := make(map[string]*V, len(out[n-1])+len(out[n-2]))
		maps.Copy(merged, out[n-2])
		maps.Copy(merged, out[n-1])
		out = append(out[:n-2], merged)
	}
	return out
}

// Keys returns the keys of the group in order. The slice must not be modified.
func (g *Group) Keys() []string { return g.keys }

// Find returns the constant of a key.
func (g *Group) Find(key string) (*Constant, bool) {
	c := g.entries.at(key)
	return c, c != nil
}

// at returns the constant of a key that exists.
func (g *Group) at(key string) *Constant { return g.entries.at(key) }

// with returns the group with a key set. An existing key keeps its position.
func (g *Group) with(key string, c *Constant) *Group {
	out := &Group{keys: g.keys, longest: g.longest, dropped: g.dropped, entries: g.entries.with(key, c)}
	if out.dropped.at(key) != nil {
		out.dropped = out.dropped.with(key, nil)
	}
	if _, ok := g.Find(key); !ok {
		if g.longest == nil || len(*g.longest) != len(g.keys) {
			out.keys, out.longest = slices.Clip(g.keys), new([]string)
		}
		out.keys = append(out.keys, key)
		*out.longest = out.keys
	}
	return out
}

// without returns the group without a key, which d removes.
func (g *Group) without(key string, d *Drop) *Group {
	out := &Group{entries: g.entries.with(key, nil), dropped: g.dropped.with(key, d)}
	for _, k := range g.keys {
		if k != key {
			out.keys = append(out.keys, k)
		}
	}
	return out
}

// merged returns the group with the keys of other that it does not have, at
// every depth, except dropped ones.
func (g *Group) merged(other *Group) *Group {
	out := g
	for _, key := range other.keys {
		theirs := other.at(key)
		ours, ok := out.Find(key)
		switch d := g.dropped.at(key); {
		case d != nil:
			d.Matched = true
		case !ok:
			out = out.with(key, theirs)
		case ours.Group != nil && theirs.Group != nil:
			if both := ours.Group.merged(theirs.Group); both != ours.Group {
				out = out.with(key, &Constant{Group: both, At: ours.At, offer: ours.offer})
			}
		}
	}
	return out
}
