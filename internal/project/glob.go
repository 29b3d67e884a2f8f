package project

import (
	"fmt"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/source"
)

// validGlob checks a glob of the settings, which may be in a root, and reports what is
// wrong with it. hint is the fix if nothing better is known.
func (r *reader) validGlob(at source.Span, pattern, hint string) bool {
	_, glob := SplitRoot(pattern)
	switch {
	case separatedByBackslashes(glob):
		r.fail(at, fmt.Sprintf("glob %q has backslashes: folders are separated by slashes, on every system", pattern),
			fmt.Sprintf("write %q", strings.ReplaceAll(pattern, `\`, "/")))
	case glob == "" || !doublestar.ValidatePattern(glob):
		r.fail(at, fmt.Sprintf("invalid glob %q", pattern), hint)
	default:
		return true
	}
	return false
}

// separatedByBackslashes reports whether a glob has a backslash that is there to separate
// folders: one that escapes a bracket or a brace has another purpose. No file name on
// Windows has the other characters with a meaning in globs.
func separatedByBackslashes(glob string) bool {
	for i := range len(glob) {
		if glob[i] == '\\' && i+1 < len(glob) && !strings.ContainsRune(`[]{}!^-`, rune(glob[i+1])) {
			return true
		}
	}
	return false
}
