package origin

import "sort"

// match returns for each line of after the line of before that it is, or -1. The
// lines that are in both have the same order in both.
func match(before, after []string) []int {
	out := make([]int, len(after))
	for i := range out {
		out[i] = -1
	}
	start := 0
	for start < len(before) && start < len(after) && before[start] == after[start] {
		out[start] = start
		start++
	}
	endBefore, endAfter := len(before), len(after)
	for endBefore > start && endAfter > start && before[endBefore-1] == after[endAfter-1] {
		endBefore, endAfter = endBefore-1, endAfter-1
		out[endAfter] = endBefore
	}
	for _, a := range increasing(unique(before[start:endBefore], after[start:endAfter])) {
		out[start+a.after] = start + a.before
	}
	neighbours(before, after, out)
	return out
}

// neighbours matches lines next to matched ones that are the same as well.
func neighbours(before, after []string, out []int) {
	limit := make([]int, len(out)+1) // the next matched line after each one
	limit[len(out)] = len(before)
	for i := len(out) - 1; i >= 0; i-- {
		if limit[i] = out[i]; out[i] < 0 {
			limit[i] = limit[i+1]
		}
	}
	last := -1 // matched so far
	for i := range out {
		if k := last + 1; out[i] < 0 && i > 0 && out[i-1] == last && k < limit[i] && before[k] == after[i] {
			out[i] = k
		}
		if limit[i] = last; out[i] >= 0 {
			last = out[i]
		}
	}
	for i := len(out) - 2; i >= 0; i-- {
		if k := out[i+1] - 1; out[i] < 0 && k > limit[i] && before[k] == after[i] {
			out[i] = k
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
