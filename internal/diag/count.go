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
	switch last := len(one) - 1; {
	case strings.HasSuffix(one, "x"), strings.HasSuffix(one, "s"):
		one += "e"
	case strings.HasSuffix(one, "y") && !strings.ContainsAny(one[last-1:last], "aeiou"):
		one = one[:last] + "ie"
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Size returns a number of bytes for display: "14.2 kB". Units are powers of
// 1000.
func Size[N int | int64](n N) string {
	switch {
	case n < 1000:
		return fmt.Sprintf("%d B", n)
	case n < 1_000_000:
		return fmt.Sprintf("%.1f kB", float64(n)/1e3)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}
