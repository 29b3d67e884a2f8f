// Release builds what is published of a version: for each platform a static program in
// an archive with its man pages, completions and licences, and npm packages; a list of
// what is in them as SPDX, and checksums. The same commit gives the same bytes.
//
//	scripts/release [--out FOLDER] [--platforms LIST] [--draft] VERSION
package main

import (
	"context"
	"crypto/sha256"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	err := run(ctx, os.Args[1:])
	stop()
	if err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

// release is a version that is being built.
type release struct {
	version   string
	commit    string
	time      time.Time // of the commit, and of all files
	platforms []platform
	out       string            // folder of the results
	sums      map[string]string // by slash-separated path in it
}

// semantic is a version such as 1.2.3 or 1.2.3-rc.1 (Semantic Versioning 2.0.0, section 9);
// npm knows no others.
var semantic = regexp.MustCompile(`^(0|[1-9]\d*)\.(0|[1-9]\d*)\.(0|[1-9]\d*)(-(0|[1-9]\d*|\d*[A-Za-z-][\dA-Za-z-]*)(\.(0|[1-9]\d*|\d*[A-Za-z-][\dA-Za-z-]*))*)?$`)

// run builds a release as arguments say.
func run(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("scripts/release", flag.ContinueOnError)
	out := flags.String("out", "release", "new or empty `folder` for the results")
	only := flags.String("platforms", "", "comma-separated `list` such as linux/amd64 (default all)")
	draft := flags.Bool("draft", false, "build with changes that are not committed")
	if err := flags.Parse(args); errors.Is(err, flag.ErrHelp) {
		return nil
	} else if err != nil {
		return err
	}
	if flags.NArg() != 1 || !semantic.MatchString(flags.Arg(0)) {
		return errors.New("name one version, such as 1.2.3")
	}
	r := &release{version: flags.Arg(0), out: *out, sums: make(map[string]string)}
	var err error
	if r.platforms, err = platformsOf(*only); err != nil {
		return err
	}
	if err := r.readCommit(ctx, *draft); err != nil {
		return err
	}
	if found, err := os.ReadDir(r.out); err == nil && len(found) > 0 {
		return fmt.Errorf("the folder %s is not empty", r.out)
	}
	if err := r.build(ctx); err != nil {
		return err
	}
	return r.writeSums()
}

// readCommit reads which commit is built, and when it was made. With draft, changes are
// no error, and neither is a folder that is no repository.
func (r *release) readCommit(ctx context.Context, draft bool) error {
	r.time = time.Unix(0, 0)
	out, err := exec.CommandContext(ctx, "git", "log", "-1", "--format=%H %ct").Output()
	if err != nil && !draft {
		return fmt.Errorf("git log: %w", err)
	}
	if hash, seconds, ok := strings.Cut(strings.TrimSpace(string(out)), " "); ok {
		n, err := strconv.ParseInt(seconds, 10, 64)
		if err != nil {
			return err
		}
		r.commit, r.time = hash, time.Unix(n, 0)
	}
	if draft {
		return nil
	}
	changed, err := exec.CommandContext(ctx, "git", "status", "--porcelain").Output()
	if err != nil {
		return fmt.Errorf("git status: %w", err)
	}
	if len(changed) > 0 {
		return errors.New("there are changes that are not committed: commit them, or use --draft")
	}
	return nil
}

// build builds all platforms and what is common to them.
func (r *release) build(ctx context.Context) error {
	work, err := os.MkdirTemp("", "rinzel-release-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	common, err := r.common()
	if err != nil {
		return err
	}
	l := newLedger()
	programs := make(map[platform][]byte)
	for _, p := range r.platforms {
		fmt.Println("building", p)
		name := filepath.Join(work, p.program())
		if err := r.compile(ctx, p, name); err != nil {
			return err
		}
		if err := l.add(ctx, name); err != nil {
			return err
		}
		if programs[p], err = os.ReadFile(name); err != nil {
			return err
		}
	}
	common = append(common, file{name: "LICENSES.txt", data: l.licences()})
	for _, p := range r.platforms {
		if err := r.publish(p, programs[p], common); err != nil {
			return err
		}
	}
	if err := r.write(path.Join("npm", "rinzel-"+r.version+".tgz"), r.launcherPackage); err != nil {
		return err
	}
	list, err := l.spdx(r)
	if err != nil {
		return err
	}
	return r.write("rinzel-"+r.version+".spdx.json", func() ([]byte, error) { return list, nil })
}

// common returns the files that are in the archives of all platforms.
func (r *release) common() ([]file, error) {
	pages, err := manuals(r.version, r.time)
	if err != nil {
		return nil, err
	}
	files, err := completions()
	if err != nil {
		return nil, err
	}
	files = append(files, pages...)
	for _, name := range []string{"README.md", "NOTICE"} {
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		files = append(files, file{name: name, data: data})
	}
	return files, nil
}

// publish writes the archive and the npm package of a platform.
func (r *release) publish(p platform, program []byte, common []file) error {
	files := append(slices.Clone(common), file{name: p.program(), data: program, executable: true})
	base := "rinzel-" + r.version + "-" + p.os + "-" + p.arch
	if p.os == "windows" {
		err := r.write(base+".zip", func() ([]byte, error) { return zipped(base, files, r.time) })
		if err != nil {
			return err
		}
	} else {
		err := r.write(base+".tar.gz", func() ([]byte, error) { return tarred(base, files, r.time) })
		if err != nil {
			return err
		}
	}
	return r.write(path.Join("npm", p.npmName()+"-"+r.version+".tgz"), func() ([]byte, error) {
		return r.platformPackage(p, files)
	})
}

// write makes a file of the results and notes its checksum.
func (r *release) write(name string, content func() ([]byte, error)) error {
	data, err := content()
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	r.sums[name] = fmt.Sprintf("%x", sha256.Sum256(data))
	target := filepath.Join(r.out, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
		return err
	}
	return os.WriteFile(target, data, 0o644)
}

// writeSums writes the checksums, in the form that sha256sum --check reads.
func (r *release) writeSums() error {
	var b strings.Builder
	for _, name := range sortedKeys(r.sums) {
		fmt.Fprintf(&b, "%s  %s\n", r.sums[name], name)
	}
	fmt.Printf("wrote %d files and SHA256SUMS to %s\n", len(r.sums), r.out)
	return os.WriteFile(filepath.Join(r.out, "SHA256SUMS"), []byte(b.String()), 0o644)
}
