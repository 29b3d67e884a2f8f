package project

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// This file reads [browsers], the targets.

// targets returns the browsers that a table selects. ok is false if it selects
// none.
func (r *reader) targets(raw fileQuery, table ...string) (t browsers.Targets, ok bool) {
	key := func(k ...string) []string { return slices.Concat(table, k) }
	q := browsers.Query{Floor: make(map[string]browsers.Version)}
	r.shareAndRecent(&q, raw, key)
	for _, name := range slices.Sorted(maps.Keys(raw.Floor)) {
		if v, ok := r.floor(name, raw.Floor[name], key("floor", name)); ok {
			q.Floor[name] = v
		}
	}
	for i, text := range raw.Without {
		if w, ok := r.without(text, r.positions.element(i, key("without")...)); ok {
			q.Without = append(q.Without, w)
		}
	}
	if raw.Share == nil && raw.Recent == nil && len(raw.Floor) == 0 {
		if len(raw.Without) > 0 {
			r.fail(r.positions.key(key("without")),
				"without excludes from the versions of share, recent and floor, but none of these is set", "")
		}
		return t, false
	}
	if t = q.Targets(); t.Empty() && len(r.diags) == 0 {
		r.fail(r.positions.key(table), "no browser version selected", "")
	}
	return t, true
}

// shareAndRecent reads the minimum share, and the number of recent versions.
func (r *reader) shareAndRecent(q *browsers.Query, raw fileQuery, key func(...string) []string) {
	if raw.Share != nil {
		if q.Share = *raw.Share; !(q.Share > 0 && q.Share <= 100) {
			r.fail(r.positions.value(key("share")...), fmt.Sprintf("share must be a percentage above 0, got %v", q.Share),
				"0.5 selects versions with at least 0.5% of world use")
		}
	}
	if raw.Recent != nil {
		if q.Recent = *raw.Recent; q.Recent < 1 || q.Recent > 1000 {
			r.fail(r.positions.value(key("recent")...),
				fmt.Sprintf("recent must be an integer from 1 to 1000, got %d", q.Recent),
				"2 selects the two newest versions of each browser")
		}
	}
}

// floor reads the minimum version of a browser.
func (r *reader) floor(name, text string, key []string) (v browsers.Version, ok bool) {
	if !slices.Contains(browsers.Names, name) {
		r.unknownKey(key, r.positions.key(key))
		return v, false
	}
	v, err := browsers.ParseVersion(text)
	if err != nil {
		r.fail(r.positions.value(key...), err.Error(), "")
		return v, false
	}
	if newest := newestOf(name); v.Major() > newest.Major()+yetToCome {
		r.fail(r.positions.value(key...),
			fmt.Sprintf("unknown version %v of %s: the newest known version is %v", v, name, newest), "")
		return v, false
	}
	return v, true
}

// without reads an excluded browser or version.
func (r *reader) without(text string, at source.Span) (w browsers.Without, ok bool) {
	name, version, hasVersion := strings.Cut(text, " ")
	if !slices.Contains(browsers.Names, name) {
		fix := diag.DidYouMean(name, browsers.Names, "the browsers are "+strings.Join(browsers.Names, ", "))
		r.fail(at, fmt.Sprintf("unknown browser %q", name), fix)
		return w, false
	}
	w.Browser = name
	if hasVersion {
		v, err := browsers.ParseVersion(version)
		if err != nil {
			r.fail(at, err.Error(), "")
			return w, false
		}
		w.Version = v
	}
	return w, true
}

// newestOf returns the newest known version of a browser.
func newestOf(name string) browsers.Version {
	releases := browsers.Releases(name)
	return releases[len(releases)-1].Version
}
