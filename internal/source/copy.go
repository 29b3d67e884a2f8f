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

// Sum is the SHA-256 hash of a file's contents.
type Sum [sha256.Size]byte

// Copy is a file that is copied unchanged. It is hashed once and never loaded
// into memory as a whole.
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

// Copy hashes a file so that it can be copied. A file is hashed once, until
// [Tree.Forget] is called for it. The error is like that of [Tree.Text], but
// there is no size limit.
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

// hash hashes a file.
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

// Open opens the file. The error is [ErrChanged] if its size or time differ
// from when it was hashed.
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

// Read reads the whole file, opened by [Copy.Open].
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

// sumOf hashes the rest of a reader, and counts its bytes.
func sumOf(r io.Reader) (sum Sum, size int64, err error) {
	h := sha256.New()
	size, err = io.CopyBuffer(onlyWriter{h}, r, make([]byte, 256<<10))
	h.Sum(sum[:0])
	return sum, size, err
}

// onlyWriter hides the other methods of a writer, so that io.Copy uses the
// buffer.
type onlyWriter struct{ io.Writer }
