package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// This file builds sheets given on the command line, without a page.

// stream is the argument for standard input, and the output for standard
// output.
const stream = "-"

// stdinSheet is the name of the sheet from standard input, in the working
// folder.
const stdinSheet = "standard-input.css"

// checkSheets rejects arguments that are not sheets, and outputs that do not
// fit the sheets.
func (f *buildFlags) checkSheets() error {
	for i, name := range f.sheets {
		kind := ""
		switch ending := strings.ToLower(path.Ext(name)); ending {
		case ".html", ".htm", ".xhtml":
			kind = "a page: pages are built together by \"rinzel build\" without an argument"
		case ".js", ".mjs", ".cjs", ".ts", ".json", ".toml", ".md", ".svg", ".map":
			kind = "not a style sheet"
		}
		if source.IsFolder(name) {
			kind = "a folder: \"rinzel build\" without an argument builds the pages of the source folder"
		}
		switch {
		case kind != "":
			return fmt.Errorf("%s is %s", name, kind)
		case slices.Contains(f.sheets[:i], name):
			return fmt.Errorf("%s is named twice", name)
		}
	}
	several := len(f.sheets) > 1
	switch {
	case several && f.output == stream:
		return errors.New("-o - takes one sheet; for several, name a folder")
	case several && slices.Contains(f.sheets, stream):
		return errors.New("- (standard input) cannot be combined with other sheets")
	case several && f.output != "" && !isFolderName(f.output) && source.Exists(f.output):
		return fmt.Errorf("-o %s is a file; several sheets need a folder", f.output)
	}
	return nil
}

// isFolderName reports whether a name means a folder: it exists, or it ends in
// a slash.
func isFolderName(name string) bool {
	return strings.HasSuffix(name, "/") || strings.HasSuffix(name, string(filepath.Separator)) || source.IsFolder(name)
}

// outputOf returns the file on disk that a sheet is written to; "" for standard
// output. name is its path in the source folder, or root:path.
func (f *buildFlags) outputOf(p *project.Project, name string) string {
	_, rel := project.SplitRoot(name)
	switch {
	case f.output == stream, f.output == "" && f.sheets[0] == stream:
		return ""
	case f.output == "":
		return filepath.Join(p.Output, filepath.FromSlash(rel))
	case len(f.sheets) > 1:
		return filepath.Join(f.output, filepath.FromSlash(rel))
	case isFolderName(f.output):
		return filepath.Join(f.output, path.Base(rel))
	}
	return f.output
}

// toStream reports whether the sheet is written to standard output.
func (f *buildFlags) toStream() bool {
	return f.output == stream || f.output == "" && len(f.sheets) == 1 && f.sheets[0] == stream
}

// readStdin adds standard input as a sheet of the working folder.
func (f *buildFlags) readStdin(p *project.Project, in io.Reader) error {
	if len(f.sheets) != 1 || f.sheets[0] != stream || f.stdin != "" {
		return nil
	}
	text, err := io.ReadAll(io.LimitReader(in, source.MaxTextSize+1))
	switch {
	case err != nil:
		return fmt.Errorf("standard input: %w", err)
	case len(text) > source.MaxTextSize:
		return fmt.Errorf("standard input %w", source.ErrLongText)
	}
	f.stdin, err = sourceName(p, stdinSheet)
	if err != nil {
		return fmt.Errorf("the working folder is outside the source folder %q, which a sheet on standard input belongs to", p.SourceDir())
	}
	p.Tree.Put(source.Path{Name: f.stdin}, "standard input", text)
	return nil
}

// runSheets builds the sheets of the flags. The outputs have paths on disk.
func (f *buildFlags) runSheets(ctx context.Context, p *project.Project, opts site.Options) (*site.Result, error) {
	if opts.Cache == nil {
		opts.Cache = site.NewCache(p)
	}
	all := &site.Result{}
	for _, arg := range f.sheets {
		name := f.stdin
		if arg != stream {
			var err error
			if name, err = sourceName(p, arg); err != nil {
				return nil, err
			}
		}
		output := f.outputOf(p, name)
		res, err := site.Sheet(ctx, p, name, output, opts)
		if err != nil {
			return nil, err
		}
		dir := filepath.Dir(output)
		for i := range res.Outputs {
			res.Outputs[i].Path = filepath.ToSlash(filepath.Join(dir, filepath.FromSlash(res.Outputs[i].Path)))
		}
		for i := range res.Bundles {
			res.Bundles[i].Path = filepath.ToSlash(filepath.Join(dir, filepath.FromSlash(res.Bundles[i].Path)))
		}
		all.Add(res, p.Tree.Set)
	}
	return all, f.refuseSources(p, all)
}

// refuseSources rejects outputs that the build read, or that exist and are not
// sheets, such as images.
func (f *buildFlags) refuseSources(p *project.Project, res *site.Result) error {
	if f.toStream() {
		return nil
	}
	for _, o := range res.Outputs {
		there, err := os.Stat(filepath.FromSlash(o.Path))
		if err != nil {
			continue // it is new
		}
		if !there.IsDir() && !there.Mode().IsRegular() {
			return fmt.Errorf("%s %w: -o - writes to standard output", o.Path, source.ErrNotRegular)
		}
		if ext := strings.ToLower(filepath.Ext(o.Path)); ext != ".css" && ext != ".map" && there.Mode().IsRegular() {
			return fmt.Errorf("%s exists and is not a style sheet, so it is not overwritten; name another output with -o",
				o.Path)
		}
		for _, read := range p.Tree.Read() {
			if info, err := os.Stat(filepath.FromSlash(read)); err == nil && os.SameFile(there, info) {
				return fmt.Errorf("%s was read for this build, so it is not overwritten; name another output with -o", o.Path)
			}
		}
	}
	return nil
}

// writeSheets writes the outputs of sheets.
func (f *buildFlags) writeSheets(ctx context.Context, p *project.Project, res *site.Result, std IO,
	opts source.PublishOptions) (source.Published, error) {
	if f.toStream() {
		_, err := std.Out.Write(res.Outputs[0].Data)
		return source.Published{Written: 1}, err
	}
	if f.output == "" {
		var files []source.OutFile
		for _, o := range res.Outputs {
			rel, err := filepath.Rel(p.Output, filepath.FromSlash(o.Path))
			if err != nil {
				return source.Published{}, err
			}
			files = append(files, source.OutFile{Path: filepath.ToSlash(rel), Data: o.Data})
		}
		opts.More = true
		return source.Publish(ctx, p.Output, files, opts)
	}
	var out source.Published
	// a map before its sheet, so that the sheet never refers to a missing map
	for _, o := range slices.Backward(res.Outputs) {
		if have, err := os.ReadFile(filepath.FromSlash(o.Path)); err == nil && bytes.Equal(have, o.Data) {
			out.Unchanged++
			continue
		}
		if err := source.WriteFile(filepath.FromSlash(o.Path), o.Data); err != nil {
			return out, fmt.Errorf("cannot write: %w", err)
		}
		out.Written++
		out.Changed = append(out.Changed, o.Path)
	}
	return out, nil
}
