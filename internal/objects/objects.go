// Package objects stores results by the hash of what they depend on: in memory,
// in a folder that processes share, and on a server that machines share. Each is
// optional, may be deleted at any time, and only saves time. Start reading at
// [Store.Get].
package objects

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"
)

// Key identifies a result: the hash of everything that it depends on.
type Key [sha256.Size]byte

// KeyOf returns the key for some texts, in order.
func KeyOf(parts ...[]byte) Key {
	h := sha256.New()
	for _, part := range parts {
		fmt.Fprintf(h, "%d\n", len(part))
		h.Write(part)
	}
	return Key(h.Sum(nil))
}

// String returns the key in hexadecimal digits.
func (k Key) String() string { return hex.EncodeToString(k[:]) }

// Limits of a store.
const (
	maxObject = 256 << 20           // bytes of a result that is stored
	maxMemory = 64 << 20            // bytes of the results in memory
	maxAge    = 30 * 24 * time.Hour // of files that nobody uses
	wait      = 15 * time.Second    // for the server
)

// Options configure a store.
type Options struct {
	Folder string // empty for none; it is created
	URL    string // of a folder on a server that understands GET and PUT; ends with a slash; empty for none
}

// Store is a store of results. It is safe for concurrent use, also by several
// processes with the same folder.
type Store struct {
	opts   Options
	client http.Client

	mu     sync.Mutex
	memory map[Key][]byte
	size   int // of the results in memory

	unreachable atomic.Bool // the server failed: it is not asked again
	readOnly    atomic.Bool // it refused a result
	sending     sync.WaitGroup
	trimmed     sync.Once
}

// Open returns a store.
func Open(opts Options) *Store {
	return &Store{opts: opts, client: http.Client{Timeout: wait}, memory: make(map[Key][]byte)}
}

// Close waits until results are sent to the server.
func (s *Store) Close() { s.sending.Wait() }

// Get returns a result, unless it is not stored, or what is stored is damaged.
func (s *Store) Get(ctx context.Context, key Key) ([]byte, bool) {
	s.mu.Lock()
	data, ok := s.memory[key]
	s.mu.Unlock()
	if ok {
		return data, true
	}
	if data, ok := s.onDisk(key); ok {
		s.remember(key, data)
		return data, true
	}
	if data, ok := s.onServer(ctx, key); ok {
		s.remember(key, data)
		s.write(key, data)
		return data, true
	}
	return nil, false
}

// Put stores a result. Errors are ignored: it is computed again then.
func (s *Store) Put(key Key, data []byte) {
	s.remember(key, data)
	if len(data) > maxObject {
		return
	}
	s.write(key, data)
	if s.opts.URL == "" || s.unreachable.Load() || s.readOnly.Load() {
		return
	}
	s.sending.Go(func() { s.send(key, data) })
}

// remember stores a result in memory.
func (s *Store) remember(key Key, data []byte) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.size+len(data) > maxMemory {
		clear(s.memory)
		s.size = 0
	}
	if _, ok := s.memory[key]; !ok && len(data) <= maxMemory {
		s.memory[key] = data
		s.size += len(data)
	}
}

// mark starts an object. The hash of the result follows, and the result itself,
// so that damaged ones are found.
const mark = "rinzel object 1 "

// encode returns a result as an object.
func encode(data []byte) []byte {
	sum := sha256.Sum256(data)
	out := make([]byte, 0, len(mark)+2*len(sum)+1+len(data))
	out = hex.AppendEncode(append(out, mark...), sum[:])
	return append(append(out, '\n'), data...)
}

// decode returns the result in an object; ok is false if it is damaged.
func decode(object []byte) (data []byte, ok bool) {
	head, data, ok := bytes.Cut(object, []byte("\n"))
	if !ok {
		return nil, false
	}
	sum := sha256.Sum256(data)
	return data, string(head) == mark+hex.EncodeToString(sum[:])
}

// file returns the name of the file of an object.
func (s *Store) file(key Key) string {
	name := key.String()
	return filepath.Join(s.opts.Folder, name[:2], name)
}

// onDisk returns a result from the folder.
func (s *Store) onDisk(key Key) ([]byte, bool) {
	if s.opts.Folder == "" {
		return nil, false
	}
	name := s.file(key)
	info, err := os.Stat(name)
	if err != nil || !info.Mode().IsRegular() || info.Size() > maxObject+1000 {
		return nil, false
	}
	object, err := os.ReadFile(name)
	if err != nil {
		return nil, false
	}
	data, ok := decode(object)
	if ok && time.Since(info.ModTime()) > maxAge/30 {
		now := time.Now()
		_ = os.Chtimes(name, now, now)
	}
	return data, ok
}

// write stores a result in the folder: under another name first, so that others
// never see a part of it.
func (s *Store) write(key Key, data []byte) {
	if s.opts.Folder == "" {
		return
	}
	s.trimmed.Do(s.trim)
	name := s.file(key)
	if os.MkdirAll(filepath.Dir(name), 0o700) != nil {
		return
	}
	temp, err := os.CreateTemp(filepath.Dir(name), "new-*")
	if err != nil {
		return
	}
	_, err = temp.Write(encode(data))
	if err = errors.Join(err, temp.Close()); err == nil {
		err = os.Rename(temp.Name(), name)
	}
	if err != nil {
		_ = os.Remove(temp.Name())
	}
}

// trim removes objects that nobody used for a long time, at most once a day.
func (s *Store) trim() {
	last := filepath.Join(s.opts.Folder, "trimmed")
	if info, err := os.Stat(last); err == nil && time.Since(info.ModTime()) < maxAge/30 {
		return
	}
	if os.MkdirAll(s.opts.Folder, 0o700) != nil || os.WriteFile(last, nil, 0o600) != nil {
		return
	}
	now := time.Now()
	_ = os.Chtimes(last, now, now)
	_ = filepath.WalkDir(s.opts.Folder, func(name string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() || !isObject(s.opts.Folder, name) {
			return nil
		}
		if info, err := d.Info(); err == nil && now.Sub(info.ModTime()) > maxAge {
			_ = os.Remove(name)
		}
		return nil
	})
}

// isObject reports whether a file in the folder is an object, or one that a
// process left half written.
func isObject(folder, name string) bool {
	dir, file := filepath.Split(name)
	sub := filepath.Base(dir)
	if filepath.Join(folder, sub) != filepath.Clean(dir) || len(sub) != 2 {
		return false
	}
	_, err := hex.DecodeString(file)
	return err == nil && len(file) == 2*sha256.Size && file[:2] == sub || len(file) > 4 && file[:4] == "new-"
}

// onServer returns a result from the server.
func (s *Store) onServer(ctx context.Context, key Key) ([]byte, bool) {
	if s.opts.URL == "" || s.unreachable.Load() {
		return nil, false
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.opts.URL+key.String(), nil)
	if err != nil {
		return nil, false
	}
	res, err := s.client.Do(req)
	if err != nil {
		s.failed(ctx)
		return nil, false
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		if res.StatusCode >= http.StatusInternalServerError {
			s.failed(ctx)
		}
		return nil, false
	}
	object, err := io.ReadAll(io.LimitReader(res.Body, maxObject+1000))
	if err != nil {
		s.failed(ctx)
		return nil, false
	}
	return decode(object)
}

// send sends a result to the server.
func (s *Store) send(key Key, data []byte) {
	req, err := http.NewRequest(http.MethodPut, s.opts.URL+key.String(), bytes.NewReader(encode(data)))
	if err != nil {
		return
	}
	req.Header.Set("Content-Type", "application/octet-stream")
	res, err := s.client.Do(req)
	if err != nil {
		s.failed(context.Background())
		return
	}
	_ = res.Body.Close()
	if res.StatusCode >= http.StatusBadRequest {
		s.readOnly.Store(true)
	}
}

// failed records that the server did not answer, unless the caller gave up.
func (s *Store) failed(ctx context.Context) {
	if ctx.Err() == nil {
		s.unreachable.Store(true)
	}
}

// Unreachable reports whether the server did not answer, so that it was not asked
// again.
func (s *Store) Unreachable() bool { return s.unreachable.Load() }
