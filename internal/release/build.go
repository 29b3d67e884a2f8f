package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"rinzel/internal/cli"
)

// platform is an operating system and a processor, as Go names them.
type platform struct{ os, arch string }

// platforms are those that programs are published for.
var platforms = []platform{
	{"linux", "amd64"}, {"linux", "arm64"}, {"darwin", "amd64"}, {"darwin", "arm64"}, {"windows", "amd64"}, {"windows", "arm64"},
}

// String returns the platform as "linux/amd64".
func (p platform) String() string { return p.os + "/" + p.arch }

// program returns the file name of the program.
func (p platform) program() string {
	if p.os == "windows" {
		return "rinzel.exe"
	}
	return "rinzel"
}

// platformsOf returns the platforms of a list; all for an empty one.
func platformsOf(list string) ([]platform, error) {
	if list == "" {
		return platforms, nil
	}
	var out []platform
	for name := range strings.SplitSeq(list, ",") {
		i := slices.IndexFunc(platforms, func(p platform) bool { return p.String() == name })
		if i < 0 {
			return nil, fmt.Errorf("no platform %q: there are %v", name, platforms)
		}
		out = append(out, platforms[i])
	}
	return out, nil
}

// compile builds the program for a platform: without C, paths and times of this machine.
func (r *release) compile(ctx context.Context, p platform, name string) error {
	stamp := "-s -w -buildid= -X rinzel/internal/cli.released=" + r.version + " -X rinzel/internal/cli.commit=" + r.commit
	cmd := exec.CommandContext(ctx, "go", "build", "-trimpath", "-buildvcs=false", "-ldflags="+stamp, "-o", name,
		"./cmd/rinzel")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0", "GOFLAGS=", "GOOS="+p.os, "GOARCH="+p.arch)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w\n%s", p, err, out)
	}
	return nil
}

// completions returns completions for shells.
func completions() (files []file, err error) {
	root := cli.Command()
	for _, shell := range []struct {
		name  string
		write func(io.Writer) error
	}{
		{"rinzel.bash", func(w io.Writer) error { return root.GenBashCompletionV2(w, true) }},
		{"rinzel.fish", func(w io.Writer) error { return root.GenFishCompletion(w, true) }},
		{"rinzel.ps1", root.GenPowerShellCompletionWithDesc},
		{"_rinzel", root.GenZshCompletion},
	} {
		var b bytes.Buffer
		if err := shell.write(&b); err != nil {
			return nil, err
		}
		files = append(files, file{name: "completions/" + shell.name, data: b.Bytes()})
	}
	return files, nil
}

// manuals returns a man page for each command.
func manuals(version string, at time.Time) (files []file, err error) {
	root := cli.Command()
	root.DisableAutoGenTag = true
	plain(root)
	dir, err := os.MkdirTemp("", "rinzel-man-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	at = at.UTC()
	header := &doc.GenManHeader{Section: "1", Source: "Rinzel " + version, Manual: "Rinzel", Date: &at}
	if err := doc.GenManTree(root, header, dir); err != nil {
		return nil, err
	}
	pages, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	for _, page := range pages {
		data, err := os.ReadFile(filepath.Join(dir, page.Name()))
		if err != nil {
			return nil, err
		}
		files = append(files, file{name: "man/" + page.Name(), data: data})
	}
	return files, nil
}

// plain escapes texts of a command and those below it, which the generator of man pages
// reads as Markdown.
func plain(cmd *cobra.Command) {
	escape := strings.NewReplacer(`\`, `\\`, "*", `\*`, "_", `\_`, "<", `\<`, "[", `\[`)
	cmd.Long = escape.Replace(cmd.Long)
	cmd.Flags().VisitAll(func(f *pflag.Flag) { f.Usage = escape.Replace(f.Usage) })
	for _, c := range cmd.Commands() {
		plain(c)
	}
}

// sortedKeys returns the keys of a map in order.
func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
