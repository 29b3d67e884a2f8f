// Package browsers knows which browser versions support a feature, or need a
// prefix for it, and which versions a project targets ([Targets]). Its data is
// generated from open data by the command in gen.
package browsers

import (
	"fmt"
	"strconv"
	"strings"
)

//go:generate sh -c "go run ./gen -compat \"$COMPAT_DATA\" -usage \"$USAGE_DATA\" > facts.txt"
//go:generate sh -c "go run ./gen -table facts.txt > facts.go"

// Names are the possible target browsers, in listing order.
var Names = []string{"chrome", "chrome-android", "edge", "firefox", "firefox-android", "opera", "safari",
	"safari-ios", "samsung"}

// Nesting is the feature of nested style rules.
const Nesting = "css.selectors.nesting"

// Color returns the feature of a colour function: of oklch, color or color-mix.
func Color(function string) string { return "css.types.color." + function }

// Property returns the feature of a property.
func Property(name string) string { return "css.properties." + name }

// Version is a comparable browser version: its major number times 1000 plus its
// minor number.
type Version int32

// Special versions.
const (
	never  Version = 1 << 30 // later than every version
	coming         = never - 1
)

// ParseVersion parses a version such as "17" or "15.4". Further parts are
// irrelevant for features and ignored.
func ParseVersion(s string) (Version, error) {
	part := strings.Split(s, ".")
	major, err := strconv.Atoi(part[0])
	minor := 0
	if err == nil && len(part) > 1 {
		minor, err = strconv.Atoi(part[1])
	}
	if err != nil || major < 0 || minor < 0 || major > 9999 || minor > 999 {
		return 0, fmt.Errorf("expected a version such as 109 or 15.4, got %q", s)
	}
	return Version(major*1000 + minor), nil
}

// Major returns the first part of the version.
func (v Version) Major() int { return int(v) / 1000 }

// String returns the version as text: "17" or "15.4".
func (v Version) String() string {
	if v%1000 == 0 {
		return strconv.Itoa(int(v / 1000))
	}
	return fmt.Sprintf("%d.%d", v/1000, v%1000)
}
