package report

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"math"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/project"
)

// The parts of the page.
var (
	//go:embed page.html
	pageText string
	//go:embed page.css
	pageStyle string
	//go:embed page.js
	pageScript string
)

// page is the template of the page.
var page = template.Must(template.New("page").Funcs(template.FuncMap{
	"size": func(n int) string { return sizeText(n) }, "percent": percent, "plural": diag.Count, "n1": decimal,
	"limit": limitText, "trend": trendOf, "ms": func(ms float64) string { return fmt.Sprintf("%.1f ms", ms) },
	"bar":    func(n, most int) int { return int(math.Round(100 * float64(n) / float64(max(most, 1)))) },
	"bar64":  func(x, most float64) int { return int(math.Round(100 * x / math.Max(most, 0.001))) },
	"at":     func(x float64, by int) string { return fmt.Sprintf("%.1f", x+float64(by)) },
	"soft":   softened,
	"style":  func() template.CSS { return template.CSS(pageStyle) },
	"script": func() template.JS { return template.JS(pageScript) },
}).Parse(pageText))

// Write writes the report as an HTML page.
func (r *Report) Write(w io.Writer) error {
	if err := page.Execute(w, r); err != nil {
		return fmt.Errorf("the report: %w", err)
	}
	return nil
}

// softened returns a path that may be broken after its slashes.
func softened(name string) template.HTML {
	return template.HTML(strings.ReplaceAll(template.HTMLEscapeString(name), "/", "/<wbr>"))
}

// generator marks a page as a report.
const generator = `<meta name="generator" content="rinzel report">`

// Is reports whether a file is a report.
func Is(data []byte) bool { return bytes.Contains(data, []byte(generator)) }

// sizeText returns a number of bytes for display.
func sizeText(n int) string { return diag.Size(n) }

// decimal returns a number with one digit after the point, or none if it is
// whole.
func decimal(x float64) string {
	return strings.TrimSuffix(fmt.Sprintf("%.1f", x), ".0")
}

// limitText returns a number of a budget for display.
func limitText(key string, n int) string {
	if key == string(project.BudgetUnused) {
		return fmt.Sprintf("%d%%", n)
	}
	return sizeText(n)
}

// Trend is the history of a size as a line.
type Trend struct {
	Width, Height int
	Points        string // of the line
	Area          string // of the area below it
	Dots          []Dot
	Most, Least   int
}

// Dot is a build in a trend.
type Dot struct {
	X, Y float64
	Text string
}

// trendOf returns the trend of the bytes of all bundles, of the builds with the
// profile of the last one. It has no points for fewer than two builds.
func trendOf(history []Entry) Trend {
	t := Trend{Width: 1000, Height: 200}
	if len(history) == 0 {
		return t
	}
	profile := history[len(history)-1].Profile
	var list []Entry
	for _, e := range history {
		if e.Profile == profile {
			list = append(list, e)
			t.Most = max(t.Most, e.Bytes)
			if t.Least == 0 || e.Bytes < t.Least {
				t.Least = e.Bytes
			}
		}
	}
	if len(list) < 2 {
		return t
	}
	const margin = 10
	var points []string
	for i, e := range list {
		x := margin + float64(i)*(float64(t.Width)-2*margin)/float64(len(list)-1)
		y := float64(t.Height) - margin - float64(e.Bytes)*(float64(t.Height)-2*margin)/float64(max(t.Most, 1))
		points = append(points, fmt.Sprintf("%.1f,%.1f", x, y))
		when := "this build"
		if !e.Time.IsZero() {
			when = e.Time.Format("2006-01-02 15:04")
		}
		t.Dots = append(t.Dots, Dot{x, y, fmt.Sprintf("%s: %s, %s with brotli", when, sizeText(e.Bytes), sizeText(e.Brotli))})
	}
	t.Points = strings.Join(points, " ")
	t.Area = fmt.Sprintf("%d,%d %s %d,%d", margin, t.Height-margin, t.Points, t.Width-margin, t.Height-margin)
	return t
}
