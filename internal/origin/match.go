package origin

import "sort"

// match returns for each line of after the line of before that it is, or -1. The
// lines that are in both have the same order in both.
func match(before, after []string) []int {
	out := make([]int, len(after))
	for i := range out {
		out[i] = -1
	}
	m := matcher{before, after, out}
	m.gap(0, len(before), 0, len(after), 0)
	return out
}

// matcher compares the lines of two texts.
type matcher struct {
	before, after []string
	out           []int
}

// Limits of comparing: how often gaps are split, and the size of the table for one.
const (
	maxSplits = 20
	maxTable  = 250_000
)

// gap matches the lines of a part of the texts: first those at its ends, then those
// that occur once in both, and then what is between them.
func (m *matcher) gap(b, endB, a, endA, splits int) {
	for b < endB && a < endA && m.before[b] == m.after[a] {
		m.out[a] = b
		b, a = b+1, a+1
	}
	for endB > b && endA > a && m.before[endB-1] == m.after[endA-1] {
		endB, endA = endB-1, endA-1
		m.out[endA] = endB
	}
	if b == endB || a == endA {
		return
	}
	anchors := increasing(unique(m.before[b:endB], m.after[a:endA]))
	if len(anchors) == 0 || splits == maxSplits {
		if (endB-b)*(endA-a) <= maxTable {
			m.longest(b, endB, a, endA)
		}
		return
	}
	fromB, fromA := b, a
	for _, p := range append(anchors, pair{endB - b, endA - a}) {
		toB, toA := b+p.before, a+p.after
		if toA < endA {
			m.out[toA] = toB
		}
		m.gap(fromB, toB, fromA, toA, splits+1)
		fromB, fromA = toB+1, toA+1
	}
}

// longest matches the most lines of a part that have the same order in both texts.
func (m *matcher) longest(b, endB, a, endA int) {
	rows, columns := endB-b+1, endA-a+1
	table := make([]int32, rows*columns) // lines in common from a place on
	for i := rows - 2; i >= 0; i-- {
		for k := columns - 2; k >= 0; k-- {
			if m.before[b+i] == m.after[a+k] {
				table[i*columns+k] = table[(i+1)*columns+k+1] + 1
			} else {
				table[i*columns+k] = max(table[(i+1)*columns+k], table[i*columns+k+1])
			}
		}
	}
	for i, k := 0, 0; i < rows-1 && k < columns-1; {
		switch {
		case m.before[b+i] == m.after[a+k]:
			m.out[a+k] = b + i
			i, k = i+1, k+1
		case table[(i+1)*columns+k] >= table[i*columns+k+1]:
			i++
		default:
			k++
		}
	}
}

// pair is a line that is in both texts.
type pair struct{ before, after int }

// unique returns the lines that occur once in each of two texts, in the order of
// the second.
func unique(before, after []string) []pair {
	type count struct{ before, after, at int }
	counts := make(map[string]count)
	for i, line := range before {
		c := counts[line]
		c.before, c.at = c.before+1, i
		counts[line] = c
	}
	for _, line := range after {
		c := counts[line]
		c.after++
		counts[line] = c
	}
	var out []pair
	for i, line := range after {
		if c := counts[line]; c.before == 1 && c.after == 1 {
			out = append(out, pair{c.at, i})
		}
	}
	return out
}

// increasing returns the longest part of a list in which the lines of the first
// text increase.
func increasing(list []pair) []pair {
	var ends []int // index of the smallest end of a part of each length
	from := make([]int, len(list))
	for i, p := range list {
		n := sort.Search(len(ends), func(n int) bool { return list[ends[n]].before >= p.before })
		from[i] = -1
		if n > 0 {
			from[i] = ends[n-1]
		}
		if n == len(ends) {
			ends = append(ends, i)
		} else {
			ends[n] = i
		}
	}
	out := make([]pair, len(ends))
	for i, at := len(ends)-1, 0; i >= 0; i-- {
		if i == len(ends)-1 {
			at = ends[i]
		}
		out[i] = list[at]
		at = from[at]
	}
	return out
}
