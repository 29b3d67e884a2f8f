// Package own runs the steps that the settings of a project define, see package
// custom: on sheets before they are parsed ([Steps.Sheet]), on the rules of sheets
// and bundles ([Steps.Row]), and on other files ([Steps.Output]). It leads
// positions through them, and makes their failures findings.
package own

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/browsers"
	"rinzel/internal/cache"
	"rinzel/internal/custom"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/inventory"
	"rinzel/internal/objects"
	"rinzel/internal/origin"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// Steps are the steps of a project for builds with one profile. They are safe for
// concurrent use, and must be closed.
type Steps struct {
	project *project.Project
	files   *inventory.Inventory
	profile string
	targets map[string]string
	store   *objects.Store

	mu      sync.Mutex
	runners map[string]*custom.Cached // by name and identity
	inputs  map[string][]source.Path  // of the steps of this build, by their names
	closers []*custom.Runner
}

// New returns the steps of a project. Nothing is started before it is needed.
func New(p *project.Project, files *inventory.Inventory, profile project.Profile, store *objects.Store) *Steps {
	return &Steps{project: p, files: files, profile: profile.Name, targets: lowest(p.Settings.TargetsOf(profile)),
		store: store, runners: make(map[string]*custom.Cached), inputs: make(map[string][]source.Path)}
}

// lowest returns the lowest version of each browser.
func lowest(t browsers.Targets) map[string]string {
	out := make(map[string]string)
	for _, r := range t.Ranges() { // newest first
		out[r.Browser] = r.From.String()
	}
	return out
}

// Begin must be called before each build: files may have been added since.
func (s *Steps) Begin() {
	s.mu.Lock()
	s.inputs = make(map[string][]source.Path)
	s.mu.Unlock()
}

// Close ends all programs and modules.
func (s *Steps) Close() error {
	s.mu.Lock()
	closers := s.closers
	s.closers = nil
	s.mu.Unlock()
	for _, r := range closers {
		r.Close()
	}
	return nil
}

// step returns the step of a definition, ready to run. What it is made of is read
// through files.
func (s *Steps) step(files source.Reader, o *project.OwnStep) (*custom.Cached, error) {
	identity, err := s.identity(files, o)
	if err != nil {
		return nil, err
	}
	key := o.Name + "\x00" + string(identity)
	s.mu.Lock()
	defer s.mu.Unlock()
	if c := s.runners[key]; c != nil {
		return c, nil
	}
	def := custom.Definition{Name: o.Name, Run: o.Run, Plain: o.Plain, Dir: s.project.Dir, Env: o.Env, Time: o.Time, Memory: o.Memory}
	if o.IsModule() {
		file, err := files.Copy(o.Module)
		if err != nil {
			return nil, err
		}
		if def.Module, err = file.Read(); err != nil {
			return nil, err
		}
		if folder := s.project.CacheFolder(); folder != "" {
			def.Compiled = folder
		}
	}
	r := custom.New(def)
	s.closers = append(s.closers, r)
	c := custom.NewCached(r, s.store, identity)
	s.runners[key] = c
	return c, nil
}

// identity returns what identifies a step: its settings, and the contents of the
// module, or of the program and of all files that its arguments and the settings
// name.
func (s *Steps) identity(files source.Reader, o *project.OwnStep) ([]byte, error) {
	parts := [][]byte{[]byte(o.Name), fmt.Append(nil, o.Plain)}
	sum := func(p source.Path) error {
		file, err := files.Copy(p)
		if err == nil {
			parts = append(parts, []byte(p.Name), file.Sum[:])
		}
		return err
	}
	if o.IsModule() {
		if err := sum(o.Module); err != nil {
			return nil, fmt.Errorf("the module %q cannot be read: %w", o.Module.Name, err)
		}
	} else {
		program, err := custom.Identify(s.project.Dir, o.Run[0])
		if err != nil {
			return nil, err
		}
		parts = append(parts, program)
		for i, arg := range o.Run {
			parts = append(parts, []byte(arg))
			p := source.Path{Root: project.FolderRoot, Name: path.Clean(arg)}
			if (i > 0 || strings.Contains(arg, "/")) && files.Exists(p) {
				if err := sum(p); err != nil {
					return nil, fmt.Errorf("%q cannot be read: %w", arg, err)
				}
			}
		}
		parts = append(parts, custom.Environment(o.Env))
	}
	for _, p := range s.inputsOf(o) {
		if err := sum(p); err != nil {
			return nil, fmt.Errorf("the input %q cannot be read: %w", p.Name, err)
		}
	}
	key := objects.KeyOf(parts...)
	return key[:], nil
}

// inputsOf returns the files that a step depends on by its settings.
func (s *Steps) inputsOf(o *project.OwnStep) (out []source.Path) {
	s.mu.Lock()
	out, ok := s.inputs[o.Name]
	s.mu.Unlock()
	if ok {
		return out
	}
	for _, glob := range o.Inputs {
		base, _ := doublestar.SplitPattern(glob)
		s.project.Tree.Walk(project.FolderRoot, func(dir string) bool {
			return dir == "." || base == "." || strings.HasPrefix(base+"/", dir+"/") || strings.HasPrefix(dir, base+"/")
		}, func(p source.Path) {
			if ok, _ := doublestar.Match(glob, p.Name); ok {
				out = append(out, p)
			}
		}, func(source.Path, error) {})
	}
	s.mu.Lock()
	s.inputs[o.Name] = out
	s.mu.Unlock()
	return out
}

// call runs a step on a request. The error is that the context was cancelled; a
// failure is a finding.
func (s *Steps) call(ctx context.Context, files source.Reader, o *project.OwnStep, req custom.Request,
	at source.Span) (res custom.Response, failed []diag.Diagnostic, err error) {
	c, err := s.step(files, o)
	started := err == nil
	if started {
		req.Profile, req.Targets, req.Options = s.profile, s.targets, o.Options
		res, err = c.Call(ctx, req, host{s.files.Through(files)})
	}
	if err == nil {
		return res, nil, nil
	}
	if ctx.Err() != nil {
		return res, nil, ctx.Err()
	}
	if r, ok := files.(*cache.Reads); ok { // what it read before it failed is unknown
		r.Expire()
	}
	d := diag.Diagnostic{Code: code.StepFailed, Severity: diag.Error, Span: at,
		Message: fmt.Sprintf("the step %q failed: %v", o.Name, err)}
	if !at.IsValid() {
		d.Message = fmt.Sprintf("the step %q failed on %q: %v", o.Name, req.Path, err)
	}
	var failure *custom.Failure
	if errors.As(err, &failure) {
		d.Output = failure.Last
	}
	if !started {
		d.Span, d.Cause = o.At, "start of "+o.Name
	}
	return res, []diag.Diagnostic{d}, nil
}

// host answers the questions of steps.
type host struct{ *inventory.Inventory }

// Read returns a file, given the path of another one, and a URL in it as of an
// import.
func (h host) Read(from, address string) (name, text string, err error) {
	root, rest := project.SplitRoot(from)
	t := h.Resolve(source.Path{Root: root, Name: path.Clean(rest)}, address)
	if t.Path.Name == "" {
		return "", "", fmt.Errorf("%q is no file of the project", address)
	}
	name = t.Path.String()
	f, err := h.Text(t.Path)
	if err != nil {
		return name, "", err
	}
	return name, f.Text, nil
}

// Depend returns the hash of a file in the project folder.
func (h host) Depend(name string) (string, error) {
	p := source.Path{Root: project.FolderRoot, Name: path.Clean(strings.ReplaceAll(name, `\`, "/"))}
	if path.IsAbs(p.Name) || p.Name == ".." || strings.HasPrefix(p.Name, "../") {
		return "", errors.New("paths must be relative to the folder of the settings, and inside it")
	}
	if !h.Exists(p) {
		return "", nil
	}
	file, err := h.Copy(p)
	if err != nil {
		return err.Error(), nil
	}
	return fmt.Sprintf("%x", file.Sum), nil
}

// text runs a step on a text, and returns what it made, or nil if it failed.
func (s *Steps) text(ctx context.Context, files source.Reader, o *project.OwnStep, p source.Path, in *origin.Text,
	report func(diag.Diagnostic)) (*origin.Text, error) {
	req := custom.Request{On: string(o.On), Path: p.String(), Text: &in.File.Text}
	res, failed, err := s.call(ctx, files, o, req, startOf(in))
	if err != nil {
		return nil, err
	}
	for _, d := range failed {
		report(d)
	}
	if failed != nil {
		return nil, nil
	}
	r := result{Steps: s, files: files, step: o, path: p, in: in, report: report}
	r.findings(res.Findings)
	if res.Text == nil {
		return in, nil
	}
	return r.made(*res.Text, res.Map), nil
}

// startOf returns the place of findings about a text as a whole: its start, or
// none if it comes from nowhere.
func startOf(t *origin.Text) source.Span {
	start := t.At(0)
	if !start.IsValid() {
		return source.Span{}
	}
	return source.SpanOf(start, 0)
}

// result is what a step made of a text.
type result struct {
	*Steps
	files  source.Reader
	step   *project.OwnStep
	path   source.Path
	in     *origin.Text
	report func(diag.Diagnostic)
}

// warn reports a mistake of the step itself.
func (r *result) warn(message string) {
	r.report(diag.Diagnostic{Code: code.StepFinding, Severity: diag.Warning, Span: startOf(r.in),
		Message: fmt.Sprintf("the step %q %s", r.step.Name, message)})
}

// made returns the new text, whose positions lead to the sources.
func (r *result) made(text string, data json.RawMessage) *origin.Text {
	var m *sourcemap.Map
	var err error
	var quoted string
	address := sourcemap.Address(text)
	switch {
	case len(data) > 0 && json.Unmarshal(data, &quoted) == nil:
		m, err = sourcemap.Read([]byte(quoted))
	case len(data) > 0:
		m, err = sourcemap.Read(data)
	case strings.HasPrefix(address, "data:"):
		m, err = sourcemap.ReadDataURL(address)
	}
	if err != nil {
		r.warn(fmt.Sprintf("gave an invalid source map, so positions are found by comparing lines: %v", err))
	}
	if m == nil || err != nil || len(m.Mappings) == 0 {
		return origin.Compared(text, r.in)
	}
	of := func(url string) *origin.Text { return r.textOf(url, len(m.Sources)) }
	return origin.Mapped(text, m, r.project.Tree.Set, of)
}

// textOf returns the text that a source of a map is: the one that the step worked
// on, or a file.
func (r *result) textOf(url string, count int) *origin.Text {
	if count == 1 || url == "" || url == r.path.String() || path.Clean(url) == r.path.Name ||
		url == path.Base(r.path.Name) {
		return r.in
	}
	for _, address := range []string{url, "/" + url} {
		t := r.Steps.files.Through(r.files).Resolve(r.path, address)
		if t.Path == r.path {
			return r.in
		}
		if t.Path.Name == "" {
			continue
		}
		if f, err := r.files.Text(t.Path); err == nil {
			return origin.Of(f, r.project.Tree.Set)
		}
	}
	return nil
}

// findings reports the findings of the step, at their places.
func (r *result) findings(list []custom.Finding) {
	for _, f := range list {
		d := diag.Diagnostic{Code: code.StepFinding, Message: fmt.Sprintf("%s (step %q)", strings.TrimSpace(f.Message), r.step.Name), Fix: f.Fix}
		d.Severity = map[string]diag.Severity{"error": diag.Error, "warning": diag.Warning, "note": diag.Note}[f.Severity]
		of := r.in
		if f.Path != "" && f.Path != r.path.String() {
			of = r.textOf(f.Path, 0)
		}
		if of != nil {
			d.Span = spanOf(of, f)
		}
		r.report(d)
	}
}

// spanOf returns the place of a finding in the sources.
func spanOf(t *origin.Text, f custom.Finding) source.Span {
	line := f.Line - 1
	if line < 0 || line >= t.File.Lines() {
		return startOf(t)
	}
	start := t.File.LineStart(line)
	text := []rune(t.File.LineText(line))
	from := min(max(f.Column-1, 0), len(text))
	to := min(from+max(f.Length, 1), len(text))
	at := t.At(start + uint32(len(string(text[:from]))))
	return source.SpanOf(at, len(string(text[from:to])))
}
