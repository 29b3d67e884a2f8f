package cli

import (
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"rinzel/docs"
	"rinzel/internal/pipeline"
)

// topicWidth is the width of help topics in columns.
const topicWidth = 100

// newTopics returns the help topics: "rinzel help language" and so on. They are
// commands that do not run. The help of the command settings has the tables of all
// settings.
func newTopics() []*cobra.Command {
	return []*cobra.Command{
		{Use: "language", Short: "The sheet language on one page", Long: tablesOf(docs.Language, "to")},
		{Use: "steps", Short: "The steps of sheets and bundles, and their order", Long: stepsTopic()},
	}
}

// stepsTopic describes the steps from their table.
func stepsTopic() string {
	rows := [][]string{{"step", "on", "does"}}
	var order strings.Builder
	for _, s := range pipeline.Steps {
		rows = append(rows, []string{s.Name, string(s.On), s.Does})
		for _, o := range s.Before {
			fmt.Fprintf(&order, "  %s comes before %s: %s\n", s.Name, o.Then, o.Why)
		}
	}
	return "Sheets go through the steps of their [[chain]], bundles through the finish of\nthe profile, in the written order.\n\n" +
		strings.Join(columns(rows, topicWidth), "\n") + "\n\nOrder constraints:\n" + strings.TrimRight(order.String(), "\n")
}

// tablesOf returns the tables of a page in Markdown whose first column has a
// title, for a terminal. Each is below its heading.
func tablesOf(page, title string) string {
	var out []string
	var rows [][]string
	heading := ""
	flush := func() {
		if len(rows) > 0 && rows[0][0] == title {
			if heading != "" {
				out = append(out, heading)
			}
			out = append(append(out, columns(rows, topicWidth)...), "")
		}
		rows = nil
	}
	for line := range strings.Lines(page) {
		line = strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(line, "## "):
			flush()
			heading = strings.TrimPrefix(line, "## ")
		case strings.HasPrefix(line, "|---"):
		case strings.HasPrefix(line, "|"):
			rows = append(rows, cells(line))
		default:
			flush()
		}
	}
	flush()
	return strings.TrimRight(strings.Join(out, "\n"), "\n")
}

var (
	markdownLink = regexp.MustCompile(`\[([^\]]*)\]\([^)]*\)`)
	seeAlso      = regexp.MustCompile(`; see (\[[^\]]*\]\([^)]*\))`)
)

// cells returns the cells of a table row in Markdown as plain text.
func cells(line string) []string {
	line = seeAlso.ReplaceAllString(line, "")
	line = markdownLink.ReplaceAllString(line, "$1")
	line = strings.ReplaceAll(line, "`", "")
	var out []string
	for cell := range strings.SplitSeq(strings.Trim(line, "|"), "|") {
		out = append(out, strings.TrimSpace(cell))
	}
	return out
}

// columns returns a table as lines of at most width columns, if only the last
// column is long; its cells are wrapped.
func columns(rows [][]string, width int) []string {
	last := len(rows[0]) - 1
	widths := make([]int, last)
	for _, row := range rows {
		for i := range widths {
			widths[i] = max(widths[i], utf8.RuneCountInString(row[i]))
		}
	}
	indent := 2
	for _, w := range widths {
		indent += w + 2
	}
	var out []string
	for _, row := range rows {
		line := "  "
		for i, w := range widths {
			line += fmt.Sprintf("%-*s  ", w, row[i])
		}
		for i, part := range wrapWords(row[last], max(20, width-indent)) {
			if i > 0 {
				line = strings.Repeat(" ", indent)
			}
			out = append(out, strings.TrimRight(line+part, " "))
		}
	}
	return out
}

// wrapWords splits a text into lines of at most width columns, if no word is
// longer.
func wrapWords(text string, width int) []string {
	lines := []string{""}
	for _, word := range strings.Fields(text) {
		last := &lines[len(lines)-1]
		switch {
		case *last == "":
			*last = word
		case utf8.RuneCountInString(*last)+1+utf8.RuneCountInString(word) <= width:
			*last += " " + word
		default:
			lines = append(lines, word)
		}
	}
	return lines
}
