package report

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// This file keeps the history of sizes, in a file of JSON Lines: one build a
// line, the oldest first.

// Entry is one build in the history.
type Entry struct {
	Time    time.Time      `json:"time"` // when it was recorded; zero for a build that is not
	Profile string         `json:"profile"`
	Bytes   int            `json:"bytes"`  // of all bundles, also those in pages
	Brotli  int            `json:"brotli"` // of those that are files
	Rules   int            `json:"rules"`
	Pages   int            `json:"pages"`
	Bundles map[string]int `json:"bundles"` // bytes by logical name
}

// EntryOf returns the entry of a build.
func EntryOf(res *site.Result) Entry {
	return entryOf(res, func(_ string, css []byte) int { return emit.PackedSize(css, project.Brotli) })
}

// entryOf returns the entry of a build. packed returns the size of a bundle with
// brotli.
func entryOf(res *site.Result, packed func(name string, css []byte) int) Entry {
	e := Entry{Profile: res.Profile.Name, Pages: len(res.Pages), Bundles: make(map[string]int)}
	files := make(map[string][]byte)
	for _, o := range res.Outputs {
		if o.Kind == emit.StyleKind {
			files[o.Path] = o.Data
		}
	}
	for _, b := range res.Bundles {
		n := b.Size
		if css, ok := files[b.Path]; ok {
			n = len(css)
			e.Brotli += packed(b.Name, css)
		}
		e.Bytes += n
		e.Rules += b.Finished.Rules
		e.Bundles[b.Name] = n
	}
	return e
}

// Same reports whether two builds have the same sizes.
func (e *Entry) Same(o *Entry) bool {
	return e.Profile == o.Profile && e.Bytes == o.Bytes && e.Brotli == o.Brotli && e.Rules == o.Rules &&
		e.Pages == o.Pages && maps.Equal(e.Bundles, o.Bundles)
}

// maxLine limits the length of a line of a history in bytes.
const maxLine = 1 << 22

// ReadHistory reads the entries of a history file. The error names the first
// line that is not one; the entries before it are returned.
func ReadHistory(data []byte) ([]Entry, error) {
	var out []Entry
	lines := bufio.NewScanner(bytes.NewReader(data))
	lines.Buffer(nil, maxLine)
	for n := 1; lines.Scan(); n++ {
		if len(bytes.TrimSpace(lines.Bytes())) == 0 {
			continue
		}
		var e Entry
		if err := json.Unmarshal(lines.Bytes(), &e); err != nil {
			return out, fmt.Errorf("line %d is not an entry: %w", n, err)
		}
		out = append(out, e)
	}
	return out, lines.Err()
}

// Append returns the line that a history gets for a build at a time; nil if its
// last entry with the profile has the same sizes.
func (e *Entry) Append(history []Entry, now time.Time) []byte {
	for _, last := range slices.Backward(history) {
		if last.Profile == e.Profile {
			if last.Same(e) {
				return nil
			}
			break
		}
	}
	written := *e
	written.Time = now.UTC().Truncate(time.Second)
	line, err := json.Marshal(written)
	if err != nil { // it has numbers and strings only
		panic(err)
	}
	return append(line, '\n')
}
