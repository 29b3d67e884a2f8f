package compose

import (
	"maps"
	"slices"
)

// Group is an ordered map of constants. Setting a key makes another group, in time that hardly grows with the number of
// keys; the old one stays as it was. The zero Group is empty. It is not safe for concurrent use.
type Group struct {
	keys    []string  // in the order in which they were first set
	longest *[]string // the longest list of keys that starts with these and shares their memory
	entries overlay[Constant]
	words   []*Constant   // the keys as values, once a loop wanted them
	dropped overlay[Drop] // keys that no default fills in again
}

// overlay is a map of which each change makes another one: maps of which a later one has the last word. Each is larger
// than the one after it, so that there are few. A key with nil is not there.
type overlay[V any] []map[string]*V

// at returns what is at a key, or nil.
func (o overlay[V]) at(key string) *V {
	for _, layer := range slices.Backward(o) {
		if v, ok := layer[key]; ok {
			return v
		}
	}
	return nil
}

// with returns the overlay with a key set, or taken away by nil. It shares the maps that it does not merge.
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

// Keys returns the keys of the group, in order. It must not be changed.
func (g *Group) Keys() []string { return g.keys }

// Find returns the constant at a key.
func (g *Group) Find(key string) (*Constant, bool) {
	c := g.entries.at(key)
	return c, c != nil
}

// at returns the constant at a key that the group has.
func (g *Group) at(key string) *Constant { return g.entries.at(key) }

// with returns the group with a key set. Setting a key again keeps its place.
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

// without returns the group without a key, which d keeps away.
func (g *Group) without(key string, d *Drop) *Group {
	out := &Group{entries: g.entries.with(key, nil), dropped: g.dropped.with(key, d)}
	for _, k := range g.keys {
		if k != key {
			out.keys = append(out.keys, k)
		}
	}
	return out
}

// merged returns the group with all that other has and it lacks, at every
// depth, but for keys that were dropped.
func (g *Group) merged(other *Group) *Group {
	out := g
	for _, key := range other.keys {
		theirs := other.at(key)
		ours, ok := out.Find(key)
		switch d := g.dropped.at(key); {
		case d != nil:
			d.Hit = true
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
