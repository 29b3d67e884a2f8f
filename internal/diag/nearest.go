package diag

import (
	"fmt"
	"strings"
)

// Nearest returns the candidate that name is probably a misspelling of, or ""
// if none is similar: the one with the fewest edits (insertion, deletion,
// replacement, transposition), at most a third of the length of name. The first
// of several wins.
func Nearest(name string, candidates []string) string {
	best, bestEdits := "", len(name)/3+1
	lower := strings.ToLower(name)
	for _, c := range candidates {
		if c == name {
			continue
		}
		if e := edits(lower, strings.ToLower(c), bestEdits); e < bestEdits {
			best, bestEdits = c, e
		}
	}
	return best
}

// DidYouMean returns the fix for an unknown name: the candidate that was
// probably meant, or otherwise.
func DidYouMean(name string, candidates []string, otherwise string) string {
	if near := Nearest(name, candidates); near != "" {
		return fmt.Sprintf("did you mean %q?", near)
	}
	return otherwise
}

// OrNear returns the end of a message about an unknown name: the candidate that
// was probably meant, or "".
func OrNear(name string, candidates []string) string {
	if near := Nearest(name, candidates); near != "" {
		return fmt.Sprintf("; did you mean %q?", near)
	}
	return ""
}

// edits returns the number of edits between a and b (optimal string alignment),
// or some number of at least limit if there are that many.
func edits(a, b string, limit int) int {
	if d := len(a) - len(b); d >= limit || -d >= limit {
		return limit
	}
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}
