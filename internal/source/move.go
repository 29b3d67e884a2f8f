package source

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"slices"
	"strconv"
)

// mover moves files to their destinations, and can undo that.
type mover struct {
	root       *os.Root
	aside      string // folder for replaced files
	movedAside []string
	done       []moved
}

// moved is a step that can be undone.
type moved struct {
	destination string // destination of a file
	aside       string // where the replaced file is now; empty if there was none
}

// move moves a file to its destination. A file of an earlier build stays there
// until it is replaced; a folder at the destination, or a file in place of a
// parent folder, is moved aside.
func (m *mover) move(from, to string) error {
	if name := blockedBy(m.root, to); name != "" {
		if err := m.makeWay(name); err != nil {
			return err
		}
	}
	if dir := path.Dir(to); dir != "." {
		if err := m.root.MkdirAll(dir, 0o755); err != nil {
			removeEmpty(m.root, dir) // those that were created
			return err
		}
	}
	info, there, err := isThere(m.root, to)
	switch {
	case err != nil:
		removeEmpty(m.root, path.Dir(to))
		return err
	case !there:
		m.done = append(m.done, moved{destination: to})
	case info.IsDir():
		if err := m.makeWay(to); err != nil {
			return err
		}
		m.done = append(m.done, moved{destination: to})
	default:
		m.backUp(to)
	}
	if err := m.root.Rename(from, to); err != nil {
		m.done = m.done[:len(m.done)-1]
		removeEmpty(m.root, path.Dir(to))
		return err
	}
	return nil
}

// backUp gives a file that is about to be replaced a second name, so that the
// replacement can be undone, if the file system supports hard links.
func (m *mover) backUp(name string) {
	aside, err := m.newAside()
	if err == nil {
		err = m.root.Link(name, aside)
	}
	if err != nil {
		aside = name // nothing must be moved back
	}
	m.done = append(m.done, moved{name, aside})
}

// makeWay moves a file or a folder aside.
func (m *mover) makeWay(name string) error {
	aside, err := m.newAside()
	if err != nil {
		return err
	}
	_ = fs.WalkDir(m.root.FS(), name, func(inner string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			m.movedAside = append(m.movedAside, inner)
		}
		return nil
	})
	if err := m.root.Rename(name, aside); err != nil {
		return err
	}
	m.done = append(m.done, moved{name, aside})
	return nil
}

// newAside returns an unused name.
func (m *mover) newAside() (string, error) {
	return path.Join(m.aside, strconv.Itoa(len(m.done))), m.root.MkdirAll(m.aside, 0o755)
}

// undo reverts all steps, the last first.
func (m *mover) undo() error {
	var all error
	for _, d := range slices.Backward(m.done) {
		switch d.aside {
		case "":
			all = errors.Join(all, m.root.Remove(d.destination))
			removeEmpty(m.root, path.Dir(d.destination))
		case d.destination:
		default:
			all = errors.Join(all, m.root.MkdirAll(path.Dir(d.destination), 0o755), m.root.Rename(d.aside, d.destination))
		}
	}
	return all
}
