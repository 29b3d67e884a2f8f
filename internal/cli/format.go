package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"rinzel/internal/css/format"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/source"
)

// errUnformatted means that files are not in the readable form, which was printed.
var errUnformatted = errors.New("files are not formatted")

// newFormat returns the format command.
func newFormat(std IO) *cobra.Command {
	var settings string
	var check, classes bool
	cmd := &cobra.Command{
		Use:   "format [FILE...]",
		Short: "Write sheets in one readable form",
		Long: `Format writes sheets in one readable form: a declaration and a selector on each line,
blocks indented by two spaces, blank lines around rules with a block. It changes white
space and semicolons only. Comments stay where they are, blank lines stay as one, and
so do line breaks in values. The build-time language is formatted as well.

FILE is a sheet or a folder; without FILE, all sheets of the source folder are formatted,
except *.min.css. - reads standard input and writes to standard output. Sheets with
errors stay as they are.

--classes puts the class lists of pages and templates into the order of the families
instead: first the classes that are in no family, as they are, then the others in the
order of their rules. White space stays. So does a list that a template completes, or
whose order an attribute selector such as [class^="a"] depends on.

--check changes nothing, lists the files that would change, and makes the exit status 1
if there are any.`,
		Example: `  rinzel format
  rinzel format --check
  rinzel format styles/board.css
  rinzel format - < draft.css
  rinzel format --classes --check`,
		RunE: func(cmd *cobra.Command, args []string) error {
			p, found, err := project.Open(project.Options{Settings: settings})
			if err != nil {
				return err
			}
			defer p.Close()
			f := &formatter{std: std, project: p, check: check, found: found, kind: "sheet"}
			run := f.run
			if classes {
				run = f.classLists
			}
			if !diag.HasErrors(found) {
				if err := run(cmd.Context(), args); err != nil {
					return err
				}
			}
			return f.finish()
		},
	}
	cmd.Flags().StringVar(&settings, "settings", "", "settings file (default rinzel.toml in this folder, if there is one)")
	cmd.Flags().BoolVar(&check, "check", false, "change nothing, and list the files that would change")
	cmd.Flags().BoolVar(&classes, "classes", false, "put the class lists of pages into the order of the families")
	return cmd
}

// formatter formats the sheets of a project, or the class lists of its pages.
type formatter struct {
	std     IO
	project *project.Project
	check   bool
	found   []diag.Diagnostic
	stream  bool   // standard input was formatted
	kind    string // of files: "sheet" or "page"
	files   int
	changed int
	broken  int
}

// run formats files, or all sheets.
func (f *formatter) run(ctx context.Context, args []string) error {
	if len(args) == 1 && args[0] == stream {
		f.stream = true
		return f.standardInput()
	}
	sheets, err := query.StyleSheets(ctx, f.project)
	if err == nil {
		sheets, err = f.named(sheets, args)
	}
	if err != nil {
		return err
	}
	for _, s := range sheets {
		if err := f.sheet(s); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// named returns the files that arguments name: files, and those of all that are in
// folders; all of them without arguments.
func (f *formatter) named(all []source.Path, args []string) (out []source.Path, err error) {
	if len(args) == 0 {
		return all, nil
	}
	for _, arg := range args {
		name, err := sourceName(f.project, arg)
		if err != nil {
			return nil, err
		}
		if !source.IsFolder(arg) {
			if !f.fits(name) {
				return nil, fmt.Errorf("%q is no %s", arg, f.kind)
			}
			root, rest := project.SplitRoot(name)
			out = append(out, source.Path{Root: root, Name: rest})
			continue
		}
		before := len(out)
		for _, s := range all {
			if name == "." || strings.HasPrefix(s.Name, name+"/") {
				out = append(out, s)
			}
		}
		if len(out) == before {
			return nil, fmt.Errorf("no %s in the folder %q", f.kind, arg)
		}
	}
	return out, nil
}

// fits reports whether a file is of the kind that is formatted, by its name.
func (f *formatter) fits(name string) bool {
	if f.kind == "page" {
		return query.HasClassLists(name)
	}
	return strings.EqualFold(filepath.Ext(name), ".css")
}

// standardInput formats standard input to standard output.
func (f *formatter) standardInput() error {
	text, err := io.ReadAll(io.LimitReader(f.std.In, source.MaxTextSize+1))
	if err == nil && len(text) > source.MaxTextSize {
		err = source.ErrLongText
	}
	if err != nil {
		return fmt.Errorf("standard input: %w", err)
	}
	p := source.Path{Name: stdinSheet}
	f.project.Tree.Put(p, "standard input", text)
	file, err := f.project.Tree.Text(p)
	if err != nil {
		return err
	}
	f.files++
	out, ok := f.formatted(file)
	if !ok {
		return nil
	}
	if out != file.Text {
		f.changed++
	}
	if f.check {
		return nil
	}
	_, err = f.std.Out.Write(file.Encoded(out))
	return err
}

// formatted returns a sheet in the readable form. ok is false after a finding.
func (f *formatter) formatted(file *source.File) (text string, ok bool) {
	text, found, err := format.Sheet(file)
	f.found = append(f.found, found...)
	if diag.HasErrors(found) || err != nil {
		f.broken++
	}
	if err != nil {
		fmt.Fprintf(f.std.Err, "%s stays as it is: %v\n", diag.Printable(file.Name), err)
	}
	return text, err == nil && !diag.HasErrors(found)
}

// sheet formats a sheet in place.
func (f *formatter) sheet(p source.Path) error {
	file, err := f.project.Tree.Text(p)
	if err != nil {
		return fmt.Errorf("%s: %w", f.project.Tree.Show(p), err)
	}
	f.files++
	text, ok := f.formatted(file)
	if !ok {
		return nil
	}
	return f.write(file, text)
}

// write writes a file with another text, or says that it would change.
func (f *formatter) write(file *source.File, text string) error {
	if text == file.Text {
		return nil
	}
	f.changed++
	name := filepath.FromSlash(f.project.Tree.Show(file.Path))
	if f.check {
		fmt.Fprintf(f.std.Out, "would change %s\n", diag.Printable(name))
		return nil
	}
	target, err := filepath.EvalSymlinks(name)
	if err != nil {
		return err
	}
	info, err := os.Stat(target)
	if err != nil {
		return err
	}
	if err := source.WriteFile(target, file.Encoded(text)); err != nil {
		return err
	}
	if err := os.Chmod(target, info.Mode().Perm()); err != nil {
		return err
	}
	fmt.Fprintf(f.std.Out, "formatted %s\n", diag.Printable(name))
	return nil
}

// finish prints findings and what was done.
func (f *formatter) finish() error {
	renderer := diag.Renderer{Files: f.project.Tree.Set, Color: f.std.ErrColor}
	if err := showFindings(f.std.Err, renderer, f.found, ""); err != nil {
		return err
	}
	if f.files > 0 && !f.stream {
		verb := "formatted"
		if f.check {
			verb = "would change"
		}
		text := fmt.Sprintf("%s %d of %s", verb, f.changed, diag.Count(f.files, f.kind))
		if f.broken > 0 {
			text += fmt.Sprintf(", %d with errors left as they are", f.broken)
		}
		fmt.Fprintln(f.std.Out, text)
	}
	switch {
	case f.broken > 0 || diag.HasErrors(f.found):
		return errSources
	case f.check && f.changed > 0:
		return errUnformatted
	}
	return nil
}
