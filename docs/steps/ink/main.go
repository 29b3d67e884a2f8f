// Command ink is a step that reads sheets in a language of its own: CSS with named
// tones.
//
//	use "tones.ink"
//	tone deep #0b3c5d
//	.quay { color: ~deep }
//
// It runs as a module, or as a program.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"strings"
	"unicode/utf8"
)

// request is what the step is asked to do; other fields are ignored.
type request struct {
	Path string `json:"path"`
	Text string `json:"text"`
}

// response is the answer. The tones of a file may be asked for again, so the step
// stays for the next request.
type response struct {
	Text     string    `json:"text"`
	Findings []finding `json:"findings,omitempty"`
	More     bool      `json:"more"`
}

// finding is a problem, at a line and column from 1.
type finding struct {
	Severity string `json:"severity"`
	Message  string `json:"message"`
	Fix      string `json:"fix,omitempty"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
	Length   int    `json:"length"`
}

var (
	in  = json.NewDecoder(os.Stdin)
	out = json.NewEncoder(os.Stdout)
)

// The statements of the language.
var (
	use  = regexp.MustCompile(`^use "([^"]+)"$`)
	tone = regexp.MustCompile(`^tone ([a-z-]+) (.+)$`)
	name = regexp.MustCompile(`~[a-z-]+`)
)

func main() {
	for {
		var req request
		if err := in.Decode(&req); err != nil {
			return // no more requests
		}
		s := sheet{tones: make(map[string]string)}
		s.read(req.Path, req.Text, 0)
		s.answer.Text = strings.Join(s.lines, "\n")
		s.answer.More = true
		_ = out.Encode(s.answer)
	}
}

// sheet is a sheet that is being read.
type sheet struct {
	tones  map[string]string
	lines  []string
	answer response
}

// read reads a file. Only the first one, of depth 0, gives lines: one for each of
// its own, so that positions stay.
func (s *sheet) read(path, text string, depth int) {
	for i, line := range strings.Split(text, "\n") {
		made := ""
		switch {
		case use.MatchString(line) && depth < 10:
			address := use.FindStringSubmatch(line)[1]
			if err := s.use(path, address, depth); err != "" && depth == 0 {
				s.find(i, line, address, fmt.Sprintf("cannot use %q: %s", address, err), "")
			}
		case tone.MatchString(line):
			m := tone.FindStringSubmatch(line)
			s.tones[m[1]] = m[2]
		default:
			made = name.ReplaceAllStringFunc(line, func(ref string) string {
				value, ok := s.tones[ref[1:]]
				if !ok && depth == 0 {
					s.find(i, line, ref, "there is no tone "+ref, "define it: tone "+ref[1:]+" navy")
					return "currentcolor"
				}
				return value
			})
		}
		if depth == 0 {
			s.lines = append(s.lines, made)
		}
	}
}

// use reads the tones of another file, which the build resolves and reads.
func (s *sheet) use(from, address string, depth int) (failed string) {
	_ = out.Encode(map[string]string{"get": address, "from": from})
	var file struct{ Path, Text, Error string }
	if err := in.Decode(&file); err != nil {
		return err.Error()
	}
	if file.Error == "" {
		s.read(file.Path, file.Text, depth+1)
	}
	return file.Error
}

// find reports a problem with a part of a line.
func (s *sheet) find(i int, line, part, message, fix string) {
	before, _, _ := strings.Cut(line, part)
	s.answer.Findings = append(s.answer.Findings, finding{Severity: "error", Message: message, Fix: fix, Line: i + 1,
		Column: utf8.RuneCountInString(before) + 1, Length: utf8.RuneCountInString(part)})
}
