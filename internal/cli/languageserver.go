package cli

import (
	"errors"
	"io"

	"github.com/spf13/cobra"

	"rinzel/internal/lsp"
)

// newLanguageServer returns the language-server command.
func newLanguageServer(std IO) *cobra.Command {
	var opts lsp.Options
	cmd := &cobra.Command{
		Use:   "language-server",
		Short: "Answer an editor: findings as you type, proposals, explanations",
		Long: `Language-server speaks the Language Server Protocol 3.17 on standard input and output.
Editors start it; see docs/editors.md for how to set it up.

It publishes findings for unsaved texts; it proposes, explains, finds and renames
constants, mixins, custom properties and classes; it knows which targets lack a
property or value; it lists the rules and colours of a sheet, and formats it.`,
		Args: atMost(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if std.In == nil {
				return errors.New("standard input is closed")
			}
			opts.Version = version()
			return lsp.Serve(cmd.Context(), duplex{std.In, std.Out}, opts)
		},
	}
	cmd.Flags().StringVar(&opts.Settings, "settings", "", "settings file (default rinzel.toml in the folder that the editor has open)")
	cmd.Flags().StringVarP(&opts.Profile, "profile", "p", "", "profile that selects the target browsers")
	cmd.Flags().Bool("stdio", true, "use standard input and output, which is the only way")
	return cmd
}

// duplex is a stream of two others.
type duplex struct {
	io.Reader
	io.Writer
}

// Close does nothing: the streams are those of the process.
func (duplex) Close() error { return nil }
