package cli_test

import (
	"strings"
	"testing"

	"github.com/spf13/cobra"

	"rinzel/internal/cli"
)

// TestHelpTexts checks the help of each command: it is in a group, has a text and, unless an
// editor starts it, examples, and its lines fit a terminal.
func TestHelpTexts(t *testing.T) {
	root := cli.Command()
	for _, cmd := range root.Commands() {
		name := cmd.Name()
		if !cmd.Runnable() { // a topic
			continue
		}
		if cmd.GroupID == "" || cmd.Short == "" || strings.HasSuffix(cmd.Short, ".") {
			t.Errorf("%s: group %q, %q", name, cmd.GroupID, cmd.Short)
		}
		if cmd.Example == "" && name != "language-server" {
			t.Errorf("%s has no example", name)
		}
		if cmd.Long == "" && name != "version" {
			t.Errorf("%s has no text", name)
		}
		lines(t, cmd, cmd.Long, 100)
		lines(t, cmd, cmd.Example, 100)
	}
	lines(t, root, root.Long, 100)
	lines(t, root, root.Example, 100)
}

// lines checks that the lines of a text have at most a number of characters.
func lines(t *testing.T, cmd *cobra.Command, text string, most int) {
	t.Helper()
	for line := range strings.Lines(text) {
		if n := len([]rune(strings.TrimSuffix(line, "\n"))); n > most {
			t.Errorf("%s: a line of %d characters, at most %d fit: %s", cmd.Name(), n, most, line)
		}
	}
}
