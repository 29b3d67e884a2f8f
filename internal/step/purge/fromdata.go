package purge

import "regexp"

// This file finds classes of templates that are all data, as in class="page {{ section }}":
// nothing of them is known, so evidence cannot keep what they use.

// dataMark matches a template mark that writes the value of a variable: a path of names,
// perhaps with filters after it.
var dataMark = regexp.MustCompile(`^(?:\{\{|<%[=-]|<\?=|<\?php\s+(?:echo|print)\s|\$\{)[-~\s]*` +
	`([.$@]?[A-Za-z_][\w.$]*(?:->\w+)*(?:\[[^\]]*\])*)\s*(?:\|[^"']*)?[-~;\s]*(?:\}\}|%>|\?>|\})$`)

// notData matches words of template languages that look like variables.
var notData = regexp.MustCompile(`^(?:else|end\w*|if|for|range|with|block|yield|content|outlet)$`)

// classAttribute matches the start of a class attribute.
var classAttribute = regexp.MustCompile(`(?i)\sclass\s*=\s*(?:"|')`)

// FromData returns the marks of a template, such as "{{ section }}", that are whole
// classes of a class attribute, with their offsets.
func FromData(text string, visit func(mark string, at int)) {
	for from := 0; ; {
		m := classAttribute.FindStringIndex(text[from:])
		if m == nil {
			return
		}
		at := from + m[1]
		from = at + dataIn(text[at:], text[at-1], func(mark string, offset int) { visit(mark, at+offset) })
	}
}

// dataIn visits the marks in the value of a class attribute, which ends at a quote, and
// returns its length.
func dataIn(text string, quote byte, visit func(mark string, at int)) int {
	const most = 4000 // maximum length of a value in bytes
	text = text[:min(len(text), most)]
	start, marks, markFrom := 0, 0, 0 // of the current class
	i := 0
	word := func() {
		if marks == 1 && markFrom == start && isData(text[start:i]) {
			visit(text[start:i], start)
		}
	}
	for i < len(text) {
		if _, end := markAt(text[i:]); end > 0 {
			marks, markFrom = marks+1, i
			i += end
			continue
		}
		switch text[i] {
		case quote, '<', '>':
			word()
			return i
		case ' ', '\t', '\n', '\r':
			word()
			start, marks = i+1, 0
		}
		i++
	}
	return i
}

// isData reports whether a mark writes data.
func isData(mark string) bool {
	m := dataMark.FindStringSubmatch(mark)
	return m != nil && !notData.MatchString(m[1])
}
