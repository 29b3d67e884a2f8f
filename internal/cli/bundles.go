package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"

	"github.com/mattn/go-runewidth"
	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// newBundles returns the bundles command.
func newBundles(std IO) *cobra.Command {
	var flags inspectFlags
	var profile string
	cmd := &cobra.Command{
		Use:   "bundles",
		Short: "List the bundles of each page, their contents, and the sheets that are not shared",
		Long: `Bundles computes the bundles of a build without writing anything. For each page
it lists the bundles that it loads, in order, and those that its scripts load
later; for each bundle its sheets and its size.

Sheets that several pages use, but that are not shared by all of them, are
listed with the reason: sharing would move the sheet before another one that may
set the same property, and so change the look of a page, or the bundle would be
smaller than [split] min-bytes.`,
		Example: `  rinzel bundles
  rinzel bundles --profile production`,
		Args: atMost(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				return in.bundles(cmd.Context(), profile)
			})
		},
	}
	flags.add(cmd)
	cmd.Flags().StringVarP(&profile, "profile", "p", project.Development, "settings profile")
	return cmd
}

// bundles prints the bundles of a build.
func (in *inspection) bundles(ctx context.Context, profile string) ([]diag.Diagnostic, error) {
	res, err := site.Build(ctx, in.project, site.Options{Profile: profile})
	if err != nil {
		return nil, err
	}
	if in.flags.json {
		in.answer = in.jsonBundles(res)
		return res.Diagnostics, nil
	}
	out := in.std.Out
	byName := make(map[string]site.Bundle)
	for _, b := range res.Bundles {
		byName[b.Name] = b
	}
	for _, p := range res.Pages {
		fmt.Fprintln(out, in.paint("1", diag.Printable(p.Name)))
		all := slices.Concat(p.Bundles, p.Lazy)
		if len(all) == 0 {
			fmt.Fprintln(out, "└─ loads no bundle")
		}
		for i, name := range all {
			branch := "├─ "
			if i == len(all)-1 {
				branch = "└─ "
			}
			fmt.Fprintf(out, "%s%s  %s\n", branch, diag.Printable(name), in.paint("2", aboutBundle(byName[name])))
		}
	}
	for _, b := range res.Bundles {
		contents := "contains"
		switch {
		case b.Referenced:
			contents = "is imported by scripts as an object or by URL, and contains"
		case b.Adopted:
			contents = "is added to pages by a script, and contains"
		}
		fmt.Fprintf(out, "%s %s\n", in.paint("1", diag.Printable(b.Name)), in.paint("2", contents))
		for _, line := range wrapped(b.Files, 100) {
			fmt.Fprintln(out, "  "+line)
		}
	}
	if len(res.Unshared) > 0 {
		fmt.Fprintln(out, in.paint("1", "not shared by all pages that use them:"))
		for _, k := range res.Unshared {
			fmt.Fprintf(out, "  %s  %s\n", diag.Printable(k.Sheet), in.paint("2", unsharedReason(k)))
		}
	}
	return res.Diagnostics, nil
}

// aboutBundle returns the size of a bundle, and how pages load it.
func aboutBundle(b site.Bundle) string {
	about := fmt.Sprintf("%s from %s", size(b.Size), diag.Count(len(b.Files), "sheet"))
	if b.Inline {
		about += ", inlined into the page"
	}
	if len(b.Pages) > 1 {
		about += fmt.Sprintf(", on %d pages", len(b.Pages))
	}
	if b.Lazy {
		about += ", loaded when a script needs it"
	}
	return about
}

// wrapped returns names separated by commas in lines of at most width, if no
// name is longer.
func wrapped(names []string, width int) []string {
	var lines []string
	line := ""
	for i, name := range names {
		name = diag.Printable(name)
		if i < len(names)-1 {
			name += ","
		}
		if line != "" && runewidth.StringWidth(line)+1+runewidth.StringWidth(name) > width {
			lines = append(lines, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += name
	}
	return append(lines, line)
}

// unsharedReason explains why a sheet is not shared.
func unsharedReason(k site.Unshared) string {
	if k.Property == "" {
		return fmt.Sprintf("on %s; too small for a bundle, or in a different order", diag.Count(len(k.Pages), "page"))
	}
	return fmt.Sprintf("on %s; on %s it comes after %s, and both set %q", diag.Count(len(k.Pages), "page"),
		filepath.ToSlash(k.Page), k.After, k.Property)
}

// jsonBundles returns the bundles as JSON.
func (in *inspection) jsonBundles(res *site.Result) any {
	type bundle struct {
		Name   string   `json:"name"`
		Pages  []string `json:"pages"`
		Sheets []string `json:"sheets"`
		Bytes  int      `json:"bytes"`
	}
	type page struct {
		Name    string   `json:"name"`
		Bundles []string `json:"bundles"`
		Late    []string `json:"lazy"` // those that its scripts load
	}
	type unshared struct {
		Sheet    string   `json:"sheet"`
		Pages    []string `json:"pages"`
		Page     string   `json:"page,omitempty"`
		After    string   `json:"after,omitempty"`
		Property string   `json:"property,omitempty"`
	}
	bundles, pages, keeps := []bundle{}, []page{}, []unshared{}
	for _, p := range res.Pages {
		pages = append(pages, page{p.Name, orEmpty(p.Bundles), orEmpty(p.Lazy)})
	}
	for _, b := range res.Bundles {
		bundles = append(bundles, bundle{b.Name, orEmpty(b.Pages), orEmpty(b.Files), b.Size})
	}
	for _, k := range res.Unshared {
		keeps = append(keeps, unshared(k))
	}
	return map[string]any{"version": 1, "pages": pages, "bundles": bundles, "unshared": keeps,
		"diagnostics": jsonDiagnostics(in.project.Tree.Set, res.Diagnostics)}
}
