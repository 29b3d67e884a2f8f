package diag

import (
	"fmt"
	"strings"
)

// Count returns a number with its noun: "1 page", "2 pages", "3 prefixes".
func Count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	if strings.HasSuffix(one, "x") {
		one += "e"
	}
	return fmt.Sprintf("%d %ss", n, one)
}
