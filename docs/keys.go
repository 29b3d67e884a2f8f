package docs

import "strings"

// Key is a row of the tables of settings.md.
type Key struct {
	Section string // heading of the table
	Table   string // as "purge", "profile.NAME"; empty for keys at the top. A list of tables begins with "[".
	Name    string // empty if the row is about a table of names of the user's
	Default string // as TOML; empty if there is none that can be written
	Release string // of profiles: the default in the profile for releases; otherwise empty
	Without string // what holds without a default, in words
	Meaning string // in Markdown
}

// Keys returns the rows of the tables of settings.md that are about keys.
func Keys() (out []Key) {
	section, inTable := "", false
	for line := range strings.Lines(Settings) {
		line = strings.TrimSpace(line)
		switch {
		case strings.HasPrefix(line, "## "):
			section, inTable = strings.TrimPrefix(line, "## "), false
		case strings.HasPrefix(line, "| key |"):
			inTable = true
		case !strings.HasPrefix(line, "|"):
			inTable = false
		case inTable && !strings.HasPrefix(line, "|---"):
			cells := strings.Split(strings.Trim(line, "|"), "|")
			for i := range cells {
				cells[i] = strings.TrimSpace(cells[i])
			}
			k := Key{Section: section, Meaning: cells[len(cells)-1]}
			k.Table, k.Name = keyIn(cells[0])
			k.Default, k.Without = defaultIn(cells[1])
			if len(cells) == 4 {
				k.Release, _ = defaultIn(cells[2])
			}
			out = append(out, k)
		}
	}
	return out
}

// keyIn returns the table and the name in a first cell: `[purge]` `keep`.
func keyIn(cell string) (table, name string) {
	parts := strings.Split(cell, "`")
	first := parts[1]
	if !strings.HasPrefix(first, "[") {
		return "", first
	}
	table = strings.TrimSuffix(strings.TrimPrefix(first, "["), "]")
	if len(parts) > 3 {
		name = parts[3]
	}
	if strings.Contains(name, " = ") { // `NAME = "path"`
		name = ""
	}
	return table, name
}

// defaultIn returns a default in backquotes, or what a cell says instead.
func defaultIn(cell string) (text, without string) {
	if text, ok := strings.CutPrefix(cell, "`"); ok && strings.Count(cell, "`") == 2 && strings.HasSuffix(text, "`") {
		return strings.TrimSuffix(text, "`"), ""
	}
	return "", cell
}
