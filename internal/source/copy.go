package source

import (
	"crypto/sha256"
	"errors"
	"io"
	"io/fs"
	"sync"
	"time"
)

// ErrChanged means that a file changed after it was hashed.
var ErrChanged = errors.New("changed while it was read: build again")

// Sum is the SHA-256 hash of the content of a file.
type Sum [sha256.Size]byte

// Copy is a file that is written as it is. It is hashed once and never held in memory, whatever its size.
type Copy struct {
	Size int64
	Sum  Sum

	tree *Tree
	path Path
	time time.Time
}

// hashed is a file that was hashed, or is being hashed.
type hashed struct {
	once sync.Once
	copy *Copy
	err  error
}

// Copy hashes a file so that it can be copied. A file is hashed once until [Tree.Forget] is called for it. The error is as
// that of [Tree.Text], but for the size: a copied file has no limit.
func (t *Tree) Copy(p Path) (*Copy, error) {
	t.mu.Lock()
	h := t.copies[p]
	if h == nil {
		h = new(hashed)
		t.copies[p] = h
	}
	t.mu.Unlock()
	h.once.Do(func() { h.copy, h.err = t.hash(p) })
	return h.copy, h.err
}

func (t *Tree) hash(p Path) (*Copy, error) {
	f, info, err := t.open(p)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	c := &Copy{tree: t, path: p, time: info.ModTime()}
	if c.Sum, c.Size, err = sumOf(f); err != nil {
		return nil, plain(err)
	}
	return c, nil
}

// Open opens the file. The error is [ErrChanged] if it is not the one that was hashed, by its size and its time.
func (c *Copy) Open() (fs.File, error) {
	f, info, err := c.tree.open(c.path)
	if err != nil {
		return nil, err
	}
	if info.Size() != c.Size || !info.ModTime().Equal(c.time) {
		return nil, errors.Join(ErrChanged, f.Close())
	}
	return f, nil
}

// Read reads the file whole, as [Copy.Open] opens it.
func (c *Copy) Read() ([]byte, error) {
	f, err := c.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data := make([]byte, c.Size)
	if _, err := io.ReadFull(f, data); err != nil {
		return nil, ErrChanged
	}
	return data, nil
}

// sumOf hashes what is left to read, and counts it.
func sumOf(r io.Reader) (sum Sum, size int64, err error) {
	h := sha256.New()
	size, err = io.CopyBuffer(onlyWriter{h}, r, make([]byte, 256<<10))
	h.Sum(sum[:0])
	return sum, size, err
}

// onlyWriter hides what else a writer can do, so that the buffer at hand is used.
type onlyWriter struct{ io.Writer }
