package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// buildFlags are the flags of the build command.
type buildFlags struct {
	sheets   []string // empty to build the site
	stdin    string   // path of the sheet from standard input, once it was read
	profile  string
	output   string
	settings string
	evidence []string
	dry      bool // write nothing
	purged   bool // list the removed share of each sheet
	prefixes bool
	verbose  bool // list the steps
	files    bool // list all files
	times    bool // list how long the steps took
	quiet    bool // print findings only
	progress func(site.Progress)
	json     bool
	markdown bool
}

// newBuild returns the build command.
func newBuild(std IO) *cobra.Command {
	var flags buildFlags
	cmd := &cobra.Command{
		Use:   "build [SHEET ...]",
		Short: "Build all pages of the site, or single sheets",
		Long: `Without an argument, build finds the HTML pages in the source folder and resolves
their style links and all imports. It writes to the output folder: the pages,
with their links replaced; a shared bundle with the sheets that several pages
use; and one bundle per page for the rest. Files that pages and sheets refer to
are copied.

With SHEET, a path relative to this folder or root:path, it builds single
sheets; - reads a sheet from standard input. The result is written to the output
folder, or to -o: a file, a folder, or - for standard output. Several sheets
need a folder. Files that the build read are never overwritten. A single sheet
is only purged with --evidence.

The exit status is 0 on success, 1 for errors in the source, and 2 for wrong
usage or an internal failure. After an error the previous output is kept.`,
		Example: `  rinzel build
  rinzel build --profile production
  rinzel build --profile production --output site-for-upload
  rinzel build styles/main.css -o main.css
  rinzel build styles/main.css styles/print.css -o out/
  rinzel build styles/main.css -o - --profile production --evidence "pages/**/*.html"`,
		RunE: func(cmd *cobra.Command, args []string) error {
			flags.sheets = args
			return runBuild(cmd.Context(), flags, std)
		},
	}
	f := cmd.Flags()
	flags.add(cmd)
	f.StringVarP(&flags.output, "output", "o", "", "output folder; with SHEET a file, a folder, or - for standard output")
	f.BoolVar(&flags.prefixes, "prefixes", false, "list added and removed prefixes, with the browsers that need them")
	f.BoolVar(&flags.purged, "purged", false, "list how much purging removes from each sheet")
	f.BoolVar(&flags.dry, "dry-run", false, "write nothing, and list what would be written")
	f.BoolVar(&flags.verbose, "verbose", false, "list the steps of sheets and bundles")
	f.BoolVar(&flags.files, "files", false, "list all files, also if there are many alike")
	f.BoolVar(&flags.times, "times", false, "list how long the steps took, and the slowest sheets")
	f.BoolVarP(&flags.quiet, "quiet", "q", false, "print findings only")
	f.BoolVar(&flags.json, "json", false, "write results and findings as JSON to standard output")
	f.BoolVar(&flags.markdown, "markdown", false, "write a summary with the findings as Markdown to standard output")
	return cmd
}

// add adds the flags of all commands that build: they select what is built.
func (f *buildFlags) add(cmd *cobra.Command) {
	flags := cmd.Flags()
	flags.StringVarP(&f.profile, "profile", "p", project.Development,
		"settings profile: development, production, or your own")
	flags.StringVar(&f.settings, "settings", "", "settings file (default rinzel.toml in this folder, if there is one)")
	flags.StringArrayVar(&f.evidence, "evidence", nil,
		"glob of evidence files, relative to the source folder; may be repeated")
	_ = cmd.RegisterFlagCompletionFunc("profile",
		func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return profileNames(f.settings), cobra.ShellCompDirectiveNoFileComp
		})
}

// profileNames returns the names of the profiles in the settings, sorted.
func profileNames(settings string) []string {
	p, _, err := project.Open(project.Options{Settings: settings})
	if err != nil {
		return []string{project.Development, project.Production}
	}
	defer p.Close()
	return slices.Sorted(maps.Keys(p.Settings.Profiles))
}

// runBuild runs the build command after flag parsing.
func runBuild(ctx context.Context, flags buildFlags, std IO) error {
	if err := flags.check(); err != nil {
		return err
	}
	start := time.Now()
	opts := project.Options{Settings: flags.settings}
	flags.locate(&opts)
	p, diags, err := project.Open(opts)
	if err != nil {
		return err
	}
	defer p.Close()
	r := newReport(std, p, flags)
	if diag.HasErrors(diags) {
		return r.refused(diags)
	}
	if err := flags.readStdin(p, std.In); err != nil {
		return err
	}
	shown := showProgress(std)
	flags.progress = shown.update
	res, err := flags.run(ctx, p, nil)
	shown.end()
	if err != nil {
		return err
	}
	res.Diagnostics = append(diags, res.Diagnostics...)
	r.header(res)
	failed := r.findings(res.Diagnostics)
	if failed != nil && !res.Writable() {
		return r.failed(res)
	}
	if flags.dry {
		return cmp.Or(r.summary(res, source.Published{}, time.Since(start)), failed)
	}
	published, err := flags.write(ctx, p, res, std, source.PublishOptions{Sync: res.Profile.Release})
	var foreign *source.ForeignError
	if errors.As(err, &foreign) {
		return r.foreign(res, foreign)
	}
	if err != nil {
		return err
	}
	if len(flags.sheets) == 0 {
		if err := recordHistory(p, res, start); err != nil {
			return fmt.Errorf("the history of sizes: %w", err)
		}
	}
	return cmp.Or(r.summary(res, published, time.Since(start)), failed)
}

// check rejects invalid combinations of flags.
func (f *buildFlags) check() error {
	switch {
	case len(f.sheets) == 0 && f.output == stream:
		return errors.New("-o - needs a SHEET: a site has many files")
	case f.toStream() && f.dry:
		return errors.New("--dry-run cannot be used with -o -: name a file with -o, or remove --dry-run")
	case f.toStream() && (f.json || f.markdown):
		return errors.New("--json or --markdown and the sheet both write to standard output: name a file with -o")
	case f.json && f.markdown:
		return errors.New("--json and --markdown cannot be combined")
	}
	return f.checkSheets()
}

// locate sets where the project is opened: that of the site, or, for sheets
// without settings, the folder of the sheets.
func (f *buildFlags) locate(opts *project.Options) {
	switch {
	case len(f.sheets) == 0:
		opts.Output = f.output
	case f.settings == "" && f.sheets[0] != stream:
		opts.Source = sheetSource(f.sheets[0])
	}
}

// sheetSource returns the source folder for a sheet without settings: the
// working folder, or the folder of the sheet if it is outside.
func sheetSource(sheet string) string {
	if !filepath.IsAbs(sheet) && filepath.IsLocal(sheet) {
		return "."
	}
	return filepath.Dir(sheet)
}

// options returns the options of a build. cache may be nil.
func (f *buildFlags) options(cache *site.Cache) site.Options {
	return site.Options{Profile: f.profile, Evidence: f.evidence, Cache: cache, RecordVerdicts: f.purged, Measure: f.times,
		Progress: f.progress}
}

// run builds what the flags select. cache, if not nil, is used for sites.
func (f *buildFlags) run(ctx context.Context, p *project.Project, cache *site.Cache) (*site.Result, error) {
	if len(f.sheets) > 0 {
		return f.runSheets(ctx, p, f.options(cache))
	}
	return buildWritten(ctx, p, f.options(cache))
}

// buildWritten builds a site, and compares it with the output folder.
func buildWritten(ctx context.Context, p *project.Project, opts site.Options) (*site.Result, error) {
	res, err := site.Build(ctx, p, opts)
	if err == nil && !diag.HasErrors(res.Diagnostics) {
		res.Diagnostics = append(res.Diagnostics, site.LostRules(source.Outputs(p.Output, ".css"), res)...)
		before := func() map[string][]byte { return source.Outputs(p.Output, "") }
		res.Diagnostics = append(res.Diagnostics, site.OverBudget(p.Settings, res, before)...)
	}
	return res, err
}

// sourceName returns the path in the source folder of a file that is given
// relative to the working folder, as shells complete it, or as root:path.
func sourceName(p *project.Project, name string) (string, error) {
	if root, _ := project.SplitRoot(name); p.Tree.HasRoot(root) && root != "" {
		return name, nil
	}
	sourceDir, err1 := filepath.Abs(p.SourceDir())
	file, err2 := filepath.Abs(name)
	if err := errors.Join(err1, err2); err != nil {
		return "", err
	}
	rel, err := filepath.Rel(sourceDir, file)
	if err == nil && filepath.IsLocal(rel) {
		return filepath.ToSlash(rel), nil
	}
	if inRoot, ok := rootName(p, file); ok {
		return inRoot, nil
	}
	if !source.Exists(file) {
		return "", fmt.Errorf("no such file: %q; the source folder is %q", name, p.SourceDir())
	}
	return "", fmt.Errorf("%q is outside the source folder %q", name, p.SourceDir())
}

// rootName returns a file on disk as "root:path" if it is in the folder of a
// root or of installed packages.
func rootName(p *project.Project, file string) (string, bool) {
	folders := make(map[string]string)
	for i, root := range slices.Sorted(maps.Keys(p.Settings.Roots)) {
		folders[root] = p.RootDirs()[i]
	}
	if root := project.PackageRoot; p.Tree.HasRoot(root) {
		folders[root] = filepath.FromSlash(p.Tree.Show(source.Path{Root: root, Name: "."}))
	}
	for _, root := range slices.Sorted(maps.Keys(folders)) {
		dir, err := filepath.Abs(folders[root])
		if err != nil {
			continue
		}
		if rel, err := filepath.Rel(dir, file); err == nil && filepath.IsLocal(rel) {
			return root + ":" + filepath.ToSlash(rel), true
		}
	}
	return "", false
}

// write writes the outputs to where the flags say.
func (f *buildFlags) write(ctx context.Context, p *project.Project, res *site.Result, std IO,
	opts source.PublishOptions) (source.Published, error) {
	if len(f.sheets) > 0 {
		return f.writeSheets(ctx, p, res, std, opts)
	}
	return source.Publish(ctx, p.Output, emit.Files(res.Outputs), opts)
}
