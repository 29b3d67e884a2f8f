package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// newFamilies returns the families command.
func newFamilies(std IO) *cobra.Command {
	var flags inspectFlags
	var f familiesFlags
	cmd := &cobra.Command{
		Use:   "families [FILTER]",
		Short: "List the families of classes, and which of their classes are in use",
		Long: `Families lists the families and modes of all sheets that pages link: the classes
of each one that are in use, and what fills its slots.

With FILTER, the start of a class or a glob such as "padding-*" or "*-inline-*",
it lists for each match all that fills the slots, and each class in use with its
declarations and the places where it is written.

--as-rules FILE writes the classes in use as plain rules into a new sheet, which
then replaces the families; - writes to standard output.`,
		Example: `  rinzel families
  rinzel families padding
  rinzel families "*-padding-4"
  rinzel families --as-rules site/css/classes.css`,
		Args: atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			f.filter = strings.TrimPrefix(strings.Join(args, ""), ".")
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				return in.families(cmd.Context(), &f)
			})
		},
	}
	flags.add(cmd)
	flag := cmd.Flags()
	flag.StringVarP(&f.profile, "profile", "p", project.Development, "settings profile")
	flag.StringVar(&f.sheet, "sheet", "", "only the families of a linked `sheet`")
	flag.StringVar(&f.asRules, "as-rules", "", "write the classes in use as plain rules into a new `file`")
	flag.BoolVar(&f.all, "all", false, "also list families without a class in use")
	return cmd
}

// familiesFlags are the flags of the families command.
type familiesFlags struct {
	filter, profile, sheet, asRules string
	all                             bool
}

// families prints families, or writes their rules.
func (in *inspection) families(ctx context.Context, f *familiesFlags) ([]diag.Diagnostic, error) {
	if _, err := path.Match(f.filter, ""); err != nil {
		return nil, fmt.Errorf("the filter %q is not a valid glob", f.filter)
	}
	sheet := f.sheet
	if sheet != "" {
		var err error
		if sheet, err = sourceName(in.project, sheet); err != nil {
			return nil, err
		}
	}
	shown := showProgress(in.std)
	found, err := query.ListFamilies(ctx, in.project, sheet, site.Options{Profile: f.profile, Progress: shown.update})
	shown.end()
	if err != nil {
		return nil, err
	}
	if len(found.Diagnostics) > 0 {
		return found.Diagnostics, nil
	}
	if f.asRules != "" {
		return nil, in.asRules(found, f.asRules)
	}
	l := &familyList{inspection: in, found: found, filter: f.filter, all: f.all}
	l.match()
	switch {
	case in.flags.json:
		in.answer = l.json()
	case len(found.Families)+len(found.Modes) == 0:
		fmt.Fprintln(in.std.Out, "no linked sheet has families")
	case f.filter == "":
		l.overview()
	default:
		l.details()
	}
	return nil, nil
}

// asRules writes the rules of members into a new file.
func (in *inspection) asRules(found *query.Families, name string) error {
	text, err := found.AsRules()
	if err != nil {
		return err
	}
	if text == "" {
		return errors.New("no class of a family is in use")
	}
	if name == stream {
		_, err := io.WriteString(in.std.Out, text)
		return err
	}
	if err := source.WriteNew(name, text); errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("%s exists: name a new file", name)
	} else if err != nil {
		return err
	}
	fmt.Fprintf(in.std.Out, "wrote %s: import it instead of the families\n", name)
	return nil
}

// familyList prints families.
type familyList struct {
	*inspection
	found   *query.Families
	filter  string
	all     bool
	matched []query.FamilyUse // with the members that match
}

// match finds the families whose pattern or members match the filter.
func (l *familyList) match() {
	for _, fam := range l.found.Families {
		if !l.matches(strings.TrimPrefix(fam.Pattern, ".")) {
			var members []compose.Member
			for _, m := range fam.Members {
				if l.matches(m.Class) {
					members = append(members, m)
				}
			}
			if len(members) == 0 {
				continue
			}
			fam.Members = members
		}
		l.matched = append(l.matched, fam)
	}
}

// matches reports whether a class or pattern matches the filter.
func (l *familyList) matches(name string) bool {
	if strings.ContainsAny(l.filter, "*?[") {
		ok, _ := path.Match(strings.ReplaceAll(l.filter, "/", "\x00"), strings.ReplaceAll(name, "/", "\x00"))
		return ok
	}
	return strings.HasPrefix(name, l.filter)
}

// overview prints a line for each family and mode.
func (l *familyList) overview() {
	out := l.std.Out
	families, modes := table{{"  family", "in use", ""}}, table{{"  mode", "in use", ""}}
	unused, members := 0, 0
	for _, fam := range l.matched {
		members += len(fam.Members)
		if len(fam.Members) == 0 && !l.all {
			unused++
			continue
		}
		about := l.position(fam.At)
		if slots := slotText(fam.Slots); slots != "" {
			about += "  " + l.paint("2", slots)
		}
		families = append(families, []string{"  " + diag.Printable(fam.Pattern), fmt.Sprint(len(fam.Members)), about})
	}
	for _, m := range l.found.Modes {
		if len(m.Members) > 0 || l.all {
			modes = append(modes, []string{"  " + diag.Printable(m.Prefix), fmt.Sprint(len(m.Members)), l.position(m.At)})
		}
	}
	fmt.Fprintf(out, "%s in use, of %s and %s\n", diag.Count(members, "class"), diag.Count(len(l.matched), "family"),
		diag.Count(len(l.found.Modes), "mode"))
	l.table(families)
	l.table(modes)
	if rest := len(l.found.Modes) - len(modes) + 1; unused+rest > 0 {
		fmt.Fprintf(out, "%s and %s without a class in use: --all lists them\n", diag.Count(unused, "family"), diag.Count(rest, "mode"))
	}
}

// table prints a table with a grey head.
func (l *familyList) table(t table) {
	if len(t) == 1 {
		return
	}
	for i, line := range t.lines() {
		if i == 0 {
			line = l.paint("2", line)
		}
		fmt.Fprintln(l.std.Out, line)
	}
}

// slotText returns what fills the slots of a family in one line.
func slotText(slots []compose.Slot) string {
	var parts []string
	for _, s := range slots {
		var sources []string
		for _, from := range s.Sources {
			sources = append(sources, cut(from.Text, 28))
		}
		parts = append(parts, s.Name+": "+strings.Join(sources, ", "))
	}
	return diag.Printable(strings.Join(parts, "; "))
}

// cut shortens a text to a number of characters.
func cut(text string, most int) string {
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most-1]) + "…"
	}
	return text
}

// details prints the matching families with all that fills their slots, and their
// classes in use.
func (l *familyList) details() {
	out := l.std.Out
	if len(l.matched) == 0 {
		fmt.Fprintf(out, "no family and no class in use matches %q\n", l.filter)
		return
	}
	for _, fam := range l.matched {
		fmt.Fprintf(out, "%s  %s\n", l.paint("1", diag.Printable(fam.Pattern)), l.paint("2", l.position(fam.At)))
		for _, s := range fam.Slots {
			for i, from := range s.Sources {
				name := s.Name + ":"
				if i > 0 {
					name = strings.Repeat(" ", len(name))
				}
				l.source(name, from)
			}
		}
		t := table{{"", "", ""}}
		for _, m := range fam.Members {
			t = append(t, []string{"  ." + diag.Printable(m.Class), "", diag.Printable(m.Declarations) + "  " + l.paint("2", l.places(m.Class))})
		}
		if len(fam.Members) == 0 {
			fmt.Fprintln(out, "  no class in use")
			continue
		}
		for _, line := range t.lines()[1:] {
			fmt.Fprintln(out, line)
		}
	}
}

// source prints a source of a slot.
func (l *familyList) source(name string, from compose.SlotSource) {
	keys := strings.Join(from.Keys, ", ")
	const width = 76
	switch {
	case from.Type && keys != "":
		keys = from.Text + ", such as " + keys
	case from.Type:
		keys = from.Text
	case keys != from.Text:
		keys = from.Text + ": " + keys
	}
	indent := strings.Repeat(" ", len(name)+3)
	for i, line := range wrapWords(diag.Printable(keys), width-len(indent)) {
		if i == 0 {
			fmt.Fprintf(l.std.Out, "  %s %s\n", name, line)
		} else {
			fmt.Fprintf(l.std.Out, "%s%s\n", indent, line)
		}
	}
}

// places returns where a class is written.
func (l *familyList) places(class string) string {
	const most = 3
	list := l.found.Places(class, l.project.Tree.Set)
	var out []string
	for i, at := range list {
		if i == most {
			out = append(out, fmt.Sprintf("and %s more", diag.Count(len(list)-most, "file")))
			break
		}
		out = append(out, l.positionOf(at))
	}
	return strings.Join(out, ", ")
}

// jsonFamily is a family as JSON.
type jsonFamily struct {
	Pattern string        `json:"pattern"`
	Place   *jsonPosition `json:"place"`
	Sheets  []string      `json:"sheets"`
	Slots   []jsonSlot    `json:"slots"`
	Classes []jsonMember  `json:"classes"`
}

// jsonSlot is a slot as JSON.
type jsonSlot struct {
	Name    string           `json:"name"`
	Sources []jsonSlotSource `json:"sources"`
}

// jsonSlotSource is a source of a slot as JSON. The keys of a type are its keywords.
type jsonSlotSource struct {
	From string   `json:"from"`
	Type bool     `json:"type"`
	Keys []string `json:"keys"`
}

// jsonMember is a class in use as JSON.
type jsonMember struct {
	Class        string     `json:"class"`
	Modes        []string   `json:"modes"`
	Slots        []jsonFill `json:"slots"`
	Declarations string     `json:"declarations"`
	Places       []string   `json:"places"`
}

// jsonFill is what fills a slot as JSON.
type jsonFill struct {
	Name  string `json:"name"`
	Key   string `json:"key"`
	Value string `json:"value"`
}

// jsonMode is a mode as JSON.
type jsonMode struct {
	Prefix  string        `json:"prefix"`
	Place   *jsonPosition `json:"place"`
	Classes []string      `json:"classes,omitempty"` // in use, in a list of modes
}

// json returns the matching families as JSON.
func (l *familyList) json() any {
	files := l.project.Tree.Set
	families := []jsonFamily{}
	for _, fam := range l.matched {
		one := jsonFamily{fam.Pattern, jsonPositionOf(files, fam.At), fam.Sheets, []jsonSlot{}, []jsonMember{}}
		for _, s := range fam.Slots {
			slot := jsonSlot{Name: s.Name}
			for _, from := range s.Sources {
				slot.Sources = append(slot.Sources, jsonSlotSource{from.Text, from.Type, orEmpty(from.Keys)})
			}
			one.Slots = append(one.Slots, slot)
		}
		for _, m := range fam.Members {
			member := jsonMemberOf(m)
			for _, at := range l.found.Places(m.Class, files) {
				member.Places = append(member.Places, l.positionOf(at))
			}
			one.Classes = append(one.Classes, member)
		}
		families = append(families, one)
	}
	modes := []jsonMode{}
	for _, m := range l.found.Modes {
		modes = append(modes, jsonMode{m.Prefix, jsonPositionOf(files, m.At), m.Members})
	}
	return map[string]any{"version": 1, "families": families, "modes": modes}
}

// jsonMemberOf returns a class in use as JSON, without its places.
func jsonMemberOf(m compose.Member) jsonMember {
	out := jsonMember{m.Class, orEmpty(m.Modes), []jsonFill{}, m.Declarations, []string{}}
	for _, f := range m.Fills {
		out.Slots = append(out.Slots, jsonFill{f.Slot, f.Key, f.Value})
	}
	return out
}
