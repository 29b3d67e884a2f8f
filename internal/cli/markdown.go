package cli

import (
	"fmt"
	"strings"
	"time"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// markdown writes the result of a build as Markdown, for the summary of a job or a
// comment. failed is set if nothing was written.
func (r *report) markdown(res *site.Result, failed bool, took time.Duration) {
	w := r.std.Out
	if failed {
		fmt.Fprintf(w, "**Not built**: %s\n", diag.Count(errorsIn(res.Diagnostics), "error"))
	} else {
		fmt.Fprintf(w, "**Built** for %s: %s, in %s\n", codeSpan(res.Profile.Name), strings.Join(built(res), ", "),
			took.Round(time.Millisecond))
	}
	if len(res.Bundles) > 0 && !failed {
		fmt.Fprint(w, "\n| bundle | size | gzip | pages | sheets | purged |\n|---|--:|--:|--:|--:|--:|\n")
		packed := make(map[string]int)
		var pack packer
		for _, o := range res.Outputs {
			if o.Kind == emit.StyleKind && res.Profile.Maps != project.InlineMaps { // maps would count
				packed[o.Path] = pack.size(o.Data)
			}
		}
		for _, b := range res.Bundles {
			gzip := ""
			if n, ok := packed[b.Path]; ok {
				gzip = size(n)
			}
			fmt.Fprintf(w, "| %s | %s | %s | %d | %d | %s |\n", codeSpan(b.Name), size(b.Size), gzip, len(b.Pages), len(b.Files),
				size(b.Rules.RemovedBytes))
		}
	}
	list := diag.Alike(res.Diagnostics)
	if len(list) == 0 {
		return
	}
	fmt.Fprintln(w)
	const most = 50
	files := r.project.Tree.Set
	renderer := diag.Renderer{Files: files}
	for i, d := range list {
		if i == most {
			fmt.Fprintf(w, "* and %s\n", diag.Count(len(list)-most, "finding"))
			break
		}
		line := fmt.Sprintf("* %s: %s", d.Severity, inText(d.Message))
		if d.Span.IsValid() {
			line = fmt.Sprintf("* %s %s: %s", codeSpan(renderer.Position(d.Span)), d.Severity, inText(d.Message))
		}
		if d.Fix != "" {
			line += "; fix: " + inText(d.Fix)
		}
		fmt.Fprintf(w, "%s (%s)\n", line, d.Code)
	}
}

// codeSpan returns text as code in Markdown, also in a table.
func codeSpan(text string) string {
	text = strings.ReplaceAll(diag.Printable(text), "|", `\|`)
	fence := "`"
	for strings.Contains(text, fence) {
		fence += "`"
	}
	if len(fence) > 1 {
		return fence + " " + text + " " + fence
	}
	return fence + text + fence
}

// inText returns text for a line of Markdown: characters that mean something are escaped.
func inText(text string) string {
	return strings.NewReplacer("\\", "\\\\", "*", "\\*", "_", "\\_", "`", "\\`", "<", "&lt;", "[", "\\[", "|", "\\|",
		"\n", " ").Replace(diag.Printable(text))
}
