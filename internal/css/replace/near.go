package replace

import (
	"maps"
	"math"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/value"
)

// near returns the value seen so far that is most similar to a pattern of one
// value, or "".
func (s *Set) near(p *Pattern) string {
	if len(p.Values) != 1 {
		return ""
	}
	want := &p.Values[0]
	_, kind := Key(want, p.rule.property)
	best, least := "", math.Inf(1)
	for _, key := range slices.Sorted(maps.Keys(s.seen)) {
		have := s.seen[key]
		if have.kind != kind {
			continue
		}
		if d, ok := distance(want, &have.value, kind); ok && d < least {
			best, least = print.CompactValues([]ast.Value{have.value}), d
		}
	}
	return best
}

// distance returns the distance between two values of a kind. ok is false if
// they are not similar.
func distance(a, b *ast.Value, kind Kind) (d float64, ok bool) {
	switch kind {
	case Color:
		const alike = 0.12 // in Oklab: a shade, not a different colour
		one, okA := value.ColorOf(a)
		two, okB := value.ColorOf(b)
		d = Difference(one, two)
		return d, okA && okB && d < alike
	case Number:
		one, okA := value.Read(a)
		two, okB := value.Read(b)
		d = math.Abs(one.Value - two.Value)
		return d, okA && okB && one.Unit == two.Unit && d <= math.Abs(one.Value)/2
	case Name:
		one, two := strings.ToLower(print.CompactValues([]ast.Value{*a})),
			strings.ToLower(print.CompactValues([]ast.Value{*b}))
		return float64(len(two) - len(one)), strings.Contains(two, strings.Trim(one, `"'`)) && len(one) > 2
	}
	return 0, false
}

// Difference returns the visual distance between two colours: their distance in
// Oklab, including alpha.
func Difference(a, b value.Color) float64 {
	x, y := a.To(value.Oklab), b.To(value.Oklab)
	sum := (a.Alpha - b.Alpha) * (a.Alpha - b.Alpha)
	for i := range x.Channels {
		sum += (x.Channels[i] - y.Channels[i]) * (x.Channels[i] - y.Channels[i])
	}
	return math.Sqrt(sum)
}
