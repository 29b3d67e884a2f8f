package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/mattn/go-runewidth"
	"github.com/spf13/cobra"

	"rinzel/docs"
	"rinzel/internal/diag"
	"rinzel/internal/project"
)

// newSettings returns the settings command.
func newSettings(std IO) *cobra.Command {
	var flags inspectFlags
	var defaults, schema bool
	cmd := &cobra.Command{
		Use:   "settings [FILTER]",
		Short: "List all settings in force, and where each is set",
		Long: `Settings lists all settings in force as TOML, and after each the line that sets it:
in the settings file, or in one that it extends. "default" means that no file sets it.

With FILTER, the start of a key such as "purge" or "profile.production", it lists
only these. --defaults writes a settings file with all keys, what they mean, and their
defaults; it is a start for a file of your own. --schema writes a JSON Schema of
settings files, for editors that complete and check TOML by one.

` + tablesOf(docs.Settings, "key"),
		Example: `  rinzel settings
  rinzel settings profile.production
  rinzel settings --defaults > rinzel.toml`,
		Args: atMost(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if defaults {
				_, err := fmt.Fprint(std.Out, defaultSettings())
				return err
			}
			if schema {
				return writeJSON(std.Out, project.Schema(describeKey(docs.Keys())))
			}
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				in.settings(strings.Join(args, ""))
				return nil, nil
			})
		},
	}
	flags.add(cmd)
	cmd.Flags().BoolVar(&schema, "schema", false, "write a JSON Schema of settings files")
	cmd.Flags().BoolVar(&defaults, "defaults", false, "write a settings file with all keys and their defaults")
	return cmd
}

// setting is a setting in force.
type setting struct {
	table string // as in TOML, without the outer brackets; empty for keys at the top
	nth   string // number of the table, in a list of tables
	key   string
	value string // as TOML
	from  string // where it is set
}

// line returns the setting as TOML.
func (s setting) line() string { return project.TOMLKey(s.key) + " = " + s.value }

// settings prints the settings in force that match a filter.
func (in *inspection) settings(filter string) {
	list := slices.DeleteFunc(in.inForce(), func(s setting) bool {
		whole := strings.Trim(s.table, "[]") + "." + s.key
		return !strings.HasPrefix(strings.TrimPrefix(whole, "."), filter)
	})
	if in.flags.json {
		answer := []map[string]string{}
		for _, s := range list {
			answer = append(answer, map[string]string{"table": s.table, "key": s.key, "value": s.value, "from": s.from})
		}
		in.answer = map[string]any{"version": 1, "settings": answer}
		return
	}
	if len(list) == 0 {
		fmt.Fprintf(in.std.Out, "no setting in force begins with %q\n", filter)
		return
	}
	width := 0
	const most = 60 // longer lines have their comment right after them
	for _, s := range list {
		if n := runewidth.StringWidth(s.line()); n <= most {
			width = max(width, n)
		}
	}
	for i, s := range list {
		if i == 0 || list[i-1].table != s.table || list[i-1].nth != s.nth {
			if i > 0 {
				fmt.Fprintln(in.std.Out)
			}
			if s.table != "" {
				fmt.Fprintln(in.std.Out, in.paint("1", diag.Printable("["+s.table+"]")))
			}
		}
		fmt.Fprintf(in.std.Out, "%s  %s\n", diag.Printable(runewidth.FillRight(s.line(), width)), in.paint("2", "# "+s.from))
	}
}

// inForce returns all settings in force, in the order of the documentation: those of the
// files, and defaults.
func (in *inspection) inForce() []setting {
	keys := docs.Keys()
	var out []setting
	for _, g := range in.project.Settings.Given {
		s := setting{key: g.Path[len(g.Path)-1], value: g.Value, from: in.position(g.At)}
		s.table, s.nth = tableOf(g.Path[:len(g.Path)-1])
		out = append(out, s)
	}
	for _, k := range keys {
		tables := map[string]string{k.Table: k.Default}
		switch {
		case k.Table == "profile.NAME":
			tables = map[string]string{"profile." + project.Development: k.Default, "profile." + project.Production: k.Release}
		case strings.Contains(k.Table, "NAME"), strings.HasPrefix(k.Table, "["):
			continue // they have what the user gives
		}
		for table, value := range tables {
			set := slices.ContainsFunc(out, func(s setting) bool { return s.table == table && s.key == k.Name })
			if k.Name != "" && value != "" && !set {
				out = append(out, setting{table: table, key: k.Name, value: value, from: "default"})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b setting) int {
		return cmp.Or(cmp.Compare(rank(keys, a.table, ""), rank(keys, b.table, "")), strings.Compare(a.table, b.table),
			strings.Compare(a.nth, b.nth), cmp.Compare(rank(keys, a.table, a.key), rank(keys, b.table, b.key)))
	})
	return out
}

// tableOf returns the table that a path of keys leads to, and its number in a list of
// tables.
func tableOf(path []string) (table, nth string) {
	if len(path) == 2 && strings.Trim(path[1], "0123456789") == "" {
		return "[" + path[0] + "]", path[1]
	}
	var parts []string
	for _, key := range path {
		parts = append(parts, project.TOMLKey(key))
	}
	return strings.Join(parts, "."), ""
}

// rank returns the place of a table, or of a key in it, in the documentation.
func rank(keys []docs.Key, table, key string) int {
	if table == "" && key == "" {
		return -1 // keys at the top come before all tables
	}
	for i, k := range keys {
		if fitsTable(k.Table, table) && (key == "" || k.Name == key) {
			return i
		}
	}
	return len(keys)
}

// fitsTable reports whether a table is one that the documentation describes, with names
// instead of NAME, or in one.
func fitsTable(described, table string) bool {
	x, y := strings.Split(described, "."), strings.Split(table, ".")
	if len(x) > len(y) {
		return false
	}
	for i := range x {
		if x[i] != "NAME" && x[i] != y[i] {
			return false
		}
	}
	return described != "" || table == ""
}

// defaultSettings returns a settings file with all keys and their defaults.
func defaultSettings() string {
	const width = 100
	var b strings.Builder
	b.WriteString("# All settings, with what they mean and their defaults. Keys in comments have no default\n# that can be written.\n")
	tops, tables := "", ""
	last := ""
	for _, release := range []bool{false, true} {
		for _, k := range docs.Keys() {
			if release && k.Table != "profile.NAME" {
				continue
			}
			table, value := k.Table, k.Default
			if table == "profile.NAME" {
				table = "profile." + project.Development
				if release {
					table, value = "profile."+project.Production, k.Release
				}
			}
			named := strings.Contains(table, "NAME") || strings.HasPrefix(table, "[")
			text := ""
			for _, line := range wrapWords(plainText(k.Meaning), width-2) {
				text += "# " + line + "\n"
			}
			switch {
			case k.Name == "":
				text += "# [" + table + "]\n"
			case value == "" || named:
				if value == "" {
					value = "…"
				}
				text += "# " + k.Name + " = " + value + "\n"
			default:
				text += k.Name + " = " + value + "\n"
			}
			if table == "" {
				tops += "\n" + text
				continue
			}
			if table != last && k.Name != "" {
				if named {
					text = "# [" + table + "]\n" + text
				} else {
					text = "[" + table + "]\n" + text
				}
				last = table
			}
			tables += "\n" + text
		}
	}
	b.WriteString(tops + tables)
	return b.String()
}

// describeKey returns a function that describes keys for a schema, with their defaults.
func describeKey(keys []docs.Key) func(path []string) string {
	return func(path []string) string {
		name := strings.ReplaceAll(strings.Join(path, "."), "*", "NAME")
		for _, k := range keys {
			whole := strings.Replace(k.Table, "[chain]", "chain.#", 1)
			if k.Name != "" {
				whole = strings.TrimPrefix(whole+"."+k.Name, ".")
			}
			if whole != name {
				continue
			}
			text := plainText(k.Meaning)
			if k.Default != "" {
				text += " (default " + k.Default + ")"
			}
			return text
		}
		return ""
	}
}

// plainText returns Markdown without its marks.
func plainText(markdown string) string { return cells("|" + markdown + "|")[0] }
