// Gen generates the browser data of package browsers from open compatibility data (npm:
// @mdn/browser-compat-data, CC0) and from usage shares of browser versions (npm: caniuse-db, CC BY
// 4.0).
//
// Usage:
//
//	go run ./internal/browsers/gen -compat DIR -usage DIR > internal/browsers/facts.txt
//	go run ./internal/browsers/gen -table internal/browsers/facts.txt > internal/browsers/facts.go
//
// Each DIR is an unpacked package. The table is text:
//
//	source NAME VERSION
//	release BROWSER VERSION DATE SHARE
//	FEATURE [!deprecated] BROWSER=SINCE[-UNTIL][~][:PREFIX][,…] …
//
// A PREFIX that starts with '=' is a different name: =::-webkit-x. A '~' means partial support.
// Features are sorted. The last line is a checksum of the others.
package main

import (
	"cmp"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// browsers are the possible targets, with their names in the two inputs.
var browsers = []struct{ name, compat, usage string }{
	{"chrome", "chrome", "chrome"}, {"chrome-android", "chrome_android", "and_chr"}, {"edge", "edge", "edge"},
	{"firefox", "firefox", "firefox"}, {"firefox-android", "firefox_android", "and_ff"}, {"opera", "opera", "opera"},
	{"safari", "safari", "safari"}, {"safari-ios", "safari_ios", "ios_saf"},
	{"samsung", "samsunginternet_android", "samsung"},
}

// compatData is the compatibility data.
type compatData struct {
	Browsers map[string]struct {
		Releases map[string]struct {
			Date   string `json:"release_date"`
			Status string `json:"status"`
		} `json:"releases"`
	} `json:"browsers"`
	CSS map[string]json.RawMessage `json:"css"`
}

// usageData is the usage data.
type usageData struct {
	Agents map[string]struct {
		Usage map[string]float64 `json:"usage_global"`
	} `json:"agents"`
}

// statement is the support of a feature in one browser.
type statement struct {
	Added       any    `json:"version_added"` // a version, or a word or boolean
	Removed     any    `json:"version_removed"`
	Prefix      string `json:"prefix"`
	Alternative string `json:"alternative_name"`
	Partial     bool   `json:"partial_implementation"`
	Flags       []any  `json:"flags"`
}

// main writes the table or the code to standard output.
func main() {
	compat := flag.String("compat", "", "the folder of the compatibility data")
	usage := flag.String("usage", "", "the folder of the table of use")
	table := flag.String("table", "", "a table of facts, to be written as Go code")
	flag.Parse()
	if *table != "" {
		if err := compileTable(*table, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, "gen:", err)
			os.Exit(1)
		}
		return
	}
	if err := run(*compat, *usage, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, "gen:", err)
		os.Exit(1)
	}
}

// run writes the table.
func run(compatDir, usageDir string, w io.Writer) error {
	var compat compatData
	var usage usageData
	compatSource, err1 := load(compatDir, &compat)
	usageSource, err2 := load(usageDir, &usage)
	if err := errors.Join(err1, err2); err != nil {
		return err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "source %s\nsource %s\n", compatSource, usageSource)
	for _, browser := range browsers {
		writeReleases(&b, browser.name, &compat, browser.compat, usage.Agents[browser.usage].Usage)
	}
	features := make(map[string]string)
	for name, raw := range compat.CSS {
		gather(features, "css."+name, raw)
	}
	for _, id := range slices.Sorted(maps.Keys(features)) {
		fmt.Fprintf(&b, "%s%s\n", id, features[id])
	}
	_, err := fmt.Fprintf(w, "%ssum %x\n", b.String(), sha256.Sum256([]byte(b.String())))
	return err
}

// load reads the data.json of an unpacked package, and returns its name and version.
func load(dir string, data any) (source string, err error) {
	raw, err := os.ReadFile(filepath.Join(dir, "data.json"))
	if err != nil {
		return "", err
	}
	if err := json.Unmarshal(raw, data); err != nil {
		return "", fmt.Errorf("%s: %w", dir, err)
	}
	raw, err = os.ReadFile(filepath.Join(dir, "package.json"))
	if err != nil {
		return "", err
	}
	var about struct{ Name, Version string }
	err = json.Unmarshal(raw, &about)
	return about.Name + " " + about.Version, err
}

// number returns a version as a comparable number.
func number(version string) float64 {
	major, minor, _ := strings.Cut(version, ".")
	a, _ := strconv.Atoi(major)
	b, _ := strconv.Atoi(strings.Split(minor, ".")[0])
	return float64(a) + float64(b)/1000
}

// writeReleases writes the releases of a browser, with dates and usage shares. The usage data has
// some versions that are not releases, or several as one: their shares are added to the newest
// release before them.
func writeReleases(b *strings.Builder, name string, compat *compatData, id string, usage map[string]float64) {
	type release struct {
		version, date string
		share         float64
	}
	var list []release
	for version, r := range compat.Browsers[id].Releases {
		if r.Date != "" && (r.Status == "retired" || r.Status == "current" || r.Status == "esr") {
			list = append(list, release{version: version, date: r.Date})
		}
	}
	slices.SortFunc(list, func(a, b release) int { return cmp.Compare(number(a.version), number(b.version)) })
	for version, share := range usage {
		first, _, _ := strings.Cut(version, "-")
		if first == "" || first[0] < '0' || first[0] > '9' {
			continue // a preview
		}
		at := 0
		for i, r := range list {
			if number(r.version) <= number(first) {
				at = i
			}
		}
		list[at].share += share
	}
	for _, r := range list {
		fmt.Fprintf(b, "release %s %s %s %s\n", name, r.version, r.date, strconv.FormatFloat(r.share, 'f', 4, 64))
	}
}

// gather adds the support of a feature, and of all features below it.
func gather(out map[string]string, id string, raw json.RawMessage) {
	gatherBelow(out, id, raw, "")
}

// gatherBelow collects the table entries of a feature and those below it. Features with the same
// entry as their parent, given in above, are omitted: most keywords are as old as their property.
func gatherBelow(out map[string]string, id string, raw json.RawMessage, above string) {
	var parts map[string]json.RawMessage
	if json.Unmarshal(raw, &parts) != nil {
		return
	}
	if own, ok := parts["__compat"]; ok {
		entry := facts(id, own)
		if entry != above || above == "" {
			out[id] = entry
		}
		above = entry
		delete(parts, "__compat")
	}
	for name, part := range parts {
		gatherBelow(out, id+"."+name, part, above)
	}
}

// vendorName matches feature names with a vendor prefix: -webkit-x, ::-moz-x. Other alternative
// names are legacy names.
var vendorName = regexp.MustCompile(`^:{0,2}-(webkit|moz|ms|o)-[a-z-]+$`)

// oldNames are legacy names with the same values that browsers without the standard name need. Not
// included are keywords with another meaning (overlay, intrinsic), and legacy selectors that all
// browsers support (:before).
var oldNames = func() map[string]bool {
	set := make(map[string]bool)
	for _, name := range strings.Fields("grid-gap grid-row-gap grid-column-gap word-wrap color-adjust inset-area position-try-options " +
		"scroll-snap-margin scroll-snap-margin-top scroll-snap-margin-right scroll-snap-margin-bottom scroll-snap-margin-left " +
		"offset-block offset-block-start offset-block-end offset-inline offset-inline-start offset-inline-end " +
		"motion motion-path motion-distance motion-rotation offset-rotation") {
		set[name] = true
	}
	return set
}()

// usefulInPart are features whose prefixed or legacy form is useful although the data calls it
// partial: -webkit-image-set() only lacks type(), -webkit-box-decoration-break works on inline
// elements, -ms-hyphens for some languages, and scroll-snap-margin without scripted scrolling.
// Forms with another meaning are not included: those of user-modify, background-clip and
// fit-content.
var usefulInPart = func() map[string]bool {
	set := map[string]bool{"css.types.image.image-set": true, "css.types.image.element": true}
	for _, name := range strings.Fields("box-decoration-break hyphens initial-letter text-combine-upright " +
		"scroll-margin scroll-margin-top scroll-margin-right scroll-margin-bottom scroll-margin-left") {
		set["css.properties."+name] = true
	}
	return set
}()

// facts returns the table entry of a feature.
func facts(id string, compat json.RawMessage) string {
	var c struct {
		Support map[string]json.RawMessage `json:"support"`
		Status  struct {
			Deprecated bool `json:"deprecated"`
		} `json:"status"`
	}
	if json.Unmarshal(compat, &c) != nil {
		return ""
	}
	var b strings.Builder
	if c.Status.Deprecated {
		b.WriteString(" !deprecated")
	}
	for _, browser := range browsers {
		var list []string
		for _, s := range statements(c.Support[browser.compat]) {
			if text, ok := s.text(id); ok {
				list = append(list, text)
			}
		}
		if len(list) > 0 {
			slices.Sort(list)
			fmt.Fprintf(&b, " %s=%s", browser.name, strings.Join(list, ","))
		}
	}
	return b.String()
}

// text returns the table entry of a statement. ok is false if it has none.
func (s *statement) text(id string) (text string, ok bool) {
	since, ok := s.Added.(string)
	renamed := s.Prefix+s.Alternative != ""
	partial := s.Partial && !(renamed && usefulInPart[id])
	if !ok || since == "preview" || partial && renamed || len(s.Flags) > 0 {
		return "", false
	}
	if s.Alternative != "" && !vendorName.MatchString(s.Alternative) && !oldNames[s.Alternative] {
		return "", false
	}
	text = strings.TrimPrefix(since, "≤")
	if until, _ := s.Removed.(string); until != "" && until != "preview" {
		text += "-" + strings.TrimPrefix(until, "≤")
	}
	switch {
	case partial:
		text += "~"
	case s.Alternative != "":
		text += ":=" + s.Alternative
	case s.Prefix != "":
		text += ":" + s.Prefix
	}
	return text, true
}

// statements decodes one statement or a list of them.
func statements(raw json.RawMessage) []statement {
	var many []statement
	if json.Unmarshal(raw, &many) == nil {
		return many
	}
	var one statement
	if json.Unmarshal(raw, &one) == nil {
		return []statement{one}
	}
	return nil
}
