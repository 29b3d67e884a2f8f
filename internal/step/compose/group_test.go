package compose

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"
)

// TestGroups sets and drops keys of groups at random, and compares each with a
// map. Groups that others were derived from must not change.
func TestGroups(t *testing.T) {
	type model struct {
		group *Group
		want  map[string]*Constant
		keys  []string
	}
	rnd := rand.New(rand.NewPCG(1, 2))
	all := []model{{group: &Group{}, want: map[string]*Constant{}}}
	for range 3000 {
		from := all[rnd.IntN(len(all))]
		key := fmt.Sprint("k", rnd.IntN(200))
		next := model{want: maps.Clone(from.want), keys: slices.Clone(from.keys)}
		if rnd.IntN(4) == 0 {
			next.group = from.group.without(key, &Drop{})
			delete(next.want, key)
			next.keys = slices.DeleteFunc(next.keys, func(k string) bool { return k == key })
		} else {
			c := &Constant{}
			next.group = from.group.with(key, c)
			if next.want[key] == nil {
				next.keys = append(next.keys, key)
			}
			next.want[key] = c
		}
		all = append(all, next)
	}
	for i, m := range all {
		if !slices.Equal(m.group.Keys(), m.keys) {
			t.Fatalf("group %d has the keys %q, want %q", i, m.group.Keys(), m.keys)
		}
		for n := range 200 {
			key := fmt.Sprint("k", n)
			if c, ok := m.group.Find(key); c != m.want[key] || ok != (c != nil) {
				t.Fatalf("group %d at %s: %v", i, key, c)
			}
		}
	}
}

func BenchmarkGroupWith(b *testing.B) {
	for _, n := range []int{100, 10_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				g := &Group{}
				for i := range n {
					g = g.with(fmt.Sprint(i), &Constant{})
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*n), "ns/key")
		})
	}
}
