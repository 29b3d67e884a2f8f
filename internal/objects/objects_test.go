package objects_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"rinzel/internal/objects"
)

var ctx = context.Background()

// get returns a stored text, or "none".
func get(s *objects.Store, key objects.Key) string {
	data, ok := s.Get(ctx, key)
	if !ok {
		return "none"
	}
	return string(data)
}

func TestKeys(t *testing.T) {
	seen := make(map[objects.Key]string)
	for _, parts := range [][]string{{}, {""}, {"a"}, {"a", ""}, {"", "a"}, {"ab"}, {"a", "b"}, {"1\na"}} {
		var list [][]byte
		for _, p := range parts {
			list = append(list, []byte(p))
		}
		key := objects.KeyOf(list...)
		if before, ok := seen[key]; ok {
			t.Errorf("%q and %q have the same key", parts, before)
		}
		seen[key] = fmt.Sprint(parts)
	}
}

func TestFolder(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "new", "cache")
	key, other := objects.KeyOf([]byte("a")), objects.KeyOf([]byte("b"))
	first := objects.Open(objects.Options{Folder: dir})
	if got := get(first, key); got != "none" {
		t.Errorf("an empty store has %q", got)
	}
	first.Put(key, []byte("tide"))
	first.Put(other, nil)
	second := objects.Open(objects.Options{Folder: dir})
	if got := get(second, key) + get(second, other); got != "tide" {
		t.Errorf("got %q", got)
	}
	if err := os.RemoveAll(dir); err != nil {
		t.Fatal(err)
	}
	if got := get(second, key); got != "tide" {
		t.Errorf("in memory: %q", got)
	}
	if got := get(objects.Open(objects.Options{Folder: dir}), key); got != "none" {
		t.Errorf("after the folder was deleted: %q", got)
	}
	nowhere := objects.Open(objects.Options{Folder: "/proc/no/such/folder"})
	nowhere.Put(key, []byte("tide"))
	if got := get(nowhere, key); got != "tide" {
		t.Errorf("in memory only: %q", got)
	}
}

// TestDamage damages a stored object in all ways: it must not be used.
func TestDamage(t *testing.T) {
	dir := t.TempDir()
	key := objects.KeyOf([]byte("a"))
	objects.Open(objects.Options{Folder: dir}).Put(key, []byte("high tide"))
	name := filepath.Join(dir, key.String()[:2], key.String())
	good, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	for i := range good {
		for _, bad := range [][]byte{good[:i], append(bytes.Clone(good[:i]), append([]byte{good[i] ^ 1}, good[i+1:]...)...)} {
			if err := os.WriteFile(name, bad, 0o600); err != nil {
				t.Fatal(err)
			}
			if got := get(objects.Open(objects.Options{Folder: dir}), key); got != "none" {
				t.Fatalf("%q is read as %q", bad, got)
			}
		}
	}
	if err := os.Remove(name); err != nil {
		t.Fatal(err)
	}
	if err := os.Mkdir(name, 0o700); err != nil {
		t.Fatal(err)
	}
	s := objects.Open(objects.Options{Folder: dir})
	if got := get(s, key); got != "none" {
		t.Errorf("a folder is read as %q", got)
	}
}

// TestShared writes and reads one folder with many stores at once.
func TestShared(t *testing.T) {
	dir := t.TempDir()
	var group sync.WaitGroup
	for range 8 {
		group.Go(func() {
			s := objects.Open(objects.Options{Folder: dir})
			for i := range 50 {
				key := objects.KeyOf(fmt.Append(nil, i))
				want := strings.Repeat(fmt.Sprint(i), 5000)
				if got := get(s, key); got != "none" && got != want {
					t.Errorf("%d: read %d bytes of another text", i, len(got))
				}
				s.Put(key, []byte(want))
			}
		})
	}
	group.Wait()
}

// TestTrim checks that only old objects are removed, and only those.
func TestTrim(t *testing.T) {
	dir := t.TempDir()
	old, young := objects.KeyOf([]byte("old")), objects.KeyOf([]byte("young"))
	s := objects.Open(objects.Options{Folder: dir})
	s.Put(old, []byte("old"))
	s.Put(young, []byte("young"))
	long := time.Now().Add(-100 * 24 * time.Hour)
	half := filepath.Join(dir, old.String()[:2], "new-123")
	foreign := []string{filepath.Join(dir, "notes.txt"), filepath.Join(dir, old.String()[:2], "notes.txt"), filepath.Join(dir, old.String())}
	for _, name := range append(foreign, half) {
		if err := os.WriteFile(name, []byte("x"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	unused := filepath.Join(dir, old.String()[:2], old.String())
	for _, name := range append(foreign, half, unused, filepath.Join(dir, "trimmed")) {
		if err := os.Chtimes(name, long, long); err != nil {
			t.Fatal(err)
		}
	}
	objects.Open(objects.Options{Folder: dir}).Put(objects.KeyOf([]byte("new")), nil)
	s = objects.Open(objects.Options{Folder: dir})
	if got := get(s, old) + " " + get(s, young); got != "none young" {
		t.Errorf("got %s", got)
	}
	for _, name := range foreign {
		if _, err := os.Stat(name); err != nil {
			t.Errorf("%s was removed", name)
		}
	}
	if _, err := os.Stat(half); err == nil {
		t.Error("a file that was left half written is still there")
	}
}

// server is a store on a server, with what clients did.
type server struct {
	mu    sync.Mutex
	files map[string][]byte
	asked int
	deny  int // status of all answers; 0 to serve
}

func (s *server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked++
	data, ok := s.files[r.URL.Path]
	switch {
	case s.deny != 0:
		w.WriteHeader(s.deny)
	case r.Method == http.MethodPut:
		s.files[r.URL.Path], _ = io.ReadAll(r.Body)
		w.WriteHeader(http.StatusCreated)
	case !ok:
		http.NotFound(w, r)
	default:
		_, _ = w.Write(data)
	}
}

func TestServer(t *testing.T) {
	handler := &server{files: make(map[string][]byte)}
	web := httptest.NewServer(handler)
	defer web.Close()
	key := objects.KeyOf([]byte("a"))
	options := func() objects.Options { return objects.Options{Folder: t.TempDir(), URL: web.URL + "/harbour/"} }
	first := objects.Open(options())
	first.Put(key, []byte("tide"))
	first.Close()
	second := options()
	if got := get(objects.Open(second), key); got != "tide" {
		t.Errorf("from the server: %q", got)
	}
	asked := handler.asked
	if got := get(objects.Open(second), key); got != "tide" || handler.asked != asked {
		t.Errorf("after that from the folder: %q, %d more requests", got, handler.asked-asked)
	}
	handler.files["/harbour/"+key.String()] = []byte("rinzel object 1 00\nebb")
	if got := get(objects.Open(options()), key); got != "none" {
		t.Errorf("a damaged one: %q", got)
	}
	for _, status := range []int{http.StatusForbidden, http.StatusInternalServerError} {
		handler.deny, handler.asked = status, 0
		s := objects.Open(options())
		for i := range 5 {
			key := objects.KeyOf(fmt.Append(nil, i))
			if got := get(s, key); got != "none" {
				t.Errorf("status %d: %q", status, got)
			}
			s.Put(key, []byte("x"))
			s.Close()
		}
		if most := map[int]int{http.StatusForbidden: 6, http.StatusInternalServerError: 1}[status]; handler.asked != most {
			t.Errorf("status %d: asked %d times", status, handler.asked)
		}
	}
}

// TestUnreachable uses a server that does not exist.
func TestUnreachable(t *testing.T) {
	web := httptest.NewServer(http.NotFoundHandler())
	web.Close()
	s := objects.Open(objects.Options{URL: web.URL + "/"})
	key := objects.KeyOf([]byte("a"))
	if got := get(s, key); got != "none" || !s.Unreachable() {
		t.Errorf("got %q, unreachable %v", got, s.Unreachable())
	}
	s.Put(key, []byte("tide"))
	s.Close()
	if got := get(s, key); got != "tide" {
		t.Errorf("got %q", got)
	}
}
