package inventory

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file words findings about URLs without a file.

// Unreadable returns the finding for an error of reading a file that is named
// at a span.
func (i *Inventory) Unreadable(p source.Path, err error, at source.Span) diag.Diagnostic {
	show := i.Show(p)
	d := diag.Diagnostic{Code: code.UnreadableFile, Severity: diag.Error, Span: at}
	var encoding *source.EncodingError
	switch {
	case errors.As(err, &encoding):
		f := encoding.File
		d.Code = code.NotUTF8
		d.Message = fmt.Sprintf("%q %v", show, source.ErrNotUTF8)
		d.Fix = "save it as UTF-8"
		end := source.SpanOf(f.Pos(len(f.Text)), 0)
		if at.IsValid() {
			d.Related = []diag.Related{{Span: end, Message: "the first invalid byte comes after this"}}
		} else {
			d.Span = end
		}
	case errors.Is(err, fs.ErrNotExist):
		d.Code = code.MissingFile
		d.Message = fmt.Sprintf("no such file: %q", show)
		d.Fix = i.Near(p)
	case errors.Is(err, fs.ErrPermission):
		d.Message = fmt.Sprintf("no permission to read %q", show)
		d.Fix = "change its permissions"
	case errors.Is(err, source.ErrOutside):
		d.Code = code.OutsideRoot
		d.Message = fmt.Sprintf("%q %v", show, source.ErrOutside)
		d.Fix = "add the folder it is in to [roots] in rinzel.toml"
	default:
		d.Message = fmt.Sprintf("%q %v", show, err)
	}
	return d
}

// BadTarget returns the finding about a URL that cannot refer to a file. ok is
// false if it can, or if it is external.
func (i *Inventory) BadTarget(t graph.Target, address string, at source.Span) (d diag.Diagnostic, ok bool) {
	d = diag.Diagnostic{Severity: diag.Error, Span: at}
	switch t.Kind {
	case graph.SameDocument:
		d.Code, d.Message = code.EmptyURL, "empty URL"
	case graph.Outside:
		d.Code = code.OutsideRoot
		d.Message = fmt.Sprintf("%q leads outside its folder", address)
		d.Fix = "add the folder it is in to [roots] in rinzel.toml, and write \"root:path\""
		if inPackage, ok := i.packaged(address); ok {
			d.Fix = fmt.Sprintf("sheets of packages are imported with \"package:\": write %q", inPackage)
		}
		if strings.TrimSpace(address) == project.PackageRoot+":" {
			d.Code, d.Message, d.Fix = code.EmptyURL, "missing package name",
				"write \"package:name\" or \"package:name/sheet.css\""
		}
	case graph.NoRoot:
		d.Code = code.UnknownRoot
		d.Message = fmt.Sprintf("unknown root %q", t.Root)
		d.Fix = diag.DidYouMean(t.Root, i.Roots(), "roots are set in [roots] in rinzel.toml")
		if t.Root == project.PackageRoot {
			_, name, _ := strings.Cut(address, ":")
			d.Message = fmt.Sprintf("package %q is not installed: no node_modules folder in the source folder or above it",
				graph.PackageOf(name))
			d.Fix = "install the package"
		}
	default:
		return d, false
	}
	return d, true
}

// ExplainPackage rewords a finding about a missing sheet whose URL names a
// package, or seems to.
func (i *Inventory) ExplainPackage(d *diag.Diagnostic, p source.Path, address string) {
	if !project.IsPackageRoot(p.Root) {
		if inPackage, ok := i.packaged(address); ok {
			d.Fix = fmt.Sprintf("sheets of packages are imported with \"package:\": write %q", inPackage)
		}
		return
	}
	name := graph.PackageOf(p.Name)
	manifest := source.Path{Root: p.Root, Name: path.Join(name, "package.json")}
	if !i.Exists(manifest) && len(i.Siblings(manifest)) == 0 {
		d.Message = fmt.Sprintf("package %q is not installed", name)
		d.Fix = "install the package"
		folders := i.Siblings(source.Path{Root: p.Root, Name: name})
		if near := diag.Nearest(path.Base(name), folders); near != "" {
			d.Fix = fmt.Sprintf("did you mean %q?", project.PackageRoot+":"+path.Join(path.Dir(name), near))
		}
		return
	}
	if strings.TrimPrefix(address, project.PackageRoot+":") == name {
		d.Message = fmt.Sprintf("package %q does not declare a main sheet", name)
		d.Fix = "import one of its sheets"
	}
	if sheets := i.sheetsOfPackage(p.Root, name); len(sheets) > 0 && !strings.HasPrefix(d.Fix, "did you mean") {
		d.Fix = "its sheets are: " + sheets
	}
}

// packaged returns the URL with "package:" that a URL without it probably
// means.
func (i *Inventory) packaged(address string) (string, bool) {
	rest := strings.TrimPrefix(strings.TrimPrefix(strings.TrimLeft(address, "./~ "), project.PackageFolder+"/"), "/")
	if rest == "" || !i.HasRoot(project.PackageRoot) {
		return "", false
	}
	name := project.PackageRoot + ":" + rest
	t := graph.Resolve(i, source.Path{}, "/", name)
	return name, t.Kind == graph.Local && i.Exists(t.Path)
}

// sheetsOfPackage lists some sheets of a package as import URLs.
func (i *Inventory) sheetsOfPackage(root, name string) string {
	const most, deepest = 3, 4
	var sheets []string
	i.walk(root, func(dir string) bool {
		inside := dir == "." || dir == name || strings.HasPrefix(dir, name+"/") || strings.HasPrefix(name, dir+"/")
		return inside && len(sheets) < 10*most && strings.Count(dir, "/") < deepest && path.Base(dir) != project.PackageFolder
	}, func(p source.Path) {
		if i.IsSheet(p.Name) && strings.HasPrefix(p.Name, name+"/") {
			sheets = append(sheets, project.PackageRoot+":"+p.Name)
		}
	})
	slices.SortFunc(sheets, func(a, b string) int { return len(a) - len(b) })
	if len(sheets) > most {
		return strings.Join(sheets[:most], ", ") + " and others"
	}
	return strings.Join(sheets, ", ")
}

// RewordUnclosed rewords a finding about a URL that contains markup, because
// its quote is not closed. It returns false if the URL does not.
func RewordUnclosed(d *diag.Diagnostic, address string) bool {
	end := strings.IndexAny(address, "<>\n\r")
	if end < 1 {
		return false
	}
	start := strings.TrimRight(strings.SplitN(address[:end], " ", 2)[0], "/\t ")
	if start == "" {
		return false
	}
	d.Message = fmt.Sprintf("unclosed quote after the URL %q: the markup after it is read as part of the URL", start)
	d.Fix = fmt.Sprintf("add the closing quote: \"%s\"", start)
	d.Span.End = min(d.Span.End, d.Span.Start.Off+uint32(len(start)))
	d.Cause = ""
	return true
}
