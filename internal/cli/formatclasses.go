package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/site"
)

// classLists puts the class lists of pages into the order of the families.
func (f *formatter) classLists(ctx context.Context, args []string) error {
	f.kind = "page"
	if slices.Contains(args, stream) {
		return errors.New("--classes reads no standard input: name pages or folders")
	}
	pages, err := query.Pages(ctx, f.project)
	if err == nil {
		pages, err = f.named(pages, args)
	}
	if err != nil {
		return err
	}
	shown := showProgress(f.std)
	order, err := query.NewClassOrder(ctx, f.project, site.Options{Profile: project.Development, Progress: shown.update})
	shown.end()
	if err != nil {
		return err
	}
	if f.found = append(f.found, order.Diagnostics...); len(order.Diagnostics) > 0 {
		return nil
	}
	for _, p := range pages {
		file, err := f.project.Tree.Text(p)
		if err != nil {
			return fmt.Errorf("%s: %w", f.project.Tree.Show(p), err)
		}
		f.files++
		page := order.Page(file)
		for _, kept := range page.Kept {
			line, column := file.Position(kept.At.Start.Off)
			fmt.Fprintf(f.std.Err, "%s:%d:%d stays as it is: its order matters to %s\n",
				diag.Printable(file.Name), line, column, diag.Printable(kept.Selector))
		}
		if err := f.write(file, page.Text); err != nil {
			return err
		}
	}
	return ctx.Err()
}
