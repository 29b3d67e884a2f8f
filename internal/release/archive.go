package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"io/fs"
	"time"
)

// file is a file of an archive.
type file struct {
	name       string // slash-separated
	data       []byte
	executable bool
}

// mode returns the permissions of the file.
func (f *file) mode() fs.FileMode {
	if f.executable {
		return 0o755
	}
	return 0o644
}

// tarred returns files in a folder as a compressed tar archive. Nothing in it depends on
// the machine: all files belong to root and have the same time.
func tarred(folder string, files []file, at time.Time) ([]byte, error) {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	t := tar.NewWriter(z)
	for _, f := range files {
		h := &tar.Header{Name: folder + "/" + f.name, Size: int64(len(f.data)), Mode: int64(f.mode()), ModTime: at, Typeflag: tar.TypeReg}
		if err := t.WriteHeader(h); err != nil {
			return nil, err
		}
		if _, err := t.Write(f.data); err != nil {
			return nil, err
		}
	}
	if err := t.Close(); err != nil {
		return nil, err
	}
	err = z.Close()
	return b.Bytes(), err
}

// zipped returns files in a folder as a zip archive.
func zipped(folder string, files []file, at time.Time) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		h := &zip.FileHeader{Name: folder + "/" + f.name, Method: zip.Deflate, Modified: at.UTC()}
		h.SetMode(f.mode())
		w, err := z.CreateHeader(h)
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(f.data); err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return b.Bytes(), err
}
