package link

import (
	"fmt"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// This file reads the source maps that sheets come with, so that the maps of
// bundles lead to the first sources.

// inputMap returns the source map that a sheet refers to; nil if it has none, or
// if nobody wants maps, or if steps made it of another language. An invalid one is reported.
func (a *assembler) inputMap(s *graph.Sheet) *sourcemap.Input {
	f := s.File
	address := sourcemap.Address(f.Text)
	if !a.Maps || address == "" || s.Made != nil || s.Blocks != nil {
		return nil
	}
	at := source.SpanOf(f.Pos(strings.LastIndex(f.Text, address)), len(address))
	if strings.HasPrefix(address, "data:") {
		at.End = at.Start.Off + uint32(min(len(address), len("data:")))
		read := a.Cache.inputs.Get(f, func() *readInput { return newInput(sourcemap.ReadDataURL(address))(f) })
		return a.usable(read, f, at)
	}
	t := a.Files.Resolve(f.Path, address)
	if t.Kind != graph.Local {
		return nil
	}
	a.entry.Reads[t.Path] = true
	file, err := a.Files.Text(t.Path)
	if err != nil {
		if f.Path.Root == "" { // packages are often published without
			a.report(diag.Diagnostic{Code: code.UnreadableMap, Severity: diag.Note, Span: at,
				Message: fmt.Sprintf("the source map %q of this sheet cannot be read: maps lead to the sheet", address),
				Fix:     "add the file, or remove the comment"})
		}
		return nil
	}
	read := a.Cache.inputs.Get(file, func() *readInput { return newInput(sourcemap.Read([]byte(file.Text)))(file) })
	return a.usable(read, f, at)
}

// readInput is a source map that was read, or the error.
type readInput struct {
	input *sourcemap.Input
	err   error
}

// newInput returns a function that finishes reading a map of a file.
func newInput(m *sourcemap.Map, err error) func(*source.File) *readInput {
	return func(of *source.File) *readInput {
		if err != nil {
			return &readInput{err: err}
		}
		return &readInput{input: sourcemap.NewInput(m, of)}
	}
}

// usable returns a map that was read, or reports that it is invalid.
func (a *assembler) usable(read *readInput, f *source.File, at source.Span) *sourcemap.Input {
	if read.err != nil {
		a.report(diag.Diagnostic{Code: code.UnreadableMap, Severity: diag.Warning, Span: at,
			Message: fmt.Sprintf("the source map of this sheet is invalid, so maps lead to the sheet: %v", read.err),
			Fix:     "make the map again, or remove the comment"})
		return nil
	}
	return read.input
}
