package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/link"
	"rinzel/internal/query"
)

// newImports returns the imports command.
func newImports(std IO) *cobra.Command {
	var flags inspectFlags
	var files bool
	cmd := &cobra.Command{
		Use:   "imports [PAGE | SHEET]",
		Short: "Show the import tree of pages or sheets, and list unused sheets",
		Long: `Imports shows the tree of imports of a page or sheet: how many rules each sheet
contributes, in which layer and under which conditions, what without() and
only() exclude, and which imports are repeated later. It also lists the unused
sheets of the source folder.

Without an argument it shows the trees of all pages. PAGE and SHEET are paths
relative to this folder, or root:path.`,
		Example: `  rinzel imports
  rinzel imports site/index.html
  rinzel imports kit:all.css`,
		Args: atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			name := ""
			if len(args) > 0 {
				name = args[0]
			}
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				in.files = files
				return in.imports(cmd.Context(), name)
			})
		},
	}
	flags.add(cmd)
	cmd.Flags().BoolVar(&files, "files", false, "list all unused files of the source folder, not only sheets")
	return cmd
}

// imports prints the import trees of a page or sheet, or of all pages.
func (in *inspection) imports(ctx context.Context, name string) ([]diag.Diagnostic, error) {
	if in.files {
		return nil, in.unreached(ctx)
	}
	if name != "" {
		var err error
		if name, err = sourceName(in.project, name); err != nil {
			return nil, err
		}
	}
	found, err := query.ListImports(ctx, in.project, name)
	if err != nil {
		return nil, err
	}
	if in.flags.json {
		in.answer = in.jsonImports(found)
		return found.Diagnostics, nil
	}
	out := in.std.Out
	printed := make(map[*link.ImportNode]bool)
	for _, e := range found.Entries {
		if e.Name != "" {
			fmt.Fprintln(out, in.paint("1", diag.Printable(e.Name)))
			if len(e.Trees) == 0 {
				fmt.Fprintln(out, "└─ no sheet of the project")
			}
			in.branches(e.Trees, e.Scripts, "", printed)
			continue
		}
		for _, n := range e.Trees {
			fmt.Fprintln(out, in.paint("1", diag.Printable(n.Sheet))+"  "+in.paint("2", in.about(n)))
			in.branches(n.Imports, nil, "", printed)
		}
	}
	if len(found.Unreached) > 0 {
		fmt.Fprintf(out, "%s in the source folder used by no page:\n", diag.Count(len(found.Unreached), "sheet"))
		for _, s := range found.Unreached {
			fmt.Fprintln(out, "  "+diag.Printable(s))
		}
	}
	return found.Diagnostics, nil
}

// unreached prints all unused files.
func (in *inspection) unreached(ctx context.Context) error {
	files, err := query.Unreached(ctx, in.project)
	if err != nil {
		return err
	}
	if in.flags.json {
		in.answer = map[string]any{"version": 1, "unreached": orEmpty(files)}
		return nil
	}
	if len(files) == 0 {
		fmt.Fprintln(in.std.Out, "all files of the source folder are used")
		return nil
	}
	fmt.Fprintf(in.std.Out, "%s in the source folder used by no page and no bundle of the settings:\n",
		diag.Count(len(files), "file"))
	for _, name := range files {
		fmt.Fprintln(in.std.Out, "  "+diag.Printable(name))
	}
	return nil
}

// branches prints sheets below the previous line. A tree is only printed once.
// scripts are those that import the sheets.
func (in *inspection) branches(list []*link.ImportNode, scripts []string, indent string,
	printed map[*link.ImportNode]bool) {
	for i, n := range list {
		branch, deeper := "├─ ", "│  "
		if i == len(list)-1 {
			branch, deeper = "└─ ", "   "
		}
		about := in.about(n)
		if i < len(scripts) && scripts[i] != "" {
			about += "; imported by " + diag.Printable(scripts[i])
		}
		if printed[n] && len(n.Imports) > 0 {
			fmt.Fprintf(in.std.Out, "%s%s%s  %s\n", indent, branch, diag.Printable(n.Sheet),
				in.paint("2", about+"; its imports are listed above"))
			continue
		}
		printed[n] = true
		fmt.Fprintf(in.std.Out, "%s%s%s  %s\n", indent, branch, diag.Printable(n.Sheet), in.paint("2", about))
		in.branches(n.Imports, nil, indent+deeper, printed)
	}
}

// about describes a sheet.
func (in *inspection) about(n *link.ImportNode) string {
	var parts []string
	sets := ""
	if n.Constants > 0 {
		sets = "; sets " + diag.Count(n.Constants, "constant")
	}
	switch {
	case n.External:
		parts = append(parts, "external, stays an import")
	case n.Excluded:
		parts = append(parts, "excluded"+sets)
	case n.Repeated:
		parts = append(parts, diag.Count(n.Rules, "rule")+", repeated by a later import of the same sheet")
	case n.Rules > 0:
		parts = append(parts, diag.Count(n.Rules, "rule")+sets)
	case len(n.Imports) > 0:
		parts = append(parts, "only imports"+sets)
	default:
		parts = append(parts, "no rules"+sets)
	}
	if n.Replaced > 0 {
		parts = append(parts, diag.Count(n.Replaced, "value")+" replaced")
	}
	if n.Condition != "" {
		parts = append(parts, "in "+diag.Printable(n.Condition))
	}
	return strings.Join(parts, "; ")
}

// jsonImports is import trees as JSON.
type jsonImports struct {
	Version     int               `json:"version"`
	Entries     []jsonImportEntry `json:"entries"`
	Unreached   []string          `json:"unreached"`
	Diagnostics []jsonDiagnostic  `json:"diagnostics"`
}

// jsonImportEntry is a page or bundle as JSON.
type jsonImportEntry struct {
	Page   string       `json:"page,omitempty"`
	Sheets []jsonImport `json:"sheets"`
}

// jsonImport is a sheet in a tree as JSON.
type jsonImport struct {
	Sheet     string       `json:"sheet"`
	Script    string       `json:"script,omitempty"` // that imports it
	Condition string       `json:"condition,omitempty"`
	Rules     int          `json:"rules"`
	Constants int          `json:"constants"`
	Excluded  bool         `json:"excluded,omitempty"`
	External  bool         `json:"external,omitempty"`
	Repeated  bool         `json:"repeated,omitempty"`
	Replaced  int          `json:"replaced,omitempty"`
	Imports   []jsonImport `json:"imports,omitempty"`
}

// jsonImports returns import trees as JSON.
func (in *inspection) jsonImports(found *query.Imports) jsonImports {
	out := jsonImports{Version: 1, Entries: []jsonImportEntry{}, Unreached: orEmpty(found.Unreached),
		Diagnostics: jsonDiagnostics(in.project.Tree.Set, found.Diagnostics)}
	for _, e := range found.Entries {
		out.Entries = append(out.Entries, jsonImportEntry{e.Name, jsonTrees(e.Trees, e.Scripts)})
	}
	return out
}

// jsonTrees returns trees as JSON.
func jsonTrees(list []*link.ImportNode, scripts []string) []jsonImport {
	out := []jsonImport{}
	for i, n := range list {
		script := ""
		if i < len(scripts) {
			script = scripts[i]
		}
		out = append(out, jsonImport{n.Sheet, script, n.Condition, n.Rules, n.Constants, n.Excluded, n.External,
			n.Repeated, n.Replaced, jsonTrees(n.Imports, nil)})
	}
	return out
}
