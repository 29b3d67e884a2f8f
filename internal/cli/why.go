package cli

import (
	"context"
	"fmt"
	"io"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/purge"
)

// newWhy returns the why command.
func newWhy(std IO) *cobra.Command {
	var flags inspectFlags
	var profile string
	var evidence []string
	var all bool
	var page string
	cmd := &cobra.Command{
		Use:   "why [SELECTOR]",
		Short: "Explain why a selector is in the output or not, and what purging removes",
		Long: `Why computes what purging does to the site, without writing anything. SELECTOR is
a class, ID, element or any other selector, the name of an animation, or an
at-rule, whose rules are listed. If it is in the output, why lists the bundles,
the source lines, and what keeps it: the page, script or other file with the
name, with line and column; and which pages need it. If it was removed, it names
the unused part. If no sheet has it, it suggests similar names.

Of a custom property, after --, it lists the declarations that set and read it.

--page PAGE answers for one page: what it needs of the bundles that it loads.

Without SELECTOR it lists how much is removed from each sheet, classes of pages
without a rule, and types of files that may have names and were not searched.
--all lists all selectors with their verdicts.`,
		Example: `  rinzel why .notice-watch
  rinzel why drift
  rinzel why ".board .is-next"
  rinzel why .card:hover
  rinzel why "@media print" --page site/index.html
  rinzel why -- --accent
  rinzel why --all --json`,
		Args: atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			question := strings.Join(args, "")
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				w := &whyAnswer{inspection: in, all: all, page: page}
				return w.answer(cmd.Context(), question, site.Options{Profile: profile, Evidence: evidence})
			})
		},
	}
	flags.add(cmd)
	f := cmd.Flags()
	f.StringVarP(&profile, "profile", "p", project.Production, "settings profile")
	f.StringArrayVar(&evidence, "evidence", nil, "glob of evidence files, relative to the source folder; may be repeated")
	f.StringVar(&page, "page", "", "answer for one `page`")
	f.BoolVar(&all, "all", false, "list all selectors with their verdicts")
	return cmd
}

// whyAnswer answers a question about purging.
type whyAnswer struct {
	*inspection
	all    bool
	page   string // answer for one page; empty for the site
	purged *query.Purged
}

// answer prints the answer.
func (w *whyAnswer) answer(ctx context.Context, question string, opts site.Options) ([]diag.Diagnostic, error) {
	var err error
	shown := showProgress(w.std)
	opts.Progress = shown.update
	w.purged, err = query.Purging(ctx, w.project, opts)
	shown.end()
	if err != nil {
		return nil, err
	}
	if len(w.purged.Errors) > 0 {
		return w.purged.Errors, nil
	}
	if !pipeline.NeedSite(w.purged.Profile.Finish) {
		return nil, fmt.Errorf("the profile %q does not purge: its finish is %s", w.purged.Profile.Name,
			steps(w.purged.Profile.Finish))
	}
	if w.page != "" {
		if err := w.purged.Only(path.Clean(filepath.ToSlash(w.page))); err != nil {
			return nil, err
		}
	}
	switch {
	case strings.HasPrefix(question, "--"):
		w.property(question)
	case w.all:
		w.list()
	case question == "" && w.page != "":
		w.onPage()
	case question == "":
		return nil, w.overview(ctx)
	default:
		return nil, w.about(question)
	}
	return nil, nil
}

// about prints the verdicts on a selector.
func (w *whyAnswer) about(question string) error {
	a, ok := w.purged.Ask(question)
	if !ok {
		return fmt.Errorf("%q is not a valid selector or at-rule", question)
	}
	member, isMember := w.purged.Membership(query.ClassIn(question))
	if w.flags.json {
		answer := map[string]any{"version": 1, "asked": question, "selectors": w.jsonVerdicts(a.Verdicts),
			"uses": w.jsonUses(a.Uses), "near": orEmpty(a.Near)}
		if isMember {
			answer["family"] = w.jsonMembership(&member)
		}
		w.inspection.answer = answer
		return nil
	}
	out := w.std.Out
	fmt.Fprintln(out, w.paint("1", diag.Printable(question)))
	if isMember {
		w.membership(&member)
	}
	groups := grouped(a.Verdicts)
	for _, g := range groups {
		w.group(g)
		w.needing(g)
	}
	if len(groups) == 0 {
		text := "not in any sheet of the site"
		if w.page != "" {
			text = "not in any sheet of this page"
		}
		if len(a.Near) > 0 {
			text += "; did you mean " + strings.Join(quotedAll(a.Near), " or ") + "?"
		}
		fmt.Fprintln(out, "  "+text)
	}
	for _, part := range a.Parts {
		var places []string
		for i, at := range a.Uses[part] {
			const most = 8
			if i == most {
				places = append(places, fmt.Sprintf("and %s more", diag.Count(len(a.Uses[part])-most, "file")))
				break
			}
			places = append(places, w.positionOf(at))
		}
		if len(places) == 0 && len(groups) > 0 {
			continue // the reasons list them
		}
		if len(places) == 0 {
			fmt.Fprintf(out, "  %s not in use\n", diag.Printable(part))
			continue
		}
		fmt.Fprintf(out, "  %s in use at %s\n", diag.Printable(part), strings.Join(places, ", "))
	}
	return nil
}

// membership prints the family of a class, its modes, and what fills its slots.
func (w *whyAnswer) membership(m *query.Membership) {
	var fills []string
	for _, f := range m.Fills {
		text := f.Slot + " is " + f.Key
		if f.Value != f.Key {
			text += ", which is " + f.Value
		}
		fills = append(fills, text)
	}
	text := "class of the family " + m.Family.Pattern
	if len(fills) > 0 {
		text += ": " + strings.Join(fills, "; ")
	}
	fmt.Fprintf(w.std.Out, "  %s  %s\n", w.positionOf(m.Family.At.Start), diag.Printable(text))
	for _, mode := range m.Modes {
		fmt.Fprintf(w.std.Out, "  %s  in the mode %s\n", w.positionOf(mode.At.Start), diag.Printable(mode.Prefix))
	}
	fmt.Fprintf(w.std.Out, "    %s\n", w.paint("2", diag.Printable(m.Declarations)))
}

// jsonMembership returns the family of a class as JSON.
func (w *whyAnswer) jsonMembership(m *query.Membership) any {
	files := w.project.Tree.Set
	modes := []jsonMode{}
	for _, mode := range m.Modes {
		modes = append(modes, jsonMode{Prefix: mode.Prefix, Place: jsonPositionOf(files, mode.At)})
	}
	return map[string]any{"pattern": m.Family.Pattern, "place": jsonPositionOf(files, m.Family.At), "modes": modes,
		"slots": jsonMemberOf(m.Member).Slots, "declarations": m.Declarations}
}

// verdictGroup is a selector in a sheet, with the bundles that contain it.
type verdictGroup struct {
	site.SelectorVerdict
	bundles []string
}

// grouped joins the verdicts of several bundles on the same selector.
func grouped(list []site.SelectorVerdict) []verdictGroup {
	type key struct {
		at   source.Span
		text string
		kept bool
	}
	index := make(map[key]int)
	var out []verdictGroup
	for _, j := range list {
		k := key{j.At, j.Text(), j.Kept}
		i, ok := index[k]
		if !ok {
			i = len(out)
			index[k] = i
			out = append(out, verdictGroup{SelectorVerdict: j})
		}
		if !slices.Contains(out[i].bundles, j.Bundle) {
			out[i].bundles = append(out[i].bundles, j.Bundle)
		}
	}
	return out
}

// group prints the verdict on one selector.
func (w *whyAnswer) group(g verdictGroup) {
	verdict := w.paint("1;32", "kept") + " in "
	switch {
	case g.Kept:
	case w.isPurged(&g.SelectorVerdict):
		verdict = w.paint("1;33", "purged") + " from "
	default:
		verdict = w.paint("1;33", "not needed by this page") + ", in "
	}
	where := ""
	if g.At.IsValid() {
		where = w.positionOf(g.At.Start) + "  "
	}
	fmt.Fprintf(w.std.Out, "  %s%s  %s%s\n", where, diag.Printable(g.Text()), verdict,
		diag.Printable(strings.Join(g.bundles, ", ")))
	for _, r := range g.Why {
		fmt.Fprintf(w.std.Out, "    %s\n", w.paint("2", w.reason(r)))
	}
	if g.Selector == nil && !g.Kept {
		fmt.Fprintf(w.std.Out, "    %s\n", w.paint("2", "not used by any remaining rule"))
	}
}

// needing prints which of the pages that load a selector need it.
func (w *whyAnswer) needing(g verdictGroup) {
	if !g.Kept || g.Selector == nil || w.page != "" {
		return
	}
	const most = 6
	var pages, needing []string
	for _, b := range g.bundles {
		loading, wanting := w.purged.Needing(b, g.Selector)
		for _, name := range loading {
			if !slices.Contains(pages, name) {
				pages = append(pages, name)
			}
		}
		for _, name := range wanting {
			if !slices.Contains(needing, name) {
				needing = append(needing, name)
			}
		}
	}
	switch {
	case len(pages) < 2:
	case len(needing) == len(pages):
		fmt.Fprintf(w.std.Out, "    %s\n", w.paint("2", fmt.Sprintf("needed by all %d pages that load it", len(pages))))
	case len(needing) == 0:
		fmt.Fprintf(w.std.Out, "    %s\n", w.paint("2", fmt.Sprintf("needed by none of the %d pages that load it", len(pages))))
	default:
		fmt.Fprintf(w.std.Out, "    %s\n", w.paint("2", fmt.Sprintf("needed by %d of the %d pages that load it: %s",
			len(needing), len(pages), diag.Printable(someOf(needing, most)))))
	}
}

// onPage prints how much a page needs of the bundles that it loads, and which
// selectors it does not need.
func (w *whyAnswer) onPage() {
	type share struct{ needed, all int }
	shares := make(map[string]*share)
	var order []string
	var unneeded []site.SelectorVerdict
	for _, v := range w.purged.Verdicts {
		if v.Selector == nil || w.isPurged(&v) {
			continue
		}
		s := shares[v.Bundle]
		if s == nil {
			s = new(share)
			shares[v.Bundle] = s
			order = append(order, v.Bundle)
		}
		if s.all++; v.Kept {
			s.needed++
		} else {
			unneeded = append(unneeded, v)
		}
	}
	if w.flags.json {
		w.inspection.answer = map[string]any{"version": 1, "page": w.page, "notNeeded": w.jsonVerdicts(unneeded)}
		return
	}
	t := table{{"  bundle", "selectors", "needed", "", ""}}
	for _, name := range order {
		s := shares[name]
		t = append(t, []string{"  " + diag.Printable(name), fmt.Sprint(s.all), fmt.Sprint(s.needed),
			fmt.Sprintf("%d%%", s.needed*100/s.all), ""})
	}
	fmt.Fprintln(w.std.Out, w.paint("1", diag.Printable(w.page)))
	for i, line := range t.lines() {
		if i == 0 {
			line = w.paint("2", line)
		}
		fmt.Fprintln(w.std.Out, line)
	}
	if len(unneeded) > 0 {
		fmt.Fprintln(w.std.Out, w.paint("1", "in its bundles, but not needed by this page:"))
	}
	for _, v := range unneeded {
		fmt.Fprintf(w.std.Out, "  %s  %s  %s\n", w.positionOf(v.At.Start), diag.Printable(v.Text()),
			w.paint("2", diag.Printable(v.Bundle)))
	}
}

// isPurged reports whether purging removes a selector from the bundle for all
// pages.
func (w *whyAnswer) isPurged(v *site.SelectorVerdict) bool { return w.purged.IsPurged(v) }

// property prints who sets and reads a custom property.
func (w *whyAnswer) property(name string) {
	u := w.purged.Property(name)
	if w.flags.json {
		w.inspection.answer = w.jsonProperty(u)
		return
	}
	const most = 20
	out := w.std.Out
	fmt.Fprintln(out, w.paint("1", diag.Printable(name)))
	for _, part := range []struct {
		verb string
		list []query.PropertyUse
	}{{"registered", u.Registered}, {"set", u.Sets}, {"read", u.Reads}} {
		for i, use := range part.list {
			if i == most {
				fmt.Fprintf(out, "  %s at %d more places, --json lists all\n", part.verb, len(part.list)-i)
				break
			}
			bundles := "in " + strings.Join(use.Bundles, ", ")
			if use.Purged {
				bundles = w.paint("1;33", "purged") + " from " + strings.Join(use.Bundles, ", ")
			}
			fmt.Fprintf(out, "  %-10s  %s  %s  %s\n", part.verb, w.positionOf(use.At.Start),
				diag.Printable(shortened(use.Text, false)), w.paint("2", bundles))
		}
	}
	switch {
	case len(u.Sets)+len(u.Reads)+len(u.Registered) == 0:
		text := "no sheet of the site sets or reads it"
		if len(u.Near) > 0 {
			text += fmt.Sprintf("; did you mean %q?", u.Near[0])
		}
		fmt.Fprintln(out, "  "+text)
	case len(u.Sets) == 0:
		fmt.Fprintln(out, "  no sheet sets it")
	case len(u.Reads) == 0:
		fmt.Fprintln(out, "  no sheet reads it")
	}
	for _, at := range u.Words {
		fmt.Fprintf(out, "  in use at %s\n", w.positionOf(at))
	}
}

// jsonProperty returns the uses of a custom property as JSON.
func (w *whyAnswer) jsonProperty(u query.PropertyUses) any {
	type jsonPropertyUse struct {
		Place   *jsonPosition `json:"place"`
		Text    string        `json:"text"`
		Bundles []string      `json:"bundles"`
		Purged  bool          `json:"purged"`
	}
	list := func(uses []query.PropertyUse) []jsonPropertyUse {
		out := []jsonPropertyUse{}
		for _, use := range uses {
			out = append(out, jsonPropertyUse{jsonPositionOf(w.project.Tree.Set, use.At), use.Text, use.Bundles, use.Purged})
		}
		return out
	}
	words := []string{}
	for _, at := range u.Words {
		words = append(words, w.positionOf(at))
	}
	return map[string]any{"version": 1, "asked": u.Name, "registered": list(u.Registered), "sets": list(u.Sets),
		"reads": list(u.Reads), "words": words, "near": orEmpty(u.Near)}
}

// reason words one reason.
func (w *whyAnswer) reason(r purge.Reason) string {
	part := diag.Printable(r.Part)
	switch r.Use.Kind {
	case purge.InPage:
		return part + " is on a page: " + w.positionOf(r.Use.At)
	case purge.InText:
		return part + " occurs as a word in a script or text: " + w.positionOf(r.Use.At)
	case purge.Joined:
		return fmt.Sprintf("%s may be built from %q, which a script or template completes: %s (partial evidence)", part,
			diag.Printable(r.Use.Text), w.positionOf(r.Use.At))
	case purge.Implied:
		return part + " exists on every page, or is set by browsers"
	case purge.ByKeep:
		return fmt.Sprintf("[purge] keep lists %q", part)
	case purge.ByComment:
		return "kept by a comment in the sheet"
	case purge.ByUnreadable:
		return fmt.Sprintf("an unreadable script may use it, since %q is in use: %s", diag.Printable(r.Use.Text),
			w.positionOf(r.Use.At))
	case purge.ByParent:
		return "its parent rule is removed"
	case purge.ByStructure:
		return "all its parts are in use, but no page has them in this structure"
	}
	return "unused: " + part
}

// quotedAll returns names in quotes.
func quotedAll(names []string) []string {
	var out []string
	for _, n := range names {
		out = append(out, fmt.Sprintf("%q", n))
	}
	return out
}

// overview prints the removed share of each sheet, and other noteworthy facts.
func (w *whyAnswer) overview(ctx context.Context) error {
	kinds, err := site.ProposeEvidence(ctx, w.project)
	if err != nil {
		return err
	}
	if w.flags.json {
		w.inspection.answer = map[string]any{"version": 1, "sheets": w.purged.Sheets,
			"classesWithoutRule": w.jsonClasses(), "notLookedInto": orEmpty(kinds)}
		return nil
	}
	out := w.std.Out
	rules, removed, named := 0, 0, 0
	for _, b := range w.purged.Bundles {
		rules += b.Rules.Rules
		removed += b.Rules.RemovedRules
		named += b.Rules.RemovedNamed
	}
	fmt.Fprintf(out, "profile %s purges %d of %s in %s", w.purged.Profile.Name, removed, diag.Count(rules, "rule"),
		diag.Count(len(w.purged.Bundles), "bundle"))
	if named > 0 {
		fmt.Fprintf(out, ", and %s used by these only", diag.Count(named, "definition"))
	}
	fmt.Fprintln(out)
	showShares(out, w.paint, w.purged.Sheets)
	if len(w.purged.NoRule) > 0 {
		fmt.Fprintln(out, w.paint("1", "classes of pages without a rule in any sheet:"))
		for _, c := range w.purged.NoRule {
			line := fmt.Sprintf("  .%s  %s", diag.Printable(c.Class), w.paint("2", w.positionOf(c.At)))
			if c.Near != "" {
				line += w.paint("2", fmt.Sprintf("; did you mean %q?", "."+c.Near))
			}
			fmt.Fprintln(out, line)
		}
	}
	if len(kinds) > 0 {
		fmt.Fprintf(out, "not searched for names in use: %s; add the files that contain classes to [purge] evidence\n",
			strings.Join(quotedAll(kinds), ", "))
	}
	return nil
}

// showShares prints the removed share of each sheet.
func showShares(out io.Writer, paint func(sgr, s string) string, shares []query.SheetShare) {
	t := table{{"  sheet", "selectors", "purged", "", ""}}
	whole := 0
	for _, s := range shares {
		if s.Removed == 0 {
			whole++
			continue
		}
		t = append(t, []string{"  " + diag.Printable(s.Sheet), fmt.Sprint(s.Rules), fmt.Sprint(s.Removed),
			fmt.Sprintf("%d%%", s.Removed*100/s.Rules), ""})
	}
	if len(t) > 1 {
		for i, line := range t.lines() {
			if i == 0 {
				line = paint("2", line)
			}
			fmt.Fprintln(out, line)
		}
	}
	if whole > 0 {
		fmt.Fprintf(out, "  and %s with all rules in use\n", diag.Count(whole, "sheet"))
	}
}

// list prints every selector with its verdict.
func (w *whyAnswer) list() {
	if w.flags.json {
		w.inspection.answer = map[string]any{"version": 1, "selectors": w.jsonVerdicts(w.purged.Verdicts)}
		return
	}
	for _, g := range grouped(w.purged.Verdicts) {
		w.group(g)
	}
}

// jsonVerdict is a verdict as JSON.
type jsonVerdict struct {
	Bundle   string        `json:"bundle"`
	Selector string        `json:"selector"`
	Place    *jsonPosition `json:"place,omitempty"`
	Kept     bool          `json:"kept"`
	Step     string        `json:"step"`
	Why      []jsonReason  `json:"why"`
}

// jsonReason is a reason as JSON.
type jsonReason struct {
	Part  string        `json:"part,omitempty"`
	How   purge.UseKind `json:"how,omitempty"` // empty if the part is unused
	Place *jsonPosition `json:"place,omitempty"`
	Text  string        `json:"text,omitempty"`
}

// jsonVerdicts returns verdicts as JSON.
func (w *whyAnswer) jsonVerdicts(list []site.SelectorVerdict) []jsonVerdict {
	files := w.project.Tree.Set
	out := []jsonVerdict{}
	for _, j := range list {
		one := jsonVerdict{Bundle: j.Bundle, Selector: j.Text(), Place: jsonPositionOf(files, j.At), Kept: j.Kept,
			Step: purge.Name, Why: []jsonReason{}}
		for _, r := range j.Why {
			one.Why = append(one.Why,
				jsonReason{r.Part, r.Use.Kind, jsonPositionOf(files, source.SpanOf(r.Use.At, len(r.Use.Text))), r.Use.Text})
		}
		out = append(out, one)
	}
	return out
}

// jsonUses returns positions of names as JSON.
func (w *whyAnswer) jsonUses(uses map[string][]source.Pos) map[string][]string {
	out := make(map[string][]string)
	for part, places := range uses {
		out[part] = []string{}
		for _, at := range places {
			out[part] = append(out[part], w.positionOf(at))
		}
	}
	return out
}

// jsonClasses returns classes without rules as JSON.
func (w *whyAnswer) jsonClasses() []map[string]string {
	out := []map[string]string{}
	for _, c := range w.purged.NoRule {
		out = append(out, map[string]string{"class": c.Class, "place": w.positionOf(c.At), "near": c.Near})
	}
	return out
}
